package single

import (
	"math"

	"gonum.org/v1/gonum/stat"

	"paperkettle/core/model/young"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// OnDriven is an OnRest that tells what drivers do by itself: a season that it leaves to all series is told beside that.
type OnDriven interface {
	// TakesDrivers says whether it takes those of a view that are known ahead.
	TakesDrivers(v panel.View) bool
}

// takesDrivers says whether a method tells what drivers do by itself.
func takesDrivers(method any, v panel.View) bool {
	d, ok := method.(OnDriven)
	return ok && d.TakesDrivers(v)
}

// MostDriven bounds the drivers beside which a season of few rounds is told.
const MostDriven = 12

// Driven is how many drivers of a view are known ahead.
func Driven(v panel.View) (n int) {
	for _, d := range v.Drivers() {
		if d.KnownAhead {
			n++
		}
	}
	return n
}

// drivenBy are the drivers of a series that are known ahead, over its values: in logs where they stay above zero, as
// prices do, about their mean and by their standard deviation. What is unknown is the mean, and those that never change
// are left out.
func drivenBy(in Input) (out [][]float64) {
	for d, driver := range in.View().Drivers() {
		if !driver.KnownAhead {
			continue
		}
		column := in.Driver(d, len(in.Values))
		if logs, ok := inLogs(column); ok {
			column = logs
		}
		mean := num.KnownMean(column)
		for i, x := range column {
			if column[i] = x - mean; !panel.Known(x) {
				column[i] = 0
			}
		}
		if s := stat.PopStdDev(column, nil); s > 1e-9*(1+math.Abs(mean)) {
			for i := range column {
				column[i] /= s
			}
			out = append(out, column)
		}
	}
	return out
}

// inLogs are the logs of what is known; false where something is not above zero.
func inLogs(column []float64) ([]float64, bool) {
	out := make([]float64, len(column))
	for i, x := range column {
		if panel.Known(x) && !(x > 0) {
			return nil, false
		}
		out[i] = math.Log(x)
	}
	return out, true
}

// youngSeries is a series as its season is told of it, with its drivers or without.
func youngSeries(in Input, season int, driven bool) young.Series {
	s := young.Series{Key: in.Key, Values: quiet(in, season), First: in.Ordinal()}
	if driven {
		s.Drivers = drivenBy(in)
	}
	return s
}
