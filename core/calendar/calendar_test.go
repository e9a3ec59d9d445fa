package calendar_test

import (
	"slices"
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

var words = []string{"15min", "30min", "hour", "day", "week", "week from sunday", "week from thursday", "month", "quarter", "year"}

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
			for _, label := range []calendar.Label{calendar.LabelStart, calendar.LabelCode} {
				c.Label = label
				r, err := calendar.ParseTime(c.Format(ord))
				require.NoError(t, err)
				assert.Equal(t, c.Start(ord), r.Seconds, c.Format(ord))
			}
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
		"2026-Q3": unix("2026-07-01 00:00:00"), "2026Q3": unix("2026-07-01 00:00:00"), "2026-02-28 09:30": unix("2026-02-28 09:30:00"),
		"2026-02-28T09:30:05":     unix("2026-02-28 09:30:05"),
		"2026-02-28 09:30:05.000": unix("2026-02-28 09:30:05"), "17": 17, "-3": -3,
		"2026-W01": unix("2025-12-29 00:00:00"), "2020W53": unix("2020-12-28 00:00:00"), "2026-W09-1": unix("2026-02-23 00:00:00"),
		"Feb 2026": unix("2026-02-01 00:00:00"), "2026 february": unix("2026-02-01 00:00:00"), "28 Feb 2026": unix("2026-02-28 00:00:00"),
		"Sept 5, 2026": unix("2026-09-05 00:00:00"), "05-Jan-26": unix("2026-01-05 00:00:00"),
		"01.02.2026 06:00": unix("2026-02-01 06:00:00"), "28 Feb 2026 6:05:09 PM": unix("2026-02-28 18:05:09"),
		"28.02.2026T23:59": unix("2026-02-28 23:59:00"),
		"Jan-24":           unix("2024-01-01 00:00:00"), "Jan 24": unix("2024-01-01 00:00:00"), "24 jan": unix("2024-01-01 00:00:00"),
		"28.02.2026": unix("2026-02-28 00:00:00"), "3/4/26": unix("2026-04-03 00:00:00"),
		"2026-02-28T09:30Z": unix("2026-02-28 09:30:00"), "2026-02-28 09:30+01:00": unix("2026-02-28 08:30:00"),
		"2026-02-28T09:30:00-0530": unix("2026-02-28 15:00:00"),
	} {
		got, err := calendar.ParseTime(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got.Seconds, text)
	}
	two, err := calendar.ParseTime("03/04/2026")
	require.NoError(t, err)
	assert.Equal(t, calendar.Reading{Seconds: unix("2026-04-03 00:00:00"), Other: unix("2026-03-04 00:00:00"), Style: calendar.StyleTwoWays}, two)
	for text, want := range map[string]string{
		"": "empty", "2026-02-30": "no day of the calendar", "31/31/2026": "day first or month first", "2025-W53": "no week of the calendar",
		"soon": "not a time", "2026-13": "not a time", "2026-02-28 25:00": "not a time", "2026-02-28 09:30 noon": "not a time",
		"28.02.2026 24:00": "not a time", "28.02.2026 13:00 PM": "not a time", "1/2": "not a time", "Feb": "not a time",
	} {
		_, err := calendar.ParseTime(text)
		assert.ErrorContains(t, err, want, text)
	}
}

func TestLabels(t *testing.T) {
	month := cadence(t, "month")
	ord, _ := month.Ordinal(time.Date(2026, 2, 1, 0, 0, 0, 0, time.UTC).Unix())
	month.Label = calendar.LabelEnd
	assert.Equal(t, "2026-02-28", month.Format(ord))
	week := cadence(t, "week")
	week.Label = calendar.LabelCode
	ord, _ = week.Ordinal(time.Date(2025, 12, 29, 0, 0, 0, 0, time.UTC).Unix())
	assert.Equal(t, "2026-W01", week.Format(ord))
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

// What is kept reads back, whatever words people use for it.
func TestCadencesAreKeptByTheirCode(t *testing.T) {
	for _, word := range words {
		c := cadence(t, word)
		code, err := c.MarshalText()
		require.NoError(t, err)
		var back calendar.Cadence
		require.NoError(t, back.UnmarshalText(code))
		assert.Equal(t, c, back, word)
		assert.Equal(t, word, c.String())
	}
	assert.Equal(t, "week-sun", cadence(t, "week from sunday").Code())
	_, err := calendar.ParseCadence("week from noon")
	assert.ErrorContains(t, err, "no weekday")
}

func TestCompactTimes(t *testing.T) {
	sec, ok := calendar.CompactWeek(202401)
	assert.True(t, ok)
	assert.Equal(t, time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC).Unix(), sec)
	_, ok = calendar.CompactWeek(202553)
	assert.False(t, ok, "2025 has 52 weeks")
	sec, ok = calendar.SerialDay(46023)
	assert.True(t, ok)
	assert.Equal(t, "2026-01-01", time.Unix(sec, 0).UTC().Format(time.DateOnly))
	_, ok = calendar.SerialDay(17)
	assert.False(t, ok)
}

// Days of the week are those of the clock, before 1970 too.
func TestWeekdays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := calendar.Cadence{Unit: rapid.SampledFrom([]calendar.Unit{calendar.Quarterhour, calendar.Hour, calendar.Day}).Draw(t, "unit")}
		ord := rapid.Int64Range(-1_000_000, 3_000_000).Draw(t, "period")
		day := time.Unix(c.Start(ord), 0).UTC().Weekday()
		if c.Weekday(ord) != day {
			t.Fatalf("%s is a %s", c.Format(ord), day)
		}
	})
	assert.True(t, calendar.Cadence{Unit: calendar.Halfhour}.WithinDays())
	assert.False(t, calendar.Cadence{Unit: calendar.Week}.WithinDays())
	assert.False(t, calendar.Cadence{}.WithinDays())
}

// What came can be told apart on weekends where it came on them and on working days, a day of hours counting once.
func TestWeekdaysThatSomethingCameOn(t *testing.T) {
	hours := calendar.Cadence{Unit: calendar.Hour}
	first, _ := hours.Ordinal(time.Date(2026, 1, 9, 0, 0, 0, 0, time.UTC).Unix()) // a Friday
	of := func(on ...int) calendar.Weekdays {
		return calendar.WeekdaysOf(hours, first, 24*14, func(i int) bool { return slices.Contains(on, i/24) })
	}
	assert.Equal(t, calendar.Weekdays{time.Friday: 1, time.Saturday: 2}, of(0, 1, 8))
	assert.True(t, of(0, 1).TellsWeekends(0))
	assert.False(t, of(0, 1).TellsWeekends(-1), "once each, beside it")
	assert.True(t, of(0, 7, 1, 9).TellsWeekends(1))
	assert.False(t, of(1, 2, 8).TellsWeekends(0), "never on a working day")
	assert.True(t, of(1, 2).TellsSundays())
	assert.False(t, of(1, 8).TellsSundays())

	weekends, sundays := calendar.AtWeekends(hours, first+47, []float64{1, 0.5, 0}) // Saturday's last hour, and Sunday's first
	assert.Equal(t, []float64{1, 0.5, 0}, weekends)
	assert.Equal(t, []float64{-0.5, 0.25, 0}, sundays)
}
