package single

import (
	"math"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
)

// bend is the quantile, of a variable of mean 0 and variance 1 that is log-normal but for place and size, where a normal one
// has z. Skew is the deviation of the logs, with the sign of the side to which it leans.
func bend(skew, z float64) float64 {
	if math.Abs(skew) < 1e-6 {
		return z
	}
	omega := math.Abs(skew)
	by := math.Sqrt(math.Expm1(omega * omega))
	x := (math.Exp(omega*math.Copysign(1, skew)*z-omega*omega/2) - 1) / by
	return math.Copysign(1, skew) * x
}

// straighten is the other way round: the normal score of a bent one; what no bent one can be is as far off as any.
func straighten(skew, x float64) float64 {
	if math.Abs(skew) < 1e-6 {
		return x
	}
	omega, side := math.Abs(skew), math.Copysign(1, skew)
	y := 1 + side*x*math.Sqrt(math.Expm1(omega*omega))
	if y <= 0 {
		return -side * mostSize
	}
	return side * (math.Log(y) + omega*omega/2) / omega
}

// skewOf is the skew of variables that lean so far.
func skewOf(lean float64) float64 {
	low, high := 0.0, mostSkew
	for range 40 {
		half := (low + high) / 2
		of := (bend(half, tenth) + bend(half, -tenth) - 2*bend(half, 0)) / (bend(half, tenth) - bend(half, -tenth))
		if of < math.Abs(lean) {
			low = half
		} else {
			high = half
		}
	}
	return math.Copysign((low+high)/2, lean)
}

// bends are where in a row of quantiles those of bent ones stand, for each: the place before and the share of the way to the
// next.
func bends(skew float64) (at [forecast.GridSize]int, share [forecast.GridSize]float64) {
	var z [forecast.GridSize]float64
	for g, p := range forecast.Grid {
		z[g] = num.NormalQuantile(p)
	}
	for g := range z {
		x := bend(skew, z[g])
		k := 0
		for k < len(z)-2 && z[k+1] <= x {
			k++
		}
		at[g], share[g] = k, (x-z[k])/(z[k+1]-z[k])
	}
	return at, share
}

// bendAll bends the quantiles of all steps; none where there is no skew.
func bendAll(rows forecast.Rows, skew float64) {
	if skew == 0 {
		return
	}
	at, share := bends(skew)
	for k := range rows.Mean {
		bendRow(rows.At(k), &at, &share)
	}
}

// bendRow bends a row of quantiles.
func bendRow(q []float64, at *[forecast.GridSize]int, share *[forecast.GridSize]float64) {
	var was [forecast.GridSize]float64
	copy(was[:], q)
	for g := range q {
		k := at[g]
		q[g] = was[k] + share[g]*(was[k+1]-was[k])
	}
}
