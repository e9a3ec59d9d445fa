package panel_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// onePrice is a panel of one series of days with one driver, known some periods ahead.
func onePrice(values []float64) *panel.Panel {
	n := max(0, len(values)-5)
	return &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: n, Drivers: []panel.Driver{{Name: "price", KnownAhead: true}},
		Series: []panel.Series{{Key: "tea", Values: make([]float64, n), Drivers: [][]float64{values}}}}
}

// from is values that are times as large from a place on.
func from(values []float64, place int, by float64) []float64 {
	out := append([]float64(nil), values...)
	for i := place; i < len(out); i++ {
		out[i] *= by
	}
	return out
}

func TestUnitsThatChangeForGood(t *testing.T) {
	prices := ramble(40, 2, 4)
	growing := make([]float64, 60)
	for i := range growing {
		growing[i] = math.Exp(0.15 * float64(i)) // eight thousand times as large in the end, and never at once
	}
	cases := []struct {
		name   string
		values []float64
		at     int
		by     float64
	}{
		{"cents since day 20", from(prices, 20, 100), 20, 100},
		{"cents since the last three", from(prices, 37, 100), 37, 100},
		{"thousands until day 9", from(prices, 9, 0.001), 9, 0.001},
		{"shares, then per cent, with zeros", from(at(ramble(40, 0.02, 0.9), 0, 3, 9, 30), 25, 100), 25, 100},
		{"with holes at the change", at(from(prices, 20, 100), unknown, 18, 19, 20, 21), 22, 100},
		{"none", prices, -1, 1},
		{"two in cents", from(prices, 38, 100), -1, 1},
		{"cents and back", from(from(prices, 20, 100), 30, 0.01), -1, 1},
		{"ten times as much", from(prices, 20, 10), -1, 1},
		{"growth", growing, -1, 1},
		{"a switch", at(make([]float64, 40), 1, 5, 11, 30), -1, 1},
		{"spending that came up", append(make([]float64, 20), ramble(20, 100, 900)...), -1, 1},
		{"below zero", at(from(prices, 20, 100), -3, 4), -1, 1},
		{"nothing", nil, -1, 1},
	}
	for _, c := range cases {
		p := onePrice(c.values)
		changes := p.UnitChanges(nil)
		if c.by == 1 {
			assert.Empty(t, changes, c.name)
			assert.Same(t, p, p.WithUnits(changes), c.name)
			continue
		}
		require.Len(t, changes, 1, c.name)
		assert.Equal(t, []int{0}, changes[0].Series, c.name)
		assert.Equal(t, []int{c.at}, changes[0].At, c.name)
		assert.Equal(t, []float64{c.by}, changes[0].By, c.name)
		told := p.UnitCautions(changes, []int{0})
		require.Len(t, told, 1, c.name)
		assert.Contains(t, told[0], "in 1 series, in tea from "+p.Period(c.at)+" on", c.name)
		assert.Empty(t, p.UnitCautions(changes, nil), "none of the plan's")
		assert.Empty(t, p.UnitChanges(panel.Fillings{"price": {Rule: panel.FillRefuse}}), "all are believed")
	}
}

// Whatever the values are, those in another unit from some day on come back, and the panel itself stays as it was.
func TestWithUnitsUndoesTheChange(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		low := rapid.Float64Range(0.01, 50).Draw(t, "low")
		values := make([]float64, rapid.IntRange(20, 60).Draw(t, "n"))
		for i := range values {
			values[i] = low * rapid.Float64Range(1, 1.9).Draw(t, "times")
		}
		place := rapid.IntRange(6, len(values)-3).Draw(t, "place")
		by := rapid.SampledFrom([]float64{100, 1000, 0.01, 0.001}).Draw(t, "by")
		changed := from(values, place, by)
		p := onePrice(changed)
		mended := p.WithUnits(p.UnitChanges(nil))
		require.InDeltaSlice(t, values, mended.Series[0].Drivers[0], 1e-9*low)
		require.Equal(t, from(values, place, by), p.Series[0].Drivers[0])
		require.Empty(t, mended.UnitChanges(nil), "once is enough")
	})
}
