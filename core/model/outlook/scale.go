package outlook

import "math"

// Bent brings large numbers nearer; unknown ones become 0.
func Bent(x float64) float32 {
	if x != x {
		return 0
	}
	return float32(math.Asinh(x))
}

// UsualChange is the mean absolute change over a season, or over a period where that is less.
func UsualChange(values []float64, season int) float64 {
	least := math.Inf(1)
	for _, lag := range []int{1, season} {
		sum, n := 0.0, 0.0
		for i := lag; i < len(values); i++ {
			if d := values[i] - values[i-lag]; d == d {
				sum, n = sum+math.Abs(d), n+1
			}
		}
		if n >= 2 && sum > 0 {
			least = min(least, sum/n)
		}
	}
	if math.IsInf(least, 1) {
		return 0
	}
	return least
}
