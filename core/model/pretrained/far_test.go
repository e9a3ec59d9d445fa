package pretrained_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// walking are daily series with a week, whose level moves by a share of each error and whose slope fades.
func walking(series, length int) *panel.Panel {
	rnd := rand.New(rand.NewPCG(8, 8))
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 600, Length: length}
	for i := range series {
		season := []float64{-12, -6, 0, 4, 8, 12, -6}
		y, level, slope := make([]float64, length), 100.0, 0.5
		for t := range y {
			e := 5 * rnd.NormFloat64()
			y[t] = level + 0.95*slope + season[t%7] + e
			level, slope = level+0.95*slope+0.3*e, 0.95*slope+0.03*e
			season[t%7] += 0.05 * e
		}
		p.Series = append(p.Series, panel.Series{Key: fmt.Sprint("s", i), Values: y})
	}
	return p
}

// What origins far back have in common is leant towards, whatever the number of workers, and said; histories of too few
// horizons are not asked.
func TestLeaningByOriginsFarBack(t *testing.T) {
	form := func(p *panel.Panel, workers int) string {
		m, e := made(t, network(t), nil), env(28, workers)
		e.Judge = model.SquaredErrors
		trained, err := m.Train(t.Context(), view(p), e)
		require.NoError(t, err)
		return trained.Describe(0).Form
	}
	long := walking(30, 730)
	said := form(long, 1)
	assert.Contains(t, said, "in the mean of 8 origins")
	assert.Equal(t, said, form(long, 2))
	assert.False(t, strings.Contains(form(walking(30, 400), 2), "in the mean of"))
}
