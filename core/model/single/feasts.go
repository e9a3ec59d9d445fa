package single

import (
	"context"
	"fmt"

	"paperkettle/core/model/days"
	"paperkettle/core/model/young"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// feastsOf are the days and weeks on which a number of series are other than about them every year, as all of them tell;
// nil for none. Where a driver moves on one, families tell by it what it does. Of many series those are asked that are
// evenly spread.
func feastsOf(ctx context.Context, v panel.View, n int, input func(i int) Input, blind bool, workers int) (*days.Feasts, error) {
	inputs, seen := make([]Input, min(n, mostLearnt)), make([]panel.SeriesView, min(n, mostLearnt))
	for k := range inputs {
		inputs[k] = input(k * n / len(inputs))
		seen[k] = inputs[k].SeriesView
	}
	return panel.RememberAll(seen, fmt.Sprint("feasts, blind ", blind), func() (*days.Feasts, error) {
		list := make([]days.Series, len(inputs))
		if err := num.Each(ctx, workers, len(inputs), func(k int) { list[k] = seriesOfFeasts(inputs[k], blind) }); err != nil {
			return nil, err
		}
		feasts, err := days.LearnFeasts(ctx, list, v.Cadence(), workers)
		for d := range v.Drivers() {
			if feasts == nil || err != nil {
				break
			}
			driver := make([]days.Series, min(len(inputs), mostFollowed))
			for k := range driver {
				in := inputs[k*len(inputs)/len(driver)]
				driver[k] = days.Series{Values: in.Driver(d, len(in.Values)), First: in.Ordinal()}
			}
			feasts, err = feasts.But(ctx, driver, workers)
		}
		return feasts, err
	})
}

// feastsBy are what feasts do to a series and what told it, which is kept so that no other comes to stand there.
type feastsBy struct {
	prior  *days.Feasts
	effect *days.Effect
}

// withoutFeasts takes what feasts do out of series, and gives what puts it back; nil where they do nothing.
func withoutFeasts(prior *days.Feasts, blind bool) func(in Input) (*Seasoned, Input) {
	return func(in Input) (*Seasoned, Input) {
		effect := panel.Remember(in.SeriesView, fmt.Sprintf("feasts as %p tells them", prior), func() feastsBy {
			return feastsBy{prior, prior.Of(seriesOfFeasts(in, blind))}
		}).effect
		return withoutEffect(effect, in)
	}
}

// withoutEffect is a series without what days do, and what puts that back; nil where they do nothing.
func withoutEffect(effect *days.Effect, in Input) (*Seasoned, Input) {
	if effect == nil {
		return nil, in
	}
	s := &Seasoned{Season: young.Season{Days: effect, Log: true, Learnt: effect.Learnt, Share: 1}, Next: in.Ordinal() + int64(len(in.Values))}
	s.flatter(in)
	in.SeriesView = s.without(in.SeriesView)
	return s, in
}

// doings is what all series of a view tell together that is taken out of each, in the order in which that is done.
type doings []func(in Input) (*Seasoned, Input)

// Blind is a Method that sees no events: those that come every year it may know as feasts.
type Blind interface{ Blind() bool }

func isBlind(method any) bool {
	b, ok := method.(Blind)
	return ok && b.Blind()
}

// seriesOfFeasts is a series that tells feasts: to what is blind, those that have names too.
func seriesOfFeasts(in Input, blind bool) days.Series {
	if blind {
		return days.Series{Values: in.Values, First: in.Ordinal()}
	}
	return seriesOfDays(in)
}

// doing is what of days and feasts is asked for: without what days do, or for what is blind; and the series as they came.
// Of these feasts are learnt: what comes every year is no mistake, though it look like one.
type doing struct {
	keepDays, blind bool
	raw             func(i int) Input
}

// doingsOf are what days and feasts do to a number of series.
func doingsOf(ctx context.Context, v panel.View, n int, input func(i int) Input, ask doing, workers int) (out doings, err error) {
	if !ask.keepDays {
		prior, err := daysOf(ctx, v, n, input, workers)
		if err != nil {
			return nil, err
		}
		if prior != nil {
			out = append(out, withoutDays(prior))
		}
	}
	feasts, err := feastsOf(ctx, v, n, func(i int) Input {
		_, in := out.takeOut(ask.raw(i))
		return in
	}, ask.blind, workers)
	if err == nil && feasts != nil {
		out = append(out, withoutFeasts(feasts, ask.blind))
	}
	return out, err
}

// takeOut takes all out of a series, and gives what puts each back, what was taken out first in front.
func (d doings) takeOut(in Input) (taken []*Seasoned, rest Input) {
	for _, take := range d {
		var s *Seasoned
		if s, in = take(in); s != nil {
			taken = append(taken, s)
		}
	}
	return taken, in
}

// method fits a method to what is left.
func (d doings) method(m Method) Method {
	for k := len(d) - 1; k >= 0; k-- {
		m = takenOut{m, d[k]}
	}
	return m
}

// DaysOf are what days do to the series of a view, without what looks like mistakes, by place: one map of them, or nothing.
func DaysOf(ctx context.Context, v panel.View, workers int) ([]map[int]young.Season, error) {
	prior, err := daysOf(ctx, v, v.Len(), func(i int) Input { return inputOf(v, i, true) }, workers)
	if err != nil || prior == nil {
		return nil, err
	}
	return doings{withoutDays(prior)}.byPlace(ctx, v, workers)
}

// FeastsOf are what feasts do to them, after days were taken out or not.
func FeastsOf(ctx context.Context, v panel.View, afterDays bool, workers int) ([]map[int]young.Season, error) {
	ask := doing{keepDays: !afterDays, raw: func(i int) Input { return inputOf(v, i, false) }}
	all, err := doingsOf(ctx, v, v.Len(), func(i int) Input { return inputOf(v, i, true) }, ask, workers)
	if err != nil {
		return nil, err
	}
	out, err := all.byPlace(ctx, v, workers)
	if n := len(out); n > 0 && isFeast(out[n-1]) {
		return out[n-1:], err
	}
	return nil, err
}

// isFeast says that what is taken out of some series is what feasts do.
func isFeast(told map[int]young.Season) bool {
	for _, s := range told {
		return s.Days.Kind == days.Yearly
	}
	return false
}

// byPlace are the seasons that are taken out of the series of a view, one after another, each by place.
func (d doings) byPlace(ctx context.Context, v panel.View, workers int) ([]map[int]young.Season, error) {
	list := make([][]*Seasoned, v.Len())
	err := num.Each(ctx, workers, v.Len(), func(i int) {
		in := inputOf(v, i, true)
		list[i] = make([]*Seasoned, len(d))
		for k, take := range d {
			list[i][k], in = take(in)
		}
	})
	out := make([]map[int]young.Season, len(d))
	for k := range out {
		out[k] = map[int]young.Season{}
		for i := range list {
			if s := list[i][k]; s != nil {
				out[k][i] = s.Season
			}
		}
	}
	return out, err
}
