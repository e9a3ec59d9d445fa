package linear

import (
	"math"

	"paperkettle/core/panel"
)

// apart is how many independent series a group is worth: n / (1 + (n-1) r), r being the mean correlation of what two
// of them change by from a period to the next. What moves all of them at once is told once, by however many.
//
// Source: the design effect of clusters, Kish, Survey Sampling (1965).
func apart(list []series) float64 {
	n := float64(len(list))
	end := 0
	for i := range list {
		end = max(end, list[i].in.First+len(list[i].y))
	}
	sums, counts := make([]float64, end), make([]float64, end) // of standardised changes, by period
	for i := range list {
		y, first := list[i].y, list[i].in.First
		squares, count := 0.0, 0.0
		eachChange(y, func(_ int, d float64) { squares, count = squares+d*d, count+1 })
		if squares == 0 {
			continue
		}
		size := math.Sqrt(squares / count)
		eachChange(y, func(t int, d float64) { sums[first+t], counts[first+t] = sums[first+t]+d/size, counts[first+t]+1 })
	}
	together, pairs := 0.0, 0.0
	for t, sum := range sums {
		together += sum*sum - counts[t]
		pairs += counts[t] * (counts[t] - 1)
	}
	if together <= 0 || pairs == 0 {
		return n
	}
	return n / (1 + (n-1)*min(1, together/pairs))
}

func eachChange(y []float64, take func(t int, d float64)) {
	for t := 1; t < len(y); t++ {
		if d := y[t] - y[t-1]; panel.Known(d) {
			take(t, d)
		}
	}
}
