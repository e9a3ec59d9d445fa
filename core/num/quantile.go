// Package num has the kernels that models share: order statistics, normal and
// Student quantiles, and random streams.
package num

import (
	"math"
	"slices"
	"sync"

	"gonum.org/v1/gonum/stat/distuv"
)

// OrderStatistics puts the order statistics of x at the given ranks (ascending,
// 0 the smallest) into out, in time linear in len(x) for spread-out data. It may
// reorder x, which must hold no NaN.
//
// Values are thrown into equal-width buckets and only buckets that hold a wanted
// rank are sorted; ties and outliers at worst make it an ordinary sort.
func OrderStatistics(x []float64, ranks []int, out []float64, scratch *OrderScratch) {
	lo, hi := x[0], x[0]
	for _, v := range x { // faster than slices.Min and Max, which mind NaN
		if v < lo {
			lo = v
		}
		if v > hi {
			hi = v
		}
	}
	nb := len(x)/4 + 1
	scale := float64(nb) / (hi - lo)
	if nb < 8 || math.IsInf(scale, 0) || math.IsNaN(scale) {
		slices.Sort(x)
		for i, r := range ranks {
			out[i] = x[r]
		}
		return
	}
	scratch.grow(len(x), nb)
	start, sorted := scratch.start[:nb+1], scratch.sorted[:len(x)]
	clear(start)
	bucket := func(v float64) int { return min(int((v-lo)*scale), nb-1) }
	for _, v := range x {
		start[bucket(v)+1]++
	}
	for b := range nb {
		start[b+1] += start[b]
	}
	next := scratch.next[:nb]
	copy(next, start)
	for _, v := range x {
		b := bucket(v)
		sorted[next[b]] = v
		next[b]++
	}
	b, done := 0, -1
	for i, r := range ranks {
		for int(start[b+1]) <= r {
			b++
		}
		if b != done {
			slices.Sort(sorted[start[b]:start[b+1]])
			done = b
		}
		out[i] = sorted[r]
	}
}

// OrderScratch is the working space of OrderStatistics, to be reused.
type OrderScratch struct {
	start, next []int32
	sorted      []float64
}

func (s *OrderScratch) grow(n, buckets int) {
	if cap(s.sorted) < n {
		s.sorted = make([]float64, n)
	}
	if cap(s.start) < buckets+1 {
		s.start, s.next = make([]int32, buckets+1), make([]int32, buckets+1)
	}
}

// NormalQuantile is the standard normal quantile of p.
func NormalQuantile(p float64) float64 { return distuv.UnitNormal.Quantile(p) }

// NormalCDF is the standard normal distribution function.
func NormalCDF(z float64) float64 { return distuv.UnitNormal.CDF(z) }

var studentCache sync.Map // studentKey -> float64

type studentKey struct {
	p   float64
	dof int
}

// StudentQuantile is the quantile of p of Student's t with dof degrees of
// freedom. Results are kept, since finding one is slow.
func StudentQuantile(p float64, dof int) float64 {
	key := studentKey{p, dof}
	if v, ok := studentCache.Load(key); ok {
		return v.(float64)
	}
	v := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(dof)}.Quantile(p)
	studentCache.Store(key, v)
	return v
}
