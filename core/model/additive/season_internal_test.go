package additive

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
)

func TestSeasonsAreRead(t *testing.T) {
	for text, want := range map[string]wish{
		"year":                 {name: "year", pairs: -1},
		"week as levels":       {name: "week", pairs: 0},
		"13 as harmonics 3":    {name: "season of 13", period: 13, pairs: 3},
		"2.5":                  {name: "season of 2.5", period: 2.5, pairs: -1},
		"day  as  levels":      {name: "day", pairs: 0},
		"year as harmonics 50": {name: "year", pairs: 50},
	} {
		got, err := parseWish(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "fortnight", "week as", "week as harmonics", "week as harmonics 0", "week as harmonics 51", "week as bars",
		"1 as levels", "-7", "week when ", "week when month 0", "week when month 6 to 13", "week when month six"} {
		_, err := parseWish(text)
		assert.Error(t, err, text)
	}
	w, err := parseWish("week when month 11 to 2")
	require.NoError(t, err)
	assert.Equal(t, &Condition{Text: "month 11 to 2", From: time.November, To: time.February}, w.when)
	w, err = parseWish("week when Harvest fair")
	require.NoError(t, err)
	assert.Equal(t, "Harvest fair", w.when.Name)
}

// A condition of months holds over the turn of the year, one of weekends on Saturdays and Sundays.
func TestConditionsOfTheCalendar(t *testing.T) {
	days := calendar.Cadence{Unit: calendar.Day}
	at := func(date string) int64 {
		day, err := time.Parse("2006-01-02", date)
		require.NoError(t, err)
		ord, _ := days.Ordinal(day.Unix())
		return ord
	}
	winter := &Condition{From: time.November, To: time.February}
	for date, want := range map[string]bool{"2026-10-31": false, "2026-11-01": true, "2026-12-31": true, "2027-01-01": true, "2027-02-28": true, "2027-03-01": false} {
		assert.Equal(t, want, winter.byCalendar(days, at(date)), date)
	}
	june := &Condition{From: time.June, To: time.June}
	assert.True(t, june.byCalendar(days, at("2026-06-30")))
	assert.False(t, june.byCalendar(days, at("2026-07-01")))
	weekend := &Condition{Weekend: true}
	for date, want := range map[string]bool{"2026-11-27": false, "2026-11-28": true, "2026-11-29": true, "2026-11-30": false} {
		assert.Equal(t, want, weekend.byCalendar(days, at(date)), date)
	}
}

// Seasons are those that the length shows two rounds of, long ones as harmonics; what is asked for and can't be had
// is told.
func TestSeasonsByCadenceAndLength(t *testing.T) {
	days := calendar.Cadence{Unit: calendar.Day}
	names := func(list []Season) (out []string) {
		for _, s := range list {
			out = append(out, s.Name)
		}
		return out
	}
	got, _ := seasonsOf(days, 13, nil)
	assert.Empty(t, got)
	got, _ = seasonsOf(days, 729, nil)
	assert.Equal(t, []string{"week"}, names(got))
	assert.Zero(t, got[0].Pairs, "a level a weekday")
	got, _ = seasonsOf(days, 800, nil)
	assert.Equal(t, []string{"week", "year"}, names(got))
	assert.Equal(t, mostPairs, got[1].Pairs)
	got, _ = seasonsOf(calendar.Cadence{Unit: calendar.Year}, 100, nil)
	assert.Empty(t, got)

	got, notes := seasonsOf(days, 60, []wish{{name: "week", pairs: 2}, {name: "year", pairs: -1}, {name: "day", pairs: -1},
		{name: "season of 40", period: 40, pairs: 0}, {name: "season of 20", period: 20, pairs: 0}, {name: "season of 6", period: 6, pairs: 9}})
	assert.Equal(t, []string{"week", "season of 40", "season of 20", "season of 6"}, names(got))
	assert.Equal(t, []int{2, 2, 0, 2}, []int{got[0].Pairs, got[1].Pairs, got[2].Pairs, got[3].Pairs}, "40 levels on 60 days become harmonics, and a "+
		"season of 6 has two pairs at most")
	require.Len(t, notes, 3)
	assert.Contains(t, notes[0], "60 known values show no round of 365")
	assert.Contains(t, notes[1], "a series by the day has none")
	assert.Contains(t, notes[2], "don't carry 40 levels")
	assert.Equal(t, []int{6, 0, 1}, []int{place(-1, 7), place(0, 7), place(8, 7)})
}

// Settings that contradict each other are refused in words.
func TestContradictingSettings(t *testing.T) {
	for want, given := range map[string]model.Values{
		"does not lie above the floor": {"trend": "saturating", "ceiling": 5.0, "floor": 10.0},
		"set parts to add":             {"growing": []string{"week"}, "parts": "multiply"},
		"works in log odds":            {"trend": "saturating", "parts": "add", "ceiling": 500.0},
		"is no sign":                   {"signs": []string{"price down"}},
		"is no season":                 {"seasons": []string{"fortnight"}},
	} {
		_, err := methodOf(given)
		assert.ErrorContains(t, err, want)
	}
	m, err := methodOf(model.Values{"seasons": []string{"none"}, "signs": []string{"price negative", "special offer positive"}})
	require.NoError(t, err)
	assert.NotNil(t, m.Seasons)
	assert.Empty(t, m.Seasons)
	assert.Equal(t, map[string]int{"price": -1, "special offer": 1}, m.Signs)
}
