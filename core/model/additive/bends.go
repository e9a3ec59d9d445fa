package additive

import (
	"context"
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"

	"paperkettle/core/panel"
)

// minBend is the fewest values between bends.
const minBend = 10

// mostBends bounds how many are taken, mostPlaces of how many.
const (
	mostBends  = 6
	mostPlaces = 40
)

// room gives how many places there are for bends in n periods, and where they end. A longer history
// tells more of them, by no more than the root of its length, and of one near its end little.
func (m Method) room(n int) (places int, until float64) {
	root := int(2 * math.Sqrt(float64(n)))
	last := m.LastBend
	if places = m.Bends; places < 0 {
		places = min(mostPlaces, root)
	}
	if last < 0 {
		last = max(minBend, root)
	}
	return places, max(0, float64(n-last))
}

// bends finds where the slope changes: of candidates spread over the first part of the
// history, one after another, the one that explains most of what is left, as long as the
// Bayesian criterion falls; each is then moved to its best place between its neighbours.
// Errors are whitened as the fit so far leaves them, or, loosely, as a trend leaves them
// that may bend at every candidate: a straight one can take a broken trend for a walk, and
// hide it.
//
// Source: Yao, Estimating the number of change-points via Schwarz' criterion, Statistics
// and Probability Letters 6 (1988); forward selection as in Tropp, IEEE Transactions on
// Information Theory 50 (2004).
func (w *work) bends(ctx context.Context, list []column, m Method, loosely bool) []int {
	n := len(w.y)
	candidates, until := m.room(n)
	var places []int
	for k := 1; k <= candidates; k++ {
		at := int(until * float64(k) / float64(candidates+1))
		if at >= minBend && n-at >= minBend && (len(places) == 0 || at > places[len(places)-1]) {
			places = append(places, at)
		}
	}
	if len(places) == 0 {
		return nil
	}
	if loosely {
		if err := w.loosely(ctx, append(slices.Clip(list), bent(places, n)...)); err != nil {
			return nil
		}
	}
	f := w.finder(list)
	if f == nil {
		return nil
	}
	taken := f.forward(places, cost*m.Stiffness)
	gap := max(1, int(until/float64(candidates+1)))
	for i, at := range taken {
		taken[i] = f.refine(taken, i, at-gap, at+gap, max(1, gap/6))
	}
	slices.Sort(taken)
	return slices.Compact(taken)
}

// bent are the columns of bends at places.
func bent(places []int, n int) []column {
	out := make([]column, len(places))
	for k, at := range places {
		out[k] = column{"trend", "bend", ofTrend, 0.7, make([]float64, n)}
		for i := at; i < n; i++ {
			out[k].values[i] = float64(i-at) / float64(n)
		}
	}
	return out
}

// finder weighs bends against what is left of the series, whitened.
type finder struct {
	w      *work
	count  float64 // of known values; whitened columns are 0 elsewhere
	target []float64
	basis  [][]float64 // orthonormal, of the other columns
}

func (w *work) finder(list []column) *finder {
	raw := [][]float64{w.y}
	for _, c := range list {
		raw = append(raw, c.values)
	}
	white, ok := w.s.Errs.Whiten(raw)
	if !ok {
		return nil
	}
	f := &finder{w: w, count: float64(panel.CountKnown(w.y)), target: white[0]}
	for _, x := range white[1:] {
		f.take(x)
	}
	return f
}

// take adds a column to the basis and takes its share out of the target.
func (f *finder) take(x []float64) {
	before := floats.Dot(x, x)
	project(x, f.basis)
	if after := floats.Dot(x, x); after > 1e-8*before {
		floats.Scale(1/math.Sqrt(after), x)
		f.basis = append(f.basis, x)
		project(f.target, [][]float64{x})
	}
}

// columns are those of bends, whitened and less the basis.
func (f *finder) columns(places []int) [][]float64 {
	raw := [][]float64{f.w.y}
	for _, c := range bent(places, len(f.w.y)) {
		raw = append(raw, c.values)
	}
	white, ok := f.w.s.Errs.Whiten(raw)
	if !ok {
		return nil
	}
	for _, x := range white[1:] {
		project(x, f.basis)
	}
	return white[1:]
}

// best is the column that explains most of the target, and how much.
func (f *finder) best(columns [][]float64) (at int, gain float64) {
	at = -1
	for k, x := range columns {
		if xx := floats.Dot(x, x); xx > 1e-9 {
			if c := floats.Dot(x, f.target); c*c/xx > gain {
				at, gain = k, c*c/xx
			}
		}
	}
	return at, gain
}

// forward takes bends while they are worth their size and their place.
func (f *finder) forward(places []int, cost float64) (taken []int) {
	columns := f.columns(places)
	for len(taken) < mostBends {
		total := floats.Dot(f.target, f.target)
		k, gain := f.best(columns)
		if k < 0 || f.count*math.Log((total-gain)/total)+cost*math.Log(f.count) >= 0 {
			return taken
		}
		taken = append(taken, places[k])
		f.take(slices.Clone(columns[k]))
		last := f.basis[len(f.basis)-1:]
		for _, x := range columns {
			project(x, last)
		}
	}
	return taken
}

// cost is what a bend counts in the criterion: its size, its place, and that it was picked
// from many.
const cost = 4.5

// refine moves one of the bends to where it explains most, the others as they are.
func (f *finder) refine(taken []int, i, from, to, step int) int {
	list := slices.Clone(f.basis[:len(f.basis)-len(taken)])
	white, ok := f.w.s.Errs.Whiten([][]float64{f.w.y})
	if !ok {
		return taken[i]
	}
	again := &finder{w: f.w, count: f.count, basis: list, target: white[0]}
	project(again.target, again.basis)
	var others []int
	for k, at := range taken {
		if k != i {
			others = append(others, at)
		}
	}
	for _, x := range again.columns(others) {
		again.take(x)
	}
	var places []int
	for at := max(from, minBend); at <= min(to, len(f.w.y)-minBend); at += step {
		places = append(places, at)
	}
	if k, _ := again.best(again.columns(places)); k >= 0 {
		return places[k]
	}
	return taken[i]
}

func project(x []float64, basis [][]float64) {
	for _, b := range basis {
		floats.AddScaled(x, -floats.Dot(x, b), b)
	}
}
