package panel_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// some are series of days that begin where they like, with holes, of whole numbers or of others.
func some(t *rapid.T, label string, whole bool) *panel.Panel {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: rapid.Int64Range(20_000, 20_005).Draw(t, label+" first"), Length: 8}
	for i := range rapid.IntRange(1, 5).Draw(t, label+" series") {
		if rapid.Bool().Draw(t, label+" lacks") {
			continue
		}
		s := panel.Series{Key: fmt.Sprint("s", i), First: rapid.IntRange(0, 4).Draw(t, label+" from")}
		for range rapid.IntRange(1, 8-s.First).Draw(t, label+" values") {
			y := float64(rapid.IntRange(0, 6).Draw(t, label+" y"))
			switch {
			case y == 6:
				y = panel.Unknown
			case !whole:
				y += 0.25
			}
			s.Values = append(s.Values, y)
		}
		p.Series = append(p.Series, s)
	}
	return p
}

// valuesOf are the known values by series and period.
func valuesOf(p *panel.Panel) map[string]float64 {
	out := map[string]float64{}
	for i := range p.Series {
		for t := range p.Length {
			if y := p.Series[i].At(t); panel.Known(y) {
				out[p.Series[i].Key+" "+p.Period(t)] = y
			}
		}
	}
	return out
}

// What a difference counts is what two panels have value by value, and the way back counts the same the other way
// round.
func TestDifferences(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		old, newer := some(t, "old", true), some(t, "newer", true)
		d, err := panel.Diff(old, newer)
		require.NoError(t, err)
		was, is := valuesOf(old), valuesOf(newer)
		appeared, gone, restated := 0, 0, []string{}
		for at, y := range is {
			if before, ok := was[at]; !ok {
				appeared++
			} else if before != y {
				restated = append(restated, fmt.Sprintf("%s: %g, then %g", at, before, y))
			}
		}
		for at := range was {
			if _, ok := is[at]; !ok {
				gone++
			}
		}
		told := []string{}
		for _, r := range d.Restated {
			told = append(told, fmt.Sprintf("%s %s: %g, then %g", r.Series, r.Period, r.Old, r.New))
		}
		assert.Equal(t, []int{appeared, gone, len(restated)}, []int{d.NewValues, d.GoneValues, d.RestatedCount})
		assert.ElementsMatch(t, restated, told)
		back, err := panel.Diff(newer, old)
		require.NoError(t, err)
		assert.Equal(t, []any{d.NewValues, d.GoneValues, d.RestatedCount}, []any{back.GoneValues, back.NewValues, back.RestatedCount})
		assert.ElementsMatch(t, d.NewSeries, back.GoneSeries)
		same, err := panel.Diff(old, old)
		require.NoError(t, err)
		assert.Equal(t, panel.Difference{}, same)
	})
	weeks := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week, WeekStart: 1}, Length: 1}
	_, err := panel.Diff(&panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: 1}, weeks)
	assert.ErrorContains(t, err, "one is by day, the other by week")
}

// A spread is the nearest ranks of what is known in each period, of whole numbers, which are counted, as of
// others, which are sorted, for any number of workers; scaled, each series counts by its own mean.
func TestSpreads(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := some(t, "panel", rapid.Bool().Draw(t, "whole"))
		all := make([]int, len(p.Series))
		for i := range all {
			all[i] = i
		}
		scaled := rapid.Bool().Draw(t, "scaled")
		got := panel.SpreadOf(p, all, scaled, rapid.IntRange(1, 3).Draw(t, "workers"))
		for at := range p.Length {
			var known []float64
			for i := range p.Series {
				y := p.Series[i].At(at)
				if scaled {
					sum, n := 0.0, 0.0
					for _, v := range p.Series[i].Values {
						if panel.Known(v) {
							sum, n = sum+v, n+1
						}
					}
					if y /= sum / n; math.IsInf(y, 0) {
						y = panel.Unknown
					}
				}
				if panel.Known(y) {
					known = append(known, y)
				}
			}
			slices.Sort(known)
			assert.Equal(t, len(known), got.Known[at])
			for k, share := range panel.SpreadShares {
				if len(known) == 0 {
					assert.True(t, math.IsNaN(got.Lines[k][at]))
					continue
				}
				want := known[int(math.Round(share*float64(len(known)-1)))]
				assert.InDelta(t, want, got.Lines[k][at], 1e-12, "period %d, share %g of %v", at, share, known)
			}
		}
	})
}

// The classes of demand by how often something is sold and how evenly (Syntetos, Boylan and Croston 2005).
func TestClassesOfDemand(t *testing.T) {
	nan := panel.Unknown
	for want, values := range map[string][][]float64{
		"smooth":       {{9, 10, 11, 10, 9, 10}, {5, 5, 5, 5, 5}, {0, 0, 0, 0, 0, 0}, {1, 0, 9}, {-4, 0, 90, 0, 0, 3}, {nan, nan}},
		"erratic":      {{1, 30, 2, 1, 25, 1, 2, 40}},
		"intermittent": {{0, 5, 0, 0, 5, 0, 4, 0, 0, 5, 0}, {5, 0, nan, 5, 0, nan, 5, 0}},
		"lumpy":        {{0, 1, 0, 0, 40, 0, 2, 0, 0, 30, 0}},
	} {
		for _, y := range values {
			assert.Equal(t, want, panel.DemandOf(y), "%v", y)
		}
	}
}

// Rules for drivers past the origin are refused where they concern none, and each driver that is not known ahead is
// told with what contenders see of it.
func TestRulesForDriversAhead(t *testing.T) {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: 1,
		Drivers: []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "rain"}, {Name: "visits"}, {Name: "staff"}}}
	require.NoError(t, panel.CheckAhead(p, map[string]panel.Ahead{"rain": panel.AheadLag, "visits": panel.AheadForecast, "staff": panel.AheadDrop}))
	for _, c := range []struct {
		name, rule, problem string
	}{
		{"snow", "lag", `the dataset has no driver "snow": it has price, rain, visits, staff`},
		{"price", "lag", `the driver "price" is known ahead: it needs no rule`},
		{"rain", "guess", `"guess" is no rule for the driver "rain": it is drop, lag or forecast`},
	} {
		assert.EqualError(t, panel.CheckAhead(p, map[string]panel.Ahead{c.name: panel.Ahead(c.rule)}), c.problem)
	}
	assert.ErrorContains(t, panel.CheckAhead(&panel.Panel{}, map[string]panel.Ahead{"rain": panel.AheadLag}), "it has none")
	told := strings.Join(panel.AheadCautions(p, map[string]panel.Ahead{"rain": panel.AheadLag, "visits": panel.AheadForecast}, 14), "\n")
	assert.Contains(t, told, "The driver rain is not known ahead: contenders see what it was 14 days before.")
	assert.Contains(t, told, "The driver visits is not known ahead: past the origin contenders see its last season repeated")
	assert.Contains(t, told, "The driver staff is not known ahead: no contender sees it.")
	assert.NotContains(t, told, "price")
}

// A hole in a driver is told with how it is filled, or refused with its first place.
func TestHolesAreToldOrRefused(t *testing.T) {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 20_514, Length: 9,
		Series: []panel.Series{{Key: "quay"}, {Key: "mill"}}, Drivers: []panel.Driver{{Name: "price"}}}
	hole := panel.Holes{Driver: "price", Values: 3, Series: 2, At: 4, Of: 1}
	for text, want := range map[string]string{"hold": "by the last known value", "usual": "by the usual value", "2.5": "by 2.5",
		"": "by the last known value, or the usual one where that is nearer as a rule"} {
		rules := map[string]string{"price": text}
		if text == "" {
			rules = nil
		}
		f, err := panel.ParseFillings(p, rules)
		require.NoError(t, err, text)
		assert.Equal(t, "The driver price is unknown in 3 forecast periods of 2 series: filled "+want+", as the plan's driver_gaps has it.",
			hole.Caution("forecast periods", f))
		assert.NoError(t, panel.CheckHoles(p, []panel.Holes{hole}, f))
	}
	f, err := panel.ParseFillings(p, map[string]string{"price": "refuse"})
	require.NoError(t, err)
	assert.EqualError(t, panel.CheckHoles(p, []panel.Holes{hole}, f), "the driver price is unknown in 3 periods of 2 series, for one at 2026-03-06 of "+
		"mill, and driver_gaps refuses that: load its values, or say hold, usual or a number")
}

func TestWordsOfGapsAndSums(t *testing.T) {
	for _, word := range []string{"zero", "unknown", "carry", "interpolate", "closed"} {
		g, err := panel.ParseGaps(word)
		require.NoError(t, err)
		assert.EqualValues(t, word, g)
	}
	g, err := panel.ParseGaps("")
	require.NoError(t, err)
	assert.Equal(t, panel.GapsUnknown, g)
	_, err = panel.ParseGaps("nought")
	assert.EqualError(t, err, `gaps "nought" is not known: use zero, unknown, carry, interpolate or closed`)
	for word, want := range map[string]panel.Combine{"": panel.Refuse, "refuse": panel.Refuse, "sum": panel.Sum, "min": panel.Min} {
		got, err := panel.ParseCombine(word)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	_, err = panel.ParseCombine("median")
	assert.ErrorContains(t, err, "use sum, mean, last, max or min")
}
