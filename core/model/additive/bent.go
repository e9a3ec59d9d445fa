package additive

import (
	"fmt"
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// Warm days bring what cold ones do, and mild ones neither: what a driver does need be no straight line. Where inner
// windows of all series say so, the line of each driver that takes many values bends at the thirds of these.
//
// Source: linear splines, as in Hastie, Tibshirani and Friedman, The Elements of Statistical Learning, 2nd ed. 2009,
// section 5.2.

// The choices of the setting driver-lines.
const straightLines, bentLines = "straight", "bent"

const (
	// manyValues is how many different values a driver must have taken for its line to bend.
	manyValues = 20
	// bendCost is by how much more than other choices lines that bend must do better: the log of an error.
	bendCost = 0.02
	// firstThird and secondThird are the parts of its values below which it bends.
	firstThird, secondThird = 1.0 / 3, 2.0 / 3
)

// Bend is a place at which a driver's line bends, and the mean of what lies above it, both as the driver is taken.
type Bend struct{ At, Mean float64 }

func (b Bend) above(x float64) float64 { return max(0, x-b.At) }

// bendName is the name of the column of the k-th bend: the same in all series, wherever it lies.
func (d *Driver) bendName(k int) string { return fmt.Sprintf("%s, bend %d", d.Name, k+1) }

// bendOf is the bend that a column is of; -1 for the line itself.
func (d *Driver) bendOf(name string) int {
	for k := range d.Bends {
		if d.bendName(k) == name {
			return k
		}
	}
	return -1
}

// bend finds where a driver bends, by the values of the training part.
func (d *Driver) bend(values []float64) {
	sorted := make([]float64, len(values))
	for i, v := range values {
		sorted[i] = d.to(v)
	}
	slices.Sort(sorted)
	if len(slices.Compact(slices.Clone(sorted))) < manyValues {
		return
	}
	for _, part := range []float64{firstThird, secondThird} {
		b := Bend{At: sorted[int(part*float64(len(sorted)-1))]}
		if n := len(d.Bends); n > 0 && !(b.At > d.Bends[n-1].At) || !(b.At > sorted[0]) || !(b.At < sorted[len(sorted)-1]) {
			continue
		}
		for _, x := range sorted {
			b.Mean += b.above(x) / float64(len(sorted))
		}
		d.Bends = append(d.Bends, b)
	}
}

// edges are the least and the most that training saw of the column of the driver's k-th bend, or of its line itself for -1.
func (d *Driver) edges(k int) (low, high float64) {
	if k < 0 {
		return (d.Low - d.Mean) / d.Spread, (d.High - d.Mean) / d.Spread
	}
	b := d.Bends[k]
	return -b.Mean / d.Spread, (b.above(d.High) - b.Mean) / d.Spread
}

// slopeBeyond is the slope of a driver's line, by a unit of it, below all that training saw, or above: there all bends count.
// a is the place of the line's own column.
func (s *State) slopeBeyond(d *Driver, a int, above bool) float64 {
	slope := s.Beta[a]
	for k := range d.Bends {
		if above {
			slope += s.Beta[a+1+k]
		}
	}
	return slope / d.Spread
}

// piece is the slope of the driver's line from its k-th bend on, by a unit of it, and its standard deviation; a is the place of
// the line's own column, which the bends' follow.
func (s *State) piece(d *Driver, a, k int) (slope, deviation float64) {
	n, variance := len(s.Beta), 0.0
	for i := a; i <= a+k+1; i++ {
		slope += s.Beta[i]
		for j := a; j <= a+k+1; j++ {
			variance += float64(s.Cov[i*n+j])
		}
	}
	return slope / d.Spread, math.Sqrt(max(0, variance)) / d.Spread
}

// describePieces tells of what a driver that bends does between its bends; a is the place of its line's own column.
func (s *State) describePieces(d *model.Description, x *Driver, a int) {
	value := func(k int) float64 {
		if x.Log {
			return math.Exp(x.Bends[k].At) - x.Shift
		}
		return x.Bends[k].At
	}
	for k := -1; k < len(x.Bends); k++ {
		name := x.Name
		switch {
		case k < 0:
			name += fmt.Sprintf(" up to %.3g", value(0))
		case k+1 < len(x.Bends):
			name += fmt.Sprintf(" from %.3g to %.3g", value(k), value(k+1))
		default:
			name += fmt.Sprintf(" from %.3g on", value(k))
		}
		slope, deviation := s.piece(x, a, k)
		meaning, per, step := "effect of one unit "+s.scaleWords(), "1 unit more", 1.0
		if x.Log {
			meaning, per, step = "elasticity: per cent that 1 % more of the driver brings", "10 % more", math.Log(1.1)
		}
		unit := s.unit()
		d.Parameters = append(d.Parameters, model.Parameter{Name: name, Value: slope * unit,
			Meaning: fmt.Sprintf("%s, standard error %.3g", meaning, deviation*unit)})
		d.Effects = append(d.Effects, s.effect(name, "driver", per, step*slope, step*deviation))
	}
}

// bentDrivers are drivers whose lines are straight, or bend.
func bentDrivers(m Method, in single.Input) []variant {
	if !m.Drivers || m.Bent || m.Straight || len(m.Growing) > 0 || m.Trend == "saturating" {
		return nil
	}
	for d, driver := range in.View().Drivers() {
		if driver.KnownAhead && m.Signs[driver.Name] == 0 && manyTold(in.Driver(d, len(in.Values))) {
			bent := m
			bent.Bent = true
			return []variant{{name: "drivers in straight lines", method: m}, {name: "drivers whose lines bend", method: bent, cost: bendCost}}
		}
	}
	return nil
}

// manyTold says that a driver took many values.
func manyTold(values []float64) bool {
	seen := map[float64]bool{}
	for _, v := range values {
		if seen[v] = true; !panel.Known(v) {
			return false
		}
		if len(seen) >= manyValues {
			return true
		}
	}
	return false
}
