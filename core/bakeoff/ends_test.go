package bakeoff_test

import (
	"bytes"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
	"paperkettle/core/split"
)

// ending is a panel whose series end at different days.
func ending(length int, ends ...int) *panel.Panel {
	p := dailyPanel(len(ends), length)
	for i, n := range ends {
		p.Series[i].Values = p.Series[i].Values[:n]
	}
	return p
}

// ownPlan counts the windows back from each series' own end.
func ownPlan(families ...string) bakeoff.Plan {
	plan := bakeoff.Plan{Seed: 3, Split: split.Spec{Horizon: 7, Windows: 2, Stride: 7, Ends: split.OwnEnds}}
	for _, f := range families {
		plan.Contenders = append(plan.Contenders, bakeoff.Contender{Family: f})
	}
	return plan
}

// What a series is forecast by in windows before its own end is what it is forecast by where the
// data end there; and each is scored as often as any other.
func TestOwnEndsAreAsIfTheDataEndedThere(t *testing.T) {
	const n = 120
	ends := []int{120, 100, 100, 60, 9}
	p := ending(n, ends...)
	plan := ownPlan("naive", "theta", "calendar-median")
	e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
	require.NoError(t, err)
	require.Len(t, e.Windows, 6)
	require.Len(t, e.SetAside, 1)
	assert.Equal(t, "s00004", e.SetAside[0].Key)
	assert.Contains(t, e.SetAside[0].Reason, "ends too early for 2 of its own: its last known value is of 2022-01-16")
	assert.Equal(t, -1, e.LastWindow(4))
	got := runAll(t, e, 2, e.Tasks())
	for _, row := range standings(t, e, got, "").Slices[0].Rows {
		assert.Equal(t, 4*2*7, row.Points, "four series, two windows, seven days")
	}
	for i, end := range ends[:4] {
		short := dailyPanel(len(ends), n)
		short.Length = end
		for k := range short.Series {
			short.Series[k].Values = p.Series[k].Values[:min(end, len(p.Series[k].Values))]
		}
		whole := plan
		whole.Split.Ends = split.DataEnds
		alone, err := bakeoff.Prepare(short, whole, catalogue.Standard())
		require.NoError(t, err)
		want := runAll(t, alone, 1, alone.Tasks())
		own := 0
		for w, win := range e.Windows {
			if win.End != end {
				continue
			}
			for c := range plan.Contenders {
				task, place, ok := e.Locate(w, c, i)
				require.True(t, ok)
				there, at, ok := alone.Locate(own, c, i)
				require.True(t, ok)
				assert.Equal(t, mean(t, want[there], at), mean(t, got[task], place), "%s of %s", e.Plan.Contenders[c].Name, p.Series[i].Key)
			}
			own++
		}
		require.Equal(t, 2, own)
	}
}

// mean is the mean forecast of a place in a result.
func mean(t *testing.T, r *bakeoff.TaskResult, place int) []float64 {
	t.Helper()
	size := forecast.PackedSize(7)
	rows := forecast.NewRows(7)
	require.NoError(t, rows.Unpack(r.Packed[place*size:(place+1)*size]))
	return rows.Mean
}

// Where series end at different days, what learns from all of them, and what combines others, reads
// no more of the future than else.
func TestOwnEndsReadNoFuture(t *testing.T) {
	p := ending(120, 120, 113, 110, 110, 70)
	plan := ownPlan("naive", "mean", "calendar-median", "linear", "best-per-series", "blend")
	plan.Contenders[3].Settings = model.Values{"steps": "direct", "memory": 500, "scale": "level"}
	e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
	require.NoError(t, err)
	honest := runAll(t, e, 2, e.Tasks())
	for w := range e.Windows {
		scrambled, err := bakeoff.Prepare(panel.Scramble(p, e.Windows[w].Origin, rand.New(rand.NewPCG(5, 6))), plan, catalogue.Standard())
		require.NoError(t, err)
		require.Equal(t, e.Windows, scrambled.Windows)
		for task, r := range runAll(t, scrambled, 2, scrambled.Tasks()) {
			if e.Windows[task.Window].Origin <= e.Windows[w].Origin {
				assert.True(t, bytes.Equal(honest[task].Packed, r.Packed), "%s in window %d, scrambled after %d",
					e.Plan.Contenders[task.Contender].Name, task.Window, w)
			}
		}
	}
}

// Standings can be cut by how much of a past series had where they were forecast first.
func TestStandingsByHistory(t *testing.T) {
	p := dailyPanel(5, 60)
	for i, first := range []int{0, 20, 36, 42, 50} { // windows begin at 46 and 53
		p.Series[i].First, p.Series[i].Values = first, p.Series[i].Values[first:]
	}
	e, err := bakeoff.Prepare(p, baselinePlan(7, 2), catalogue.Standard())
	require.NoError(t, err)
	points := map[string]int{}
	for _, slice := range standings(t, e, runAll(t, e, 1, e.Tasks()), "history").Slices {
		points[slice.Name] = slice.Rows[0].Points
	}
	assert.Equal(t, map[string]int{"new": 14 + 7, "under two seasons": 14, "longer": 28}, points)
}

// Holes in drivers are counted in the windows of each series, not where another ends.
func TestHolesBeforeOwnEnds(t *testing.T) {
	p := ending(120, 120, 60)
	p.Drivers = []panel.Driver{{Name: "price", KnownAhead: true}}
	for i := range p.Series { // known up to each series' end, but for one day of its last window
		price := make([]float64, len(p.Series[i].Values))
		price[len(price)-3] = panel.Unknown
		p.Series[i].Drivers = [][]float64{price}
	}
	e, err := bakeoff.Prepare(p, ownPlan("naive"), catalogue.Standard())
	require.NoError(t, err)
	training, assessed := e.Holes()
	assert.Empty(t, training)
	require.Len(t, assessed, 1)
	assert.Equal(t, []int{2, 2}, []int{assessed[0].Values, assessed[0].Series})
}
