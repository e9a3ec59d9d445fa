package panel_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// driven is a single daily series with a driver that is known ahead.
func driven(values, driver []float64) *panel.Panel {
	return &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: len(values), Measure: "orders",
		Drivers: []panel.Driver{{Name: "x", KnownAhead: true}},
		Series:  []panel.Series{{Key: "all", Values: values, Drivers: [][]float64{driver}}}}
}

// What stands for unknown values of a driver, in training and ahead, as its own values and the
// measure have it, and as the plan says.
func TestUnknownDriversAreFilled(t *testing.T) {
	u := panel.Unknown
	ones := []float64{1, 1, 1, 1, 1, 1, 1, 1}
	cases := []struct {
		name   string
		values []float64
		driver []float64
		rule   string
		want   []float64 // of the last periods
	}{
		{"a price keeps its value", ones, []float64{u, 3, 3, u, 4, 4, 4, u, u, 5}, "", []float64{3, 3, 3, 3, 4, 4, 4, 4, 4, 5}},
		{"a promotion goes back to its usual state", ones, []float64{0, 0, u, 0, 1, 1, u, 1, u}, "", []float64{0, 0, 0, 0, 1, 1, 0, 1, 0}},
		{"visitors that come and go are as usual", ones, []float64{5, 90, 7, 80, u, 50, 9, 99, u}, "", []float64{5, 90, 7, 80, 50, 50, 9, 99, 50}},
		{"nobody came where nothing was sold", []float64{4, 0, 3, 2, 0, 1, 3, 2}, []float64{40, u, 30, 20, u, 1, 30, 20, u}, "",
			[]float64{40, 0, 30, 20, 0, 1, 30, 20, 0}},
		{"held", ones, []float64{0, 0, u, 0, 1, u, 0, 1, u}, "hold", []float64{0, 0, 0, 0, 1, 1, 0, 1, 1}},
		{"a number", ones, []float64{2, u, 2, 3, 3, 3, 3, 3, u}, "9", []float64{2, 9, 2, 3, 3, 3, 3, 3, 9}},
		{"refused", ones, []float64{2, 2, 2, 3, 3, 3, 3, u, u}, "refuse", []float64{2, 2, 2, 3, 3, 3, 3, u, u}},
		{"never known", ones, []float64{u, u, u, u, u, u, u, u, u}, "usual", []float64{u, u, u, u, u, u, u, u, u}},
	}
	for _, c := range cases {
		p := driven(c.values, c.driver)
		f, err := panel.ParseFillings(p, map[string]string{"x": c.rule})
		require.NoError(t, err)
		got := panel.NewView(p, []int{0}, 0, len(c.values)-1).WithFillings(f).Series(0).Driver(0, len(c.want))
		for i, v := range c.want {
			if math.IsNaN(v) {
				assert.True(t, math.IsNaN(got[i]), "%s, %d", c.name, i)
			} else {
				assert.Equal(t, v, got[i], "%s, %d", c.name, i)
			}
		}
	}
}

// A rule is found from what was known at the origin: noise after it changes nothing before.
func TestFillingsLookAtThePastAlone(t *testing.T) {
	values := []float64{1, 1, 1, 1, 1, 1, 1, 1}
	p := driven(values, []float64{3, 3, 4, panel.Unknown, 4, 8, 1, 9})
	q := driven(values, []float64{3, 3, 4, panel.Unknown, 4, -50, 70, -90})
	for _, known := range []bool{true, false} {
		p.Drivers[0].KnownAhead, q.Drivers[0].KnownAhead = known, known
		a := panel.NewView(p, []int{0}, 0, 4).Series(0).Driver(0, 5)
		b := panel.NewView(q, []int{0}, 0, 4).Series(0).Driver(0, 5)
		assert.Equal(t, a, b)
		assert.Equal(t, []float64{3, 3, 4, 4, 4}, a)
	}
}

// Holes are counted where the measure is known, or all; a series that never had the driver has
// none; and a plan that refuses them says where the first is.
func TestHoles(t *testing.T) {
	u := panel.Unknown
	p := driven([]float64{1, u, 1, 1}, []float64{2, u, u, 2, u})
	p.Series = append(p.Series, panel.Series{Key: "bare", Values: []float64{1, 1, 1, 1}, Drivers: [][]float64{{u, u, u, u}}})
	holes := panel.FindHoles(p, []int{0, 1}, 0, 3, true)
	require.Len(t, holes, 1)
	assert.Equal(t, panel.Holes{Driver: "x", Values: 1, Series: 1, At: 2}, holes[0])
	assert.Equal(t, 3, panel.FindHoles(p, []int{0, 1}, 0, 4, false)[0].Values)
	f, err := panel.ParseFillings(p, map[string]string{"x": "refuse"})
	require.NoError(t, err)
	assert.ErrorContains(t, panel.CheckHoles(p, holes, f), p.Period(2)+" of all")
	assert.NoError(t, panel.CheckHoles(p, holes, nil))
	_, err = panel.ParseFillings(p, map[string]string{"y": "hold"})
	assert.ErrorContains(t, err, `no driver "y"`)
	_, err = panel.ParseFillings(p, map[string]string{"x": "guess"})
	assert.ErrorContains(t, err, "hold, usual, refuse or a number")
}
