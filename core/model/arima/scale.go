package arima

import (
	"errors"
	"math"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Scale is the transform on which a model works: Box and Cox's with power Lambda, the
// logarithm at 0, or none. Size divides the values, so that huge and tiny series are alike.
//
// Source: Box and Cox, An analysis of transformations, Journal of the Royal Statistical
// Society B 26 (1964).
type Scale struct {
	On     bool
	Lambda float64
	Size   float64
}

func (t Scale) to(y float64) float64 {
	y /= t.Size
	switch {
	case !t.On:
		return y
	case t.Lambda == 0:
		return math.Log(y)
	}
	return (math.Pow(y, t.Lambda) - 1) / t.Lambda
}

// back is the way back, of medians and quantiles.
func (t Scale) back(x float64) float64 {
	switch {
	case !t.On:
		return t.Size * x
	case t.Lambda == 0:
		return t.Size * math.Exp(min(x, 300))
	}
	return t.Size * math.Pow(max(t.Lambda*x+1, 1e-12), 1/t.Lambda)
}

// from is the way back of a mean whose variance is known: without it, a forecast of logs
// would lie low (Guerrero, Journal of Forecasting 12, 1993).
func (t Scale) from(x, variance float64) float64 {
	switch {
	case !t.On:
		return t.Size * x
	case t.Lambda == 0:
		return t.Size * math.Exp(min(x+0.5*min(variance, 1), 300))
	}
	y := t.back(x)
	lift := 1 + variance*(1-t.Lambda)/(2*math.Pow(max(t.Lambda*x+1, 1e-3), 2))
	return y * max(0.5, min(lift, 2))
}

func (m Method) scale(y []float64, season int) (Scale, error) {
	t := Scale{Size: num.MeanSize(y)}
	positive := true
	for _, v := range y {
		if panel.Known(v) && !(v > 1e-9*t.Size) {
			positive = false
		}
	}
	switch m.Transform {
	case "none":
	case "log", "box-cox":
		if !positive {
			return t, errors.New("logs and powers need values above zero, and the series has others: set transform to none")
		}
		t.On = true
		if m.Transform == "box-cox" {
			t.Lambda = power(y, season)
		}
	default:
		t.On = positive && PrefersLogs(y, season)
	}
	return t, nil
}

// power chooses lambda from 0 to 1, in steps of a tenth, so that the spread within a season
// is in one proportion to the level's power (Guerrero 1993).
func power(y []float64, season int) float64 {
	width := max(season, 2)
	var means, spreads []float64
	for at := len(y) % width; at+width <= len(y); at += width {
		var n, sum, ss float64
		for _, v := range y[at : at+width] {
			if panel.Known(v) {
				n, sum, ss = n+1, sum+v, ss+v*v
			}
		}
		if n == float64(width) {
			mean := sum / n
			means, spreads = append(means, mean), append(spreads, math.Sqrt(max(0, ss/n-mean*mean)))
		}
	}
	best, least := 1.0, math.Inf(1)
	for k := range 11 {
		lambda := float64(k) / 10
		var sum, ss float64
		for i, m := range means {
			r := spreads[i] / math.Pow(m, 1-lambda)
			sum, ss = sum+r, ss+r*r
		}
		n := float64(len(means))
		if mean := sum / n; n > 1 && mean > 0 {
			if cv := math.Sqrt(max(0, ss/n-mean*mean)) / mean; cv < least {
				best, least = lambda, cv
			}
		}
	}
	return best
}
