package calendar_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
)

func day(s string) int64 {
	t, err := time.Parse("2006-01-02", s)
	if err != nil {
		panic(err)
	}
	return t.Unix()
}

// The dates are those of published calendars.
func TestFeastsFallOnTheirDays(t *testing.T) {
	for rule, want := range map[string][]string{
		"easter":                    {"1818-03-22", "1961-04-02", "2000-04-23", "2024-03-31", "2025-04-20", "2026-04-05", "2038-04-25"},
		"orthodox easter":           {"2019-04-28", "2021-05-02", "2024-05-05", "2025-04-20", "2026-04-12"},
		"easter - 2 days":           {"2026-04-03"},
		"Easter+39":                 {"2026-05-14"},
		"12-25":                     {"2026-12-25"},
		"12-25, sat to mon":         {"2021-12-27"},
		"01-01, saturday to friday": {"2021-12-31"}, // of the year 2022
		"last monday of may":        {"2026-05-25", "2027-05-31"},
		"first monday of September": {"2026-09-07"},
		"fourth thu of november":    {"2026-11-26"},
		"monday on or before 05-25": {"2026-05-25"},
		"monday before 05-25":       {"2026-05-18"},
		"saturday after 06-19":      {"2026-06-20"},
	} {
		f, err := calendar.ParseFeast(rule)
		require.NoError(t, err, rule)
		for _, w := range want {
			year := time.Unix(day(w), 0).UTC().Year()
			if rule == "01-01, saturday to friday" {
				year++
			}
			assert.Equal(t, w, time.Unix(f.In(year), 0).UTC().Format("2006-01-02"), rule)
		}
	}
	for _, bad := range []string{"", "13-01", "02-30", "fifth monday of may", "easter monday", "first monday of", "12-25, sunday", "monday near 05-01"} {
		_, err := calendar.ParseFeast(bad)
		assert.Error(t, err, bad)
	}
}

func TestAnEventCoversPartsOfPeriods(t *testing.T) {
	fair := calendar.Event{Name: "fair", Before: 1, After: 1, Occasions: []calendar.Occasion{
		calendar.DayOf(day("2026-05-01"), day("2026-05-03")), calendar.DayOf(day("2026-04-10"), day("2026-04-10")),
	}}
	fair.Tidy()
	share := func(cadence, period string, offset int) float64 {
		c, err := calendar.ParseCadence(cadence)
		require.NoError(t, err)
		ord, _ := c.Ordinal(day(period))
		return fair.Share(c, ord, offset)
	}
	assert.Equal(t, 1.0, share("day", "2026-05-02", 0))
	assert.Equal(t, 0.0, share("day", "2026-05-04", 0))
	assert.Equal(t, 1.0, share("day", "2026-05-04", 1))
	assert.Equal(t, 1.0, share("day", "2026-04-30", -1))
	assert.Equal(t, 0.0, share("day", "2026-04-30", 0))
	assert.InDelta(t, 3.0/7, share("week", "2026-04-27", 0), 1e-15) // Friday to Sunday
	assert.InDelta(t, 1.0/30, share("month", "2026-04-01", -1)-share("month", "2026-04-01", 0), 1e-15)
	assert.Equal(t, 0.0, share("number", "2026-05-02", 0))
}

// Over all periods, the shares add up to the days of the occasions, whatever the cadence.
func TestSharesAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var e calendar.Event
		for range rapid.IntRange(1, 6).Draw(t, "occasions") {
			from := day("2026-01-01") + 86400*int64(rapid.IntRange(60, 250).Draw(t, "from"))
			e.Occasions = append(e.Occasions, calendar.DayOf(from, from+86400*int64(rapid.IntRange(0, 20).Draw(t, "more"))))
		}
		e.Tidy()
		want := 0.0
		for _, o := range e.Occasions {
			want += float64(o.End-o.Start) / 86400
		}
		c, _ := calendar.ParseCadence(rapid.SampledFrom([]string{"hour", "day", "week from sunday", "month", "quarter"}).Draw(t, "cadence"))
		first, _ := c.Ordinal(day("2026-01-01"))
		last, _ := c.Ordinal(day("2026-12-31"))
		days := 0.0
		for ord := first; ord <= last; ord++ {
			days += e.Share(c, ord, 0) * float64(c.Start(ord+1)-c.Start(ord)) / 86400
		}
		if diff := days - want; diff > 1e-9 || diff < -1e-9 {
			t.Fatalf("%v days by %s, want %v", days, c, want)
		}
	})
}

func ExampleParseFeast() {
	f, _ := calendar.ParseFeast("easter+49")
	fmt.Println(time.Unix(f.In(2027), 0).UTC().Format(time.DateOnly))
	// Output: 2027-05-16
}
