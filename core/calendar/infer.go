package calendar

import (
	"errors"
	"fmt"
	"slices"
	"time"
)

// ErrTooFew says that a cadence can't be found from fewer than two times.
var ErrTooFew = errors.New("fewer than two different times, so the cadence can't be found from them: give it")

// Infer finds the cadence of a set of distinct times (seconds since 1970-01-01):
// the coarsest one of which every time starts a period and for which two
// neighbours are one period apart at least once. Sorts its argument.
func Infer(times []int64) (Cadence, error) {
	slices.Sort(times)
	times = slices.Compact(times)
	if len(times) < 2 {
		return Cadence{}, ErrTooFew
	}
	week := Cadence{Unit: Week, WeekStart: time.Unix(times[0], 0).UTC().Weekday()}
	for _, c := range []Cadence{{Unit: Year}, {Unit: Quarter}, {Unit: Month}, week, {Unit: Day}, {Unit: Hour}, {Unit: Halfhour}, {Unit: Quarterhour}} {
		if fits(c, times) {
			return c, nil
		}
	}
	return Cadence{}, explainMisfit(times)
}

func fits(c Cadence, times []int64) bool {
	adjacent := false
	last := int64(0)
	for i, t := range times {
		ord, exact := c.Ordinal(t)
		if !exact {
			return false
		}
		adjacent = adjacent || i > 0 && ord == last+1
		last = ord
	}
	return adjacent
}

func explainMisfit(times []int64) error {
	quarter := Cadence{Unit: Quarterhour}
	for _, t := range times {
		if _, exact := quarter.Ordinal(t); !exact {
			return fmt.Errorf("the time %s starts no quarter-hour, hour, day or longer period: bring the times onto one of these spacings",
				time.Unix(t, 0).UTC().Format("2006-01-02 15:04:05"))
		}
	}
	return fmt.Errorf("no two of the times follow each other by one period (%s, then %s): give the cadence",
		time.Unix(times[0], 0).UTC().Format("2006-01-02 15:04"), time.Unix(times[1], 0).UTC().Format("2006-01-02 15:04"))
}

// InferNumbers checks a plain running count: neighbours are one apart at least once.
func InferNumbers(numbers []int64) (Cadence, error) {
	slices.Sort(numbers)
	numbers = slices.Compact(numbers)
	if len(numbers) < 2 {
		return Cadence{}, ErrTooFew
	}
	years := numbers[0] >= 1800 && numbers[len(numbers)-1] <= 2200
	for i := 1; i < len(numbers); i++ {
		if numbers[i] == numbers[i-1]+1 {
			if years {
				return Cadence{Unit: Year}, nil
			}
			return Cadence{Unit: Number}, nil
		}
	}
	return Cadence{}, fmt.Errorf("no two of the plain numbers that name the periods follow each other (%d, then %d): number the periods 1, "+
		"2, 3 and so on", numbers[0], numbers[1])
}
