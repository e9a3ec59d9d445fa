package single

import (
	"math"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/panel"
)

// Trial is a set of inner windows of a training part: a method is fitted once, before the
// first, and advanced over them.
//
// Source: Tashman, Out-of-sample tests of forecasting accuracy, International Journal of
// Forecasting 16 (2000).
type Trial struct {
	Keep    int // values before the first window
	Stride  int
	Horizon int
	Windows int
}

// The number of inner origins: of histories of many horizons more, so that rare days on which
// a method goes far wrong are among them.
const (
	mostWindows = 6
	manyWindows = 10
)

// TrialOf lays inner windows: over the last quarter of a long history, and close together in
// a short one; ok is false where there is no room for any.
func TrialOf(in Input) (t Trial, ok bool) {
	n := len(in.Values)
	t.Horizon = max(1, min(in.Horizon, n/6))
	most := mostWindows
	if n/4 >= manyWindows*t.Horizon*3/4 {
		most = manyWindows
	}
	t.Stride = max(1, t.Horizon/2, (n/4-t.Horizon)/(most-1))
	// A window's origin has the place in the season that the real one has: forecasts made at
	// night are not those made at noon.
	if season := in.Cadence().Season(); t.Stride > season {
		t.Stride -= t.Stride % season
	}
	least := max(10, min(2*in.Cadence().Season()+3, n*2/3))
	if n-least < t.Horizon {
		return t, false
	}
	t.Windows = min(most, (n-least-t.Horizon)/t.Stride+1)
	t.Keep = n - t.Horizon - (t.Windows-1)*t.Stride
	return t, Tells(in.Values[:t.Keep])
}

// Early is the input as the first window's origin sees it.
func (t Trial) Early(in Input) Input {
	early := in.Before(t.Keep)
	early.Horizon = t.Horizon
	return early
}

// Loss is the mean absolute error of a state, fitted to the early input, over the windows;
// unknown where it fails.
func (t Trial) Loss(state State, in Input) float64 {
	loss, _ := t.Run(state, in)
	return loss
}

// Run is the loss, with what the errors say of the state's widths.
func (t Trial) Run(state State, in Input) (loss float64, tally Tally) {
	tally.Steps = t.Horizon
	rows := forecast.NewRows(t.Horizon)
	sum, count := 0.0, 0.0
	for w := range t.Windows {
		at := t.Keep + w*t.Stride
		seen := in.Before(at)
		if w > 0 {
			if err := state.Advance(seen.SeriesView, at-t.Stride); err != nil {
				return panel.Unknown, Tally{}
			}
		}
		if err := state.Forecast(seen.SeriesView, rows); err != nil {
			return panel.Unknown, Tally{}
		}
		for k, f := range rows.Mean {
			if e := math.Abs(in.Values[at+k] - f); e == e {
				sum += e
				count++
			}
		}
		t.Take(&tally, HeartOf(rows), in.Values[at:])
	}
	return sum / count, tally
}

// Ratio is the log of a loss next to another's, no more than threefold either way: one
// disaster tells no more than another. Unknown where both failed.
func Ratio(loss, other float64) float64 {
	const most = 1.1
	switch {
	case !panel.Known(loss) && !panel.Known(other):
		return panel.Unknown
	case !panel.Known(loss):
		return most
	case !panel.Known(other):
		return -most
	case loss <= 0 && other <= 0:
		return 0
	}
	return max(-most, min(most, math.Log(max(loss, 1e-12)/max(other, 1e-12))))
}

// From is the same windows in a series with as many values before the first.
func (t Trial) From(keep int) Trial {
	t.Keep = keep
	return t
}

// Parts are the windows in up to so many parts that follow one another, for methods that are fitted before each.
func (t Trial) Parts(most int) (out []Trial) {
	parts := min(most, t.Windows)
	for k := range parts {
		first, next := k*t.Windows/parts, (k+1)*t.Windows/parts
		part := t
		part.Keep, part.Windows = t.Keep+first*t.Stride, next-first
		out = append(out, part)
	}
	return out
}

// fewestKept is the shortest part of a history that is learnt from alone.
const fewestKept = 36

// Memories are the lengths of the last parts of a history of n periods that may be worth
// learning from alone: ten, five and two rounds of the longest season that it shows three
// times.
func (in Input) Memories(n int) (out []int) {
	for _, rounds := range []int{10, 5, 2} {
		if length := rounds * in.round(n); length >= fewestKept && 2*n >= 3*length {
			out = append(out, length)
		}
	}
	return out
}

// Rounds is how many periods some rounds of the longest season take that the history shows three times.
func (in Input) Rounds(rounds int) int { return rounds * in.round(len(in.Values)) }

// round is the length of the longest season that a history of n periods shows three times, or ten where none is.
func (in Input) round(n int) int {
	for _, period := range slices.Backward(in.Cadence().Seasons()) {
		if float64(n) >= 3*period && period > 2 {
			return int(period + 0.5)
		}
	}
	return 10
}
