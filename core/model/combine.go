package model

import "paperkettle/core/forecast"

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
	// Scores are the members' values of the ranking metric there, less being better; NaN
	// where unknown.
	Scores []float64
	// Beats says which members have beaten the usual one, over all series that are combined
	// together; empty where nothing tells.
	Beats []bool
	// Usual is the member to take where nothing tells: the baseline, or the first.
	Usual int
}

// Fitted is implemented by trained models that can say what they would have forecast
// one step ahead within their training part: the values for the i-th series of the
// view, NaN where there is none, along its SeriesView.Values.
type Fitted interface {
	Fitted(i int, n int) []float64
}
