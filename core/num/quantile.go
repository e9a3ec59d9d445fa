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
// Values are counted into equal-width buckets; only those in a bucket that holds a
// wanted rank are gathered and sorted. Ties and outliers at worst make it an
// ordinary sort.
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
	nb := min(len(x)/4+1, maxBuckets)
	scale := float64(nb) / (hi - lo)
	if nb < 8 || math.IsInf(scale, 0) || math.IsNaN(scale) {
		slices.Sort(x)
		for i, r := range ranks {
			out[i] = x[r]
		}
		return
	}
	scratch.grow(len(x))
	bucket, count, slot := scratch.bucket[:len(x)], scratch.count[:nb+1], scratch.slot[:nb+1]
	clear(count)
	// Rounding may put the largest value into bucket nb, so there is one more.
	for i, v := range x {
		b := uint16((v - lo) * scale)
		bucket[i] = b
		count[b]++
	}
	ranges := scratch.gather(ranks, count, slot)
	sorted := scratch.sorted
	for i, b := range bucket {
		if s := slot[b]; s >= 0 {
			sorted[s] = x[i]
			slot[b] = s + 1
		}
	}
	at := 0
	for _, r := range ranges {
		part := sorted[r.start:r.end]
		slices.Sort(part)
		for ; at < len(ranks) && ranks[at] < r.rank+len(part); at++ {
			out[at] = part[ranks[at]-r.rank]
		}
	}
}

// maxBuckets keeps a bucket's number in 16 bits.
const maxBuckets = 1<<16 - 2

// OrderScratch is the working space of OrderStatistics, to be reused.
type OrderScratch struct {
	bucket      []uint16
	count, slot []int32
	sorted      []float64
	ranges      []bucketRange
}

// bucketRange is a wanted bucket: its place in sorted and the rank of its first value.
type bucketRange struct{ start, end, rank int }

func (s *OrderScratch) grow(n int) {
	if cap(s.bucket) < n {
		s.bucket, s.sorted = make([]uint16, n), make([]float64, n)
		buckets := min(n/4+1, maxBuckets) + 1
		s.count, s.slot = make([]int32, buckets), make([]int32, buckets)
	}
}

// gather gives each bucket that holds a wanted rank its place, and the others none.
func (s *OrderScratch) gather(ranks []int, count, slot []int32) []bucketRange {
	s.ranges = s.ranges[:0]
	at, rank, used := 0, 0, 0
	for b, n := range count {
		slot[b] = -1
		if at < len(ranks) && ranks[at] < rank+int(n) {
			slot[b] = int32(used)
			s.ranges = append(s.ranges, bucketRange{used, used + int(n), rank})
			used += int(n)
			for at < len(ranks) && ranks[at] < rank+int(n) {
				at++
			}
		}
		rank += int(n)
	}
	return s.ranges
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
