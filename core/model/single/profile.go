package single

import (
	"fmt"
	"slices"
	"time"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// mostPlaces is the longest season whose places are looked at one by one.
const mostPlaces = 31

// newPlace is a place in the season that is another one since some period: a Sunday since it is shut. Next to
// the others of its round it was before, and is now, about so much.
type newPlace struct {
	place, at   int
	before, now float64
}

// newPlaces are the places in the cadence's season of which the part of what the rest of their round had moved at
// once, as a level moves, at most half of them. Earlier values of such a place tell nothing of it any more.
func newPlaces(s panel.SeriesView) (out []newPlace) {
	y, season := s.Values, s.View().Cadence().Season()
	if season < 3 || season > mostPlaces || len(y) < season*roomFor*fewestLater || OftenZero(y) || smallCounts(y) {
		return nil
	}
	parts := partsOfRounds(y, season)
	for p, x := range parts {
		at, _ := moveOf(x.part, x.round, 1)
		if at < 0 || movedWith(s, x.round[at]*season+p) {
			continue
		}
		out = append(out, newPlace{p, x.round[at]*season + p, median(x.part[:at]), median(x.part[at:])})
	}
	if 2*len(out) > season {
		return nil
	}
	return out
}

// placeParts are a place's values next to the median of the others of their round, and the rounds they are of.
type placeParts struct {
	part  []float64
	round []int
}

func partsOfRounds(y []float64, season int) []placeParts {
	out, sorted := make([]placeParts, season), make([]float64, 0, season)
	for from := 0; from < len(y); from += season {
		round := y[from:min(len(y), from+season)]
		sorted := slices.DeleteFunc(append(sorted[:0], round...), func(v float64) bool { return !panel.Known(v) })
		slices.Sort(sorted)
		for p, v := range round {
			if !panel.Known(v) {
				continue
			}
			if usual := besides(sorted, v); usual > 0 {
				out[p].part, out[p].round = append(out[p].part, v/usual), append(out[p].round, from/season)
			}
		}
	}
	return out
}

// besides is the median of sorted values but for one of them; unknown where there are less than two others.
func besides(sorted []float64, but float64) float64 {
	rank, _ := slices.BinarySearch(sorted, but)
	n := len(sorted) - 1
	if n < 2 {
		return panel.Unknown
	}
	at := func(k int) float64 {
		if k >= rank {
			k++
		}
		return sorted[k]
	}
	return (at((n-1)/2) + at(n/2)) / 2
}

// withoutOldPlaces is a series in which what a place was before it changed is unknown, and what was left out.
func withoutOldPlaces(s panel.SeriesView) (panel.SeriesView, []model.Stretch) {
	found := newPlaces(s)
	if len(found) == 0 {
		return s, nil
	}
	season := s.View().Cadence().Season()
	y := slices.Clone(s.Values)
	var out []model.Stretch
	for _, f := range found {
		for i := f.place; i < f.at; i += season {
			y[i] = panel.Unknown
		}
		c, first := s.View().Cadence(), s.View().Ordinal(s.First+f.place)
		out = append(out, model.Stretch{From: s.First + f.place, To: s.First + f.at - season, Apart: true,
			Why: fmt.Sprintf("%s alone: %.2g of the others then, %.2g since %s", placeName(c, first, season), f.before, f.now,
				c.Format(first+int64(f.at-f.place)))})
	}
	s.Values = y
	return s, out
}

// placeName is what to call the periods of a place in a season, by the first of them.
func placeName(c calendar.Cadence, first int64, season int) string {
	if c.Unit == calendar.Day && season == 7 {
		return time.Unix(c.Start(first), 0).UTC().Weekday().String() + "s"
	}
	return fmt.Sprintf("every %dth period from %s on", season, c.Format(first))
}
