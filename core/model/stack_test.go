package model_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model"
)

// pastsOf makes pasts of series whose members err as a draw says, h errors a window.
func pastsOf(series, windows, h int, draw func(rnd *rand.Rand) []float64) []model.Past {
	rnd := rand.New(rand.NewPCG(5, 5))
	out := make([]model.Past, series)
	for i := range out {
		out[i].Windows = float64(windows)
		unit := math.Exp(3 * rnd.NormFloat64()) // series are of any size
		for range windows * h {
			e := draw(rnd)
			if out[i].Errors == nil {
				out[i].Errors = make([][]float64, len(e))
			}
			for m, x := range e {
				out[i].Errors[m] = append(out[i].Errors[m], unit*x)
			}
			out[i].Actual = append(out[i].Actual, 0)
		}
	}
	model.Pool(out)
	return out
}

var thirds = []float64{1. / 3, 1. / 3, 1. / 3}

// Two members err alike, and the third apart from them: no weight for each alone finds that the third is to
// have as much as both. The weights with the least errors of a fine grid are found.
func TestStackFindsWhoErrsApart(t *testing.T) {
	pasts := pastsOf(60, 4, 12, func(rnd *rand.Rand) []float64 {
		twins, other := rnd.NormFloat64(), rnd.NormFloat64()
		return []float64{twins + 0.1*rnd.NormFloat64(), twins + 0.1*rnd.NormFloat64(), other}
	})
	w := pasts[0].Stack.Weights([]int{0, 1, 2}, thirds)
	require.Len(t, w, 3)
	assert.InDelta(t, 1, w[0]+w[1]+w[2], 1e-9)
	assert.InDelta(t, 0.5, w[2], 0.06)
	assert.InDelta(t, w[0], w[1], 0.06)
	assert.Same(t, pasts[0].Stack, pasts[59].Stack)
}

// Where little tells, weights stay near those that they are held to; where nothing does there are none.
func TestStackIsHeld(t *testing.T) {
	worse := func(rnd *rand.Rand) []float64 {
		e := rnd.NormFloat64()
		return []float64{e, 1.5 * e, 2 * e}
	}
	few := pastsOf(1, 1, 4, worse)[0].Stack.Weights([]int{0, 1, 2}, thirds)
	many := pastsOf(200, 6, 12, worse)[0].Stack.Weights([]int{0, 1, 2}, thirds)
	assert.Greater(t, many[0], 0.95, "the first errs least and alike")
	assert.Less(t, few[0], 0.6)
	assert.Greater(t, few[0], few[2])
	assert.Nil(t, pastsOf(3, 0, 0, worse)[0].Stack.Weights([]int{0, 1, 2}, thirds))
	exact := pastsOf(3, 1, 4, func(*rand.Rand) []float64 { return []float64{0, 0, 0} })
	assert.Nil(t, exact[0].Stack.Weights([]int{0, 1, 2}, thirds), "nobody errs")
}

// Members of which nothing is known at a point don't count there, and errors far out count once each.
func TestStackPassesOverHolesAndFarMisses(t *testing.T) {
	draw := func(rnd *rand.Rand) []float64 {
		e := []float64{rnd.NormFloat64(), 2 * rnd.NormFloat64()}
		if rnd.IntN(50) == 0 {
			e[0] = 60
		}
		if rnd.IntN(10) == 0 {
			e[1] = math.NaN()
		}
		return e
	}
	w := pastsOf(80, 4, 12, draw)[0].Stack.Weights([]int{0, 1}, []float64{0.5, 0.5})
	assert.Greater(t, w[0], 0.53, "by least squares the first would have next to nothing")
}

// Of members that are as good as each other, and err apart, none is preferred by chance to speak of: the
// variance of what is blended is near a sixth, the least there is.
func TestStackOfEqualsIsNearlyEven(t *testing.T) {
	equals := func(rnd *rand.Rand) []float64 {
		out := make([]float64, 6)
		for m := range out {
			out[m] = rnd.NormFloat64()
		}
		return out
	}
	even := []float64{1. / 6, 1. / 6, 1. / 6, 1. / 6, 1. / 6, 1. / 6}
	for _, series := range []int{1, 20} {
		variance := 0.0
		for _, x := range pastsOf(series, 1, 12, equals)[0].Stack.Weights([]int{0, 1, 2, 3, 4, 5}, even) {
			variance += x * x
		}
		assert.Less(t, variance, 1.1/6, "%d series", series)
	}
}
