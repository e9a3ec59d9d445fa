package days

import (
	"math"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

const (
	// besideDay and besideWeek are the periods on either side whose middle is a period's level: more than a feast lasts.
	besideDay  = 21
	besideWeek = 6
	// shut is the log of what is left of a period without sales.
	shut = -3.0
	// mostZero is the share of zeros from which on they are how a series is, and no feast's.
	mostZero = 0.2
)

// apartOf is the log of what a series is next to its level, the middle of the periods about each, and to its weekdays; shut
// where it is zero. Unknown where few are known about it; nil for series that go below zero, or are zero often.
func apartOf(s Series, c calendar.Cadence) []float64 {
	z, zero := make([]float64, len(s.Values)), 0
	for i, v := range s.Values {
		if v < 0 {
			return nil
		}
		z[i] = panel.Unknown
		if v > 0 {
			z[i] = math.Log(v)
		} else if v == 0 {
			zero++
		}
	}
	if float64(zero) > mostZero*float64(panel.CountKnown(s.Values)) {
		return nil
	}
	beside := besideWeek
	if c.Unit == calendar.Day {
		beside = besideDay
		byWeekday(z, middles(z, beside), s.First)
	}
	level := middles(z, beside)
	for i, v := range s.Values {
		if v == 0 && panel.Known(level[i]) {
			z[i] = shut
		} else {
			z[i] = max(shut, min(-shut, z[i]-level[i]))
		}
	}
	if c.Unit == calendar.Day {
		forgetShut(z, s)
	}
	return z
}

// byWeekday takes what is usual of weekdays, next to a level, out of values.
func byWeekday(z, level []float64, first int64) {
	next := make([]float64, len(z))
	for i, v := range z {
		next[i] = v - level[i]
	}
	for i, u := range usuals(next, weekdays(len(z), first), week, median) {
		z[i] -= u
	}
}

func weekdays(n int, first int64) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = int(((first+int64(i))%week + week) % week)
	}
	return out
}

// forgetShut leaves out the weekdays on which a series is zero mostly.
func forgetShut(z []float64, s Series) {
	var zero, known [week]int
	on := weekdays(len(z), s.First)
	for i, v := range s.Values {
		if panel.Known(v) {
			known[on[i]]++
			if v == 0 {
				zero[on[i]]++
			}
		}
	}
	for i := range z {
		if d := on[i]; 2*zero[d] > known[d] {
			z[i] = panel.Unknown
		}
	}
}

// middles are the medians of the known values about each, a number on either side, or fewer near the ends; unknown where
// three in five are not known.
func middles(z []float64, beside int) []float64 {
	out := make([]float64, len(z))
	var sorted []float64
	for i := -beside; i < len(z); i++ {
		if in := i + beside; in < len(z) && panel.Known(z[in]) {
			at, _ := slices.BinarySearch(sorted, z[in])
			sorted = slices.Insert(sorted, at, z[in])
		}
		if gone := i - beside - 1; gone >= 0 && panel.Known(z[gone]) {
			at, _ := slices.BinarySearch(sorted, z[gone])
			sorted = slices.Delete(sorted, at, at+1)
		}
		if i < 0 {
			continue
		}
		out[i] = panel.Unknown
		if n := len(sorted); 5*n >= 3*(2*beside+1) {
			out[i] = (sorted[(n-1)/2] + sorted[n/2]) / 2
		}
	}
	return out
}
