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
	// Windows is how many whole windows these are: errors of one window go together.
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
	together, byScore := pooled(list, Past.Apart), pooled(list, Past.ApartByScore)
	for i := range list {
		list[i].Together, list[i].TogetherByScore = together, byScore
	}
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
