package bakeoff_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
	"paperkettle/core/split"
)

// A duel's values are those of the standings cut by series, and residuals are forecast
// less actual.
func TestDuelsAndResidualsAgreeWithTheStandings(t *testing.T) {
	p := dailyPanel(9, 90)
	p.Series[4].Values[80] = math.NaN()
	e, err := bakeoff.Prepare(p, baselinePlan(7, 3), catalogue.Standard())
	require.NoError(t, err)
	got := runAll(t, e, 2, e.Tasks())
	d, err := bakeoff.NewDuel(e, "calendar-mean", "naive", "rmse")
	require.NoError(t, err)
	r, err := bakeoff.NewResiduals(e, "naive", 4)
	require.NoError(t, err)
	all, err := bakeoff.NewResiduals(e, "naive", -1)
	require.NoError(t, err)
	for w := range e.Windows {
		for c := range e.Plan.Contenders {
			task := bakeoff.Task{Window: w, Contender: c}
			require.NoError(t, d.Add(task, got[task]))
			require.NoError(t, r.Add(task, got[task]))
			require.NoError(t, all.Add(task, got[task]))
		}
	}
	tally, err := bakeoff.NewTally(e, "series")
	require.NoError(t, err)
	for w := range e.Windows {
		for c := range e.Plan.Contenders {
			task := bakeoff.Task{Window: w, Contender: c}
			require.NoError(t, tally.Add(task, got[task]))
		}
	}
	st, err := tally.Rank("rmse")
	require.NoError(t, err)
	pairs := d.Pairs()
	require.Len(t, pairs, 9)
	for i, slice := range st.Slices {
		for _, row := range slice.Rows {
			switch row.Contender {
			case "calendar-mean":
				assert.Equal(t, row.Values[2], pairs[i].A, "rmse")
			case "naive":
				assert.Equal(t, row.Values[2], pairs[i].B)
			}
		}
		assert.True(t, math.IsNaN(pairs[i].P), "three windows are too few for a test")
	}
	between := d.Between()
	assert.Less(t, between.High, 0.0)
	assert.LessOrEqual(t, between.Low, between.High)
	assert.Equal(t, -1, d.Better(1, 2))

	assert.Len(t, r.All(), 20, "one actual is unknown")
	assert.Len(t, all.All(), 9*21-1)
	line := r.Series()
	require.Len(t, line.Values, 21)
	last := p.Series[4].Values[e.Windows[2].Origin]
	assert.InDelta(t, last-p.Series[4].At(89), line.At(89), 1e-6)
	edges, counts := bakeoff.Bins(all.All(), 10)
	sum := 0
	for _, n := range counts {
		sum += n
	}
	assert.Equal(t, []int{11, 10, 188}, []int{len(edges), len(counts), sum}, "every error is in a bin")
	_, err = bakeoff.NewDuel(e, "naive", "oracle", "")
	assert.ErrorContains(t, err, `no contender of the bake-off is called "oracle"`)
	_, err = bakeoff.NewResiduals(e, "oracle", -1)
	assert.Error(t, err)
	_, counts = bakeoff.Bins([]float64{3, 3, 3}, 4)
	assert.Equal(t, 3, counts[0]+counts[1]+counts[2]+counts[3])
}

// Classes of demand and bands of volume look only at what the first training part sees.
func TestCutsDoNotLookAtWhatIsAssessed(t *testing.T) {
	p := dailyPanel(8, 90)
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 7, Windows: 2}, Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "mean"}}}
	names := func(p *panel.Panel, per string) map[string]int {
		e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
		require.NoError(t, err)
		out := map[string]int{}
		for _, s := range standings(t, e, runAll(t, e, 1, e.Tasks()), per).Slices {
			out[s.Name] = s.Rows[0].Points
		}
		return out
	}
	later := *p
	later.Series = nil
	for i, s := range p.Series {
		s.Values = append([]float64(nil), s.Values...)
		for d := 76; d < 90; d++ { // what the two windows assess
			if i%2 == 0 {
				s.Values[d] = 1e6
			} else {
				s.Values[d] = 0
			}
		}
		later.Series = append(later.Series, s)
	}
	for _, per := range []string{"demand", "volume", "series,volume"} {
		assert.Equal(t, names(p, per), names(&later, per), per)
	}
}
