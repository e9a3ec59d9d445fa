package single

import (
	"context"
	"fmt"

	"paperkettle/core/model/days"
	"paperkettle/core/model/young"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

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

// feastsOf are the days and weeks on which a number of series are other than about them every year, as all of them tell;
// nil for none. Where a driver moves on one, families tell by it what it does.
func feastsOf(ctx context.Context, v panel.View, of asked, blind bool, workers int) (*days.Feasts, error) {
	return learnOf(of, fmt.Sprint("feasts, blind ", blind), func(rests []Input) (*days.Feasts, error) {
		list := make([]days.Series, len(rests))
		if err := num.Each(ctx, workers, len(rests), func(k int) { list[k] = seriesOfFeasts(rests[k], blind) }); err != nil {
			return nil, err
		}
		feasts, err := days.LearnFeasts(ctx, list, v.Cadence(), workers)
		for d := range v.Drivers() {
			if feasts == nil || err != nil {
				break
			}
			feasts, err = feasts.But(ctx, driverOf(rests, d), workers)
		}
		return feasts, err
	})
}

// driverOf is a driver of some series.
func driverOf(inputs []Input, d int) []days.Series {
	out := make([]days.Series, min(len(inputs), mostFollowed))
	for k := range out {
		in := inputs[k*len(inputs)/len(out)]
		out[k] = days.Series{Values: in.Driver(d, len(in.Values)), First: in.Ordinal()}
	}
	return out
}

// feastsBy are what feasts do to a series and what told it, which is kept so that no other comes to stand there.
type feastsBy struct {
	prior  *days.Feasts
	effect *days.Effect
}

// withoutFeasts takes what feasts do out of series, and gives what puts it back; nil where they do nothing.
func withoutFeasts(prior *days.Feasts, blind bool) Doing {
	return doing("feasts", prior, func(in Input) (*Seasoned, Input) {
		effect := panel.Remember(in.SeriesView, fmt.Sprintf("feasts as %p tells them", prior), func() feastsBy {
			return feastsBy{prior, prior.Of(seriesOfFeasts(in, blind))}
		}).effect
		return withoutEffect(effect, in)
	})
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

// doingsOf are what days and feasts do to a number of series. Of these feasts are learnt as they came: what comes every year
// is no mistake, though it look like one.
func doingsOf(ctx context.Context, v panel.View, of, raw asked, blind bool, workers int) (out Doings, err error) {
	prior, err := daysOf(ctx, v, of, workers)
	if err != nil {
		return nil, err
	}
	if prior != nil {
		out = append(out, withoutDays(prior))
	}
	raw.after = out
	feasts, err := feastsOf(ctx, v, raw, blind, workers)
	if err == nil && feasts != nil {
		out = append(out, withoutFeasts(feasts, blind))
	}
	return out, err
}

// DaysOf is what days do to the series of a view, after something was taken out of them; nothing for none.
func DaysOf(ctx context.Context, v panel.View, after Doings, workers int) (Doings, error) {
	prior, err := daysOf(ctx, v, all(v, true, after), workers)
	if err != nil || prior == nil {
		return nil, err
	}
	return Doings{withoutDays(prior)}, nil
}

// FeastsOf are what feasts do to them.
func FeastsOf(ctx context.Context, v panel.View, after Doings, workers int) (Doings, error) {
	feasts, err := feastsOf(ctx, v, all(v, false, after), false, workers)
	if err != nil || feasts == nil {
		return nil, err
	}
	return Doings{withoutFeasts(feasts, false)}, nil
}
