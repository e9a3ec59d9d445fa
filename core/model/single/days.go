package single

import (
	"context"
	"fmt"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/model/days"
	"paperkettle/core/model/young"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// OnDays is a Method that may be fitted to what the calendar's days leave, as all series of a panel tell them together,
// and continues that.
type OnDays interface {
	// TakesDays says whether it may: not where that was ruled out, or where it tells days by itself.
	TakesDays() bool
}

// onDays fits a method to what days leave of a series.
type onDays struct {
	Method
	prior *days.Prior
}

// LeavesOutOdd says what the method itself says.
func (m onDays) LeavesOutOdd() bool { return leavesOut(m.Method) }

// Fit fits the rest where days do something, and else the series.
func (m onDays) Fit(ctx context.Context, in Input) (State, error) {
	s, rest := withoutDays(m.prior, in)
	if s == nil {
		return m.Method.Fit(ctx, in)
	}
	s.again = m
	var err error
	s.State, err = m.Method.Fit(ctx, rest)
	return s, err
}

// Widen asks the inner windows with days as they were known there.
func (m onDays) Widen(ctx context.Context, in Input, fitted State) Widening {
	w, ok := m.Method.(Widener)
	if !ok {
		return Widening{}
	}
	if s, ok := fitted.(*Seasoned); ok && s.Season.Days != nil {
		return AskWindows(ctx, m, in)
	}
	return w.Widen(ctx, in, fitted)
}

// TakesDays is so, for that is what the form was chosen for.
func (resting) TakesDays() bool { return true }

// withoutDays is a series without what days do, and what puts that back; nil where they do nothing.
func withoutDays(prior *days.Prior, in Input) (*Seasoned, Input) {
	effect := panel.Remember(in.SeriesView, fmt.Sprintf("days as %p tells them", prior), func() doneBy {
		return doneBy{prior, prior.Of(seriesOfDays(in))}
	}).effect
	if effect == nil {
		return nil, in
	}
	s := &Seasoned{Season: young.Season{Days: effect, Log: true, Learnt: effect.Learnt, Share: 1}, Next: in.Ordinal() + int64(len(in.Values))}
	s.flatter(in)
	in.SeriesView = s.without(in.SeriesView)
	return s, in
}

// doneBy is what days do to a series and the prior that told it, which is kept so that no other comes to stand there.
type doneBy struct {
	prior  *days.Prior
	effect *days.Effect
}

func seriesOfDays(in Input) days.Series {
	values := in.Values
	if len(in.Events()) > 0 {
		values = slices.Clone(values)
		for i, on := range onEvents(in.SeriesView) {
			if on {
				values[i] = panel.Unknown
			}
		}
	}
	return days.Series{Values: values, First: in.Ordinal()}
}

// daysOf is what a number of series tell of days together; nil where these do nothing, or a driver follows them, by which
// families tell what days do. Of many series those are asked that are evenly spread.
func daysOf(ctx context.Context, v panel.View, n int, input func(i int) Input, workers int) (*days.Prior, error) {
	if unit := v.Cadence().Unit; unit != calendar.Day && unit != calendar.Month {
		return nil, nil
	}
	inputs, seen := make([]Input, min(n, mostLearnt)), make([]panel.SeriesView, min(n, mostLearnt))
	for k := range inputs {
		inputs[k] = input(k * n / len(inputs))
		seen[k] = inputs[k].SeriesView
	}
	return panel.RememberAll(seen, "what days do", func() (*days.Prior, error) {
		list := make([]days.Series, len(inputs))
		if err := num.Each(ctx, workers, len(inputs), func(k int) { list[k] = seriesOfDays(inputs[k]) }); err != nil {
			return nil, err
		}
		prior, err := days.Learn(ctx, list, v.Cadence(), workers)
		if err != nil || prior == nil {
			return nil, err
		}
		if follows, err := driverFollows(ctx, v, inputs, workers); err != nil || follows {
			return nil, err
		}
		return prior, nil
	})
}

// mostFollowed bounds the series whose drivers are asked: there may be many drivers, and most are alike in all series.
const mostFollowed = 60

// driverFollows says that days tell what a driver is.
func driverFollows(ctx context.Context, v panel.View, inputs []Input, workers int) (bool, error) {
	list := make([]days.Series, min(len(inputs), mostFollowed))
	for d := range v.Drivers() {
		for k := range list {
			in := inputs[k*len(inputs)/len(list)]
			list[k] = days.Series{Values: in.Driver(d, len(in.Values)), First: in.Ordinal()}
		}
		if p, err := days.Learn(ctx, list, v.Cadence(), workers); err != nil || p != nil {
			return true, err
		}
	}
	return false, nil
}

// daysOf is what the series of a view tell of days; nil where these do nothing, or the method is not for what they leave.
func (m seriesModel) daysOf(ctx context.Context, v panel.View, workers int) (*days.Prior, error) {
	if m.bounds.KeepDays || !takesDays(m.method) {
		return nil, nil
	}
	mended := leavesOut(m.method)
	return daysOf(ctx, v, v.Len(), func(i int) Input { return inputOf(v, i, mended) }, workers)
}

func takesDays(method any) bool {
	d, ok := method.(OnDays)
	return ok && d.TakesDays()
}

// daysTaken takes what days do out of the series of a group, in place, and gives what puts it back: nil where nothing was
// taken out.
func (t together) daysTaken(ctx context.Context, v panel.View, inputs []Input, workers int) ([]*Seasoned, error) {
	out := make([]*Seasoned, len(inputs))
	if t.bounds.KeepDays || !takesDays(t.group.Alone()) || len(inputs) == 0 {
		return out, nil
	}
	prior, err := daysOf(ctx, v, len(inputs), func(i int) Input { return inputs[i] }, workers)
	if err != nil || prior == nil {
		return out, err
	}
	rests := make([]Input, len(inputs))
	if err := num.Each(ctx, workers, len(inputs), func(i int) { out[i], rests[i] = withoutDays(prior, inputs[i]) }); err != nil {
		return nil, err
	}
	if a, ok := t.group.(AllOrNone); ok && a.AllOrNone() && slices.Contains(out, nil) {
		return make([]*Seasoned, len(inputs)), nil
	}
	copy(inputs, rests)
	return out, nil
}

// DaysOf are what days do to the series of a view, without what looks like mistakes, by place; nothing for none.
func DaysOf(ctx context.Context, v panel.View, workers int) (map[int]young.Season, error) {
	prior, err := daysOf(ctx, v, v.Len(), func(i int) Input { return inputOf(v, i, true) }, workers)
	if err != nil || prior == nil {
		return nil, err
	}
	list := make([]*Seasoned, v.Len())
	err = num.Each(ctx, workers, v.Len(), func(i int) { list[i], _ = withoutDays(prior, inputOf(v, i, true)) })
	out := map[int]young.Season{}
	for i, s := range list {
		if s != nil {
			out[i] = s.Season
		}
	}
	return out, err
}
