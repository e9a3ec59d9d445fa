// Package influence finds what moves series beside their own drivers of the same period: what is done to those beside
// them, as a kind of coffee whose neighbours on the shelf are cheap this week sells less though its own price stays; and
// what was done before, as it sells less in the week after its price was cut, for cupboards are full.
//
// What the series' own drivers leave of them, in logs, next to their means over the periods around, is regressed on
// further columns, with the same slopes for all. Periods fall into ten stretches, each foretold by slopes learnt from the
// other nine. Columns count where that makes what is left smaller in one stretch as in another, so that it would hardly
// be by chance, and by enough to matter.
//
// Source: residuals of residuals: Frisch and Waugh, Partial time regressions as compared with individual trends,
// Econometrica 1 (1933); left out in turns: Stone, Cross-validatory choice and assessment of statistical predictions,
// Journal of the Royal Statistical Society B 36 (1974).
package influence

import (
	"math"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"

	"paperkettle/core/panel"
)

const (
	stretches = 10
	// leastGain is the share of what own drivers leave that must be foretold, and byChance how probable it may be where
	// the columns do nothing.
	leastGain = 0.01
	byChance  = 0.01
	// fewestRows is from how many periods on a series tells.
	fewestRows = 20
)

// evidence are the products of what is left of further columns and of the series, by stretch.
type evidence struct {
	xx     []*mat.SymDense
	xy     [][]float64
	yy     []float64
	series int // that tell
}

// gather takes in all series of a view, of whose drivers the first are known to count and the rest are in question.
func gather(v panel.View, known, upTo int) *evidence {
	columns := len(v.Drivers()) - known
	e := &evidence{xx: make([]*mat.SymDense, stretches), xy: make([][]float64, stretches), yy: make([]float64, stretches)}
	for b := range stretches {
		e.xx[b], e.xy[b] = mat.NewSymDense(columns, nil), make([]float64, columns)
	}
	for i := range v.Len() {
		if e.add(v.Series(i), known, upTo, v.Cadence().Season()) {
			e.series++
		}
	}
	return e
}

// add takes in a series; it says whether that tells anything.
func (e *evidence) add(s panel.SeriesView, own, upTo, season int) bool {
	beside := len(e.xy[0])
	n := len(s.Values)
	columns := make([][]float64, 0, 1+own+beside) // the series in logs, its own drivers, the further columns
	columns = append(columns, logs(s.Values))
	for d := range own + beside {
		columns = append(columns, inLogs(s.Driver(d, n)))
	}
	at := together(columns)
	if len(at) < max(fewestRows, 3*(own+beside)) {
		return false
	}
	for k, c := range columns {
		columns[k] = around(c, at, season)
	}
	known := orthogonal(columns[1 : 1+own])
	y := less(columns[0], known)
	size := math.Sqrt(dot(y, y) / float64(len(y)))
	if !(size > 1e-9) {
		return false
	}
	x := make([][]float64, beside)
	for k := range x {
		x[k] = less(columns[1+own+k], known)
	}
	for r, t := range at {
		b := min(stretches-1, (s.First+t)*stretches/(upTo+1))
		for j := range x {
			e.xy[b][j] += x[j][r] * y[r] / size
			for k := j; k < len(x); k++ {
				e.xx[b].SetSym(j, k, e.xx[b].At(j, k)+x[j][r]*x[k][r])
			}
		}
		e.yy[b] += y[r] * y[r] / (size * size)
	}
	return true
}

// all are the places of all columns.
func (e *evidence) all() []int {
	out := make([]int, len(e.xy[0]))
	for j := range out {
		out[j] = j
	}
	return out
}

// believed is the share of a stretch that some columns foretell, in the mean; 0 where that is too little to matter, or
// may be chance.
func (e *evidence) believed(columns []int) float64 {
	gains := e.gains(columns)
	if len(gains) < stretches/2 {
		return 0
	}
	if mean := stat.Mean(gains, nil); mean >= leastGain && hardlyByChance(gains, byChance) {
		return mean
	}
	return 0
}

// hardlyByChance says that the mean of some gains is above zero by a t test.
func hardlyByChance(gains []float64, level float64) bool {
	mean, dev := stat.MeanStdDev(gains, nil)
	n := float64(len(gains))
	return mean > dev/math.Sqrt(n)*distuv.StudentsT{Sigma: 1, Nu: n - 1}.Quantile(1-level)
}

// gains are the shares of each stretch that are foretold by slopes of some columns, learnt from the others.
func (e *evidence) gains(columns []int) (out []float64) {
	n := len(columns)
	xx, xy := make([]*mat.SymDense, stretches), make([]*mat.VecDense, stretches)
	for b := range stretches {
		xx[b], xy[b] = mat.NewSymDense(n, nil), mat.NewVecDense(n, nil)
		for i, j := range columns {
			xy[b].SetVec(i, e.xy[b][j])
			for k := i; k < n; k++ {
				xx[b].SetSym(i, k, e.xx[b].At(j, columns[k]))
			}
		}
	}
	for b := range stretches {
		if e.yy[b] == 0 {
			continue
		}
		slopes, ok := slopesWithout(b, xx, xy)
		if !ok {
			return nil
		}
		out = append(out, (2*mat.Dot(slopes, xy[b])-mat.Inner(slopes, xx[b], slopes))/e.yy[b])
	}
	return out
}

// slopesWithout are learnt from all stretches but one.
func slopesWithout(b int, xx []*mat.SymDense, xy []*mat.VecDense) (*mat.VecDense, bool) {
	n := xy[b].Len()
	g, c := mat.NewSymDense(n, nil), mat.NewVecDense(n, nil)
	for other := range xx {
		if other != b {
			g.AddSym(g, xx[other])
			c.AddVec(c, xy[other])
		}
	}
	for j := range n {
		g.SetSym(j, j, g.At(j, j)*(1+1e-6)+1e-9)
	}
	var chol mat.Cholesky
	slopes := mat.NewVecDense(n, nil)
	return slopes, chol.Factorize(g) && chol.SolveVecTo(slopes, c) == nil
}
