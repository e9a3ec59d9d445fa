package bakeoff_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
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
		"naive,boosting,automatic": "2 series are too new to be assessed: fewer than 2 values before each origin. In a release boosting or automatic forecasts",
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
