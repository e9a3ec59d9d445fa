package bakeoff

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// level says what a cut depends on.
type level int

const (
	ofSeries level = iota
	ofWindow
	ofStep // also on the window: which period a step falls on
)

// cut names the part of the assessed points that a point belongs to.
type cut struct {
	name  string
	level level
	part  func(window, series, step int) string
	order []string // of its parts where they have one of their own
}

// CutSeparator joins the names of two crossed cuts' parts.
const CutSeparator = " × "

// cuts reads "", one cut or two apart by a comma: step, window, series, demand, history, volume,
// time-of-day, weekday, month, quarter or an attribute.
func (e *Engine) cuts(per string) ([]cut, error) {
	if per == "" {
		return nil, nil
	}
	var out []cut
	for _, name := range strings.Split(per, ",") {
		c, err := e.cut(strings.TrimSpace(name))
		if err != nil {
			return nil, err
		}
		if slices.ContainsFunc(out, func(x cut) bool { return x.name == c.name }) {
			return nil, fmt.Errorf("%q can't be crossed with itself", c.name)
		}
		out = append(out, c)
	}
	if len(out) > 2 {
		return nil, fmt.Errorf("two cuts can be crossed, not %d", len(out))
	}
	return out, nil
}

func (e *Engine) cut(name string) (cut, error) {
	switch name {
	case "step":
		return cut{name, ofStep, func(_, _, step int) string { return strconv.Itoa(step + 1) }, numbers(e.Plan.Split.Horizon)}, nil
	case "window":
		return cut{name, ofWindow, func(w, _, _ int) string { return strconv.Itoa(e.Windows[w].Index) }, numbers(len(e.Windows))}, nil
	case "series":
		return cut{name, ofSeries, func(_, s, _ int) string { return e.Panel.Series[s].Key }, nil}, nil
	case "demand":
		classes := e.demandClasses()
		return cut{name, ofSeries, func(_, s, _ int) string { return classes[s] }, []string{"smooth", "erratic", "intermittent", "lumpy"}}, nil
	case "history":
		ages := e.ages()
		return cut{name, ofSeries, func(_, s, _ int) string { return ages[s] }, ageNames[:]}, nil
	case "volume":
		bands := e.volumeBands()
		return cut{name, ofSeries, func(_, s, _ int) string { return bands[s] }, volumeNames[:]}, nil
	}
	if by := calendar.Position(name); slices.Contains([]calendar.Position{calendar.ByTimeOfDay, calendar.ByWeekday, calendar.ByMonth,
		calendar.ByQuarter}, by) {
		return e.cutByPosition(by)
	}
	a, err := e.Panel.AttributeIndex(name)
	if err != nil {
		return cut{}, fmt.Errorf("standings can be cut by step, window, series, demand, history, volume, weekday, month, quarter, time-of-day "+
			"or an attribute; %w", err)
	}
	return cut{name, ofSeries, func(_, s, _ int) string { return e.Panel.Label(a, s) }, nil}, nil
}

func numbers(n int) []string {
	out := make([]string, n)
	for i := range out {
		out[i] = strconv.Itoa(i + 1)
	}
	return out
}

func (e *Engine) cutByPosition(by calendar.Position) (cut, error) {
	place, n, err := e.Panel.Cadence.Places(by)
	if err != nil {
		return cut{}, err
	}
	names := make([]string, n)
	for k := range names {
		names[k] = placeName(by, k, n)
	}
	part := func(w, _, step int) string {
		return names[place(e.Panel.Ordinal(e.Windows[w].AssessFirst()+step))]
	}
	return cut{string(by), ofStep, part, names}, nil
}

func placeName(by calendar.Position, k, n int) string {
	switch by {
	case calendar.ByWeekday:
		return time.Weekday((k + 1) % 7).String()
	case calendar.ByMonth:
		return time.Month(k + 1).String()
	case calendar.ByQuarter:
		return fmt.Sprintf("Q%d", k+1)
	}
	minutes := k * 24 * 60 / n
	return fmt.Sprintf("%02d:%02d", minutes/60, minutes%60)
}

// known is the part of a series that the training of its first window sees: classes and bands must
// not look at what is assessed.
func (e *Engine) known(series int) []float64 {
	s := &e.Panel.Series[series]
	n := min(len(s.Values), max(0, e.firstOrigin(series)+1-s.First))
	return s.Values[:n]
}

// firstOrigin is that of the first window that is for a series, or of the first of all.
func (e *Engine) firstOrigin(series int) int {
	for _, w := range e.Windows {
		if e.isFor(series, w) {
			return w.Origin
		}
	}
	return e.Windows[0].Origin
}

func (e *Engine) demandClasses() map[int]string {
	out := make(map[int]string, len(e.Chosen))
	for _, s := range e.Chosen {
		out[s] = panel.DemandOf(e.known(s))
	}
	return out
}

// ageNames are how much of a past series have where they are forecast first: too little for a model of
// their own, or so many rounds of the shortest season.
var ageNames = [4]string{"new", "under a season", "under two seasons", "longer"}

func (e *Engine) ages() map[int]string {
	season := max(2, e.Panel.Cadence.Season())
	out := make(map[int]string, len(e.Chosen))
	for at, s := range e.Chosen {
		for w, win := range e.Windows {
			if e.places[w][at] < 0 {
				continue
			}
			name := ageNames[3]
			switch n := knownBetween(&e.Panel.Series[s], win.TrainFirst, win.Origin, 2*season); {
			case n < single.Fewest:
				name = ageNames[0]
			case n < season:
				name = ageNames[1]
			case n < 2*season:
				name = ageNames[2]
			}
			out[s] = name
			break
		}
	}
	return out
}

var volumeNames = [4]string{"smallest quarter", "second quarter", "third quarter", "largest quarter"}

// volumeBands sorts the series into quarters by their mean.
func (e *Engine) volumeBands() map[int]string {
	type sized struct {
		series int
		mean   float64
	}
	list := make([]sized, len(e.Chosen))
	for i, s := range e.Chosen {
		sum, n := 0.0, 0.0
		for _, v := range e.known(s) {
			if panel.Known(v) {
				sum += v
				n++
			}
		}
		list[i] = sized{s, sum / math.Max(n, 1)}
	}
	slices.SortStableFunc(list, func(a, b sized) int {
		switch {
		case a.mean < b.mean:
			return -1
		case a.mean > b.mean:
			return 1
		}
		return 0
	})
	out := make(map[int]string, len(list))
	for i, x := range list {
		out[x.series] = volumeNames[4*i/len(list)]
	}
	return out
}
