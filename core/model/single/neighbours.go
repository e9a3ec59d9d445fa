package single

import (
	"cmp"
	"math"
	"slices"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// neighbours are what the values of a series are compared with: for each, the middle of those before it and of those
// after, and of its place in each season before and after; unknown where there are none.
type neighbours struct {
	y, before []float64
	all       []float64 // each value's one after another
	each      int
}

func newNeighbours(y []float64, seasons []int) neighbours {
	backwards := slices.Clone(y)
	slices.Reverse(backwards)
	after := trailing(backwards, besideOdd)
	slices.Reverse(after)
	n := neighbours{y: y, before: trailing(y, besideOdd), each: 2 + 2*len(seasons)}
	n.all = make([]float64, 0, n.each*len(y))
	last := len(y) - 1
	for last >= 0 && !panel.Known(y[last]) {
		last--
	}
	for i := range y {
		next := after[i]
		if i == last { // nothing follows yet: it may agree with the one before it
			next = num.LastKnown(y[:i])
		}
		n.all = append(n.all, n.before[i], next)
		for _, season := range seasons {
			n.all = append(n.all, beside(y, i, -season), beside(y, i, season))
		}
	}
	return n
}

// from is how far a value at a place is from the nearest of what it is compared with.
func (n neighbours) from(v float64, i int) float64 {
	d := panel.Unknown
	for _, c := range n.all[i*n.each : (i+1)*n.each] {
		d = nearer(math.Abs(v-c), d)
	}
	return d
}

// times is how many times the one the other is, of a value at a place and the nearest of what it is compared with;
// endless where one of them is zero.
func (n neighbours) times(v float64, i int) float64 {
	t := panel.Unknown
	for _, c := range n.all[i*n.each : (i+1)*n.each] {
		switch {
		case v == c:
			return 1
		case v > c:
			t = nearer(v/c, t)
		case v < c:
			t = nearer(c/v, t)
		}
	}
	return t
}

// anyLow says that some value is far below the middle of those before it: else none has fallen.
func (n neighbours) anyLow() bool {
	for i, v := range n.y {
		if lowest*v < n.before[i] {
			return true
		}
	}
	return false
}

// slipped is by how many times a value that was typed or read with its point in another place is too large.
var slipped = []float64{10, 100, 1000, 0.1, 0.01, 0.001}

// slip says that some power of ten puts a value as near its neighbours as is usual, by a measure of that.
func (n neighbours) slip(i int, usual float64, far func(v float64, i int) float64) bool {
	return slices.ContainsFunc(slipped, func(by float64) bool { return far(n.y[i]/by, i) <= usual })
}

const (
	// lowest is by how many times a value has fallen at least that is looked at.
	lowest = 4
	// neverNear is the most that any other value is below or above its neighbours, as a log, where one of zero
	// was not counted.
	neverNear = 1.0
	// apartSlip is how many times as far as any other, in logs, a slip must be at least.
	apartSlip = 2.0
)

// fallen are the places of values that levels do not show to be mistakes, since they stray far themselves, but ratios
// do: zeros in a series that never comes near zero, and values with their point too far left.
func fallen(y []float64, near neighbours) []int {
	if !near.anyLow() || slices.ContainsFunc(y, func(v float64) bool { return v < 0 }) {
		return nil
	}
	var order []int
	far := make([]float64, len(y))
	for i, v := range y {
		if far[i] = near.times(v, i); panel.Known(far[i]) {
			order = append(order, i)
		}
	}
	n := len(order)
	if n < fewestOdd {
		return nil
	}
	last := order[n-1]
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(far[b], far[a]) })
	usual := far[order[n/2]]
	apart := apartSlip * (1 + fewOdd/float64(n))
	zeros, odd := 0, 0
	for k, i := range order[:max(3, n/mostMistakes)] {
		below := math.Log(far[order[k+1]])
		switch {
		case i == last: // which has its own rules
			return order[:odd]
		case y[i] == 0:
			if zeros++; zeros <= max(2, n/mostMistakes) && below <= neverNear {
				odd = k + 1
			}
		case y[i] < near.before[i] && near.slip(i, math.Pow(usual, slipOdd), near.times):
			if math.Log(far[i]) > max(apart*below, usualOdd*math.Log(usual)) {
				odd = k + 1
			}
		default:
			return order[:odd]
		}
	}
	return order[:odd]
}
