package feature_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/feature"
	"paperkettle/core/panel"
)

// alone is one weekly series of given values.
func alone(values []float64) panel.View {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, First: 2900, Length: len(values), Series: []panel.Series{{Key: "a", Values: values}}}
	return panel.NewView(p, []int{0}, 0, len(values)-1)
}

// window lists the known values of the last width up to an origin; nil where fewer than half are known.
func window(y []float64, origin, width int) (known []float64) {
	for i := max(0, origin+1-width); i <= origin; i++ {
		if panel.Known(y[i]) {
			known = append(known, y[i])
		}
	}
	if 2*len(known) < width {
		return nil
	}
	return known
}

func meanOf(x []float64) float64 {
	sum := 0.0
	for _, v := range x {
		sum += v / float64(len(x))
	}
	return sum
}

func spreadOf(x []float64) float64 {
	m, ss := meanOf(x), 0.0
	for _, v := range x {
		ss += (v - m) * (v - m) / float64(len(x))
	}
	return math.Sqrt(ss)
}

// What looks back says what its plain definition says, from any origin of a series with holes, on any level.
func TestWindowsByTheirDefinition(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		level := rapid.SampledFrom([]float64{0, 50, 1e9, -3e6}).Draw(t, "level")
		y := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) float64 {
			if rapid.IntRange(0, 4).Draw(t, "hole") == 0 {
				return panel.Unknown
			}
			return level + rapid.Float64Range(-20, 20).Draw(t, "value")
		}), 3, 60).Draw(t, "y")
		y[0] = level // a series begins with a known value
		width, lag, share := rapid.IntRange(2, 20).Draw(t, "width"), rapid.IntRange(1, 20).Draw(t, "lag"), rapid.IntRange(0, 100).Draw(t, "share")
		origin, step := rapid.IntRange(0, len(y)-1).Draw(t, "origin"), rapid.IntRange(1, 9).Draw(t, "step")

		v := alone(y)
		r, err := feature.Parse([]string{fmt.Sprintf("lag %d", lag), fmt.Sprintf("difference %d", lag), fmt.Sprintf("mean %d", width),
			fmt.Sprintf("spread %d", width), fmt.Sprintf("quantile %d over %d", share, width), "scale"}, feature.SettingOf(v, 9))
		require.NoError(t, err)
		rows, err := r.Lay(v.Series(0), y, 9, nil)
		require.NoError(t, err)
		got := make([]float64, 6)
		rows.Fill(origin, step, got)

		at := func(i int) float64 {
			if i < 0 {
				return panel.Unknown
			}
			return y[i]
		}
		want := []float64{at(origin + 1 - lag), y[origin] - at(origin-lag), math.NaN(), math.NaN(), math.NaN(), 0}
		if known := window(y, origin, width); known != nil {
			slices.Sort(known)
			place := float64(share) / 100 * float64(len(known)-1)
			low, high := known[int(math.Floor(place))], known[int(math.Ceil(place))]
			want[2], want[3], want[4] = meanOf(known), spreadOf(known), low+(place-math.Floor(place))*(high-low)
		}
		n := 0.0
		for _, value := range y[:origin+1] {
			if panel.Known(value) {
				want[5], n = want[5]+math.Abs(value), n+1
			}
		}
		want[5] /= n
		for k, c := range r.Columns {
			if math.IsNaN(want[k]) {
				assert.True(t, math.IsNaN(got[k]), "%s is %g, not unknown", c.Name, got[k])
				continue
			}
			// A spread of values far from zero is still one of a few units.
			assert.InDelta(t, want[k], got[k], 1e-6+1e-12*math.Abs(level), c.Name)
		}

		// A path that happens to be the past gives the same.
		along := make([]float64, 6)
		rows.FillPath(slices.Clone(y[:origin+1]), step, along)
		assert.Equal(t, bits(got), bits(along))
	})
}

func bits(x []float64) (out []uint64) {
	for _, v := range x {
		out = append(out, math.Float64bits(v))
	}
	return out
}

// The last that is known of a step's place in the season lies at or before the origin, whole seasons back.
func TestSeasonLagsAreOfThePlace(t *testing.T) {
	const n, season = 200, 52
	y := make([]float64, n)
	for i := range y {
		y[i] = float64(i)
	}
	v := alone(y)
	r, err := feature.Parse([]string{"season lag 1 to 2"}, feature.SettingOf(v, 120))
	require.NoError(t, err)
	rows, err := r.Lay(v.Series(0), y, 120, nil)
	require.NoError(t, err)
	got := make([]float64, 2)
	for _, origin := range []int{103, 150, n - 1} {
		for step := 1; step <= 120; step++ {
			rows.Fill(origin, step, got)
			last := int(got[0])
			assert.LessOrEqual(t, last, origin)
			assert.Greater(t, last, origin-season)
			assert.Zero(t, (origin+step-last)%season, "origin %d, step %d", origin, step)
			if rows.Fill(origin, step, got); last >= season {
				assert.EqualValues(t, last-season, got[1])
			}
		}
	}
}

// What is done to a driver, one thing after another.
func TestWhatIsDoneToDrivers(t *testing.T) {
	p := shop(14) // prices 1, 2, 3, 1 ...
	for line, want := range map[string][]float64{
		"price lag 1":                  {math.NaN(), 1, 2, 3},
		"price log change":             {math.NaN(), math.Log(2), math.Log(1.5), math.Log(1.0 / 3)},
		"price log 1":                  {math.Log(2), math.Log(3), math.Log(4), math.Log(2)},
		"price carry 0.5":              {1, 2.5, 4.25, 3.125},
		"price saturate 1":             {0.5, 2.0 / 3, 0.75, 0.5},
		"mean 2 of price":              {math.NaN(), 1.5, 2.5, 2},
		"spread 2 of price":            {math.NaN(), 0.5, 0.5, 1},
		"quantile 100 over 2 of price": {math.NaN(), 2, 3, 3},
	} {
		r, rows := lay(t, p, 13, 4, line)
		got := make([]float64, len(r.Columns))
		for i, w := range want {
			rows.FillAhead(i, got)
			if math.IsNaN(w) {
				assert.True(t, math.IsNaN(got[0]), "%s at %d", line, i)
			} else {
				assert.InDelta(t, w, got[0], 1e-12, "%s at %d", line, i)
			}
		}
	}
	r, err := feature.Parse([]string{"price log", "price log 1", "price"}, feature.SettingOf(panel.NewView(p, []int{0}, 0, 13), 4))
	require.NoError(t, err)
	var logged []bool
	for _, c := range r.Columns {
		assert.True(t, c.IsDriver())
		logged = append(logged, c.Logged())
	}
	assert.Equal(t, []bool{true, false, false}, logged)
}
