package additive

import (
	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// LeavesOutOdd says that mistakes are left out: one spoils its place in the season, so that others there
// look odd.
func (m Method) LeavesOutOdd() bool { return true }

// TakesDays says that it may be fitted to what the calendar's days leave.
func (m Method) TakesDays() bool { return true }

// besideDrivers is how many rounds of a season must be seen for it to be told by the regression itself, beside drivers.
const besideDrivers = 2.75

// TakesRest says that it may be fitted to what a season of few rounds leaves: where none was set, and drivers are not so
// many that no season can be told beside them. From nearly three rounds on it tells seasons beside drivers as well itself.
func (m Method) TakesRest(in single.Input) bool {
	driven := single.Driven(in.View())
	if !m.Drivers || driven == 0 {
		return m.Seasons == nil
	}
	few := float64(len(in.Values)) < besideDrivers*float64(in.Cadence().Season())
	return m.Seasons == nil && driven <= single.MostDriven && few
}

// TakesYear says that it may be fitted to what the season of the year leaves of daily series, or the week of series within
// days: where none was set.
func (m Method) TakesYear(v panel.View) bool {
	driven := 0
	if m.Drivers {
		driven = single.Driven(v)
	}
	if single.WithinDays(v) {
		return m.Seasons == nil && driven == 0
	}
	return m.Seasons == nil && v.Cadence().Unit == calendar.Day && driven <= single.MostDriven
}

// manyWeeks is from how many weeks on a series within days tells their profile by itself.
const manyWeeks = 5

// TellsYear says that a series has seen so many years, or weeks within days, that it tells their season by itself.
func (m Method) TellsYear(in single.Input) bool {
	if single.WithinDays(in.View()) {
		return single.ManyWeeks(in, manyWeeks)
	}
	return single.ManyYears(in)
}

// TakesDrivers says that it tells what drivers do.
func (m Method) TakesDrivers(panel.View) bool { return m.Drivers }
