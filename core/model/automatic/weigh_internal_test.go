package automatic

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/model/single"
)

// Weights follow the errors, more so the more windows there were; a form that failed has
// none and does not sway the others; the best alone is one.
func TestWeigh(t *testing.T) {
	none := math.NaN()
	of := func(rounds float64, alone bool, scores, evidence []float64) []float64 {
		return trial{scores: scores, evidence: evidence, rounds: rounds, caution: 8, fits: make([]single.State, len(scores))}.weigh(alone)
	}
	few := of(1, false, []float64{1, 2, 4}, []float64{none, none, none})
	many := of(4, false, []float64{1, 2, 4}, []float64{none, none, none})
	assert.EqualValues(t, lead, few[0])
	assert.Greater(t, few[1], few[2])
	assert.Greater(t, few[1], many[1], "little evidence hardly tells them apart")
	assert.Zero(t, many[2], "far behind is left out")

	failed := of(4, false, []float64{none, 1.2, 1}, []float64{none, none, -500})
	assert.Zero(t, failed[0])
	assert.InDelta(t, math.Pow(1/1.2, 3.25), failed[1], 1e-12, "without a relative there is nothing to temper by")
	assert.Equal(t, 1.0, failed[2])

	fitted := of(4, false, []float64{1, 1, 1}, []float64{-510, none, -502})
	assert.InDelta(t, lead*math.Exp(-1), fitted[0], 1e-12)
	assert.InDelta(t, math.Exp(-1), fitted[1], 1e-12, "taken for smoothing's kin")
	assert.Equal(t, 1.0, fitted[2])

	assert.Greater(t, caution(60), caution(200), "a long history is believed more")
	assert.Equal(t, []float64{0, 1, 0}, of(4, true, []float64{2, 1, 1}, []float64{none, none, none}))
	assert.Equal(t, []float64{1, 1}, trial{fits: make([]single.State, 2)}.weigh(false), "no windows: evenly")
}
