package single_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// A glance at the values before the last one never passes over one that is odd, whatever the series is like.
func TestTheGlanceMissesNothing(t *testing.T) {
	odd, fallen := 0, 0
	for seed := range 3000 {
		rnd := rand.New(rand.NewPCG(11, uint64(seed)))
		noise, week, walk, level := 1+4*rnd.Float64(), 60*rnd.Float64(), 3*rnd.Float64(), 0.0
		values := make([]float64, 60+rnd.IntN(100))
		for i := range values {
			level += walk * rnd.NormFloat64()
			values[i] = max(0, math.Round(100+level+week*math.Sin(2*math.Pi*float64(i)/7)+noise*rnd.NormFloat64()))
			if i > 20 && i < 30 && seed%5 == 0 {
				values[i] = 0 // a pause
			}
		}
		at := len(values) - 1
		values[at] *= 1.5 * rnd.Float64() * float64(rnd.IntN(3))
		s := panel.NewView(panelOf(calendar.Day, values), []int{0}, 0, at).Series(0)
		is := slices.Contains(single.Odd(s), at)
		assert.Equal(t, is, single.LastOdd(s), "seed %d", seed)
		if is {
			odd++
			if values[at] > 0 {
				fallen++
			}
		}
	}
	assert.Greater(t, odd, 300)
	assert.Greater(t, fallen, 150)
	assert.False(t, single.LastOdd(panel.NewView(panelOf(calendar.Day, nil), []int{0}, 0, -1).Series(0)))
}
