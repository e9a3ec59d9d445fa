package single

import (
	"context"
	"fmt"
	"strings"

	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// The kinds of what a family does not learn from as it is.
const (
	reviewEnded = iota
	reviewBegan
	reviewPlaces
	reviewPause
	reviewMoved
	reviewMistakes
	reviewLast
	reviewKinds
)

// reviewed are the findings of each kind, without the series.
func reviewed() [reviewKinds]panel.Finding {
	const shift, outliers = "level shift", "outliers"
	return [...]panel.Finding{
		reviewEnded: {Kind: "ended", Grade: "notable", Instead: []string{shift, outliers},
			Meaning: "sells nothing any more, and every family but intermittent and the baselines forecasts nothing: leave it out if it is " +
				"discontinued; load its values, or say that it is closed, if it goes on"},
		reviewBegan: {Kind: "began after zeros", Grade: "minor", Instead: []string{shift},
			Meaning: "has zeros alone before its first sale, which fits leave out: no value would say the same"},
		reviewPlaces: {Kind: "changed weekday", Grade: "notable", Instead: []string{outliers},
			Meaning: "has a weekday, or another place in its season, that changed its part at once: fits leave out what it was before; if it is " +
				"shut now, say that it is closed then"},
		reviewPause: {Kind: "pause", Grade: "notable", Instead: []string{shift, outliers},
			Meaning: "stood still for a while, once, which fits leave out: say that it was closed, or give the cause as an event, if it was to be so; past: as-loaded in a plan believes it"},
		reviewMoved: {Kind: "moved at once", Grade: "notable", Instead: []string{shift, outliers},
			Meaning: "moved to another level or unit at once: fits learn from what came before as if it had been so, but for past: as-loaded in a plan"},
		reviewMistakes: {Kind: "mistakes", Grade: "notable", Instead: []string{outliers},
			Meaning: "has values far from what is before, after and a season away, which fits leave out: correct them, or give their cause as an " +
				"event if they are right, or have a plan believe all (past: as-loaded)"},
		reviewLast: {Kind: "last value odd", Grade: "serious", Instead: []string{"last period low", outliers},
			Meaning: "ends in a value far from all before it, which fits leave out: correct it if it is a mistake, load up to the one before if " +
				"its period is not over, or give its cause as an event; past: as-loaded in a plan believes it"},
	}
}

// Review finds the series that families do not learn from as they are, of each kind with the first one's
// places: what Mend does to them, told before anything is forecast.
func Review(p *panel.Panel, workers int) []panel.Finding {
	all := make([]int, len(p.Series))
	for i := range all {
		all[i] = i
	}
	v := panel.NewView(p.WithClosed(p.Length-1), all, 0, p.Length-1)
	found := make([][reviewKinds]string, len(all))
	err := num.Each(context.Background(), workers, len(all), func(i int) {
		// A series that breaks the rules down has no finding, and spoils no neighbour's; its fits say why they fail.
		_ = model.Guard(func() error { found[i] = review(v.Series(i)); return nil })
	})
	if err != nil { // a fault of the program's own: nothing is made up in its place
		panic(err)
	}
	out := reviewed()
	for i := range found {
		for kind, why := range found[i] {
			if why == "" {
				continue
			}
			f := &out[kind]
			if len(f.Series) == 0 {
				f.Meaning += fmt.Sprintf(" (of %s: %s)", p.Series[i].Key, why)
			}
			f.Series = append(f.Series, i)
		}
	}
	return out[:]
}

// review is what of a series is not learnt from as it is, by kind.
func review(s panel.SeriesView) (why [reviewKinds]string) {
	_, d := mend(s)
	last := s.First + len(s.Values) - 1
	odd := d.odd
	if n := len(odd) - 1; n >= 0 && odd[n].To == last {
		why[reviewLast] = whenAndWhy(s, odd[n:])
		odd = odd[:n]
	}
	why[reviewEnded], why[reviewBegan] = whys(d.ended), whys(d.began)
	why[reviewPlaces], why[reviewPause] = whys(d.places), whenAndWhy(s, d.pauses)
	why[reviewMoved] = strings.Join(d.unit.Cautions(s), "; ")
	why[reviewMistakes] = whenAndWhy(s, odd)
	return why
}

// mostTold is how many stretches of a series are told.
const mostTold = 2

// whenAndWhy is when stretches are and why.
func whenAndWhy(s panel.SeriesView, left []model.Stretch) string {
	when := func(i int) string { return s.View().Cadence().Format(s.View().Ordinal(i)) }
	var out []string
	for _, x := range left[:min(mostTold, len(left))] {
		on := when(x.From)
		if x.To > x.From {
			on += " to " + when(x.To)
		}
		out = append(out, on+", "+x.Why)
	}
	if more := len(left) - mostTold; more > 0 {
		out = append(out, fmt.Sprintf("and %d more", more))
	}
	return strings.Join(out, "; ")
}

// whys are the reasons of stretches that say by themselves when they are.
func whys(left []model.Stretch) string {
	out := make([]string, len(left))
	for k, x := range left {
		out[k] = x.Why
	}
	return strings.Join(out, "; ")
}
