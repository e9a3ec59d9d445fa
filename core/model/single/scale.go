package single

import (
	"math"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Scale is where a regression works: on the level, in logs, or in log odds between a floor
// and a ceiling. Size divides the values, so that huge and tiny series are alike.
type Scale struct {
	Kind           ScaleKind
	Size           float64
	Shift          float64 // added before logs are taken, in the measure's unit
	Floor, Ceiling float64 // of log odds
}

// ScaleKind is the kind of a scale.
type ScaleKind byte

// The kinds of scales.
const (
	Level ScaleKind = iota
	Logs
	Odds
)

// LevelScale divides by the mean size.
func LevelScale(values []float64) Scale { return Scale{Size: num.MeanSize(values)} }

// LogScale takes logs. Where zeros are among the values, something is added to all first:
// one for counts, and else a hundredth of the mean.
func LogScale(values []float64) Scale {
	s := Scale{Kind: Logs, Size: num.MeanSize(values)}
	low, counts := math.Inf(1), true
	for _, v := range values {
		if panel.Known(v) {
			low = math.Min(low, v)
			counts = counts && v == math.Trunc(v)
		}
	}
	if low <= 0 {
		s.Shift = 0.01 * s.Size
		if counts {
			s.Shift = 1
		}
	}
	return s
}

// OddsScale is the log odds of lying nearer the ceiling than the floor.
func OddsScale(floor, ceiling float64) Scale {
	return Scale{Kind: Odds, Size: 1, Floor: floor, Ceiling: ceiling}
}

// Multiplies says that parts that add on the scale multiply in the measure's unit.
func (s Scale) Multiplies() bool { return s.Kind == Logs }

// To is the way onto the scale; unknown where the value has no place on it.
func (s Scale) To(y float64) float64 {
	switch s.Kind {
	case Logs:
		if v := (y + s.Shift) / s.Size; v > 0 {
			return math.Log(v)
		}
		return panel.Unknown
	case Odds:
		share := (y - s.Floor) / (s.Ceiling - s.Floor)
		if !panel.Known(share) {
			return panel.Unknown
		}
		share = min(max(share, 1e-3), 1-1e-3) // what touches a bound has odds without end
		return math.Log(share / (1 - share))
	}
	return y / s.Size
}

// Back is the way back, of medians and quantiles.
func (s Scale) Back(x float64) float64 {
	switch s.Kind {
	case Logs:
		return s.Size*math.Exp(min(x, 300)) - s.Shift
	case Odds:
		return s.Floor + (s.Ceiling-s.Floor)/(1+math.Exp(-x))
	}
	return s.Size * x
}

// Moved is a value moved by something on the scale, also where it has no place there itself.
func (s Scale) Moved(y, by float64) float64 {
	if s.Kind == Logs {
		return (y+s.Shift)*math.Exp(max(-300, min(by, 300))) - s.Shift
	}
	return s.Back(s.To(y) + by)
}

// Mean is the way back of a mean with a variance: without the variance, a forecast of logs
// would lie low (Duan, Journal of the American Statistical Association 78, 1983, on
// retransformation; here of normal errors).
func (s Scale) Mean(x, variance float64) float64 {
	switch s.Kind {
	case Logs:
		return s.Size*math.Exp(min(x+0.5*min(variance, 1), 300)) - s.Shift
	case Odds:
		wide, sum := math.Sqrt(max(variance, 0)), 0.0
		for k, p := range gauss {
			sum += gaussWeights[k] * s.Back(x+wide*p)
		}
		return sum
	}
	return s.Size * x
}

// Points and weights of Gauss and Hermite's rule for a standard normal variable.
var (
	gauss        = [...]float64{-2.856970013872806, -1.355626179974266, 0, 1.355626179974266, 2.856970013872806}
	gaussWeights = [...]float64{0.01125741132772071, 0.2220759220056126, 0.5333333333333333, 0.2220759220056126, 0.01125741132772071}
)

// ZeroShift is what is added to a driver with zeros before its log is taken: 1 for counts, and
// else half the least of its values above zero. It is 0 for drivers that have no zeros, or
// values below, or two states only.
func ZeroShift(values []float64) float64 {
	least, whole, zeros := math.Inf(1), true, false
	states := map[float64]bool{}
	for _, v := range values {
		if v < 0 || !panel.Known(v) {
			return 0
		}
		if v > 0 {
			least = min(least, v)
		}
		zeros = zeros || v == 0
		whole = whole && v == math.Trunc(v)
		if len(states) < 3 {
			states[v] = true
		}
	}
	switch {
	case !zeros, len(states) < 3:
		return 0
	case whole:
		return 1
	}
	return least / 2
}
