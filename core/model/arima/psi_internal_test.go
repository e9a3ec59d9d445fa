package arima

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// impulse is what an error of one at the first period moves after it, by the difference equation itself.
func impulse(sh *shape, n int) []float64 {
	w := make([]float64, n) // differenced
	for k := range w {
		if k < len(sh.theta) {
			w[k] = sh.theta[k]
		}
		for i, phi := range sh.phi {
			if k > i {
				w[k] += phi * w[k-i-1]
			}
		}
	}
	// (1-B)^D (1-B^m)^SD y = w, solved for y a period at a time.
	poly := []float64{1}
	times := func(lag int) {
		out := make([]float64, len(poly)+lag)
		for i, c := range poly {
			out[i] += c
			out[i+lag] -= c
		}
		poly = out
	}
	for range sh.o.D {
		times(1)
	}
	for range sh.o.SD {
		times(sh.o.Season)
	}
	y := make([]float64, n)
	for k := range y {
		y[k] = w[k]
		for i := 1; i < len(poly) && i <= k; i++ {
			y[k] -= poly[i] * y[k-i]
		}
	}
	return y
}

// What an error moves later is what the difference equation says, with differences and seasons.
func TestPsiFollowsTheEquation(t *testing.T) {
	for _, o := range []Order{{P: 1}, {P: 2, Q: 1}, {D: 1, Q: 1}, {P: 1, D: 2, Q: 2}, {P: 1, Q: 1, SP: 1, SQ: 1, Season: 4},
		{D: 1, Q: 1, SD: 1, SQ: 1, Season: 4}, {P: 1, D: 1, SP: 1, SD: 1, Season: 12}} {
		s := &State{Order: o, X: []float64{0.6, -0.3, 0.4, 0.2, -0.5, 0.1}[:o.weights()]}
		sh := &shape{}
		sh.set(o, s.X)
		assert.InDeltaSlice(t, impulse(sh, 30), s.Psi(30), 1e-9, "%s", o)
	}
	walk := &State{Order: Order{D: 1}}
	assert.Equal(t, []float64{1, 1, 1, 1}, walk.Psi(4), "a random walk forgets nothing")
	ar := &State{Order: Order{P: 1}, X: []float64{0.5}}
	first := ar.Psi(4)[1]
	assert.InDelta(t, first*first*first, ar.Psi(4)[3], 1e-12, "an AR(1) fades as a power")
}
