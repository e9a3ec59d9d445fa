package calendar_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
)

var units = []calendar.Cadence{{Unit: calendar.Quarterhour}, {Unit: calendar.Halfhour}, {Unit: calendar.Hour}, {Unit: calendar.Day},
	{Unit: calendar.Week, WeekStart: time.Monday}, {Unit: calendar.Week, WeekStart: time.Sunday}, {Unit: calendar.Month}, {Unit: calendar.Quarter},
	{Unit: calendar.Year}, {Unit: calendar.Number}}

// A cadence is told in words that are read back, and counted in a noun of its own.
func TestCadencesInWords(t *testing.T) {
	for _, c := range units {
		back, err := calendar.ParseCadence(c.String())
		require.NoError(t, err)
		assert.True(t, c.Same(back), c.String())
	}
	assert.False(t, units[4].Same(units[5]), "weeks from Monday are not those from Sunday")
	assert.Equal(t, "week from sunday", units[5].String())
	for want, c := range map[string]calendar.Cadence{"28 days": units[3], "28 quarter-hours": units[0], "28 half-hours": units[1], "28 weeks": units[5],
		"28 periods": units[9], "28 quarters": units[7]} {
		assert.Equal(t, want, c.Noun(28))
	}
	assert.Equal(t, "1 day", units[3].Noun(1))
	_, err := calendar.ParseCadence("fortnight")
	assert.ErrorContains(t, err, "use one of 15min, 30min, hour, day, week, month, quarter, year, number")
	_, err = calendar.ParseCadence("week from noon")
	assert.ErrorContains(t, err, `"noon" is no weekday`)
}

// Every season is longer than the one before, the first is that of the cadence, and each is as many periods as lie
// in it.
func TestSeasonsAreAsLongAsTheyAre(t *testing.T) {
	for _, c := range units {
		list := c.Seasons()
		if c.Season() == 1 {
			assert.Empty(t, list, c.String())
			continue
		}
		assert.InDelta(t, float64(c.Season()), list[0], 0.2, c.String())
		year := list[len(list)-1]
		from := time.Date(2001, 1, 1, 0, 0, 0, 0, time.UTC).Unix()
		to := time.Date(2025, 1, 1, 0, 0, 0, 0, time.UTC).Unix() // 24 years, six of them leap years
		first, _ := c.Ordinal(from)
		last, _ := c.Ordinal(to)
		if c.Unit == calendar.Day || c.Unit == calendar.Month || c.Unit == calendar.Quarter || c.Unit == calendar.Hour {
			if c.Unit == calendar.Day {
				year = list[1]
			}
			assert.InDelta(t, 24*year, float64(last-first), 0.5, c.String())
		}
		for k := 1; k < len(list); k++ {
			assert.Greater(t, list[k], list[k-1])
		}
	}
}

// The start of a period is of that period, the moment before it of the one before, for every cadence.
func TestPeriodsFollowEachOther(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := rapid.SampledFrom(units[:9]).Draw(t, "cadence")
		day := rapid.Int64Range(-20_000, 60_000).Draw(t, "day")
		ord, _ := c.Ordinal(86_400*day + rapid.Int64Range(0, 86_399).Draw(t, "second"))
		start := c.Start(ord)
		at, exact := c.Ordinal(start)
		assert.Equal(t, []any{ord, true}, []any{at, exact})
		before, exact := c.Ordinal(start - 1)
		assert.Equal(t, []any{ord - 1, false}, []any{before, exact})
		assert.NotEqual(t, c.Format(ord), c.Format(ord+1))
	})
}

// Plain numbers are years where they look like it, and a running count where neighbours follow each other; else
// they say which do not.
func TestNumbersThatNamePeriods(t *testing.T) {
	for _, c := range []struct {
		numbers []int64
		want    calendar.Unit
	}{{[]int64{2003, 2001, 2002, 2001}, calendar.Year}, {[]int64{1, 2, 5}, calendar.Number}, {[]int64{2199, 2200, 2201}, calendar.Number},
		{[]int64{-1, 0, 1}, calendar.Number}} {
		got, err := calendar.InferNumbers(c.numbers)
		require.NoError(t, err)
		assert.Equal(t, c.want, got.Unit, "%v", c.numbers)
	}
	_, err := calendar.InferNumbers([]int64{10, 20, 30})
	assert.ErrorContains(t, err, "(10, then 20): number the periods 1, 2, 3 and so on")
	_, err = calendar.InferNumbers([]int64{7, 7})
	assert.ErrorIs(t, err, calendar.ErrTooFew)
}

// Numbers that are dates without marks are read where they can be nothing else.
func TestDatesWithoutMarks(t *testing.T) {
	day := func(y, m, d int) int64 { return time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC).Unix() }
	for number, want := range map[int64]int64{20260301: day(2026, 3, 1), 20240229: day(2024, 2, 29), 202612: day(2026, 12, 1)} {
		got, ok := calendar.CompactDate(number)
		assert.True(t, ok, number)
		assert.Equal(t, want, got, number)
	}
	for _, number := range []int64{20250229, 20261301, 202613, 202600, 17991231, 46023, 0, -20260301} {
		_, ok := calendar.CompactDate(number)
		assert.False(t, ok, number)
	}
	for number, want := range map[int64]int64{202401: day(2024, 1, 1), 202053: day(2020, 12, 28), 202601: day(2025, 12, 29)} {
		got, ok := calendar.CompactWeek(number)
		assert.True(t, ok, number)
		assert.Equal(t, want, got, number)
	}
	for _, number := range []int64{202100, 202153, 202454, 12} { // 2021 has 52 weeks
		_, ok := calendar.CompactWeek(number)
		assert.False(t, ok, number)
	}
	serial, ok := calendar.SerialDay(46023)
	assert.True(t, ok)
	assert.Equal(t, day(2026, 1, 1), serial)
	_, ok = calendar.SerialDay(2026)
	assert.False(t, ok)
}

// An event concerns the series whose attributes it names, and touches the periods that its occasions reach into.
func TestWhomAndWhenAnEventConcerns(t *testing.T) {
	on := func(d int) int64 { return time.Date(2026, 3, d, 0, 0, 0, 0, time.UTC).Unix() }
	e := calendar.Event{Name: "fair", Where: map[string]string{"town": "Hill", "kind": "pot"},
		Occasions: []calendar.Occasion{calendar.DayOf(on(2), on(3)), calendar.DayOf(on(20), on(20))}}
	e.Tidy()
	of := func(town, kind string) bool {
		return e.Holds(func(a string) string { return map[string]string{"town": town, "kind": kind}[a] })
	}
	assert.Equal(t, []bool{true, false, false}, []bool{of("Hill", "pot"), of("Hill", "cup"), of("Mill", "pot")})
	assert.True(t, (&calendar.Event{}).Holds(func(string) string { return "" }), "one without conditions concerns all")
	days := calendar.Cadence{Unit: calendar.Day}
	within := func(from, to int) int {
		first, _ := days.Ordinal(on(from))
		last, _ := days.Ordinal(on(to))
		return len(e.Within(days, first, last))
	}
	assert.Equal(t, []int{2, 1, 1, 0, 1}, []int{within(1, 31), within(3, 3), within(1, 2), within(4, 19), within(20, 25)})
	assert.Empty(t, e.Within(calendar.Cadence{Unit: calendar.Number}, 0, 99))
}
