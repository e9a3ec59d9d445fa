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
