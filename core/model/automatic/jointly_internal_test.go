package automatic

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// evenly is three forms of which two err alike, with the same weight on every series.
func evenly(t *testing.T, v panel.View) (*evidence, [][]float64) {
	list := []form{{name: "high", model: always{value: 101.5}}, {name: "twin", model: always{value: 101.5}}, {name: "low", model: always{value: 98.5}}}
	e := rehearsed(t, v, list)
	weights := make([][]float64, v.Len())
	for i := range weights {
		weights[i] = []float64{1, 1, 1}
	}
	return e, weights
}

// shares are weights that add up to 1.
func shares(w []float64) []float64 {
	sum := 0.0
	for _, x := range w {
		sum += x
	}
	out := slices.Clone(w)
	for k := range out {
		out[k] /= sum
	}
	return out
}

// Twins share what one of them would have; a form that errs to the other side gets more.
func TestTwinsShareAWeight(t *testing.T) {
	e, weights := evenly(t, hundreds(24, 60))
	e.jointly(weights, model.AbsoluteErrors)
	for i := range weights {
		w := shares(weights[i])
		assert.InDelta(t, w[0], w[1], 1e-6)
		assert.Greater(t, w[2], 0.42, "held to a third, right would be a half")
		assert.Less(t, w[2], 0.55)
	}
}

// A series' own view of the forms remains, times what all show.
func TestOwnWeightsMoveAsAllDo(t *testing.T) {
	e, weights := evenly(t, hundreds(24, 60))
	weights[5] = []float64{0, 1, 0.5}
	e.jointly(weights, model.SquaredErrors)
	own, other := shares(weights[5]), shares(weights[6])
	assert.Zero(t, own[0])
	assert.InDelta(t, 0.5*other[2]/other[1], own[2]/own[1], 1e-9)
}

// Few series, and forms that hardly any series believes in, are left as they are and left out.
func TestWhatIsNotHeardJointly(t *testing.T) {
	e, weights := evenly(t, hundreds(fewestJointly-1, 60))
	e.jointly(weights, model.AbsoluteErrors)
	for i := range weights {
		assert.Equal(t, []float64{1, 1, 1}, weights[i])
	}

	e, weights = evenly(t, hundreds(24, 60))
	for i := range weights {
		weights[i][2] = 0
	}
	weights[3][2] = 0.2
	e.jointly(weights, model.AbsoluteErrors)
	for i := range weights {
		require.Greater(t, weights[i][0], 0.0)
		assert.Zero(t, weights[i][2])
	}
}

// A series of another kind keeps its weights; so does one that only a form left out had been heard of.
func TestKindsAreHeardApart(t *testing.T) {
	e, weights := evenly(t, hundreds(60, 60))
	e.kinds[4] = kind{sparse: true}
	for i := range weights {
		weights[i][2] = 0
	}
	weights[7] = []float64{0, 0, 0.4}
	e.jointly(weights, model.AbsoluteErrors)
	assert.Equal(t, []float64{1, 1, 0}, weights[4])
	assert.Equal(t, []float64{0, 0, 0.4}, weights[7])
}

// Actuals that are missing or beyond the end of a series tell nothing, and nothing breaks.
func TestHolesInInnerWindows(t *testing.T) {
	v := hundreds(24, 60)
	values := map[int][]float64{}
	for i := range 24 {
		x, _ := v.Values(i)
		x = slices.Clone(x)
		for k := 40 + i%3; k < len(x); k += 3 {
			x[k] = panel.Unknown
		}
		values[i] = x
	}
	e, weights := evenly(t, v.Instead(values))
	e.jointly(weights, model.AbsoluteErrors)
	assert.Greater(t, shares(weights[0])[2], 0.4)
}

// Errors on the windows that the weights were found on are too small, the more the fewer windows there were.
func TestFlattered(t *testing.T) {
	e := &evidence{rounds: 3.5, places: make([]int, 20)}
	assert.Equal(t, 1.0, e.flattered(), "no weights were found")
	e.freedom = 4
	assert.InDelta(t, math.Sqrt(74.0/66), e.flattered(), 1e-12)
	e.places = make([]int, 2000)
	assert.InDelta(t, 1, e.flattered(), 1e-3, "many series tell")
	e.places = make([]int, 1)
	assert.Equal(t, mostFlattered, e.flattered())
}
