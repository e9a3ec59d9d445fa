package bakeoff_test

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/core/split"
)

// Series that are too new to be assessed are told where a contender would forecast them in a release,
// and counted once, however many windows there are.
func TestNewcomersAreTold(t *testing.T) {
	p := dailyPanel(6, 60)
	cut := func(series, before int) {
		for i := range before {
			p.Series[series].Values[i] = panel.Unknown
		}
	}
	cut(0, 58) // new in the last window
	cut(1, 54) // new in both
	cut(2, 60) // nothing is known of it
	cut(3, 50) // new in the first window, but not in the last
	for families, want := range map[string]string{
		"naive,boosting,automatic": "2 series are too new to be ranked on: fewer than 2 values before each origin. boosting and automatic forecast them",
		"naive,mean":               "",
	} {
		plan := baselinePlan(5, 2)
		plan.Contenders = nil
		for _, f := range strings.Split(families, ",") {
			plan.Contenders = append(plan.Contenders, bakeoff.Contender{Family: f})
		}
		e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
		require.NoError(t, err)
		if want == "" {
			assert.Empty(t, e.Cautions())
			continue
		}
		require.Len(t, e.Cautions(), 1)
		assert.Contains(t, e.Cautions()[0], want)
	}
}

// shop is weekly sales whose level follows from a kind, but for a spread; the last series enter late: after
// the first origin, after the second, and three weeks before the end.
func shop(t *testing.T, old int, entries ...int) *panel.Panel {
	t.Helper()
	const length = 70
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, Length: length,
		Attributes: []panel.Attribute{{Name: "kind", Values: []string{"tea", "pot", "cup"}}}}
	rnd := rand.New(rand.NewPCG(9, 4))
	for i := range old + len(entries) {
		level := 20 * math.Pow(3, float64(i%3)) * math.Exp(0.2*rnd.NormFloat64())
		s := panel.Series{Key: fmt.Sprint("item ", i)}
		if i >= old {
			s.First = entries[i-old]
		}
		for range length - s.First {
			s.Values = append(s.Values, level*math.Exp(0.1*rnd.NormFloat64()))
		}
		p.Series = append(p.Series, s)
		p.Attributes[0].Codes = append(p.Attributes[0].Codes, int32(i%3))
	}
	return p
}

// priced gives the series a price that is known ahead, with holes.
func priced(p *panel.Panel) *panel.Panel {
	p.Drivers = []panel.Driver{{Name: "price", KnownAhead: true}}
	rnd := rand.New(rand.NewPCG(1, 1))
	for i := range p.Series {
		price := make([]float64, len(p.Series[i].Values))
		for k := range price {
			if price[k] = 2 + rnd.Float64(); rnd.IntN(8) == 0 {
				price[k] = panel.Unknown
			}
		}
		p.Series[i].Drivers = [][]float64{price}
	}
	return p
}

func newcomersOf(t *testing.T, e *bakeoff.Engine) (list map[int][]bakeoff.Newcomer, st *bakeoff.Standings) {
	t.Helper()
	got := runAll(t, e, 2, e.Tasks())
	tally, err := bakeoff.NewTally(e, "")
	require.NoError(t, err)
	list = map[int][]bakeoff.Newcomer{}
	for w := range e.Windows {
		for c := range e.Plan.Contenders {
			task := bakeoff.Task{Window: w, Contender: c}
			require.NoError(t, tally.Add(task, got[task]))
			record, err := got[task].Record() // as a store would keep it
			require.NoError(t, err)
			if len(record.Newcomers) > 0 {
				back, err := bakeoff.ReadNewcomers(record.Newcomers, &e.Plan)
				require.NoError(t, err)
				tally.AddNewcomers(task, back)
				list[w] = back
			}
		}
	}
	st, err = tally.Rank("")
	require.NoError(t, err)
	return list, st
}

// A series that enters after an origin is forecast there from its likes, and assessed apart from the
// ranking; from the window on in which it has a past, it is assessed as any other.
func TestNewcomersAreAssessedApart(t *testing.T) {
	p := priced(shop(t, 24, 60, 60, 60, 67, 67, 67)) // at origins 53 and 61
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 8, Windows: 2}, Metric: "wape",
		Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "boosting", Settings: model.Values{"from": "naive", "trees": 20}}}}
	e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
	require.NoError(t, err)
	list, st := newcomersOf(t, e)

	require.Len(t, list[0], 3, "those of week 60 have values in the first window, and none before")
	require.Len(t, list[1], 3, "those of week 67 in the second; the others have two values by then")
	assert.Equal(t, "item 24", list[0][0].Series)
	assert.EqualValues(t, 2, list[0][0].Scores.N, "weeks 60 and 61 of it are known there")
	assert.EqualValues(t, 3, list[1][0].Scores.N)

	for w, all := range list { // what is kept of the forecasts is what was scored
		for _, x := range all {
			own, sum := &p.Series[p.Find(x.Series)], 0.0
			require.Len(t, x.Rows.Mean, 8)
			require.NoError(t, x.Rows.Check())
			for h, f := range x.Rows.Mean {
				if y := own.At(e.Windows[w].AssessFirst() + h); panel.Known(y) {
					sum += f - y
				}
			}
			assert.InDelta(t, x.Scores.SumE, sum, 1e-9*math.Abs(sum), x.Series)
		}
	}

	assert.Equal(t, [][]int{nil, {0}, {1}}, [][]int{e.NewIn(0), e.NewIn(24), e.NewIn(29)}, "old, of week 60, of week 67")

	n := st.Newcomers
	require.NotNil(t, n)
	assert.Len(t, n.Series, 6)
	assert.Equal(t, 6, n.Places)
	require.Len(t, n.Rows, 2)
	wape := slices.IndexFunc(st.Metrics, func(m score.Metric) bool { return m.Name == "wape" })
	mase := slices.IndexFunc(st.Metrics, func(m score.Metric) bool { return m.Name == "mase" })
	assert.Equal(t, "boosting", n.Rows[0].Contender)
	assert.Equal(t, 15, n.Rows[0].Points)
	assert.Equal(t, bakeoff.OthersReference, n.Rows[1].Contender)
	assert.Equal(t, 15, n.Rows[1].Points)
	assert.Less(t, n.Rows[0].Values[wape], 0.35, "its kind tells its level within a fifth")
	assert.Greater(t, n.Rows[1].Values[wape], 0.5, "what all others sell does not")
	assert.True(t, math.IsNaN(n.Rows[0].Values[mase]), "it has no scale")
	for _, r := range st.Slices[0].Rows {
		assert.Equal(t, (24+24+3)*8, r.Points, "they count for none of the ranked")
	}
	assert.Contains(t, e.Cautions(), "3 series are too new to be ranked on: fewer than 2 values before each origin. boosting forecasts them from "+
		"series like them; how well is told apart, under newcomers")

	// What comes after the origin changes no forecast: errors move by as much as the actuals do.
	shifted := priced(shop(t, 24, 60, 60, 60, 67, 67, 67))
	for i := range shifted.Series {
		s := &shifted.Series[i]
		for k := range s.Values {
			if s.First+k > e.Windows[0].Origin {
				s.Values[k] += 1000
			}
		}
	}
	e, err = bakeoff.Prepare(shifted, plan, catalogue.Standard())
	require.NoError(t, err)
	later, _ := newcomersOf(t, e)
	for i, before := range list[0] {
		assert.InDelta(t, before.Scores.SumE-1000*before.Scores.N, later[0][i].Scores.SumE, 1e-6, before.Series)
	}
}

// A search over settings forecasts newcomers with the settings that it chose, and as well as those do alone.
func TestASearchForecastsNewcomers(t *testing.T) {
	p := shop(t, 24, 60, 60, 60)
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 8, Windows: 1}, Metric: "wape", Contenders: []bakeoff.Contender{{Family: "naive"},
		{Name: "alone", Family: "boosting", Settings: model.Values{"from": "naive", "trees": 20}},
		{Name: "search", Family: "boosting", Settings: model.Values{"from": "naive"}, Tune: &bakeoff.Tune{Settings: map[string][]any{"trees": {20, 40}}}}}}
	p.Length = 62 // two weeks of them are known after the origin
	for i := range p.Series {
		p.Series[i].Values = p.Series[i].Values[:62-p.Series[i].First]
	}
	e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
	require.NoError(t, err)
	require.Len(t, e.Cautions(), 1)
	assert.Contains(t, e.Cautions()[0], "alone and search forecast them")
	_, st := newcomersOf(t, e)
	require.NotNil(t, st.Newcomers)
	require.Len(t, st.Newcomers.Rows, 3)
	wape := slices.IndexFunc(st.Metrics, func(m score.Metric) bool { return m.Name == "wape" })
	by := map[string]float64{}
	for _, r := range st.Newcomers.Rows {
		assert.Empty(t, r.Failed)
		by[r.Contender] = r.Values[wape]
	}
	assert.InDelta(t, by["alone"], by["search"], 0.1)
	assert.Less(t, by["search"], by[bakeoff.OthersReference]/1.5)
}

// kept is a newcomer as a store has it.
func kept(t *testing.T, acc score.Acc, record []byte) []byte {
	b, err := json.Marshal([]bakeoff.Newcomer{{Series: "a", Packed: acc.AppendPacked(nil), Record: record}})
	require.NoError(t, err)
	return b
}

// Without likes there is no forecast of a newcomer: it says why, and the others are as they were.
func TestNewcomersAmongFew(t *testing.T) {
	p := shop(t, 4, 66)
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 6, Windows: 1}, Metric: "wape",
		Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "boosting", Settings: model.Values{"from": "naive", "trees": 20}},
			{Family: "automatic"}}}
	e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
	require.NoError(t, err)
	_, st := newcomersOf(t, e)
	require.Len(t, st.Newcomers.Rows, 3)
	for _, r := range st.Newcomers.Rows {
		if r.Contender == bakeoff.OthersReference {
			assert.Equal(t, 4, r.Points)
			continue
		}
		assert.Equal(t, 1, r.Failed, r.Contender)
		assert.Zero(t, r.Points, r.Contender)
	}
	for _, r := range st.Slices[0].Rows {
		assert.Equal(t, 4*6, r.Points)
	}
	_, err = bakeoff.ReadNewcomers([]byte(`[{"series":"a","scores":"AAAA"}]`), &e.Plan)
	assert.Error(t, err)
	_, err = bakeoff.ReadNewcomers([]byte(`[{`), &e.Plan)
	assert.Error(t, err)
	whole, err := bakeoff.ReadNewcomers(kept(t, score.NewAcc(len(e.Plan.Levels)), nil), &e.Plan)
	require.NoError(t, err)
	assert.Nil(t, whole[0].Rows.Mean, "an earlier version kept no forecasts")
	_, err = bakeoff.ReadNewcomers(kept(t, score.NewAcc(len(e.Plan.Levels)), []byte{2, 1, 1}), &e.Plan)
	assert.ErrorContains(t, err, "damaged", "a forecast that is cut short")
}
