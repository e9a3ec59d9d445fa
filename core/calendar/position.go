package calendar

import (
	"fmt"
	"time"
)

// Position is a way to sort periods into the places of a cycle.
type Position string

// The places a period can be sorted by.
const (
	ByTimeOfDay Position = "time-of-day"
	ByWeekday   Position = "weekday"
	ByMonth     Position = "month"
	ByQuarter   Position = "quarter"
)

// DefaultPosition is the shortest cycle that a cadence shows.
func (c Cadence) DefaultPosition() (Position, error) {
	switch c.Unit {
	case Quarterhour, Halfhour, Hour:
		return ByTimeOfDay, nil
	case Day:
		return ByWeekday, nil
	case Week, Month:
		return ByMonth, nil
	case Quarter:
		return ByQuarter, nil
	}
	return "", fmt.Errorf("a series by %s has no calendar cycle to average over", c)
}

// Places returns a function from period to place in the cycle, and how many
// places there are. It refuses a cycle finer than the cadence.
func (c Cadence) Places(by Position) (place func(ord int64) int, n int, err error) {
	finest := map[Position]Unit{ByTimeOfDay: Hour, ByWeekday: Day, ByMonth: Month, ByQuarter: Quarter}
	limit, known := finest[by]
	if !known {
		return nil, 0, fmt.Errorf("no cycle is called %q: use time-of-day, weekday, month or quarter", by)
	}
	if c.Unit == Number || c.Unit > limit {
		return nil, 0, fmt.Errorf("a series by %s can't be sorted by %s", c, by)
	}
	date := func(ord int64) time.Time { return time.Unix(c.Start(ord), 0).UTC() }
	switch by {
	case ByTimeOfDay:
		per := int64(c.Season())
		return func(ord int64) int { return int(floorMod(ord, per)) }, int(per), nil
	case ByWeekday:
		return func(ord int64) int {
			// 1970-01-01 was a Thursday; place 0 is Monday.
			return int(floorMod(floorDiv(c.Start(ord), secondsPerDay)+3, 7))
		}, 7, nil
	case ByMonth:
		return func(ord int64) int { return int(date(ord).Month()) - 1 }, 12, nil
	}
	return func(ord int64) int { return (int(date(ord).Month()) - 1) / 3 }, 4, nil
}
