package catalogue_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// Counters that are shut at weekends have a week all the same: every family with a season tells its five days, and none lists
// the weekends among what it left out.
func TestShutAtWeekends(t *testing.T) {
	const n, h = 210, 14
	c := calendar.Cadence{Unit: calendar.Day}
	first, _ := c.Ordinal(1_767_571_200) // Monday, 5 January 2026
	p := &panel.Panel{Cadence: c, First: first, Length: n, Measure: "cups"}
	week := []float64{0.7, 0.9, 1, 1.1, 1.5}
	for i := range 12 {
		rnd := rand.New(rand.NewPCG(uint64(i), 6))
		y := make([]float64, n)
		for k := range y {
			if y[k] = panel.Unknown; k%7 < 5 {
				y[k] = math.Round(float64(60+10*i) * week[k%7] * math.Exp(0.08*rnd.NormFloat64()))
			}
		}
		p.Series = append(p.Series, panel.Series{Key: fmt.Sprint(i), Values: y})
	}
	p.Closed = []string{"saturday", "sunday"}
	p = p.WithClosed(n - 1)
	for _, family := range []string{"seasonal-naive", "smoothing", "theta", "arima", "decomposition", "linear", "additive", "boosting", "pretrained"} {
		trained, v := trainOn(t, family, nil, p, n-1, h)
		res := result(t, trained, v, h)
		miss, counted := 0.0, 0.0
		for i, r := range res.Series {
			require.NoError(t, res.Err[i], family)
			for k, m := range r.Mean {
				if k%7 < 5 {
					miss, counted = miss+math.Abs(m/(float64(60+10*i)*week[k%7])-1), counted+1
				}
			}
		}
		assert.Less(t, miss/counted, 0.1, family)
		assert.Empty(t, trained.Describe(0).LeftOut, family)
	}
}
