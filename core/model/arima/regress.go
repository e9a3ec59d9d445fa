package arima

import (
	"errors"
	"fmt"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// regressors lays out the drivers and events that a model takes, over the training part.
func (s *State) regressors(f *fitter, m Method, in single.Input) error {
	n := len(f.y)
	if m.Drivers {
		for d, driver := range in.View().Drivers() {
			if !driver.KnownAhead {
				return fmt.Errorf("the driver %s is not known ahead: have the plan lag or forecast it, or leave drivers out", driver.Name)
			}
			column := in.Driver(d, n)
			if err := usable(column, driver.Name); err != nil {
				return err
			}
			f.x, s.Names = append(f.x, column), append(s.Names, driver.Name)
			s.Drivers++
		}
	}
	if m.Events {
		for _, e := range in.Events() {
			column := eventColumn(in.SeriesView, e.Name, 0, n)
			if constant(column) { // none in the training part: nothing can be learnt
				continue
			}
			f.x, s.Names = append(f.x, column), append(s.Names, e.Name)
			s.Events = append(s.Events, e.Name)
		}
		f.weekends(s, in)
	}
	return nil
}

// weekends adds what events do otherwise on weekends than on working days, and on Sundays than on Saturdays, where both were
// seen: a feast takes a working day to what Sundays are, and leaves these as they are.
func (f *fitter) weekends(s *State, in single.Input) {
	if !in.Cadence().WithinDays() {
		return
	}
	n := len(in.Values)
	for _, name := range s.Events {
		all := eventColumn(in.SeriesView, name, 0, n)
		seen := calendar.WeekdaysOf(in.Cadence(), in.Ordinal(), n, func(i int) bool { return all[i] > 0 && panel.Known(in.Values[i]) })
		if !seen.TellsWeekends(0) {
			continue
		}
		weekends, sundays := calendar.AtWeekends(in.Cadence(), in.Ordinal(), all)
		f.x, s.Names, s.Weekends = append(f.x, weekends), append(s.Names, name+calendar.OnWeekend), append(s.Weekends, name)
		if seen.TellsSundays() {
			f.x, s.Names, s.Sundays = append(f.x, sundays), append(s.Names, name+calendar.OnSunday), append(s.Sundays, name)
		}
	}
}

// eventPart is what events add to the i-th value of a view, by coefficients from a place on.
func (s *State) eventPart(v panel.SeriesView, i, at int) (part float64) {
	if len(s.Events) == 0 {
		return 0
	}
	shares := make(map[string][]float64, len(s.Events))
	for k, name := range s.Events {
		shares[name] = eventColumn(v, name, i, i+1)
		part += s.Beta[at+k] * shares[name][0]
	}
	at += len(s.Events)
	for _, name := range s.Weekends {
		weekends, sundays := calendar.AtWeekends(v.View().Cadence(), v.View().Ordinal(v.First+i), shares[name])
		part += s.Beta[at] * weekends[0]
		if at++; slices.Contains(s.Sundays, name) {
			part += s.Beta[at] * sundays[0]
			at++
		}
	}
	return part
}

func usable(column []float64, name string) error {
	for _, v := range column {
		if !panel.Known(v) {
			return fmt.Errorf("the driver %s is unknown in places: fill it, or leave drivers out", name)
		}
	}
	return nil
}

func constant(column []float64) bool {
	for _, v := range column {
		if v != column[0] {
			return false
		}
	}
	return true
}

// eventColumn is the share of an event in each of the periods from..to of the series.
func eventColumn(v panel.SeriesView, name string, from, to int) []float64 {
	out := make([]float64, to-from)
	view := v.View()
	for _, e := range v.Events() {
		if e.Name == name {
			for i := range out {
				out[i] += e.Share(view.Cadence(), view.Ordinal(v.First+from+i), 0)
			}
		}
	}
	return out
}

// longPart is what the harmonics add at the i-th value.
func (s *State) longPart(i int) (v float64) {
	for k := range s.Long {
		v += s.Long[k].At(s.Ordinal + int64(i))
	}
	return v
}

// regress is the regressors' part of the i-th value of a view.
func (s *State) regress(v panel.SeriesView, i int) float64 {
	ord := int64(0)
	if len(s.Long)+s.Drivers+len(s.Events) > 0 {
		ord = v.View().Ordinal(v.First+i) - s.Ordinal
	}
	part := s.longPart(int(ord))
	at := 2 * pairs(s.Long)
	for d := range s.Drivers {
		column := v.Driver(d, i+1)
		if x := column[i]; panel.Known(x) {
			part += s.Beta[at] * x
		}
		at++
	}
	return part + s.eventPart(v, i, at)
}

var errNoDrivers = errors.New("the drivers past the origin are not at hand")

// partAhead is the regressors' part of a step after the last of n values.
func (s *State) partAhead(v panel.SeriesView, n, step int) (float64, error) {
	i := n + step
	part := s.longPart(i)
	if s.Drivers+len(s.Events) == 0 {
		return part, nil
	}
	if v.Values == nil {
		return 0, errNoDrivers
	}
	at := 2 * pairs(s.Long)
	place := len(v.Values) + step
	for d := range s.Drivers {
		x := v.Driver(d, place+1)[place]
		if !panel.Known(x) {
			return 0, fmt.Errorf("the driver %s is unknown at step %d: give its values ahead, or leave drivers out", s.Names[d], step+1)
		}
		part += s.Beta[at] * x
		at++
	}
	return part + s.eventPart(v, place, at), nil
}
