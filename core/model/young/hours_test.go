package young_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model/young"
)

// hourly makes series by the hour whose weekends are later and quieter by a factor, each with days of its own too.
func hourly(series, weeks int, weekend, own, noise float64) (list []young.Series, truth [][]float64) {
	for i := range series {
		rnd := rand.New(rand.NewPCG(uint64(i), 11))
		s := young.Series{Key: fmt.Sprint(i), First: 480_003}
		days, level := make([]float64, 7), math.Exp(4+rnd.NormFloat64())
		for d := range days {
			days[d] = own * rnd.NormFloat64()
		}
		week := make([]float64, 168)
		for k := range week {
			week[k] = days[k/24]
			if k/24 >= 5 {
				week[k] += weekend * (math.Sin(2*math.Pi*float64(k%24)/24) - 0.7)
			}
		}
		for t := range 168 * weeks {
			at := (s.First + int64(t)) % 168
			day := -0.8 * math.Cos(2*math.Pi*float64(at%24)/24)
			s.Values = append(s.Values, level*math.Exp(day+week[at]+noise*rnd.NormFloat64()))
		}
		list, truth = append(list, s), append(truth, week)
	}
	return list, truth
}

// apart is the mean error of a season's logs, beside what it has at each hour of all days: that is the day's season.
func apart(s *young.Season, truth []float64) (miss float64) {
	for h := range 24 {
		gap, mean := make([]float64, 7), 0.0
		for d := range gap {
			gap[d] = math.Log(s.At(int64(24*d+h))) - truth[24*d+h]
			mean += gap[d] / 7
		}
		for _, g := range gap {
			miss += math.Abs(g-mean) / 168
		}
	}
	return miss
}

// What weekends do to hours comes back from a few weeks of several series, and what a series' own days do beside; of one
// series alone less so.
func TestTheWeekOfHoursComesBack(t *testing.T) {
	for _, c := range []struct {
		series, weeks int
		left          float64 // of what there was
	}{{12, 4, 0.25}, {12, 2, 0.35}, {1, 6, 0.5}} {
		list, truth := hourly(c.series, c.weeks, 0.3, 0.1, 0.1)
		w, err := young.LearnWeek(context.Background(), list, 24, 2)
		require.NoError(t, err)
		require.NotNil(t, w)
		for i, s := range list {
			season := w.Of(s)
			require.NotNil(t, season)
			assert.True(t, season.Shows())
			assert.Equal(t, 168, season.Length())
			nothing := young.Season{Log: true, Places: make([]float64, 168)}
			assert.Less(t, apart(season, truth[i]), c.left*apart(&nothing, truth[i]), "%d series of %d weeks, series %d", c.series, c.weeks, i)
		}
	}
}

// Where no day differs from another, hardly a week is told: less than a fifth of the noise of a single value.
func TestNoWeekIsMadeUp(t *testing.T) {
	for _, series := range []int{1, 12} {
		list, truth := hourly(series, 4, 0, 0, 0.2)
		w, err := young.LearnWeek(context.Background(), list, 24, 2)
		require.NoError(t, err)
		for i, s := range list {
			if season := w.Of(s); season != nil {
				assert.Less(t, apart(season, truth[i]), 0.04, "%d series, series %d", series, i)
			}
		}
	}
}

// One week of ten times the usual is no week of all; hours that are always nought stay so.
func TestABurstIsNoWeek(t *testing.T) {
	list, truth := hourly(6, 6, 0.3, 0, 0.1)
	for i := range list {
		for t := range list[i].Values {
			if at := (list[i].First + int64(t)) % 168; at%24 < 4 {
				list[i].Values[t] = 0
			} else if t/168 == 3 && at/24 == 2 {
				list[i].Values[t] *= 10
			}
		}
	}
	w, err := young.LearnWeek(context.Background(), list, 24, 2)
	require.NoError(t, err)
	season := w.Of(list[0])
	require.NotNil(t, season)
	for k := range 168 {
		assert.False(t, math.IsNaN(season.At(int64(k))) || math.IsInf(season.At(int64(k)), 0))
		if h := k % 24; h >= 4 {
			assert.InDelta(t, season.At(int64(h+24)), season.At(int64(h+48)), 0.25, "the day of the burst is as the day before, hour %d", h)
		}
	}
	assert.Greater(t, season.At(130)/season.At(34), 1.1*math.Exp(truth[0][130]-truth[0][34])/1.3, "weekends are still told")
}

// What is too short, below zero or unknown tells nothing, and spoils nothing.
func TestWhatTellsNoWeek(t *testing.T) {
	list, _ := hourly(3, 4, 0.3, 0, 0.1)
	list[0].Values = list[0].Values[:300]
	list[1].Values[7] = -1
	unknown := young.Series{Key: "unknown", First: list[2].First, Values: make([]float64, len(list[2].Values))}
	for t := range unknown.Values {
		unknown.Values[t] = math.NaN()
	}
	w, err := young.LearnWeek(context.Background(), append(list, unknown), 24, 2)
	require.NoError(t, err)
	require.NotNil(t, w, "one tells")
	for _, s := range []young.Series{list[0], list[1], unknown} {
		assert.Nil(t, w.Of(s))
	}
	assert.NotNil(t, w.Of(list[2]))
	none, err := young.LearnWeek(context.Background(), list[:2], 24, 2)
	require.NoError(t, err)
	assert.Nil(t, none)
	assert.Nil(t, none.Of(list[2]))
}

// A shop that is open for nine hours of a day tells its week like one that never shuts.
func TestTheWeekOfOpenHours(t *testing.T) {
	list, truth := hourly(8, 5, 0.3, 0, 0.1)
	for _, s := range list {
		for t := range s.Values {
			if h := (s.First + int64(t)) % 24; h < 9 || h >= 18 {
				s.Values[t] = math.NaN()
			}
		}
	}
	w, err := young.LearnWeek(context.Background(), list, 24, 2)
	require.NoError(t, err)
	season := w.Of(list[0])
	require.NotNil(t, season)
	for h := 9; h < 18; h++ {
		got := math.Log(season.At(int64(5*24+h)) / season.At(int64(24+h)))
		assert.InDelta(t, truth[0][5*24+h], got, 0.12, "hour %d of Saturday next to Tuesday", h)
	}
}
