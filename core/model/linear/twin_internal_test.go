package linear

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// grown are monthly series whose season grows with their level, a driver that moves them, and
// some months ahead of the origin.
func grown(count, n, ahead int) []single.Input {
	rnd := rand.New(rand.NewPCG(8, 1))
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Month}, First: 600, Length: n, Drivers: []panel.Driver{{Name: "price", KnownAhead: true}}}
	for i := range count {
		y, price := make([]float64, n), make([]float64, n+ahead)
		for k := range price {
			price[k] = 4 + rnd.Float64()
		}
		for k := range y {
			y[k] = (100 + 2*float64(k)) * (1 + 0.2*math.Sin(float64(k)*math.Pi/6)) * (1 + 0.05*rnd.NormFloat64()) * math.Pow(price[k]/4.5, -1)
		}
		p.Series = append(p.Series, panel.Series{Key: fmt.Sprint("s", i), Values: y, Drivers: [][]float64{price}})
	}
	places := make([]int, count)
	for i := range places {
		places[i] = i
	}
	v := panel.NewView(p, places, 0, n-1)
	out := make([]single.Input, count)
	for i := range out {
		out[i] = single.InputOf(v.Series(i), ahead, rand.New(rand.NewPCG(uint64(i), 2)))
	}
	return out
}

// What is forecast on both scales is the mean of what each says, before and after it has been
// advanced, and so are the futures that are drawn.
func TestBothScalesAreTheMean(t *testing.T) {
	const n, h = 96, 6
	all := grown(3, n, 2*h)
	v := all[0].View().Before(n - 1 - h)
	inputs := make([]single.Input, len(all))
	for i, in := range all {
		inputs[i] = in
		inputs[i].SeriesView, inputs[i].Horizon = v.Series(i), h
	}
	strength, yes, no := 1.0, true, false
	m := Method{Own: true, Outside: true, Penalty: "ridge", Strength: &strength, Steps: "direct", Memory: 60, Belief: 0.5, diff: &yes, logs: &yes}
	both, levels := m, m
	both.twin, levels.logs = true, &no
	var states [3][]*State
	for k, m := range []Method{both, m, levels} {
		var err error
		states[k], err = m.fit(t.Context(), v, inputs, 2)
		require.NoError(t, err)
	}
	for _, step := range []string{"trained", "advanced"} {
		for i := range inputs {
			seen := v.Series(i)
			var rows [3]forecast.Rows
			var paths [3][]float64
			for k := range states {
				s := states[k][i]
				rows[k] = forecast.NewRows(h)
				require.NoError(t, s.Forecast(seen, rows[k]))
				var err error
				paths[k], err = s.Paths(seen, h, 5)
				require.NoError(t, err)
			}
			assert.NotEqual(t, rows[1].Mean, rows[2].Mean)
			for j, got := range [][]float64{rows[0].Mean, rows[0].Quantiles, paths[0]} {
				a, b := [][]float64{rows[1].Mean, rows[1].Quantiles, paths[1]}[j], [][]float64{rows[2].Mean, rows[2].Quantiles, paths[2]}[j]
				for k := range got {
					require.InDelta(t, (a[k]+b[k])/2, got[k], 1e-9*math.Abs(got[k]), "%s, part %d", step, j)
				}
			}
		}
		if v = all[0].View(); step == "trained" {
			for k := range states {
				for i, s := range states[k] {
					require.NoError(t, s.Advance(v.Series(i), n-h))
				}
			}
		}
	}
}
