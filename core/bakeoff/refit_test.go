package bakeoff_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
)

// A refit forecasts each series with its own choice past the end of all data, and
// leaves out what has too little history or has gone quiet.
func TestRefitTakesEachSeriesChoice(t *testing.T) {
	p := dailyPanel(70, 100)
	p.Series[1].Values = p.Series[1].Values[:60]
	p.Series[2] = panel.Series{Key: "s00002", First: 99, Values: []float64{5}}
	floor := 0.0
	p.Floor = &floor
	p.Series[3].Values = []float64{0, 0, 0, 0, 0, 0, 0, 0, 0, 9}
	p.Series[3].First = 90
	r, err := bakeoff.NewRefit(p, baselinePlan(7, 1), withDice(), "mean", map[string][]string{"s00000": {"naive"}, "s00003": {"drift"}}, 5)
	require.NoError(t, err)
	require.Equal(t, 2, r.Parts())
	notes, packed, err := r.Run(context.Background(), 0, bakeoff.Desk{})
	require.NoError(t, err)
	require.Len(t, notes, bakeoff.ShardSize)
	assert.Equal(t, bakeoff.Refitted{Series: "s00000", Contender: "naive"}, notes[0])
	assert.Equal(t, "has no known value in the last 7 days: it looks discontinued", notes[1].LeftOut)
	assert.Equal(t, "has 1 known value, and a forecast needs at least 2, but by boosting or automatic, which know its likes", notes[2].LeftOut)
	assert.Equal(t, "mean", notes[4].Contender)
	size := forecast.PackedSize(5)
	require.Len(t, packed, size*(bakeoff.ShardSize-2))

	rows := forecast.NewRows(5)
	require.NoError(t, rows.Unpack(packed[:size]))
	last := p.Series[0].Values[99]
	assert.Equal(t, []float64{last, last, last, last, last}, rows.Mean)
	require.NoError(t, rows.Unpack(packed[size:2*size]))
	assert.Equal(t, []float64{10, 11, 12, 13, 14}, rows.Mean)
	low, _ := forecast.Interval(rows.At(4), 99)
	assert.GreaterOrEqual(t, low, 0.0, "nothing lies below the floor")

	d, ok, err := r.Describe(context.Background(), 0)
	require.NoError(t, err)
	assert.Equal(t, []any{true, 0, 99, 100}, []any{ok, d.From, d.To, d.Known})
	_, ok, err = r.Describe(context.Background(), 1)
	require.NoError(t, err)
	assert.False(t, ok)

	sliding := baselinePlan(7, 1)
	sliding.Split.History = 14
	r, err = bakeoff.NewRefit(p, sliding, withDice(), "mean", nil, 5)
	require.NoError(t, err)
	d, _, err = r.Describe(context.Background(), 0)
	require.NoError(t, err)
	assert.Equal(t, []int{86, 14}, []int{d.From, d.Known}, "the last fourteen periods")

	_, err = bakeoff.NewRefit(p, baselinePlan(7, 1), withDice(), "oracle", nil, 5)
	assert.ErrorContains(t, err, `no contender of the bake-off is called "oracle"`)
}

// Only what is published decides how the work is cut: a baseline does not wait for a contender
// beside it that learns from all series, unless it is a member of what is published.
func TestAReleaseWaitsForItsOwnContendersAlone(t *testing.T) {
	plan := bakeoff.Plan{Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "mean"}, {Family: "linear"},
		{Family: "blend", Name: "plain", Settings: map[string]any{"members": []any{"naive", "mean"}}},
		{Family: "blend", Name: "mixed", Settings: map[string]any{"members": []any{"naive", "linear"}}}}}
	plan.Split.Horizon = 7
	for contender, parts := range map[string]int{"naive": 2, "plain": 2, "linear": 1, "mixed": 1} {
		r, err := bakeoff.NewRefit(dailyPanel(70, 60), plan, withDice(), contender, nil, 7)
		require.NoError(t, err, contender)
		assert.Equal(t, parts, r.Parts(), contender)
	}
	r, err := bakeoff.NewRefit(dailyPanel(70, 60), plan, withDice(), "naive", map[string][]string{"s00003": {"linear"}}, 7)
	require.NoError(t, err)
	assert.Equal(t, 1, r.Parts())
}

// A contender that fails on a series leaves it out of a release, with its reason: a
// release does not quietly stand another in.
func TestRefitLeavesOutWhatFails(t *testing.T) {
	plan := bakeoff.Plan{Contenders: []bakeoff.Contender{{Family: "dice"}}}
	plan.Split.Horizon = 3
	r, err := bakeoff.NewRefit(dailyPanel(4, 50), plan, withDice(), "dice", nil, 3)
	require.NoError(t, err)
	notes, packed, err := r.Run(context.Background(), 0, bakeoff.Desk{})
	require.NoError(t, err)
	assert.Equal(t, "it will not do this one", notes[1].LeftOut)
	assert.Contains(t, notes[2].LeftOut, "broke down")
	assert.Len(t, packed, 2*forecast.PackedSize(3))
}

// Where a series' best contender fails, its next best is asked; where all fail, the best one's
// reason is given.
func TestRefitGoesOnToTheNextBest(t *testing.T) {
	plan := bakeoff.Plan{Contenders: []bakeoff.Contender{{Family: "dice"}, {Family: "naive"}, {Family: "dice", Name: "dice2"}}}
	plan.Split.Horizon = 3
	p := dailyPanel(4, 50)
	ranked := map[string][]string{"s00000": {"dice", "naive"}, "s00001": {"dice", "naive"}, "s00002": {"dice", "dice2", "naive"},
		"s00003": {"naive", "dice"}}
	r, err := bakeoff.NewRefit(p, plan, withDice(), "naive", ranked, 3)
	require.NoError(t, err)
	notes, packed, err := r.Run(context.Background(), 0, bakeoff.Desk{})
	require.NoError(t, err)
	by := make([]string, len(notes))
	for i, n := range notes {
		assert.Empty(t, n.LeftOut)
		by[i] = n.Contender
	}
	assert.Equal(t, []string{"dice", "naive", "naive", "naive"}, by)
	rows := forecast.NewRows(3)
	require.NoError(t, rows.Unpack(packed[forecast.PackedSize(3):2*forecast.PackedSize(3)]))
	last := p.Series[1].Values[49]
	assert.Equal(t, []float64{last, last, last}, rows.Mean, "the forecast is the next best's")

	ranked["s00001"] = []string{"dice", "dice2"}
	r, err = bakeoff.NewRefit(p, plan, withDice(), "naive", ranked, 3)
	require.NoError(t, err)
	notes, _, err = r.Run(context.Background(), 0, bakeoff.Desk{})
	require.NoError(t, err)
	assert.Equal(t, bakeoff.Refitted{Series: "s00001", Contender: "dice", LeftOut: "it will not do this one"}, notes[1])
}
