package score_test

import (
	"fmt"

	"paperkettle/core/forecast"
	"paperkettle/core/score"
)

// Points are added up series by series, and metrics are read from the sums.
func ExampleAcc() {
	scale := score.MakeScale([]float64{10, 12, 11, 13}, 1) // changes of 2, 1 and 2
	acc := score.NewAcc(0)
	quantiles := make([]float64, forecast.GridSize)      // for the metrics of distributions
	for _, p := range [][2]float64{{14, 13}, {12, 13}} { // actual, forecast
		acc.Add(p[0], p[1], scale, quantiles, nil, nil, nil)
	}
	acc.CloseSeries(scale)
	for _, name := range []string{"mae", "mase"} {
		m, _ := score.FindMetric(name, nil)
		fmt.Printf("%s %.2f\n", name, m.Value(&acc))
	}
	// Output:
	// mae 1.00
	// mase 0.60
}
