package num_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/optimize"
	"gonum.org/v1/gonum/optimize/functions"

	"paperkettle/core/num"
)

// smooth is a standard test problem: value and gradient.
type smooth interface {
	Func(x []float64) float64
	Grad(g, x []float64)
}

type objective struct {
	value    func(x []float64) float64
	gradient func(x, g []float64)
}

func (o objective) Value(x []float64) float64 { return o.value(x) }
func (o objective) Gradient(x, g []float64)   { o.gradient(x, g) }

// The minimiser comes as low as gonum's on standard functions, from their usual starts.
func TestMinimizerAgainstGonum(t *testing.T) {
	for name, c := range map[string]struct {
		f     smooth
		start []float64
	}{
		"Rosenbrock of 2":    {functions.ExtendedRosenbrock{}, []float64{-1.2, 1}},
		"Rosenbrock of 6":    {functions.ExtendedRosenbrock{}, []float64{-1.2, 1, -1.2, 1, -1.2, 1}},
		"Beale":              {functions.Beale{}, []float64{1, 1}},
		"Brown and Dennis":   {functions.BrownAndDennis{}, []float64{25, 5, -5, -1}},
		"Wood":               {functions.Wood{}, []float64{-3, -1, -3, -1}},
		"powell":             {functions.ExtendedPowellSingular{}, []float64{3, -1, 0, 3}},
		"variably dimension": {functions.VariablyDimensioned{}, []float64{0.75, 0.5, 0.25, 0}},
	} {
		want, err := optimize.Minimize(optimize.Problem{Func: c.f.Func, Grad: c.f.Grad}, c.start, nil, &optimize.BFGS{})
		if want == nil {
			require.NoError(t, err, name)
		}
		x := append([]float64(nil), c.start...)
		var m num.Minimizer
		got := m.Run(objective{c.f.Func, func(x, g []float64) { c.f.Grad(g, x) }}, x, num.Stop{Steps: 2000, Gain: 1e-15})
		assert.InDelta(t, c.f.Func(x), got, 1e-9*(1+math.Abs(got)), "%s: x is where it says", name)
		assert.LessOrEqual(t, got, want.F+1e-5*(1+math.Abs(want.F)), name)
	}
}

// Values that are not finite are walls: it stays inside them.
func TestMinimizerStaysInBounds(t *testing.T) {
	x := []float64{3}
	var m num.Minimizer
	got := m.Run(objective{func(x []float64) float64 {
		if x[0] <= 0 {
			return math.Inf(1)
		}
		return x[0] - math.Log(x[0])
	}, func(x, g []float64) { g[0] = 1 - 1/x[0] }}, x, num.Stop{Steps: 200, Gain: 1e-14})
	assert.InDelta(t, 1, got, 1e-8)
	assert.InDelta(t, 1, x[0], 1e-4)
}
