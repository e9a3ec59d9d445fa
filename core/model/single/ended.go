package single

import (
	"fmt"
	"math"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

const (
	// endedYear is the part of a year, and endedFewest the number of periods at least, of nothing but zeros after which
	// a series has ended.
	endedYear   = 1.0 / 6
	endedFewest = 5
	// longBefore is how long, next to the last one, earlier runs of zeros may be: a series that rested as long
	// before rests again.
	longBefore = 0.5
)

// Ended is the place from which on a series has sold nothing and will not: zeros alone for two months, five periods at
// least, where a run as long is unlikely (0.1 %) by chance, none of half its length was there before, and
// the same places in the seasons before were not as empty. Negative where it goes on, and
// where every value is to be believed.
func Ended(s panel.SeriesView) int {
	if s.View().Believed() {
		return -1
	}
	y := s.Values
	p := &pausing{y: y, low: []float64{0}, known: panel.CountKnown(y)}
	last := lowRun{from: -1, to: len(y)}
	for i := len(y) - 1; i >= 0 && !(y[i] != 0 && panel.Known(y[i])); i-- {
		if y[i] == 0 {
			last.from, last.count = i, last.count+1
		}
	}
	if last.count < fewestToEnd(s.View().Cadence()) || p.known-last.count < endedFewest {
		return -1
	}
	run := 0
	for _, v := range y[:last.from] {
		switch {
		case v < 0:
			return -1
		case v == 0:
			run++
			p.lows++
		case panel.Known(v):
			run = 0
		}
		if float64(run) > longBefore*float64(last.count) {
			return -1
		}
	}
	if p.lows += last.count; p.byChance(last) {
		return -1
	}
	for _, period := range s.View().Cadence().Seasons() {
		if m := int(math.Round(period)); m < len(y) && p.recurs(last, m) {
			return -1
		}
	}
	return last.from
}

// begun is the place of the first sale where zeros alone stand before it, five at least, so many that a run as long is
// unlikely by chance and that other years do not show the same; five values must follow. Nought where there is none.
func begun(s panel.SeriesView) int {
	y := s.Values
	p := &pausing{y: y, low: []float64{0}, known: panel.CountKnown(y)}
	first := lowRun{from: -1}
	for i, v := range y {
		if v == 0 {
			if first.count++; first.from < 0 {
				first.from = i
			}
		} else if panel.Known(v) {
			first.to = i
			break
		}
	}
	if first.count < endedFewest || first.to == 0 || p.known-first.count < endedFewest {
		return 0
	}
	for _, v := range y[first.to:] {
		if v < 0 {
			return 0
		}
		if v == 0 {
			p.lows++
		}
	}
	if p.lows += first.count; p.byChance(first) {
		return 0
	}
	for _, period := range s.View().Cadence().Seasons() {
		if m := int(math.Round(period)); m < len(y) && p.recurs(first, m) {
			return 0
		}
	}
	return first.to
}

// fewestToEnd is how many zeros end a series of a cadence.
func fewestToEnd(c calendar.Cadence) int {
	year := 1.0
	if seasons := c.Seasons(); len(seasons) > 0 {
		year = seasons[len(seasons)-1]
	}
	return max(endedFewest, int(math.Ceil(endedYear*year)))
}

// since is a series of which only what came from a place on is known, and what was left out.
func since(s panel.SeriesView, from int, why string) (panel.SeriesView, []model.Stretch) {
	values := slices.Repeat([]float64{panel.Unknown}, len(s.Values))
	copy(values[from:], s.Values[from:])
	s.Values = values
	when := s.View().Cadence().Format(s.View().Ordinal(s.First + from))
	return s, []model.Stretch{{From: s.First, To: s.First + from - 1, Apart: true, Why: fmt.Sprintf(why, when)}}
}
