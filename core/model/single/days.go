package single

import (
	"context"
	"fmt"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/model/days"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// OnDays is a Method that may be fitted to what the calendar's days leave, as all series of a panel tell them together,
// and continues that.
type OnDays interface {
	// TakesDays says whether it may: not where that was ruled out, or where it tells days by itself.
	TakesDays() bool
}

// takenOut fits a method to what is left of series without something that all of them tell together.
type takenOut struct {
	Method
	// take gives a series without it, and what puts it back; nil where there is nothing of it.
	take func(in Input) (*Seasoned, Input)
}

// LeavesOutOdd says what the method itself says.
func (m takenOut) LeavesOutOdd() bool { return leavesOut(m.Method) }

// Fit fits the rest where something is taken out, and else the series.
func (m takenOut) Fit(ctx context.Context, in Input) (State, error) {
	s, rest := m.take(in)
	if s == nil {
		return m.Method.Fit(ctx, in)
	}
	s.again = m
	var err error
	s.State, err = m.Method.Fit(ctx, rest)
	return s, err
}

// Widen asks the inner windows with what is taken out as it was known there.
func (m takenOut) Widen(ctx context.Context, in Input, fitted State) Widening {
	w, ok := m.Method.(Widener)
	if !ok {
		return Widening{}
	}
	if s, ok := fitted.(*Seasoned); ok {
		m.Method = narrowed(m.Method, in, s.State)
		return AskWindows(ctx, m, in)
	}
	return w.Widen(ctx, in, fitted)
}

// Narrower is a Method that may be asked about inner windows in a narrower form, which a fitted state has.
type Narrower interface {
	Narrow(in Input, fitted State) Method
}

// narrowed is a method as it is to be fitted to what was known before inner windows.
func narrowed(m Method, in Input, fitted State) Method {
	s, rest := fitted.(*Seasoned)
	switch own := m.(type) {
	case takenOut:
		if rest {
			fitted = s.State
		}
		return takenOut{narrowed(own.Method, in, fitted), own.take}
	case Narrower:
		if !rest {
			return own.Narrow(in, fitted)
		}
	}
	return m
}

// TakesDays is so, for that is what the form was chosen for.
func (resting) TakesDays() bool { return true }

// withoutDays takes what days do out of series, and gives what puts that back; nil where they do nothing.
func withoutDays(prior *days.Prior) Doing {
	return doing("what days do", prior, func(in Input) (*Seasoned, Input) {
		effect := panel.Remember(in.SeriesView, fmt.Sprintf("days as %p tells them", prior), func() doneBy {
			return doneBy{prior, prior.Of(seriesOfDays(in))}
		}).effect
		return withoutEffect(effect, in)
	})
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
// families tell what days do.
func daysOf(ctx context.Context, v panel.View, of asked, workers int) (*days.Prior, error) {
	switch v.Cadence().Unit {
	case calendar.Day, calendar.Week, calendar.Month:
	default:
		return nil, nil
	}
	return learnOf(of, "what days do", func(rests []Input) (*days.Prior, error) {
		list := make([]days.Series, len(rests))
		if err := num.Each(ctx, workers, len(rests), func(k int) { list[k] = seriesOfDays(rests[k]) }); err != nil {
			return nil, err
		}
		prior, err := days.Learn(ctx, list, v.Cadence(), workers)
		if err != nil || prior == nil {
			return nil, err
		}
		if follows, err := driverFollows(ctx, v, rests, workers); err != nil || follows {
			return nil, err
		}
		return prior, nil
	})
}

// mostFollowed bounds the series whose drivers are asked: there may be many drivers, and most are alike in all series.
const mostFollowed = 60

// driverFollows says that days tell what a driver is.
func driverFollows(ctx context.Context, v panel.View, inputs []Input, workers int) (bool, error) {
	for d := range v.Drivers() {
		if p, err := days.Learn(ctx, driverOf(inputs, d), v.Cadence(), workers); err != nil || p != nil {
			return true, err
		}
	}
	return false, nil
}

// doingsOf are what days and feasts do to the series of a view; none where the method is not for what they leave.
func (m seriesModel) doingsOf(ctx context.Context, v panel.View, workers int) (Doings, error) {
	if m.bounds.KeepDays || !takesDays(m.method) {
		return nil, nil
	}
	return doingsOf(ctx, v, all(v, leavesOut(m.method), nil), all(v, false, nil), isBlind(m.method), workers)
}

func takesDays(method any) bool {
	d, ok := method.(OnDays)
	return ok && d.TakesDays()
}

// toldTaken takes what days, feasts and the year do out of the series of a group, in place, and gives what puts each back of
// each, in the order in which it was taken out. Of groups that fit all series by one equation each is taken out of all, or
// of none.
func (t together) toldTaken(ctx context.Context, v panel.View, places []int, inputs []Input, workers int) ([][]*Seasoned, error) {
	out := make([][]*Seasoned, len(inputs))
	all, err := t.told(ctx, v, places, inputs, workers)
	if err != nil {
		return nil, err
	}
	for _, doing := range all {
		taken, rests := make([]*Seasoned, len(inputs)), make([]Input, len(inputs))
		if err := num.Each(ctx, workers, len(inputs), func(i int) { taken[i], rests[i] = doing.take(inputs[i]) }); err != nil {
			return nil, err
		}
		if allOrNone(t.group) && slices.Contains(taken, nil) {
			continue
		}
		copy(inputs, rests)
		for i, s := range taken {
			if s != nil {
				out[i] = append(out[i], s)
			}
		}
	}
	return out, nil
}

// told is what the series of a group tell together of days, feasts and the year.
func (t together) told(ctx context.Context, v panel.View, places []int, inputs []Input, workers int) (all Doings, err error) {
	if len(inputs) == 0 {
		return nil, nil
	}
	method := t.group.Alone()
	of := asked{n: len(inputs), input: func(i int) Input { return inputs[i] }}
	if !t.bounds.KeepDays && takesDays(method) {
		raw := asked{n: len(inputs), input: func(i int) Input { return inputOf(v, places[i], false) }}
		if all, err = doingsOf(ctx, v, of, raw, isBlind(method), workers); err != nil {
			return nil, err
		}
	}
	if of.after = all; takesYear(method, v) {
		driven := Driven(v) > 0 && takesDrivers(method, v)
		year, err := yearOf(ctx, v, of, driven, workers)
		if err != nil || year == nil {
			return all, err
		}
		if !allOrNone(t.group) {
			return append(all, withoutYear(year, driven, method)), nil
		}
		if !mostTellYear(method, inputs) {
			all = append(all, withoutYear(year, driven, nil))
		}
	}
	return all, nil
}
