package days

import (
	"fmt"
	"math"
	"slices"
	"time"

	"gonum.org/v1/gonum/floats"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// Weekend is how much of what feasts of a date do to working days they do to Saturdays and to Sundays, 0 to 1: a feast
// that takes a working day to what Sundays are leaves these as they are.
type Weekend struct{ Saturday, Sunday float64 }

const (
	// convinced is the log of how much likelier a weekend's part must make what was seen than all of the effect, and
	// fewestHalfYears in how many half years there must have been such a day.
	convinced       = 3.0
	fewestHalfYears = 2
	// most of an effect is there where a period may tell how large it is.
	most = 0.5
	// steps is how finely parts are looked for.
	steps = 20
)

// part is how much of a feast's effect a period has.
func (w *Weekend) part(k Kind, c calendar.Cadence, ordinal int64) float64 {
	if w == nil || k != Dates {
		return 1
	}
	switch c.Weekday(ordinal) {
	case time.Saturday:
		return w.Saturday
	case time.Sunday:
		return w.Sunday
	}
	return 1
}

// words say it, after the effects of dates.
func (w *Weekend) words() string {
	if w == nil {
		return ""
	}
	return fmt.Sprintf(" (of what dates do, %.0f %% on Saturdays and %.0f %% on Sundays)", 100*w.Saturday, 100*w.Sunday)
}

// occurrence is a feast's on a day of a weekend: what is left there but for it, of which its effect on working days, in
// part, has a part.
type occurrence struct {
	cell
	half int
}

// weekends finds the parts of the feasts of dates that were seen on working days too; nil where these are all of them, as
// far as is known.
func (f *Feasts) weekends(first int64, values []cell) *Weekend {
	if f.cadence.Unit != calendar.Day {
		return nil
	}
	saturdays, sundays := f.onWeekends(first, values)
	w := Weekend{1, 1}
	if halves(saturdays) < fewestHalfYears || halves(sundays) < fewestHalfYears {
		saturdays = slices.Concat(saturdays, sundays) // of either too few are known by themselves
		sundays = saturdays
	}
	if halves(saturdays) >= fewestHalfYears {
		w = Weekend{likeliestPart(saturdays), likeliestPart(sundays)}
	}
	if w.Saturday == 1 && w.Sunday == 1 {
		return nil
	}
	return &w
}

// onWeekends are the occurrences on Saturdays and on Sundays.
func (f *Feasts) onWeekends(first int64, values []cell) (saturdays, sundays []occurrence) {
	on := f.on(first, len(values))
	rest := func(i, k int) float64 {
		v := values[i].mean
		for _, other := range on[i] {
			if other != k {
				v -= f.list[other].Beta
			}
		}
		return v
	}
	each := func(do func(i, k int, day time.Weekday)) {
		for i := range values {
			for _, k := range on[i] {
				if f.list[k].Kind == Dates && panel.Known(values[i].mean) {
					do(i, k, f.cadence.Weekday(first+int64(i)))
				}
			}
		}
	}
	sum, weight := make([]float64, len(f.list)), make([]float64, len(f.list)) // on working days
	each(func(i, k int, day time.Weekday) {
		if day != time.Saturday && day != time.Sunday {
			w := 1 / values[i].variance
			sum[k], weight[k] = sum[k]+w*rest(i, k), weight[k]+w
		}
	})
	each(func(i, k int, day time.Weekday) {
		if weight[k] == 0 {
			return
		}
		o := occurrence{cell{rest(i, k), values[i].variance + 1/weight[k], sum[k] / weight[k]}, halfYear(dateOf(f.cadence, first+int64(i)))}
		switch day {
		case time.Saturday:
			saturdays = append(saturdays, o)
		case time.Sunday:
			sundays = append(sundays, o)
		}
	})
	return saturdays, sundays
}

// halves is in how many half years there were some.
func halves(list []occurrence) int {
	seen := map[int]bool{}
	for _, o := range list {
		seen[o.half] = true
	}
	return len(seen)
}

// halfYear numbers the half years, of which one holds all feasts of a winter.
func halfYear(at time.Time) int {
	at = at.AddDate(0, 3, 0)
	return 2*at.Year() + (int(at.Month())-1)/6
}

// likeliestPart is the part of effects that is likeliest; all of them unless another is much likelier.
func likeliestPart(list []occurrence) float64 {
	odds := make([]float64, steps+1)
	for s := range odds {
		part := float64(s) / steps
		for _, c := range list {
			odds[s] += logYear(c.mean-part*c.part, c.variance+square(varies*c.part), leastOnce)
		}
	}
	if best := floats.MaxIdx(odds); odds[best]-odds[steps] > convinced {
		return float64(best) / steps
	}
	return 1
}

// deviation is that of a part of an effect.
func (x Feast) deviation(part float64) float64 {
	return math.Hypot(part*x.Deviation, (1-part)*varies*x.Beta)
}
