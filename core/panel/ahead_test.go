package panel_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// drivenPanel is one weekly series of twelve periods that begins at a period, with a price that is known ahead to
// period 15, and a count of visits that is not: both are the number of their period.
func drivenPanel(first int) *panel.Panel {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, First: 2900, Length: 12,
		Drivers: []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "visits"}}}
	s := panel.Series{Key: "a", First: first, Drivers: make([][]float64, 2)}
	for i := first; i < 16; i++ {
		if i < 12 {
			s.Values = append(s.Values, 100)
			s.Drivers[1] = append(s.Drivers[1], float64(i))
		}
		s.Drivers[0] = append(s.Drivers[0], float64(i))
	}
	p.Series = []panel.Series{s}
	return p
}

func texts(x []float64) (out []string) {
	for _, v := range x {
		out = append(out, fmt.Sprintf("%g", v))
	}
	return out
}

// What a contender sees of drivers from an origin on, by their rules: nothing past the origin that was not
// known there.
func TestDriversAhead(t *testing.T) {
	v := panel.NewView(drivenPanel(2), []int{0}, 0, 7).WithAhead(map[string]panel.Ahead{"visits": panel.AheadLag}, 3)
	s := v.Series(0)
	require.Equal(t, 2, s.First)
	assert.Equal(t, []string{"2", "3", "4", "5", "6", "7", "8", "9", "10"}, texts(s.Driver(0, 9)))
	assert.Equal(t, []string{"NaN", "NaN", "NaN", "2", "3", "4", "5", "6", "7"}, texts(s.Driver(1, 9)), "lagged by three")
	v = v.WithAhead(map[string]panel.Ahead{"visits": panel.AheadForecast}, 3)
	assert.Equal(t, []string{"2", "3", "4", "5", "6", "7", "7", "7", "7"}, texts(v.Series(0).Driver(1, 9)), "the last goes on")
	assert.Len(t, v.WithAhead(nil, 3).Drivers(), 1, "else it is not shown")
}

// A series that begins after the origin has no value there: its drivers are seen from the first period that
// is asked for, as far as they are known.
func TestDriversOfASeriesThatHasNotBegun(t *testing.T) {
	for _, first := range []int{8, 9, 11} {
		v := panel.NewView(drivenPanel(first), []int{0}, 0, 7)
		for _, rule := range []panel.Ahead{panel.AheadLag, panel.AheadForecast} {
			s := v.WithAhead(map[string]panel.Ahead{"visits": rule}, 4).Series(0)
			require.Empty(t, s.Values)
			require.Equal(t, 8, s.First, "right after the origin")
			price := s.Driver(0, 4)
			for i, value := range price {
				if 8+i < first {
					assert.True(t, math.IsNaN(value) || value == float64(first), "nobody knows it: %g", value)
				} else {
					assert.Equal(t, float64(8+i), value, "begins at %d", first)
				}
			}
			for _, value := range s.Driver(1, 4) {
				assert.True(t, math.IsNaN(value), "%s: nothing was known at the origin", rule)
			}
		}
		filled := v.WithAhead(nil, 4).WithFillings(panel.Fillings{"price": {Rule: panel.FillValue, Value: 5}}).Series(0).Driver(0, 4)
		for i, value := range filled {
			want := 5.0
			if 8+i >= first {
				want = float64(8 + i)
			}
			assert.Equal(t, want, value)
		}
	}
}
