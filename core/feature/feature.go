// Package feature turns series, their calendar, drivers, events and attributes into the
// columns that regressions, boosting and networks learn from. Columns are declared in
// plain lines ("lag 1 to 4", "month as levels", "price log change", "until Fair"), and each
// knows what it rests on: what is known ahead, or what was known at the origin. There is no
// way to declare one that reads past the origin.
package feature

import (
	"encoding/gob"
	"fmt"
	"slices"
	"strings"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

func init() { gob.Register(Recipe{}) }

// Knowledge is what a column rests on.
type Knowledge string

// The kinds of knowledge.
const (
	// KnownAhead columns are known for every period ahead: calendar, events, drivers as
	// the plan shows them.
	KnownAhead Knowledge = "ahead"
	// AtOrigin columns rest on values up to the origin, whatever the step.
	AtOrigin Knowledge = "at the origin"
	// BeforeStep columns are the last that is known of the step's place in its season.
	BeforeStep Knowledge = "before the step"
	// Fixed columns are one number a series.
	Fixed Knowledge = "fixed"
)

// Column is one declared column.
type Column struct {
	Name    string
	Line    string // that declared it
	Meaning string
	Group   string // what it is part of, in a forecast taken apart
	Known   Knowledge
	// Level says that it is on the measure's scale, as its lags are, so that it moves when
	// the series is moved as a whole.
	Level bool

	Kind   kind
	Lag    int     // periods or rounds back
	Width  int     // of a window
	Share  float64 // of a quantile, or of a harmonic's angle
	Period float64
	Name2  string // of a driver, event or attribute
	Value  string // of an attribute
	Place  int
	Steps  []transform
}

// Recipe is a list of columns.
type Recipe struct {
	Columns []Column
	Notes   []string // of declared lines that stand for nothing here
	Season  int
	memo    *memo // nil where it was read back
}

// Setting is what lines are read against.
type Setting struct {
	Cadence    calendar.Cadence
	Drivers    []panel.Driver
	Events     []string
	Attributes map[string][]string // the values of each; one alone tells nothing
	Length     int                 // of the longest history
	Series     int
	Horizon    int
	Season     int // of the series, where the calendar does not know it; 0 for the calendar's
	occasions  occasions
}

// season is the length of a season, in periods.
func (s Setting) season() int {
	if s.Season > 0 {
		return s.Season
	}
	return s.Cadence.Season()
}

// SettingOf reads a view.
func SettingOf(v panel.View, horizon int) Setting {
	s := Setting{Cadence: v.Cadence(), Drivers: v.Drivers(), Attributes: map[string][]string{}, Series: v.Len(), Horizon: horizon}
	names := v.Attributes()
	for _, name := range names {
		s.Attributes[name] = nil
	}
	seen := map[[2]string]bool{}
	fresh := func(kind, name string) bool {
		id := [2]string{kind, name}
		known := seen[id]
		seen[id] = true
		return !known
	}
	for i := range v.Len() {
		x := v.Series(i)
		s.See(x)
		for k, name := range names {
			if fresh(name, x.Labels[k]) {
				s.Attributes[name] = append(s.Attributes[name], x.Labels[k])
			}
		}
	}
	for _, list := range s.Attributes {
		slices.Sort(list)
	}
	return s
}

// See takes the length and the events of a series.
func (s *Setting) See(x panel.SeriesView) {
	s.Length = max(s.Length, len(x.Values))
	s.occasions.see(x)
	for _, e := range x.Events() {
		if at, known := slices.BinarySearch(s.Events, e.Name); !known {
			s.Events = slices.Insert(s.Events, at, e.Name)
		}
	}
}

// Parse reads lines; a line that can't be had is refused with what to say instead.
func Parse(lines []string, s Setting) (Recipe, error) {
	r := Recipe{Season: s.season(), memo: &memo{}}
	for _, line := range lines {
		line = strings.Join(strings.Fields(line), " ")
		if line == "" {
			continue
		}
		p := &parser{Setting: s, line: line, recipe: &r}
		if err := p.parse(); err != nil {
			return r, fmt.Errorf("feature %q: %w", line, err)
		}
	}
	seen := map[string]bool{}
	r.Columns = slices.DeleteFunc(r.Columns, func(c Column) bool {
		twice := seen[c.Name]
		seen[c.Name] = true
		return twice
	})
	return r, nil
}

// Split parts the columns that are known ahead, or fixed, from those of the past.
func (r Recipe) Split() (ahead, past Recipe) {
	ahead, past = Recipe{Season: r.Season, memo: &memo{}}, Recipe{Season: r.Season, Notes: r.Notes, memo: &memo{}}
	for _, c := range r.Columns {
		if c.Known == KnownAhead || c.Known == Fixed {
			ahead.Columns = append(ahead.Columns, c)
		} else {
			past.Columns = append(past.Columns, c)
		}
	}
	return ahead, past
}

// Usual are the lines that suit a cadence: what the series says of itself, what explains it
// from outside, or both.
func Usual(s Setting, own, outside bool) (lines []string) {
	season := s.season()
	if own {
		switch {
		case season == 7:
			lines = append(lines, "lag 1 to 7", "mean 7", "mean 28")
		case season >= 24 && season != 52:
			lines = append(lines, "lag 1 to 6", fmt.Sprintf("mean %d", season))
		case season > 12:
			lines = append(lines, "lag 1 to 4", "mean 8", "mean 26")
		default:
			lines = append(lines, "lag 1 to 4", fmt.Sprintf("mean %d", max(season, 4)))
		}
		if season > 1 && s.Length >= 3*season {
			lines = append(lines, "season lag 1")
		}
		if season > 1 && s.Length >= 5*season {
			lines = append(lines, "season lag 2")
		}
	}
	if outside {
		lines = append(lines, s.usualCalendar()...)
		if len(s.Drivers) > 0 {
			lines = append(lines, "drivers")
		}
		if len(s.Events) > 0 {
			lines = append(lines, "events around 1")
			if s.Cadence.WithinDays() {
				lines = append(lines, "weekend events around 1")
			}
		}
	}
	return lines
}

func (s Setting) usualCalendar() []string {
	year := func(rounds float64) bool { return float64(s.Length) >= 1.5*rounds }
	switch s.Cadence.Unit {
	case calendar.Quarterhour, calendar.Halfhour, calendar.Hour:
		// Hours of weekends that several series tell of together need two weekends, those of one alone three.
		weekends := 3.0
		if s.Series > 1 {
			weekends = 2
		}
		if float64(s.Length) >= weekends*s.Cadence.Seasons()[1] {
			return []string{"hour as levels", "day of week as levels", "weekend hour as levels"}
		}
		return []string{"hour as levels", "day of week as levels"}
	case calendar.Day:
		if year(365) {
			return []string{"day of week as levels", "year as harmonics 4"}
		}
		return []string{"day of week as levels"}
	case calendar.Week:
		if year(52) {
			return []string{"year as harmonics 3"}
		}
	case calendar.Month:
		if year(12) {
			return []string{"month as levels"}
		}
	case calendar.Quarter:
		if year(4) {
			return []string{"quarter as levels"}
		}
	}
	return nil
}

// Telling lists the attributes that tell series apart and not each by itself, with a number for
// each of their values.
func Telling(v panel.View) (names []string, codes []map[string]int) {
	for k, name := range v.Attributes() {
		own := map[string]int{}
		for i := range v.Len() {
			label := v.Series(i).Labels[k]
			if _, ok := own[label]; !ok {
				own[label] = len(own)
			}
		}
		if len(own) > 1 && len(own) < 255 && len(own) <= v.Len()/2 {
			names, codes = append(names, name), append(codes, own)
		}
	}
	return names, codes
}
