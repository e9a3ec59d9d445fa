package bakeoff_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
)

// lastForecast is the first step's mean of a refit by a family, and how many stretches it left out.
func lastForecast(t *testing.T, family, past string, scale float64) (mean float64, leftOut int) {
	t.Helper()
	p := dailyPanel(1, 120)
	for i := range 60 {
		p.Series[0].Values[i] *= scale
	}
	for _, i := range []int{100, 110} {
		p.Series[0].Values[i] *= 1000
	}
	plan := bakeoff.Plan{Seed: 3, Split: baselinePlan(7, 1).Split, Past: past, Contenders: []bakeoff.Contender{{Family: family}}}
	r, err := bakeoff.NewRefit(p, plan, catalogue.Standard(), family, nil, 7)
	require.NoError(t, err)
	notes, packed, err := r.Run(context.Background(), 0, bakeoff.Desk{})
	require.NoError(t, err)
	require.Empty(t, notes[0].LeftOut)
	rows := forecast.NewRows(7)
	require.NoError(t, rows.Unpack(packed))
	d, _, err := r.Describe(context.Background(), 0)
	require.NoError(t, err)
	return rows.Mean[0], len(d.LeftOut)
}

// By a plan that believes every value, what looks like mistakes and a change of unit is learnt from as it is; by
// any other it moves nothing.
func TestAPlanMayBelieveThePastAsLoaded(t *testing.T) {
	for _, family := range []string{"smoothing", "theta", "arima"} {
		usual, none := lastForecast(t, family, "", 1)
		assert.Equal(t, 2, none, family)
		said, _ := lastForecast(t, family, bakeoff.Mended, 1)
		assert.Equal(t, usual, said, "what is said to be the default is the default")
		believed, left := lastForecast(t, family, bakeoff.AsLoaded, 1)
		assert.Zero(t, left, family)
		assert.Greater(t, math.Abs(believed-usual), 0.01*usual, family)
		moved, _ := lastForecast(t, family, "", 0.01)
		assert.InDelta(t, usual, moved, 0.2*usual, "%s takes over a change of unit", family)
		asCounted, _ := lastForecast(t, family, bakeoff.AsLoaded, 0.01)
		assert.NotEqual(t, believed, asCounted, family)
	}
}

// What a contender sees by such a plan is another thing to train on, so that nothing kept of the one serves the other.
func TestThePastAsLoadedIsTrainedApart(t *testing.T) {
	p := dailyPanel(1, 120)
	prints := map[string]bool{}
	for _, past := range []string{"", bakeoff.AsLoaded} {
		plan := baselinePlan(7, 1)
		plan.Past = past
		e, err := bakeoff.Prepare(p, plan, withDice())
		require.NoError(t, err)
		prints[panel.NewView(e.Panel, e.Chosen, 0, e.Windows[0].Origin).Fingerprint()] = true
	}
	assert.Len(t, prints, 2)
	plan := baselinePlan(7, 1)
	plan.Past = "rosy"
	_, err := bakeoff.Prepare(p, plan, withDice())
	assert.ErrorContains(t, err, `"rosy" is no way to take the past: say mended or as-loaded`)
}
