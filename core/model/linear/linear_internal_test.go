package linear

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"pgregory.net/rapid"

	"paperkettle/core/feature"
)

// design draws correlated columns of unit variance and a target, as moments.
func design(seed uint64, n, p int) (m *moments, x *mat.Dense, y *mat.VecDense) {
	rnd := rand.New(rand.NewPCG(seed, 1))
	b := &block{p: p, n: n, part: *newMoments(p)}
	for range n {
		common, sum := rnd.NormFloat64(), rnd.NormFloat64()
		for k := range p {
			v := common + rnd.NormFloat64()
			b.x = append(b.x, v)
			sum += v * float64(k%3-1)
		}
		b.y = append(b.y, sum)
	}
	b.moments(0, n)
	m = &b.part
	mx, my := m.meanXs, m.meanY
	x, y = mat.NewDense(n, p, nil), mat.NewVecDense(n, nil)
	for i := range n {
		for k := range p {
			x.Set(i, k, b.x[i*p+k]-mx[k])
		}
		y.SetVec(i, b.y[i]-my)
	}
	return m, x, y
}

// Rows that are judged about the means of others have the moments that their products, written out, have.
func TestMomentsAboutOthersMeans(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 1))
	b := &block{p: 2, n: 30, part: *newMoments(2)}
	for range b.n {
		b.x = append(b.x, 4+rnd.NormFloat64(), rnd.NormFloat64())
		b.y = append(b.y, 9+rnd.NormFloat64())
	}
	about, judged := newMoments(2), newMoments(2)
	b.moments(0, 20)
	about.merge(&b.part)
	b.moments(20, 30)
	judged.judge(&b.part, about)
	var xx, xy [2]float64
	across, yy := 0.0, 0.0
	for i := 20; i < 30; i++ {
		d := [2]float64{b.x[2*i] - about.meanXs[0], b.x[2*i+1] - about.meanXs[1]}
		e := b.y[i] - about.meanY
		across, yy = across+d[0]*d[1], yy+e*e
		for k := range d {
			xx[k], xy[k] = xx[k]+d[k]*d[k], xy[k]+d[k]*e
		}
	}
	assert.InDeltaSlice(t, []float64{xx[0], across, xx[1]}, []float64{judged.xx.Data[0], judged.xx.Data[1], judged.xx.Data[3]}, 1e-9)
	assert.InDeltaSlice(t, xy[:], judged.xy, 1e-9)
	assert.InDelta(t, yy, judged.yy, 1e-9)
	assert.Equal(t, 10.0, judged.n)
}

// Moments of parts, put together, are those of the whole.
func TestMomentsMerge(t *testing.T) {
	rnd := rand.New(rand.NewPCG(2, 1))
	b := &block{p: 3, n: 50, part: *newMoments(3)}
	for range b.n {
		for range b.p {
			b.x = append(b.x, 100+rnd.NormFloat64())
		}
		b.y = append(b.y, 50+rnd.NormFloat64())
	}
	so := newMoments(b.p)
	for _, part := range [][2]int{{0, 1}, {1, 20}, {20, 50}} {
		b.moments(part[0], part[1])
		so.merge(&b.part)
	}
	b.moments(0, b.n)
	whole := &b.part
	assert.Equal(t, whole.n, so.n)
	assert.InDelta(t, whole.yy, so.yy, 1e-8)
	assert.InDelta(t, whole.meanY, so.meanY, 1e-9)
	assert.InDeltaSlice(t, whole.xy, so.xy, 1e-8)
	assert.InDeltaSlice(t, whole.meanXs, so.meanXs, 1e-9)
	for a := range b.p {
		for k := a; k < b.p; k++ {
			assert.InDelta(t, whole.xx.Data[a*b.p+k], so.xx.Data[a*b.p+k], 1e-8)
		}
	}
}

// Without a penalty the coefficients are those of a QR decomposition.
func TestLeastSquares(t *testing.T) {
	m, x, y := design(3, 80, 6)
	g, c, spread := m.standard()
	beta := make([]float64, 6)
	Method{Penalty: "none"}.solve(g, c, 1e-9, beta)
	var want mat.VecDense
	require.NoError(t, want.SolveVec(x, y))
	for k := range beta {
		assert.InDelta(t, want.AtVec(k), beta[k]/spread[k], 1e-6)
	}
}

// A lasso's coefficients meet the conditions of its optimum: no column that is in pulls more
// or less than the penalty, none that is out pulls more.
func TestLassoIsOptimal(t *testing.T) {
	for seed := range uint64(20) {
		m, _, _ := design(seed, 60, 12)
		g, c, _ := m.standard()
		const sizes, squares = 0.15, 0.05
		beta := make([]float64, 12)
		descend(g, c, sizes, squares, beta)
		zeros := 0
		for a, b := range beta {
			pull := c[a] - squares*b
			for k := range beta {
				pull -= g[a*12+k] * beta[k]
			}
			if b == 0 {
				zeros++
				assert.LessOrEqual(t, math.Abs(pull), sizes+1e-5)
			} else {
				assert.InDelta(t, math.Copysign(sizes, b), pull, 1e-5)
			}
		}
		assert.Positive(t, zeros)
	}
}

// The penalty's judge is the squared error on rows that the fit has not seen.
func TestErrorOnOtherRows(t *testing.T) {
	m, x, y := design(5, 40, 3)
	beta := []float64{0.3, -1, 2}
	var fit mat.VecDense
	fit.MulVec(x, mat.NewVecDense(3, beta))
	fit.SubVec(y, &fit)
	assert.InDelta(t, mat.Dot(&fit, &fit), m.error(beta), 1e-9)
}

// Regressed quantiles follow errors that widen with a column, and hold as often as they
// say.
func TestQuantilesWiden(t *testing.T) {
	rnd := rand.New(rand.NewPCG(9, 9))
	const n = 1500
	var x, r []float64
	for range n {
		v := rnd.Float64()
		x, r = append(x, v, rnd.NormFloat64()), append(r, (0.3+2*v)*rnd.NormFloat64())
	}
	p := &Pool{Ranks: [][]ranked{regressRanks(x, r, 2)}}
	at := func(v float64) (low, high float64) {
		q := make([]float64, 25)
		p.quantiles(0, []float64{v, 0}, q)
		assert.IsNonDecreasing(t, q)
		return q[4], q[20]
	}
	for _, v := range []float64{0.1, 0.9} {
		low, high := at(v)
		assert.InDelta(t, 2*1.96*(0.3+2*v), high-low, 0.9, "at %g", v)
	}
	in := 0.0
	for i := range n {
		low, high := at(x[2*i])
		if low <= r[i] && r[i] <= high {
			in++
		}
	}
	assert.InDelta(t, 0.95, in/n, 0.015)
}

// One equation says the mean of what one of levels and one of changes since the origin say, whatever
// the columns and the origin's value are.
func TestTheMeanOfLevelsAndChanges(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		number := rapid.Float64Range(-5, 5)
		p := &Pool{}
		draw := func(n int) []float64 { return rapid.SliceOfN(number, n, n).Draw(t, "numbers") }
		n := rapid.IntRange(1, 6).Draw(t, "columns")
		for range n {
			p.Recipe.Columns = append(p.Recipe.Columns, feature.Column{Level: rapid.Bool().Draw(t, "level")})
		}
		levels := Equation{Beta: draw(n), Center: draw(n), Own: number.Draw(t, "own"), Rows: 50}
		changes := Equation{Beta: draw(n), Center: draw(n), Own: number.Draw(t, "own"), Rows: 50}
		x, last := draw(n), number.Draw(t, "last")
		relative := slices.Clone(x)
		p.Diff = true
		base, ok := p.relative(last, relative)
		require.True(t, ok)
		want := (levels.Own + levels.at(x) + base + changes.Own + changes.at(relative)) / 2
		e := p.mean([]Equation{levels}, []Equation{changes})[0]
		assert.InDelta(t, want, e.Own+e.Last*last+e.at(x), 1e-9)
	})
}

// Sums of products are those of the definition, whatever number of rows there is.
func TestWeightedGram(t *testing.T) {
	rnd := rand.New(rand.NewPCG(8, 8))
	for _, n := range []int{1, 3, 4, 9, 64} {
		for _, k := range []int{1, 2, 7} {
			z, w := make([]float64, n*k), make([]float64, n)
			for i := range z {
				z[i] = rnd.NormFloat64()
			}
			for i := range w {
				w[i] = rnd.Float64()
			}
			gram := slices.Repeat([]float64{9}, k*k)
			weightedGram(z, w, k, gram)
			for a := range k {
				for b := range k {
					want := 0.0
					for i := range n {
						want += w[i] * z[i*k+a] * z[i*k+b]
					}
					assert.InDelta(t, want, gram[a*k+b], 1e-12, "%d rows of %d", n, k)
				}
			}
		}
	}
}
