package panel

import (
	"context"
	"math"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/num"
)

// SpreadShares are the shares of series below each line of a spread: the lowest,
// 5 %, 25 %, the median, 75 %, 95 % and the highest.
var SpreadShares = [7]float64{0, 0.05, 0.25, 0.5, 0.75, 0.95, 1}

// Spread is the distribution over many series at each period. Lines[k][t] is the
// value below which SpreadShares[k] of the known values lie (the nearest rank), NaN
// where none is known.
type Spread struct {
	Lines [7][]float64
	Known []int
}

// spreadBlock is how many periods are gathered at once, so that the series are read
// in the order in which they lie in memory.
const spreadBlock = 64

// SpreadOf looks at the given series over the whole axis, on some workers. Where
// scaled, each series is first divided by its own mean.
func SpreadOf(p *Panel, series []int, scaled bool, workers int) Spread {
	var out Spread
	out.Known = make([]int, p.Length)
	for k := range out.Lines {
		out.Lines[k] = unknowns(p.Length)
	}
	unit := make([]float64, len(series))
	for i, s := range series {
		unit[i] = 1
		if scaled {
			unit[i] = finite(1 / meanOf(p.Series[s].Values))
		}
	}
	blocks := (p.Length + spreadBlock - 1) / spreadBlock
	err := num.EachWith(context.Background(), workers, blocks, func() *gatherer { return newGatherer(len(series)) }, func(g *gatherer, block int) {
		start := block * spreadBlock
		lines := g.countedLines
		if scaled || !g.count(p, series, start) {
			g.gather(p, series, unit, start)
			lines = g.lines
		}
		for t := start; t < min(start+spreadBlock, p.Length); t++ {
			out.Known[t] = lines(t-start, func(k int, v float64) { out.Lines[k][t] = v })
		}
	})
	if err != nil { // a fault of the program's own: nothing is made up in its place
		panic(err)
	}
	return out
}

// meanOf is the mean of the known values; unknown where there is none.
func meanOf(values []float64) float64 {
	sum, n := 0.0, 0.0
	for _, v := range values {
		if Known(v) {
			sum += v
			n++
		}
	}
	return sum / n
}

type gatherer struct {
	columns [spreadBlock][]float64
	counts  [spreadBlock][countedBelow]uint32
	order   num.OrderScratch
	ranks   []int
	found   []float64
}

func newGatherer(n int) *gatherer {
	g := &gatherer{ranks: make([]int, 0, len(SpreadShares)), found: make([]float64, len(SpreadShares))}
	for i := range g.columns {
		g.columns[i] = make([]float64, 0, n)
	}
	return g
}

// countedBelow bounds the whole numbers that are counted instead of sorted.
const countedBelow = 4096

// count counts a block's values where all are small whole numbers, as counts of sold
// pieces are; it is false where one is not.
func (g *gatherer) count(p *Panel, series []int, start int) bool {
	for i := range g.counts {
		clear(g.counts[i][:])
	}
	for _, id := range series {
		s := &p.Series[id]
		lo, hi := max(start, s.First), min(start+spreadBlock, s.End())
		if lo >= hi {
			continue
		}
		counts := g.counts[lo-start : hi-start]
		for k, v := range s.Values[lo-s.First : hi-s.First] {
			n := int(v)
			switch {
			case n >= 0 && n < countedBelow && float64(n) == v:
				counts[k][n]++
			case v == v:
				return false
			}
		}
	}
	return true
}

// countedLines reads the order statistics off the counts.
func (g *gatherer) countedLines(column int, put func(k int, v float64)) int {
	counts := &g.counts[column]
	total := 0
	for _, c := range counts {
		total += int(c)
	}
	if total == 0 {
		return 0
	}
	k, below := 0, 0
	for v := range counts {
		below += int(counts[v])
		for k < len(SpreadShares) && int(math.Round(SpreadShares[k]*float64(total-1))) < below {
			put(k, float64(v))
			k++
		}
	}
	return total
}

func (g *gatherer) gather(p *Panel, series []int, unit []float64, start int) {
	for i := range g.columns {
		g.columns[i] = g.columns[i][:0]
	}
	for i, id := range series {
		s := &p.Series[id]
		lo, hi := max(start, s.First), min(start+spreadBlock, s.End())
		if lo >= hi {
			continue
		}
		columns := g.columns[lo-start : hi-start]
		for k, v := range s.Values[lo-s.First : hi-s.First] {
			if v *= unit[i]; v == v {
				columns[k] = append(columns[k], v)
			}
		}
	}
}

func (g *gatherer) lines(column int, put func(k int, v float64)) int {
	x := g.columns[column]
	if len(x) == 0 {
		return 0
	}
	g.ranks = g.ranks[:0]
	for _, share := range SpreadShares {
		g.ranks = append(g.ranks, int(math.Round(share*float64(len(x)-1))))
	}
	num.OrderStatistics(x, g.ranks, g.found, &g.order)
	for k, v := range g.found {
		put(k, v)
	}
	return len(x)
}

// Place is one place of a seasonal profile: the mean and the middle half of the
// values that fall on it, relative to the series' mean where that is not zero.
type Place struct {
	Mean, Low, High float64
	Known           int
}

// Profile sorts a series' values by their place in a calendar cycle.
func Profile(p *Panel, s *Series, by calendar.Position) ([]Place, error) {
	place, n, err := p.Cadence.Places(by)
	if err != nil {
		return nil, err
	}
	groups := make([][]float64, n)
	for i, v := range s.Values {
		if Known(v) {
			k := place(p.Ordinal(s.First + i))
			groups[k] = append(groups[k], v)
		}
	}
	out := make([]Place, n)
	for k, x := range groups {
		out[k] = Place{Unknown, Unknown, Unknown, len(x)}
		if len(x) == 0 {
			continue
		}
		slices.Sort(x)
		mean, _ := meanError(x)
		out[k] = Place{mean, between(x, 0.25), between(x, 0.75), len(x)}
	}
	return out, nil
}

// between is a quantile of sorted values, interpolated at p(n-1).
func between(x []float64, p float64) float64 {
	at := p * float64(len(x)-1)
	i := min(int(at), len(x)-2)
	if i < 0 {
		return x[0]
	}
	return x[i] + (at-float64(i))*(x[i+1]-x[i])
}

// Autocorrelation is the sample autocorrelation at lags 1..n, over the pairs of which
// both values are known; NaN where there are fewer than three.
//
// Source: Box and Jenkins, Time Series Analysis (1970), section 2.1.
func Autocorrelation(values []float64, n int) []float64 {
	f := factsOf(values)
	variance := 0.0
	for _, v := range values {
		if Known(v) {
			variance += (v - f.mean) * (v - f.mean)
		}
	}
	out := unknowns(n)
	for lag := 1; lag <= n && variance > 0; lag++ {
		sum, pairs := 0.0, 0
		for t := lag; t < len(values); t++ {
			if d := (values[t] - f.mean) * (values[t-lag] - f.mean); d == d {
				sum += d
				pairs++
			}
		}
		if pairs >= 3 {
			out[lag-1] = sum / variance
		}
	}
	return out
}
