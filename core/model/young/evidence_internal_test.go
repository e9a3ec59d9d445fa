package young

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/mat"

	"paperkettle/core/panel"
)

// The variances of a smooth season's harmonics make the periodic covariance that they are of.
func TestHarmonicsMakeThePeriodicCovariance(t *testing.T) {
	for _, alike := range []float64{0.4, 0.8, 2} {
		v := smooth(alike, 40)
		a := 1 / (alike * alike)
		mean := math.Exp(-a) * bessel(0, a)
		for _, d := range []float64{0, 0.1, 0.25, 0.5, 0.8} {
			sum := 0.0
			for k, x := range v {
				sum += x * math.Cos(2*math.Pi*float64(k+1)*d)
			}
			whole := math.Exp(-2 * math.Pow(math.Sin(math.Pi*d), 2) * a)
			assert.InDelta(t, (whole-mean)/(1-mean), sum, 1e-9, "alike %g, %g rounds apart", alike, d)
		}
	}
	assert.InDelta(t, 1.2660658777520084, bessel(0, 1), 1e-12) // Abramowitz and Stegun, table 9.8
	assert.InDelta(t, 0.5651591039924850, bessel(1, 1), 1e-12)
}

// Each place of a round has its own value where its share is 1, next to the mean of all.
func TestPlacesOfTheirOwn(t *testing.T) {
	for _, m := range []int{4, 7, 12} {
		d := newDesign(m, float64(m))
		v := shapesOf(m)[1]
		row, other := make([]float64, len(v)), make([]float64, len(v))
		for a := range m {
			for b := range m {
				d.season(int64(a), row)
				d.season(int64(b), other)
				cov := 0.0
				for j := range v {
					cov += v[j] * row[j] * other[j]
				}
				want := -1 / float64(m)
				if a == b {
					want++
				}
				assert.InDelta(t, want, cov, 1e-9, "places %d and %d of %d", a, b, m)
			}
		}
	}
}

// The likelihood and the season are those of the normal distribution of the series, written out as a matrix.
func TestEvidenceIsThatOfTheNormalDistribution(t *testing.T) {
	const n, m = 20, 7
	rnd := rand.New(rand.NewPCG(4, 4))
	y := make([]float64, n)
	for i := range y {
		y[i] = 3 + math.Sin(float64(i)) + 0.3*rnd.NormFloat64()
	}
	y[5], y[11] = panel.Unknown, panel.Unknown
	d := newDesign(m, m)
	others := []float64{0.4, -0.1, 0.2, 0, 0.05, 0.3}
	s := d.look(y, Series{First: 100}, others)
	require.NotNil(t, s.alone())
	s.share = 0.7
	var known []int
	for i, v := range y {
		if panel.Known(v) {
			known = append(known, i)
		}
	}
	var logs, dense []float64
	for _, k := range []int{0, 1, 7, 30, 60, d.alone + 20, len(d.list) - 1} {
		l, noise := s.solve(k)
		want, coef, q := written(s, y, k, known)
		logs, dense = append(logs, l), append(dense, want)
		assert.InDelta(t, q/float64(len(known)-1), noise, 1e-9)
		own := make([]float64, s.p)
		s.coefficients(k, own)
		assert.InDeltaSlice(t, coef, own, 1e-8, "%+v", d.list[k])
	}
	for k := range logs { // but for what is the same for all settings
		assert.InDelta(t, dense[k]-dense[0], logs[k]-logs[0], 1e-8)
	}
}

// What a season leaves tells the same of slopes and of a share in the others' season as each setting by itself, whether
// the others are known from the start or come later.
func TestSettingsOfASeasonAreToldFromWhatItLeaves(t *testing.T) {
	for _, m := range []int{7, 12, 52} {
		rnd := rand.New(rand.NewPCG(9, 4))
		y := make([]float64, 2*m+5)
		for i := range y {
			y[i] = 3 + 0.1*float64(i) + math.Sin(float64(i)) + 0.3*rnd.NormFloat64()
		}
		d := newDesign(m, float64(m))
		others := make([]float64, d.coefficients())
		for k := range others {
			others[k] = rnd.NormFloat64()
		}
		first, later := d.look(y, Series{First: 100}, others), d.look(y, Series{First: 100}, nil)
		logliks := first.all(first.alone())
		alone := later.alone()
		later.beside(others)
		later.goThrough(1 + len(sizes))
		assert.InDelta(t, first.share, later.share, 1e-12)
		assert.InDeltaSlice(t, logliks, later.all(alone), 1e-9)
		for k := range d.list {
			want, by := first.solve(k)
			assert.InDelta(t, want, logliks[k], 1e-8, "%+v", d.list[k])
			_, noise := first.loglik(k)
			assert.InEpsilon(t, by, noise, 1e-8)
		}
	}
}

// written is the log of the likelihood of the known values with a level of which nothing is known, the means of the
// coefficients, and the sum of squares next to the noise, by the covariance matrix of all values.
func written(s *seen, values []float64, setting int, known []int) (loglik float64, coef []float64, q float64) {
	n, x := len(known), s.d.list[setting]
	each := s.p - 1
	own, rows := make([]float64, len(values)*each), make([]float64, len(values)*s.p)
	s.d.rows(len(values), 100, nil, own)
	for i := range values {
		row := rows[i*s.p : (i+1)*s.p]
		copy(row, own[i*each:(i+1)*each])
		row[each] = floats.Dot(row[:each-1], s.others)
	}
	dev := append([]float64(nil), s.deviations(setting)...)
	cov, cross := mat.NewSymDense(n, nil), mat.NewDense(s.p, n, nil)
	one, y := mat.NewVecDense(n, nil), mat.NewVecDense(n, nil)
	for a, i := range known {
		one.SetVec(a, 1)
		y.SetVec(a, values[i])
		for b, j := range known[:a+1] {
			v := wanders[x.wander] * float64(min(i, j))
			for k, u := range dev {
				v += u * u * rows[i*s.p+k] * rows[j*s.p+k]
			}
			if a == b {
				v++
			}
			cov.SetSym(b, a, v)
		}
		for k, u := range dev {
			cross.Set(k, a, u*u*rows[i*s.p+k])
		}
	}
	var chol mat.Cholesky
	chol.Factorize(cov)
	solve := func(v mat.Vector) *mat.VecDense {
		var out mat.VecDense
		_ = chol.SolveVecTo(&out, v)
		return &out
	}
	ones := solve(one)
	about := mat.Dot(one, ones)
	level := mat.Dot(y, ones) / about
	rest := mat.NewVecDense(n, nil)
	rest.AddScaledVec(y, -level, one)
	solved := solve(rest)
	q = mat.Dot(rest, solved)
	var c mat.VecDense
	c.MulVec(cross, solved)
	return -0.5 * (chol.LogDet() + math.Log(about) + float64(n-1)*math.Log(q)), c.RawVector().Data, q
}

// A series that never moves tells nothing, and no setting is likely.
func TestNothingIsToldByWhatNeverMoves(t *testing.T) {
	flat := newDesign(12, 12).look(make([]float64, 30), Series{First: 100}, nil)
	assert.Nil(t, flat.alone())
}

// What it takes to weigh all settings for two years and a half of weeks.
func BenchmarkAlone(b *testing.B) {
	rnd := rand.New(rand.NewPCG(4, 4))
	y := make([]float64, 130)
	for i := range y {
		y[i] = 3 + math.Sin(2*math.Pi*float64(i)/52) + rnd.NormFloat64()
	}
	s := newDesign(52, 52.18).look(y, Series{First: 100}, nil)
	for b.Loop() {
		s.alone()
	}
}
