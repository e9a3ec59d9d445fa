package feature_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/panel"
)

// A column told of many origins at once says what it says row by row, at every step and with holes in the series, and
// what is said to be the same at every step is.
func TestColumnsAcrossOrigins(t *testing.T) {
	p := shop(40)
	p.Series[0].Values[17], p.Series[0].Values[18] = panel.Unknown, panel.Unknown
	r, rows := lay(t, p, 39, 9, "lag 1 to 3", "season lag 1 to 2", "difference 2", "mean 4", "spread 3", "quantile 50 over 3", "scale",
		"day of week as levels", "week as harmonics 1", "price", "price log", "mean 3 of price", "event Fair", "attribute town",
		"group mean 5 of town")
	x, column := make([]float64, len(r.Columns)), make([]float64, 7)
	for k := range r.Columns {
		seen := map[int]float64{}
		for step := 1; step <= 9; step++ {
			for _, from := range []int{0, 5, 12} {
				for _, stride := range []int{1, 3} {
					rows.FillColumn(k, from, stride, step, column)
					for i, got := range column {
						rows.Fill(from+i*stride, step, x)
						require.True(t, same(x[k], got), "%s at %d, %d ahead: %v, %v", r.Columns[k].Name, from+i*stride, step, x[k], got)
						if before, ok := seen[from+i*stride]; ok && !r.Columns[k].AtStep() {
							require.True(t, same(before, got), "%s at %d changes with the step", r.Columns[k].Name, from+i*stride)
						}
						seen[from+i*stride] = got
					}
				}
			}
		}
	}
	assert.False(t, r.Columns[0].AtStep(), "a lag")
	assert.True(t, r.Columns[3].AtStep(), "a lag of a season")
}

func same(a, b float64) bool { return a == b || a != a && b != b }

// Lags that may reach back read the first value where there was none yet, at each origin alone and at many at once, and
// nothing that comes after an origin.
func TestLagsReachBackToTheFirstValue(t *testing.T) {
	r, rows := lay(t, shop(40), 39, 9, "lag 3", "season lag 2", "difference 5")
	x, column := make([]float64, len(r.Columns)), make([]float64, 12)
	rows.Fill(1, 2, x)
	assert.True(t, x[0] != x[0] && x[1] != x[1] && x[2] != x[2])
	rows.ReachBack()
	all := make([]float64, len(r.Columns))
	rows.Fill(39, 1, all)
	first := []float64{1}
	rows.FillPath(first, 2, x)
	assert.Equal(t, []float64{1, 1, 0}, x)
	for k := range r.Columns {
		for _, stride := range []int{1, 3} {
			rows.FillColumn(k, 0, stride, 2, column)
			for i, got := range column {
				rows.Fill(i*stride, 2, x)
				require.True(t, same(x[k], got), "%s at %d: %v, %v", r.Columns[k].Name, i*stride, x[k], got)
			}
		}
	}
}
