package model

import (
	"fmt"
	"math"
	"slices"
	"sync"

	"gonum.org/v1/gonum/floats"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Stack weighs members by what the pasts of all series that are combined together show of them jointly:
// who errs where others do not, and not only by how much each errs alone.
type Stack struct {
	pasts []Past
	mu    sync.Mutex
	kept  map[string][]float64
}

// StackOf is of the pasts of series that are combined together.
func StackOf(list []Past) *Stack { return &Stack{pasts: slices.Clone(list)} }

const (
	// stackHeld, over the number of members, is how many windows of one series the weights held to count for as
	// much as: of many members some are alike, which shows jointly alone. n series count for the root of n, as
	// they err alike at a time.
	stackHeld = 18.0
	// stackRounds is how often errors are weighed anew, and leastShare the share of the mean error below
	// which one no longer weighs more.
	stackRounds = 20
	leastShare  = 0.05
)

// Weights are those of some members by which the weighted forecasts would have erred least, in absolute
// errors next to the members' mean on each series. They are not negative, add up to 1, and are held towards
// others, which must be the same for all series. Nil where nothing tells.
//
// Source: Breiman, Stacked regressions, Machine Learning 24 (1996), for weights that are not negative, found
// on what was not learnt from; Schlossmacher, An iterative technique for absolute deviations curve fitting,
// Journal of the American Statistical Association 68 (1973); Hoerl and Kennard, Ridge regression,
// Technometrics 12 (1970), for the hold.
func (s *Stack) Weights(members []int, towards []float64) []float64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	key := fmt.Sprint(members)
	if w, ok := s.kept[key]; ok {
		return w
	}
	if s.kept == nil {
		s.kept = map[string][]float64{}
	}
	s.kept[key] = s.weigh(members, towards)
	return s.kept[key]
}

func (s *Stack) weigh(members []int, towards []float64) []float64 {
	rows, told := s.errors(members)
	if len(rows) == 0 || told == 0 {
		return nil
	}
	w := append([]float64(nil), towards...)
	for range stackRounds {
		next := num.OnSimplex(heldTo(products(rows, w), towards, stackHeld/float64(len(w))/told))
		for i := range w {
			w[i] = (w[i] + next[i]) / 2
		}
	}
	return w
}

// errors are the members' errors at the points where all are known, each series' next to their mean size, and
// how many windows of one series they tell as much as.
func (s *Stack) errors(members []int) (rows [][]float64, told float64) {
	windows, series := 0.0, 0.0
	for _, p := range s.pasts {
		var own [][]float64
		size := 0.0
		for t := range p.Actual {
			row := make([]float64, len(members))
			for k, m := range members {
				row[k] = p.Errors[m][t]
			}
			if panel.CountKnown(row) == len(row) {
				own, size = append(own, row), size+floats.Norm(row, 1)/float64(len(row))
			}
		}
		if size == 0 {
			continue
		}
		for _, row := range own {
			for k := range row {
				row[k] *= float64(len(own)) / size
			}
		}
		rows, windows, series = append(rows, own...), windows+p.Windows, series+1
	}
	return rows, windows / math.Sqrt(max(1, series)) // the mean number of windows, times the root of that of series
}

// products are those of the members' errors, each point by the inverse of the size of the error with weights w.
func products(rows [][]float64, w []float64) [][]float64 {
	k := len(w)
	s, sizes, mean := make([][]float64, k), make([]float64, len(rows)), 0.0
	for i := range s {
		s[i] = make([]float64, k)
	}
	for i, row := range rows {
		sizes[i] = math.Abs(floats.Dot(row, w))
		mean += sizes[i] / float64(len(rows))
	}
	for i, row := range rows {
		by := 1 / (max(sizes[i], leastShare*mean) + 1e-12) / float64(len(rows))
		for a := range k {
			for b := range k {
				s[a][b] += by * row[a] * row[b]
			}
		}
	}
	return s
}

// heldTo adds what weights are apart from others, squared, times a share of the mean of the diagonal. As they
// add up to 1 that is a form in them: of (I - others 1')'(I - others 1').
func heldTo(s [][]float64, others []float64, share float64) [][]float64 {
	k, trace := len(s), 0.0
	for i := range s {
		trace += s[i][i]
	}
	ridge := share * trace / float64(k)
	square := floats.Dot(others, others)
	for a := range s {
		for b := range s {
			s[a][b] += ridge * (square - others[a] - others[b])
		}
		s[a][a] += ridge
	}
	return s
}
