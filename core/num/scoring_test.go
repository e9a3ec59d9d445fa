package num_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/num"
)

// decay is a sum of squares of what an exponential leaves of values, with its curvature as straight lines; it counts the
// values that were asked for.
type decay struct {
	t, y  []float64
	rest  []float64
	asked int
}

func (d *decay) Value(x []float64) float64 {
	d.asked++
	sum := 0.0
	d.rest = d.rest[:0]
	for i, t := range d.t {
		e := d.y[i] - math.Exp(x[0]-math.Exp(x[1])*t)
		d.rest, sum = append(d.rest, e), sum+e*e
	}
	return sum
}

func (d *decay) slopes(x []float64, i int) (a, b float64) {
	f := math.Exp(x[0] - math.Exp(x[1])*d.t[i])
	return -f, f * math.Exp(x[1]) * d.t[i]
}

func (d *decay) Gradient(x, g []float64) {
	clear(g)
	for i, e := range d.rest {
		a, b := d.slopes(x, i)
		g[0], g[1] = g[0]+2*e*a, g[1]+2*e*b
	}
}

func (d *decay) Curvature(x, h []float64) {
	clear(h)
	for i := range d.t {
		a, b := d.slopes(x, i)
		h[0], h[1], h[3] = h[0]+2*a*a, h[1]+2*a*b, h[3]+2*b*b
	}
	h[2] = h[1]
}

// Steps by curvature come to the same minimum as a search that learns the curvature on its way, and ask less.
func TestScoringFindsTheMinimum(t *testing.T) {
	steps, searched := 0, 0
	for seed := range uint64(20) {
		rnd := rand.New(rand.NewPCG(seed, 3))
		d := &decay{}
		for i := range 40 {
			d.t = append(d.t, float64(i)/10)
			d.y = append(d.y, math.Exp(1.5-0.8*d.t[i])+0.05*rnd.NormFloat64())
		}
		x, z := []float64{0.1, 0.1}, []float64{0.1, 0.1}
		var scoring num.Scoring
		got := scoring.Run(d, x, num.Stop{Steps: 100, Gain: 1e-12})
		steps, d.asked = steps+d.asked, 0
		var search num.Minimizer
		want := search.Run(d, z, num.Stop{Steps: 1000, Gain: 1e-14})
		searched += d.asked
		assert.InDelta(t, want, got, 1e-8)
		assert.InDeltaSlice(t, z, x, 1e-3)
		assert.InDelta(t, d.Value(x), got, 1e-12, "x is where it says")
	}
	assert.Less(t, steps, searched)
}

// It stays inside walls, and where it starts in one it says so.
func TestScoringStaysInBounds(t *testing.T) {
	wall := walled{}
	x := []float64{3}
	var scoring num.Scoring
	assert.InDelta(t, 1, scoring.Run(wall, x, num.Stop{Steps: 200, Gain: 1e-14}), 1e-8)
	assert.InDelta(t, 1, x[0], 1e-4)
	assert.True(t, math.IsInf(scoring.Run(wall, []float64{-1}, num.Stop{Steps: 5}), 1))
}

// walled is x - log x, which has its minimum at 1 and no value below 0.
type walled struct{}

func (walled) Value(x []float64) float64 {
	if x[0] <= 0 {
		return math.Inf(1)
	}
	return x[0] - math.Log(x[0])
}
func (walled) Gradient(x, g []float64)  { g[0] = 1 - 1/x[0] }
func (walled) Curvature(x, h []float64) { h[0] = 1 / (x[0] * x[0]) }
