// Package neighbours finds whether series sell more or less by what is done to those beside them: a kind of coffee whose
// neighbours on the shelf are cheap this week sells less, though its own price stays.
//
// What the series' own drivers leave of them, in logs, next to their means over the periods around, is regressed on the
// drivers of their neighbours, with the same slopes for all. Periods fall into ten stretches, each foretold by slopes
// learnt from the other nine. Neighbours count where that makes what is left smaller in one stretch as in another, so
// that it would hardly be by chance, and by enough to matter.
//
// Source: residuals of residuals: Frisch and Waugh, Partial time regressions as compared with individual trends,
// Econometrica 1 (1933); left out in turns: Stone, Cross-validatory choice and assessment of statistical predictions,
// Journal of the Royal Statistical Society B 36 (1974). Of sales that move to what is cheaper beside them: Guadagni and
// Little, A logit model of brand choice calibrated on scanner data, Marketing Science 2 (1983).
package neighbours

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"

	"paperkettle/core/panel"
)

const (
	stretches = 10
	// leastGain is the share of what own drivers leave that must be foretold by neighbours, and byChance how probable
	// it may be where they do nothing.
	leastGain = 0.01
	byChance  = 0.01
	// fewestRows is from how many periods on a series tells, and fewestSeries how many must.
	fewestRows, fewestSeries = 20, 3
	// mostSeries are looked at, in whole groups.
	mostSeries = 2000
	// mostAttributes are combined in every way; of more, each alone, and all but one.
	mostAttributes = 4
	// mostTogether is how many series may be neighbours only because they are of one dataset.
	mostTogether = 60
)

// Find gives the attributes that series must share for the drivers of the one to count for the other, by what is known up
// to an axis index: none at all where all series of the panel are neighbours, and nil where neighbours do not count.
// Only the chosen series must be foretold better.
func Find(p *panel.Panel, chosen []int, f panel.Fillings, upTo int) (by []string) {
	if !slices.ContainsFunc(p.Drivers, func(d panel.Driver) bool { return d.KnownAhead }) || len(chosen) < fewestSeries {
		return nil
	}
	best := leastGain
	for _, candidate := range candidates(p) {
		part, places := some(p, chosen, candidate)
		if gain := worth(part, places, candidate, f, upTo); gain > best {
			by, best = candidate, gain
		}
	}
	return by
}

// candidates are the ways to be neighbours that differ, those by fewer attributes first.
func candidates(p *panel.Panel) (out [][]string) {
	seen := map[string]bool{}
	for _, set := range subsets(len(p.Attributes)) {
		by := make([]string, len(set))
		for k, a := range set {
			by[k] = p.Attributes[a].Name
		}
		groups := p.Grouped(by)
		if !worthTrying(groups, len(p.Series), len(by) == 0) {
			continue
		}
		if key := keyOf(groups); !seen[key] {
			seen[key] = true
			out = append(out, by)
		}
	}
	return out
}

// subsets are those of some attributes: all proper ones of few, none, each alone and all but one of many.
func subsets(n int) (out [][]int) {
	for bits := range 1 << min(n, mostAttributes) {
		var set []int
		for a := range min(n, mostAttributes) {
			if bits>>a&1 == 1 {
				set = append(set, a)
			}
		}
		if len(set) < n {
			out = append(out, set)
		}
	}
	for a := mostAttributes; a < n; a++ {
		out = append(out, []int{a})
	}
	for a := 0; a < n && n > mostAttributes; a++ {
		var set []int
		for b := range n {
			if b != a {
				set = append(set, b)
			}
		}
		out = append(out, set)
	}
	slices.SortStableFunc(out, func(a, b []int) int { return len(a) - len(b) })
	return out
}

// worthTrying says that half of the series have neighbours, and not too many for no reason.
func worthTrying(groups [][]int, series int, noReason bool) bool {
	alone := 0
	for _, g := range groups {
		if len(g) == 1 {
			alone++
		}
	}
	return 2*alone <= series && !(noReason && series > mostTogether)
}

// keyOf tells groupings apart.
func keyOf(groups [][]int) string {
	key := make([]byte, 0, 4*len(groups))
	for _, g := range groups {
		for _, i := range g {
			key = append(key, byte(i), byte(i>>8), byte(i>>16), ',')
		}
		key = append(key, ';')
	}
	return string(key)
}

// some is the panel with as many whole groups as are looked at, spread evenly over them, and the places of the chosen
// series in it.
func some(p *panel.Panel, chosen []int, by []string) (*panel.Panel, []int) {
	groups := p.Grouped(by)
	every := (len(p.Series) + mostSeries - 1) / mostSeries
	var kept []int
	for k := 0; k < len(groups); k += every {
		kept = append(kept, groups[k]...)
	}
	slices.Sort(kept)
	wanted := make(map[int]bool, len(chosen))
	for _, i := range chosen {
		wanted[i] = true
	}
	var places []int
	for k, i := range kept {
		if wanted[i] {
			places = append(places, k)
		}
	}
	return p.Some(kept), places
}

// worth is the share of what own drivers leave that neighbours foretell; 0 where that may be chance.
func worth(p *panel.Panel, chosen []int, by []string, f panel.Fillings, upTo int) float64 {
	n := p.NeighboursBy(by, f, upTo)
	if n.Len() == 0 {
		return 0
	}
	plain := panel.NewView(p, chosen, 0, upTo).WithAhead(nil, 0).WithFillings(f)
	own := len(plain.Drivers())
	v, e, told := plain.WithNeighbours(n), newEvidence(n.Len()), 0
	for i := range v.Len() {
		if e.add(v.Series(i), own, n.Len(), upTo, v.Cadence().Season()) {
			told++
		}
	}
	if told < fewestSeries {
		return 0
	}
	return e.gain()
}

// evidence are the products of what is left of the drivers of neighbours and of the series, by stretch.
type evidence struct {
	xx []*mat.SymDense
	xy [][]float64
	yy []float64
}

func newEvidence(columns int) *evidence {
	e := &evidence{xx: make([]*mat.SymDense, stretches), xy: make([][]float64, stretches), yy: make([]float64, stretches)}
	for b := range stretches {
		e.xx[b], e.xy[b] = mat.NewSymDense(columns, nil), make([]float64, columns)
	}
	return e
}

// add takes in a series; it says whether that tells anything.
func (e *evidence) add(s panel.SeriesView, own, beside, upTo, season int) bool {
	n := len(s.Values)
	columns := make([][]float64, 0, 1+own+beside) // the series in logs, its drivers, its neighbours'
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

// gain is the mean share of a stretch that is foretold by slopes learnt from the others; 0 where that may be chance.
func (e *evidence) gain() float64 {
	columns := len(e.xy[0])
	var gains []float64
	for b := range stretches {
		if e.yy[b] == 0 {
			continue
		}
		xx, xy := mat.NewSymDense(columns, nil), mat.NewVecDense(columns, nil)
		for c := range stretches {
			if c != b {
				xx.AddSym(xx, e.xx[c])
				xy.AddVec(xy, mat.NewVecDense(columns, e.xy[c]))
			}
		}
		for j := range columns {
			xx.SetSym(j, j, xx.At(j, j)*(1+1e-6)+1e-9)
		}
		var chol mat.Cholesky
		slopes := mat.NewVecDense(columns, nil)
		if !chol.Factorize(xx) || chol.SolveVecTo(slopes, xy) != nil {
			return 0
		}
		gain := 2*mat.Dot(slopes, mat.NewVecDense(columns, e.xy[b])) - mat.Inner(slopes, e.xx[b], slopes)
		gains = append(gains, gain/e.yy[b])
	}
	if len(gains) < stretches/2 {
		return 0
	}
	mean, dev := stat.MeanStdDev(gains, nil)
	count := float64(len(gains))
	times := distuv.StudentsT{Sigma: 1, Nu: count - 1}.Quantile(1 - byChance)
	if mean <= times*dev/math.Sqrt(count) {
		return 0
	}
	return mean
}
