package forecast_test

import (
	"fmt"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
)

// A forecast is a mean and a row of quantiles for each step; central intervals of any level are
// read from the row.
func ExampleInterval() {
	rows := forecast.NewRows(1)
	rows.Mean[0] = 100
	for g, p := range forecast.Grid {
		rows.At(0)[g] = 100 + 10*num.NormalQuantile(p)
	}
	low, high := forecast.Interval(rows.At(0), 80)
	fmt.Printf("%.1f to %.1f\n", low, high)
	// Output: 87.2 to 112.8
}

// A step on which nothing happens is kept as closed, with zeros that sums can take.
func ExampleRows_Close() {
	rows := forecast.NewRows(3)
	for h := range rows.Mean {
		rows.Mean[h] = 5
	}
	rows.Close(func(step int) bool { return step == 1 })
	back := forecast.NewRows(3)
	_ = back.Unpack(rows.Pack(nil))
	fmt.Println(back.Mean, back.Closed)
	// Output: [5 0 5] [false true false]
}
