package calendar_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
)

func cadence(t require.TestingT, word string) calendar.Cadence {
	c, err := calendar.ParseCadence(word)
	require.NoError(t, err)
	return c
}

var words = []string{"15min", "30min", "hour", "day", "week-mon", "week-sun", "week-thu", "month", "quarter", "year"}

// A period's start belongs to it exactly, the second before it to the one before,
// and its name reads back to its start.
func TestOrdinalAndStartAreInverse(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := cadence(t, rapid.SampledFrom(words).Draw(t, "cadence"))
		ord, _ := c.Ordinal(rapid.Int64Range(-5e9, 8e9).Draw(t, "second"))
		got, exact := c.Ordinal(c.Start(ord))
		assert.Equal(t, ord, got)
		assert.True(t, exact)
		before, exact := c.Ordinal(c.Start(ord) - 1)
		assert.Equal(t, ord-1, before)
		assert.False(t, exact)
		if c.Unit != calendar.Year {
			sec, _, err := calendar.ParseTime(c.Format(ord))
			require.NoError(t, err)
			assert.Equal(t, c.Start(ord), sec)
		}
	})
}

// Whatever periods are missing, the cadence is found as long as two follow each other.
func TestInferFindsTheCadence(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := cadence(t, rapid.SampledFrom(words).Draw(t, "cadence"))
		start := rapid.Int64Range(-2000, 20000).Draw(t, "start")
		if c.Unit == calendar.Year {
			start = 1990
		}
		// Enough steps in a row that no coarser cadence can hold them all.
		var times []int64
		for i := range int64(200) {
			if i < 100 || rapid.Bool().Draw(t, "there") {
				times = append(times, c.Start(start+i))
			}
		}
		got, err := calendar.Infer(times)
		require.NoError(t, err)
		assert.Equal(t, c.String(), got.String())
	})
}

func TestInferRefusesTimesWithoutASpacing(t *testing.T) {
	day := func(d int) int64 { return time.Date(2026, 1, d, 0, 0, 0, 0, time.UTC).Unix() }
	_, err := calendar.Infer([]int64{day(1), day(4), day(15)})
	assert.ErrorContains(t, err, "give the cadence")
	_, err = calendar.Infer([]int64{day(1), day(2) + 61})
	assert.ErrorContains(t, err, "2026-01-02 00:01:01")
	_, err = calendar.Infer([]int64{day(1), day(1)})
	assert.ErrorIs(t, err, calendar.ErrTooFew)
}

func TestParseTime(t *testing.T) {
	unix := func(s string) int64 {
		v, err := time.Parse("2006-01-02 15:04:05", s)
		require.NoError(t, err)
		return v.Unix()
	}
	for text, want := range map[string]int64{
		"2026-02-28": unix("2026-02-28 00:00:00"), "2026/02/28": unix("2026-02-28 00:00:00"), "2026-02": unix("2026-02-01 00:00:00"),
		"2026-Q3": unix("2026-07-01 00:00:00"), "2026-02-28 09:30": unix("2026-02-28 09:30:00"), "2026-02-28T09:30:05": unix("2026-02-28 09:30:05"),
		"2026-02-28 09:30:05.000": unix("2026-02-28 09:30:05"), "17": 17, "-3": -3,
	} {
		got, _, err := calendar.ParseTime(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for text, want := range map[string]string{
		"": "empty", "2026-02-30": "no day of the calendar", "03/04/2026": "day first or month first", "2026-02-28T09:30Z": "time zone", "2026-02-28 09:30+01:00": "time zone",
		"soon": "not a time", "2026-13": "not a time", "2026-02-28 25:00": "not a time",
	} {
		_, _, err := calendar.ParseTime(text)
		assert.ErrorContains(t, err, want, text)
	}
}

func TestPlaces(t *testing.T) {
	day := cadence(t, "day")
	ord, _ := day.Ordinal(time.Date(2026, 3, 4, 0, 0, 0, 0, time.UTC).Unix()) // a Wednesday
	place, n, err := day.Places(calendar.ByWeekday)
	require.NoError(t, err)
	assert.Equal(t, []int{7, 2}, []int{n, place(ord)})
	place, n, err = day.Places(calendar.ByMonth)
	require.NoError(t, err)
	assert.Equal(t, []int{12, 2}, []int{n, place(ord)})
	_, _, err = cadence(t, "month").Places(calendar.ByWeekday)
	assert.ErrorContains(t, err, "can't be sorted by weekday")
}
