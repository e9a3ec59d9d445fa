package young

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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
	s := d.look(y, 100, others)
	s.share = 0.7
	var known []int
	for i, v := range y {
		if panel.Known(v) {
			known = append(known, i)
		}
	}
	var logs, dense []float64
	for _, k := range []int{0, 1, 7, 30, 60, d.alone + 20, len(d.list) - 1} {
		s.n = 0
		require.True(t, s.ready(k))
		l, noise := s.loglik(k)
		want, coef, q := written(s, k, known)
		logs, dense = append(logs, l), append(dense, want)
		assert.InDelta(t, q/float64(len(known)-1), noise, 1e-9)
		own := make([]float64, s.p)
		s.coefficients(k, own)
		assert.InDeltaSlice(t, coef, own, 1e-8, "%+v", d.list[k])
	}
	for _, some := range append(d.alike(0, d.alone), d.alike(d.alone, len(d.list))...) {
		require.True(t, s.ready(some[0]))
		four, noise := make([]float64, len(some)), make([]float64, len(some))
		s.logliks(some, four, noise)
		for k, setting := range some { // however many are asked for together
			one, by := s.loglik(setting)
			assert.InDelta(t, one, four[k], 1e-9)
			assert.InDelta(t, by, noise[k], 1e-12)
		}
	}
	for k := range logs { // but for what is the same for all settings
		assert.InDelta(t, dense[k]-dense[0], logs[k]-logs[0], 1e-8)
	}
}

// written is the log of the likelihood of the known values with a level of which nothing is known, the means of the
// coefficients, and the sum of squares next to the noise, by the covariance matrix of all values.
func written(s *seen, setting int, known []int) (loglik float64, coef []float64, q float64) {
	n, x := len(known), s.d.list[setting]
	dev := append([]float64(nil), s.deviations(setting)...)
	cov, cross := mat.NewSymDense(n, nil), mat.NewDense(s.p, n, nil)
	one, y := mat.NewVecDense(n, nil), mat.NewVecDense(n, nil)
	for a, i := range known {
		one.SetVec(a, 1)
		y.SetVec(a, s.values[i])
		for b, j := range known[:a+1] {
			v := x.wander * float64(min(i, j))
			for k, u := range dev {
				v += u * u * s.rows[i*s.p+k] * s.rows[j*s.p+k]
			}
			if a == b {
				v++
			}
			cov.SetSym(b, a, v)
		}
		for k, u := range dev {
			cross.Set(k, a, u*u*s.rows[i*s.p+k])
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
	flat := newDesign(12, 12).look(make([]float64, 30), 100, nil)
	assert.Nil(t, flat.alone())
}

// What it takes to weigh all settings for two years and a half of weeks.
func BenchmarkAlone(b *testing.B) {
	rnd := rand.New(rand.NewPCG(4, 4))
	y := make([]float64, 130)
	for i := range y {
		y[i] = 3 + math.Sin(2*math.Pi*float64(i)/52) + rnd.NormFloat64()
	}
	s := newDesign(52, 52.18).look(y, 100, nil)
	for b.Loop() {
		s.alone()
	}
}
