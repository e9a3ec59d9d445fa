package panel_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/panel"
)

// ramble is n values that go to and fro between two bounds, no two neighbours alike.
func ramble(n int, low, high float64) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = low + (high-low)*float64(i*7%13)/12
	}
	return out
}

// at puts a value at some places of others.
func at(values []float64, v float64, places ...int) []float64 {
	out := slices.Clone(values)
	for _, i := range places {
		out[i] = v
	}
	return out
}

// What is believed of a driver that has been so for forty periods.
func TestReachOfADriver(t *testing.T) {
	prices, degrees := ramble(40, 2, 4), ramble(40, -10, 30)
	cases := []struct {
		name          string
		seen          []float64
		believed, not []float64
	}{
		{"prices", prices, []float64{1, 2, 4, 8, 20}, []float64{0, -1, 0.03, 300, -999}},
		{"a price that never changes", at(prices, 3.5, allOf(40)...), []float64{1, 3.5, 9}, []float64{0, 300}},
		{"prices of which one is in cents", at(prices, 310, 7), []float64{8, 20}, []float64{310, 0}},
		{"prices of which two are nought", at(prices, 0, 7, 30), []float64{2, 8}, []float64{0, 300}},
		{"prices, nought as often as not", at(prices, 0, evens(40)...), []float64{0, 8, 40}, []float64{300}},
		{"degrees", degrees, []float64{-40, 0, 60}, []float64{-999, 9999}},
		{"degrees with a mark for none", at(degrees, -999, 20), []float64{-40}, []float64{-999}},
		{"a switch", at(make([]float64, 40), 1, 5, 11, 30), []float64{0, 1, 2, 100}, nil},
		{"few campaigns among nothing", at(at(make([]float64, 40), 20, 5), 300, 31), []float64{20, 300, 5000}, nil},
		{"shares of the shelf", ramble(40, 0.1, 0.4), []float64{0, 1}, []float64{-1, 40}},
		{"shops that are open", []float64{3, 4, 3, 3, 4, 5, 5, 4, 4, 3, 3, 3, 4}, []float64{0, 1, 12}, []float64{-1, 400}},
		{"too few to tell", prices[:11], []float64{0, 300, -999}, nil},
		{"none", nil, []float64{1}, nil},
	}
	for _, c := range cases {
		r := panel.ReachOf(c.seen)
		for _, v := range c.believed {
			assert.True(t, r.Believes(v), "%s: %g", c.name, v)
		}
		for _, v := range c.not {
			assert.False(t, r.Believes(v), "%s: %g", c.name, v)
		}
	}
}

func allOf(n int) (out []int) {
	for i := range n {
		out = append(out, i)
	}
	return out
}

func evens(n int) (out []int) {
	for i := 0; i < n; i += 2 {
		out = append(out, i)
	}
	return out
}

// What nineteen in twenty are like is believed, in whatever unit; twice a value that is believed of a
// driver above zero is too; and the order of values does not matter.
func TestReachInAnyUnit(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		values := rapid.SliceOfN(rapid.Float64Range(1, 6), 12, 60).Draw(t, "values")
		unit := math.Pow(10, float64(rapid.IntRange(-6, 6).Draw(t, "unit")))
		scaled := make([]float64, len(values))
		for i, v := range values {
			scaled[len(values)-1-i] = v * unit * 1.37 // not whole, at whatever scale
		}
		r := panel.ReachOf(scaled)
		for _, v := range scaled {
			if !r.Believes(v) || !r.Believes(2*v) {
				t.Fatalf("%g is not believed among %v", v, scaled)
			}
		}
		if high := slices.Max(scaled); r.Believes(1000 * high) {
			t.Fatalf("%g is believed among %v", 1000*high, scaled)
		}
	})
}

// What tells quickly that there is no slip says so of none, whatever the driver is like; few draws are near
// enough to a border to show it if it did.
func TestQuicklyTellingIsRight(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 4))
	slips := 0
	for range 30000 {
		low := []float64{-20, -1, 0, 0.5, 2, 100}[rnd.IntN(6)]
		values := make([]float64, 12+rnd.IntN(60))
		for k := range values {
			if values[k] = low + 10*rnd.Float64(); rnd.IntN(4) == 0 {
				values[k] = low + 3
			}
		}
		slip := []float64{0, -999, 1000, 70, 0.01, low}[rnd.IntN(6)]
		for range rnd.IntN(6) {
			values[rnd.IntN(len(values))] = slip
		}
		n := len(values) - rnd.IntN(8)
		quick, whole := panel.Filling{}.Reach(values, n), panel.ReachOf(values[:n])
		for _, v := range values {
			if !whole.Believes(v) {
				slips++
			}
			if whole.Believes(v) != quick.Believes(v) {
				t.Fatalf("%g is believed: %t, and by sorting the first %d of %v: %t", v, quick.Believes(v), n, values, whole.Believes(v))
			}
		}
	}
	assert.Greater(t, slips, 1000)
}

// A slip in training and one ahead are filled as holes are, by what was known at the origin alone; the rule
// that refuses believes them.
func TestSlipsAreFilled(t *testing.T) {
	n := 40
	values := ramble(n, 10, 20)
	price := append(at(ramble(n, 2, 4), 350, 12), 3, 0, 3)
	shown := func(origin int, rule string) []float64 {
		p := driven(values, price)
		f, err := panel.ParseFillings(p, map[string]string{"x": rule})
		require.NoError(t, err)
		return panel.NewView(p, []int{0}, 0, origin).WithFillings(f).Series(0).Driver(0, n+3)
	}
	got := shown(n-1, "hold")
	assert.Equal(t, price[11], got[12])
	assert.Equal(t, []float64{3, 3, 3}, got[n:])
	assert.Equal(t, 2.5, shown(n-1, "2.5")[12])
	assert.Equal(t, price, shown(n-1, "refuse"))
	assert.Equal(t, price, shown(10, "hold"), "eleven values do not tell")
	assert.Equal(t, 350.0, price[12], "what was loaded stays")
}

// Slips are counted and told with an example; what refuses has none.
func TestSlipsAreTold(t *testing.T) {
	n := 40
	p := driven(ramble(n, 10, 20), append(at(ramble(n, 2, 4), 350, 12, 13), 3, 0, 3))
	p.Series = append(p.Series, panel.Series{Key: "other", Values: ramble(n, 5, 9), Drivers: [][]float64{ramble(n+3, 2, 4)}},
		panel.Series{Key: "without", Values: ramble(n, 5, 9), Drivers: [][]float64{nil}})
	found := panel.FindSlips(p, []int{0, 1, 2}, 0, n+2, n-1, nil)
	require.Len(t, found, 1)
	assert.Equal(t, 3, found[0].Values)
	assert.Equal(t, 1, found[0].Series)
	told := found[0].Caution(p, "periods", panel.Fillings{"x": {Rule: panel.FillHold}})
	for _, want := range []string{"driver x", "3 periods of 1 series", "350 in ", "of all", "against 2 to 4", "by the last known value"} {
		assert.Contains(t, told, want)
	}
	assert.Len(t, panel.FindSlips(p, []int{0}, n, n+2, n-1, nil), 1, "ahead alone")
	assert.Empty(t, panel.FindSlips(p, []int{1, 2}, 0, n+2, n-1, nil))
	assert.Empty(t, panel.FindSlips(p, []int{0}, 0, n+2, n-1, panel.Fillings{"x": {Rule: panel.FillRefuse}}))
	p.Drivers[0].KnownAhead = false
	assert.Empty(t, panel.FindSlips(p, []int{0}, 0, n+2, n-1, nil), "no contender sees it as it is")
	p.Drivers[0].KnownAhead = true
	twice := panel.AddSlips(panel.AddSlips(nil, found[0]), found[0])
	require.Len(t, twice, 1)
	assert.Equal(t, 6, twice[0].Values)
	kinds := []string{}
	for _, f := range panel.Look(p, 1).Findings {
		if f.Kind == "driver slips" {
			assert.Equal(t, []int{0}, f.Series)
			kinds = append(kinds, f.Kind)
		}
	}
	assert.Len(t, kinds, 1)
}
