package model

import (
	"math"

	"paperkettle/core/forecast"
)

// Combiner makes one forecast of a series out of those of other contenders.
type Combiner interface {
	// Members names them; none means every contender that is no combiner itself.
	Members() []string
	// Combine weighs the members' forecasts of one series by what is past. The weights
	// add up to 1; members without a forecast, whose Mean is nil, get none.
	Combine(members []forecast.Rows, past Past) (forecast.Rows, []float64, error)
}

// Past is what is known of the members on a series before the forecast's origin.
type Past struct {
	// Errors holds, for each member, the forecast less the actual at the assessed
	// periods of earlier windows, in order of time; Actual the actuals there. NaN where
	// unknown. All empty where no window has passed.
	Errors [][]float64
	Actual []float64
	// Windows is how many windows these are, overlapping ones for less: errors of one window go together.
	Windows float64
	// Scores are the members' values of the ranking metric there, less being better; NaN
	// where unknown.
	Scores []float64
	// Beats says which members have beaten the usual one, over all series that are combined
	// together; empty where nothing tells.
	Beats []bool
	// Usual is the member to take where nothing tells: the baseline, or the first.
	Usual int
	// Together is what Apart says in the mean over all series that are combined together, and
	// TogetherByScore what ApartByScore does; empty where nothing tells.
	Together, TogetherByScore []float64
	// HeldBy is how many windows of a series' own past count for as much as what all series show; 0
	// where nothing tells.
	HeldBy float64
	// Stack is what all series show of the members jointly; nil where nothing tells.
	Stack *Stack
}

// Apart is by which share each member's mean absolute error on the series is above the mean of all
// members', NaN for one without errors.
func (p Past) Apart() []float64 {
	sizes := make([]float64, len(p.Errors))
	for m, e := range p.Errors {
		sizes[m] = meanSize(e)
	}
	return apart(sizes)
}

// ApartByScore is the same of the ranking metric.
func (p Past) ApartByScore() []float64 { return apart(p.Scores) }

// mostApart bounds how much worse a member is on one series.
const mostApart = 1.5

func apart(values []float64) []float64 {
	out := make([]float64, len(values))
	mean := meanSize(values)
	for m, v := range values {
		switch {
		case mean > 0:
			out[m] = min(mostApart, v/mean-1)
		case v != v:
			out[m] = v
		}
	}
	return out
}

func meanSize(x []float64) float64 {
	sum, n := 0.0, 0.0
	for _, v := range x {
		if v == v {
			sum, n = sum+math.Abs(v), n+1
		}
	}
	return sum / n
}

// Pool tells each past what all of them show together.
func Pool(list []Past) {
	together, byScore, held := pooled(list, Past.Apart), pooled(list, Past.ApartByScore), heldBy(list)
	stack := StackOf(list)
	for i := range list {
		list[i].Together, list[i].TogetherByScore, list[i].HeldBy, list[i].Stack = together, byScore, held, stack
	}
}

const (
	// usuallyHeld is HeldBy where there are few series, and fewTell how many series count for as much as
	// that.
	usuallyHeld = 4
	fewTell     = 8
	// leastOwn and mostOwn bound the share of what a series' own past says.
	leastOwn = 0.02
	mostOwn  = 0.95
)

// heldBy finds how reliable it is what series' own pasts say: how far one half of each agrees with the
// other across series.
//
// Source: Spearman, Correlation calculated from faulty data, and Brown, Some experimental results in the
// correlation of mental abilities, British Journal of Psychology 3 (1910).
func heldBy(list []Past) float64 {
	var both, squares, windows, n float64
	var first, second [][]float64
	for _, p := range list {
		a, b := p.half(0).Apart(), p.half(1).Apart()
		if len(a) == 0 || p.Windows == 0 {
			continue
		}
		first, second, windows, n = append(first, a), append(second, b), windows+p.Windows, n+1
	}
	if n < 2 {
		return usuallyHeld
	}
	windows /= n
	for m := range first[0] {
		b, s := agreement(first, second, m)
		both, squares = both+b, squares+s
	}
	share := windows / (windows + usuallyHeld)
	if squares > 0 {
		r := max(0, both/squares)
		share = (n*2*r/(1+r) + fewTell*share) / (n + fewTell)
	}
	share = max(leastOwn, min(mostOwn, share))
	return windows * (1 - share) / share
}

// half is every other value of a past's errors, a block of half a window at a time where there is one window,
// and else of whole ones.
func (p Past) half(which int) Past {
	n := len(p.Actual)
	block := max(1, int(float64(n)/max(2, math.Floor(p.Windows))+0.5))
	out := Past{Errors: make([][]float64, len(p.Errors))}
	for t := range n {
		if (t/block)%2 == which {
			for m := range p.Errors {
				out.Errors[m] = append(out.Errors[m], p.Errors[m][t])
			}
		}
	}
	return out
}

// agreement is the covariance of a member's halves across series, and the mean of their variances.
func agreement(first, second [][]float64, m int) (both, squares float64) {
	var a, b, n float64
	for i := range first {
		if x, y := first[i][m], second[i][m]; x == x && y == y {
			a, b, n = a+x, b+y, n+1
		}
	}
	for i := range first {
		if x, y := first[i][m]-a/n, second[i][m]-b/n; x == x && y == y {
			both, squares = both+x*y, squares+(x*x+y*y)/2
		}
	}
	return both, squares
}

// pooled is the mean over the pasts that know of a member; NaN where none does.
func pooled(list []Past, of func(Past) []float64) (out []float64) {
	var counts []float64
	for _, p := range list {
		for m, x := range of(p) {
			if m == len(out) {
				out, counts = append(out, 0), append(counts, 0)
			}
			if x == x {
				out[m], counts[m] = out[m]+x, counts[m]+1
			}
		}
	}
	for m := range out {
		out[m] /= counts[m]
	}
	return out
}

// Fitted is implemented by trained models that can say what they would have forecast
// one step ahead within their training part: the values for the i-th series of the
// view, NaN where there is none, along its SeriesView.Values.
type Fitted interface {
	Fitted(i int, n int) []float64
}
