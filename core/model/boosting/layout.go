package boosting

import (
	"context"
	"fmt"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/feature"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Layout is where rows come from and what their columns are.
type Layout struct {
	Horizon int
	Way     string // to several steps: shared, each or recursive
	Origins []int  // axis indices of the inner origins, rising
	Early   int    // the first of them
	Anew    []int  // at which of them the base is trained anew, and not only advanced
	Recipe  feature.Recipe
	Season  int
	Kinds   []column
	Names   []string // of the attributes that are columns
	Codes   []map[string]int
	Signs   []int // of the recipe's columns
	// Signed says that some have a sign. Nothing else may then move with a driver: the base's
	// forecast does, and is not looked at.
	Signed bool
	Short  string
}

// column is a column that is not of the recipe.
type column struct{ Name, Meaning, Group string }

const (
	// mostRows bounds the rows that trees learn from, and mostOrigins the inner origins.
	mostRows    = 120_000
	mostOrigins = 36
	// fewestBefore is how many periods there must be before the first inner origin.
	fewestBefore = 10
)

// layout lays the inner origins over the last part of the histories, and reads the features.
func (m Model) layout(v panel.View, horizon int) (*Layout, error) {
	lay := &Layout{Horizon: horizon, Way: m.Way, Season: v.Cadence().Season()}
	setting := feature.SettingOf(v, horizon)
	lines := m.Lines
	if lines == nil {
		lines = usual(setting)
	}
	var err error
	if lay.Recipe, err = feature.Parse(lines, setting); err != nil {
		return nil, err
	}
	if lay.Signs, err = m.signsOf(lay.Recipe); err != nil {
		return nil, err
	}
	lay.Signed = len(m.Signs) > 0
	lay.Names, lay.Codes = feature.Telling(v)
	lay.Kinds = others(lay.Season)
	lay.spread(v)
	return lay, nil
}

// mostOrigins is how many inner origins there are at most: more where each tells of one step only.
func (l *Layout) mostOrigins() int {
	if l.Way == recursive {
		return 3 * mostOrigins
	}
	return mostOrigins
}

// usual are the lines that suit a cadence: parts of the calendar as numbers, which trees can cut
// anywhere, drivers and events.
func usual(s feature.Setting) (lines []string) {
	switch s.Cadence.Unit {
	case calendar.Quarterhour, calendar.Halfhour, calendar.Hour:
		lines = append(lines, "hour", "day of week")
	case calendar.Day:
		lines = append(lines, "day of week")
	}
	if whole := perYear(s.Cadence); whole > 0 && s.Length >= int(1.5*whole) {
		switch s.Cadence.Unit {
		case calendar.Day:
			lines = append(lines, "day of month", "week")
		case calendar.Week:
			lines = append(lines, "week")
		}
		lines = append(lines, "month")
	}
	if len(s.Drivers) > 0 {
		lines = append(lines, "drivers")
	}
	if len(s.Events) > 0 {
		lines = append(lines, "events around 1")
	}
	return lines
}

func perYear(c calendar.Cadence) float64 {
	seasons := c.Seasons()
	if len(seasons) == 0 {
		return 0 // plain numbers have no calendar, and each year is one
	}
	return seasons[len(seasons)-1]
}

// spread lays the origins, by the history of middle length: over its last half, back to back or
// closer together, as many as there is room for.
func (l *Layout) spread(v panel.View) {
	n := v.MiddleLength()
	last := v.Origin()
	l.Early = last - n + max(fewestBefore, min(2*l.Season+2, n/2), n/2)
	if span := last - l.Early; span < 2*l.Horizon || span < 4 {
		l.Short = fmt.Sprintf("histories of %d periods have no room for inner windows to learn from", n)
		return
	}
	most := max(4, min(l.mostOrigins(), mostRows/max(1, v.Len()*l.Horizon)))
	stride := max(1, (last-l.Early+most-1)/most)
	for k := 0; last-1-num.Thin(k, stride) >= l.Early; k++ {
		l.Origins = append(l.Origins, last-1-num.Thin(k, stride))
	}
	slices.Reverse(l.Origins)
	l.train(v)
}

// train says before which origins the base is trained anew.
func (l *Layout) train(v panel.View) {
	times := timesAnew
	if known(v) > longHistories {
		times = 1 // and once more before the held-out part
	}
	l.Anew = nil
	held := v.Origin() - max(l.Horizon, (v.Origin()-l.Early)/4)
	for k, o := range l.Origins {
		if k == 0 || k*times/len(l.Origins) > (k-1)*times/len(l.Origins) || o >= held && l.Origins[k-1] < held {
			l.Anew = append(l.Anew, o)
		}
	}
}

// looksForYear is at how many of the origins it is looked for where the season of the year begins to be known.
const looksForYear = 4

// ripen leaves out the origins before which no base knows the season of the year, or of the week within days, where all
// know it in the end: what they leave there is that season.
func (l *Layout) ripen(ctx context.Context, v panel.View, workers int) error {
	if len(l.Origins) == 0 {
		return nil
	}
	grown, err := single.Grown(ctx, v, l.Origins[0], workers)
	if err != nil || !grown {
		return err
	}
	for k := 1; k < looksForYear; k++ {
		from := k * len(l.Origins) / looksForYear
		told, err := single.TellYear(ctx, v.Before(l.Origins[from]), workers)
		if err != nil {
			return err
		}
		if told {
			l.Origins = l.Origins[from:]
			l.Early = l.Origins[0]
			l.train(v)
			return nil
		}
	}
	l.Origins, l.Anew = nil, nil
	l.Short = "the season that all series tell together was not known before the inner windows"
	return nil
}

const (
	// timesAnew is about how often the base is trained over the inner origins: what it leaves is
	// learnt where it knew about as much as it will. longHistories is from how many values on it
	// knows about as much from the start.
	timesAnew     = 4
	longHistories = 20_000
)
