package num

import "math"

// MeanSize is the mean of the absolute values that are known, 1 where all are zero or none
// is known: what models divide by, so that huge and tiny series are alike.
func MeanSize(y []float64) float64 {
	sum, n := 0.0, 0.0
	for _, v := range y {
		if v == v {
			sum, n = sum+math.Abs(v), n+1
		}
	}
	if !(sum > 0) {
		return 1
	}
	return sum / n
}
