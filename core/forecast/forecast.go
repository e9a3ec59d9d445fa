// Package forecast is the shape of a forecast: for each series and step a mean and
// quantiles on one fixed grid of probabilities, from which any interval is read.
package forecast

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sync"

	"paperkettle/core/num"
)

// Grid is the fixed grid of probabilities, symmetric about a half. It holds the
// ends of the 50, 60, 70, 80, 90, 95, 98, 99, 99.5 and 99.9 % intervals.
var Grid = [...]float64{
	0.0005, 0.0025, 0.005, 0.01, 0.025, 0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.4, 0.5,
	0.6, 0.7, 0.75, 0.8, 0.85, 0.9, 0.95, 0.975, 0.99, 0.995, 0.9975, 0.9995,
}

// GridSize is the number of quantiles a step has.
const GridSize = len(Grid)

// Median is the grid's index of the median.
const Median = GridSize / 2

var gridNormal = func() (z [GridSize]float64) {
	for i, p := range Grid {
		z[i] = num.NormalQuantile(p)
	}
	return z
}()

var gridStudent sync.Map // of the degrees of freedom

// Student is the quantiles of Student's t at the grid's probabilities, with dof degrees of freedom.
// It is kept, and must not be written to.
func Student(dof int) *[GridSize]float64 {
	if kept, ok := gridStudent.Load(dof); ok {
		return kept.(*[GridSize]float64)
	}
	var t [GridSize]float64
	for i, p := range Grid {
		t[i] = num.StudentQuantile(p, dof)
	}
	kept, _ := gridStudent.LoadOrStore(dof, &t)
	return kept.(*[GridSize]float64)
}

// Rows is the forecast of one series: Mean[h] and Quantiles[h*GridSize+g] for
// step h+1 and Grid[g], in the measure's unit.
type Rows struct {
	// Mean is the point forecast: the mean, but where something else does better by what ranks.
	Mean      []float64
	Quantiles []float64
	// Lean is what the mean is above the point, where the point is something else.
	Lean   []float64
	Closed []bool // steps on which nothing happens, with zeros in place of a forecast; nil for none
}

// NewRows makes room for a horizon.
func NewRows(horizon int) Rows {
	return Rows{Mean: make([]float64, horizon), Quantiles: make([]float64, horizon*GridSize), Lean: make([]float64, horizon)}
}

// PointAt moves the point of a step a share of the way to its median; what the mean was stays known.
func (r Rows) PointAt(h int, share float64) {
	if move := share * (r.At(h)[Median] - r.Mean[h]); h < len(r.Lean) {
		r.Mean[h] += move
		r.Lean[h] -= move
	}
}

// Expected is the expectation of a step. Sums are made of it: medians don't add up.
func (r Rows) Expected(h int) float64 {
	if h < len(r.Lean) {
		return r.Mean[h] + r.Lean[h]
	}
	return r.Mean[h]
}

// At is the quantile row of a step, counted from 0.
func (r Rows) At(h int) []float64 { return r.Quantiles[h*GridSize : (h+1)*GridSize] }

// Close puts zeros where nothing happens, and notes it.
func (r *Rows) Close(closed func(step int) bool) {
	for h := range r.Mean {
		if !closed(h) {
			continue
		}
		if r.Closed == nil {
			r.Closed = make([]bool, len(r.Mean))
		}
		r.Closed[h] = true
		r.Mean[h] = 0
		if h < len(r.Lean) {
			r.Lean[h] = 0
		}
		clear(r.At(h))
	}
}

// IsClosed says whether nothing happens on a step, counted from 0.
func (r Rows) IsClosed(h int) bool { return r.Closed != nil && r.Closed[h] }

// From is the forecast from a step on.
func (r Rows) From(step int) Rows {
	out := Rows{Mean: r.Mean[step:], Quantiles: r.Quantiles[step*GridSize:]}
	if r.Closed != nil {
		out.Closed = r.Closed[step:]
	}
	if len(r.Lean) > step {
		out.Lean = r.Lean[step:]
	}
	return out
}

// Check says what is wrong with a forecast: a value that is not finite, or
// quantiles out of order.
func (r Rows) Check() error {
	for h, m := range r.Mean {
		if math.IsNaN(m) || math.IsInf(m, 0) {
			return fmt.Errorf("the forecast of step %d is not a finite number", h+1)
		}
		q := r.At(h)
		if math.IsNaN(q[0]) || math.IsInf(q[0], 0) || math.IsInf(q[GridSize-1], 0) || !slices.IsSorted(q) {
			return fmt.Errorf("the quantiles of step %d are not finite and in order", h+1)
		}
	}
	return nil
}

// Add adds a share of another forecast, step by step: means to means and quantiles to quantiles.
func (r Rows) Add(other Rows, share float64) {
	for h, x := range other.Mean {
		r.Mean[h] += share * x
		if h < min(len(r.Lean), len(other.Lean)) {
			r.Lean[h] += share * other.Lean[h]
		}
	}
	for g, x := range other.Quantiles {
		r.Quantiles[g] += share * x
	}
}

// Scale multiplies a forecast by a positive number.
func (r Rows) Scale(by float64) {
	for h := range r.Mean {
		r.Mean[h] *= by
		if h < len(r.Lean) {
			r.Lean[h] *= by
		}
		q := r.At(h)
		for g := range q {
			if q[g] *= by; g > 0 { // rounding must not turn neighbours round
				q[g] = max(q[g], q[g-1])
			}
		}
	}
}

// Clip raises everything below floor to it.
func (r Rows) Clip(floor float64) {
	for i, v := range r.Mean {
		if i < len(r.Lean) && min(v, v+r.Lean[i]) < floor {
			r.Lean[i] = max(v+r.Lean[i], floor) - max(v, floor)
		}
		r.Mean[i] = max(v, floor)
	}
	for i, v := range r.Quantiles {
		r.Quantiles[i] = max(v, floor)
	}
}

// Interval reads the central interval of a level in per cent (50 to 99.9) from a
// quantile row. Between grid points it interpolates on the normal-score scale.
func Interval(q []float64, level float64) (low, high float64) {
	p := (100 - level) / 200
	return Quantile(q, p), Quantile(q, 1-p)
}

// Reader reads the intervals of some levels from one quantile row after another.
type Reader struct{ low, high []place }

// place is where a probability lies on the grid: weight of the way from i to i + 1.
type place struct {
	i      int
	weight float64
}

// NewReader makes one for levels in per cent.
func NewReader(levels []float64) Reader {
	var r Reader
	for _, level := range levels {
		p := (100 - level) / 200
		r.low, r.high = append(r.low, placeOf(p)), append(r.high, placeOf(1-p))
	}
	return r
}

func placeOf(p float64) place {
	i, _ := slices.BinarySearch(Grid[:], p-probabilityTolerance)
	switch {
	case i == GridSize:
		return place{GridSize - 1, 0}
	case i == 0 || math.Abs(Grid[i]-p) <= probabilityTolerance:
		return place{i, 0}
	}
	z := num.NormalQuantile(p)
	return place{i - 1, (z - gridNormal[i-1]) / (gridNormal[i] - gridNormal[i-1])}
}

func (p place) read(q []float64) float64 {
	if p.weight == 0 {
		return q[p.i]
	}
	return q[p.i] + p.weight*(q[p.i+1]-q[p.i])
}

// Read writes each level's interval of a quantile row.
func (r Reader) Read(q, low, high []float64) {
	for k := range r.low {
		low[k], high[k] = r.low[k].read(q), r.high[k].read(q)
	}
}

// probabilityTolerance absorbs the rounding of (100-level)/200.
const probabilityTolerance = 1e-9

// Quantile reads a probability within the grid's range from a quantile row.
func Quantile(q []float64, p float64) float64 { return placeOf(p).read(q) }

// CheckLevel refuses a level that the grid does not reach.
func CheckLevel(level float64) error {
	if !(level >= 50 && level <= 99.9) {
		return fmt.Errorf("a level of %v %% can't be read: levels run from 50 to 99.9", level)
	}
	return nil
}

// Paths draws futures from the quantiles, one after another, a row of steps each. The normal scores
// of neighbouring steps have a correlation of ties: a Gaussian copula of the first order.
//
// Source: Nelsen, An introduction to copulas (2006).
func (r Rows) Paths(count int, ties float64, rnd *rand.Rand) []float64 {
	out := make([]float64, count*len(r.Mean))
	fresh := math.Sqrt(1 - ties*ties)
	for i := range count {
		z := rnd.NormFloat64()
		for h := range r.Mean {
			if h > 0 {
				z = ties*z + fresh*rnd.NormFloat64()
			}
			p := 0.5 * math.Erfc(-z/math.Sqrt2)
			out[i*len(r.Mean)+h] = Quantile(r.At(h), min(max(p, Grid[0]), Grid[GridSize-1]))
		}
	}
	return out
}
