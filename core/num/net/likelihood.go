package net

import (
	"math"

	"gonum.org/v1/gonum/mathext"
	"gonum.org/v1/gonum/stat/distuv"
)

// Distribution is what a row of three numbers stands for: where it lies, and, through log(1 + e to
// the x), how wide it is and what shape it has.
type Distribution int

const (
	// Normal has a mean and a standard deviation; the third number means nothing.
	Normal Distribution = iota
	// Student has a location, a scale, and two degrees of freedom or more.
	Student
	// Counts is negative binomial: its mean is never below zero, its variance is the mean and the second
	// number times the mean's square; the third means nothing.
	//
	// Source: Hilbe, Negative Binomial Regression, 2011, section 8.2.
	Counts
)

// Shape is how many numbers a row of a distribution has.
const Shape = 3

// Scale is what a row counts in: values are Level + Unit times what it has.
type Scale struct{ Level, Unit float64 }

const (
	leastWidth   = 1e-3 // in units
	fewDegrees   = 2.1
	leastSpread  = 1e-4
	leastCounted = 1e-6
)

// mean is that of counts, and how it moves with the first number.
func (s Scale) mean(x float64) (mean, slope float64) {
	z := s.Level/s.Unit + x
	return s.Unit*softplus(z) + leastCounted, s.Unit * logistic(z)
}

// loss is minus the log of a distribution's density, or probability, of y, both in the units of a
// scale, and how it moves with the row's three numbers.
func (d Distribution) loss(row [Shape]float64, y float64, s Scale) (loss float64, slopes [Shape]float64) {
	width, widens := leastWidth+softplus(row[1]), logistic(row[1])
	e := (y - row[0]) / width
	switch d {
	case Student:
		nu := fewDegrees + softplus(row[2])
		above, _ := math.Lgamma((nu + 1) / 2)
		below, _ := math.Lgamma(nu / 2)
		bent := 1 + e*e/nu
		pull := (nu + 1) * e / (nu + e*e)
		loss = below - above + math.Log(nu*math.Pi)/2 + math.Log(width*s.Unit) + (nu+1)/2*math.Log(bent)
		slopes[0] = -pull / width
		slopes[1] = (1 - pull*e) / width * widens
		slopes[2] = (mathext.Digamma(nu/2) - mathext.Digamma((nu+1)/2) + 1/nu + math.Log(bent) - pull*e/nu) / 2 * logistic(row[2])
	case Counts:
		count := s.Level + s.Unit*y
		mean, slope := s.mean(row[0])
		spread := leastSpread + softplus(row[1])
		r := 1 / spread
		above, _ := math.Lgamma(count + r)
		below, _ := math.Lgamma(r)
		ways, _ := math.Lgamma(count + 1)
		loss = below + ways - above - r*math.Log(r/(r+mean)) - count*math.Log(mean/(r+mean))
		slopes[0] = ((count+r)/(r+mean) - count/mean) * slope
		byR := mathext.Digamma(r) - mathext.Digamma(count+r) - math.Log(r/(r+mean)) - 1 + (count+r)/(r+mean)
		slopes[1] = -byR * r * r * widens
	default:
		loss = math.Log(2*math.Pi)/2 + math.Log(width*s.Unit) + e*e/2
		slopes[0] = -e / width
		slopes[1] = (1 - e*e) / width * widens
	}
	return loss, slopes
}

// Quantiles writes a row's quantiles at probabilities, in units of a scale.
func (d Distribution) Quantiles(row [Shape]float64, s Scale, probs []float64, out []float64) {
	width := leastWidth + softplus(row[1])
	switch d {
	case Student:
		t := distuv.StudentsT{Mu: row[0], Sigma: width, Nu: fewDegrees + softplus(row[2])}
		for k, p := range probs {
			out[k] = t.Quantile(p)
		}
	case Counts:
		mean, _ := s.mean(row[0])
		r := 1 / (leastSpread + softplus(row[1]))
		for k, p := range probs {
			out[k] = (countAt(p, mean, r) - s.Level) / s.Unit
		}
	default:
		for k, p := range probs {
			out[k] = distuv.Normal{Mu: row[0], Sigma: width}.Quantile(p)
		}
	}
}

// manyCounted is the mean from which counts are as good as a density.
const manyCounted = 1e5

// countAt is the least count that a negative binomial does not exceed with a probability. Where it is
// large, it is that of the Gamma distribution that its mean is drawn from, or of the normal one of nearly
// Poisson counts, whole.
func countAt(p, mean, r float64) float64 {
	if mean > manyCounted {
		if r > mean/10 {
			return math.Round(max(0, mean+math.Sqrt(mean+mean*mean/r)*distuv.UnitNormal.Quantile(p)))
		}
		return math.Round(distuv.Gamma{Alpha: r, Beta: r / mean}.Quantile(p))
	}
	under := func(k float64) bool { return mathext.RegIncBeta(r, k+1, r/(r+mean)) >= p }
	if under(0) {
		return 0
	}
	low, high := 0.0, math.Ceil(mean)+1
	for !under(high) {
		low, high = high, 2*high
	}
	for high-low > 1 {
		if mid := math.Floor((low + high) / 2); under(mid) {
			high = mid
		} else {
			low = mid
		}
	}
	return high
}

// Unlikely is the sum over rows of a weight times minus the log-likelihood of a target under the row's
// distribution; rows whose weight is 0 count for nothing. Targets count in units of the rows' scales.
func (t *Tape[T]) Unlikely(d Distribution, x *Value[T], target, weights []T, scales []Scale) *Value[T] {
	out := t.value(1, 1, x)
	slopes := make([][Shape]float64, x.Rows)
	total := 0.0
	for i, y := range target {
		if weights[i] == 0 {
			continue
		}
		var loss float64
		row := x.Row(i)
		loss, slopes[i] = d.loss([Shape]float64{float64(row[0]), float64(row[1]), float64(row[2])}, float64(y), scales[i])
		total += float64(weights[i]) * loss
	}
	out.Data[0] = T(total)
	out.back = func() {
		for i := range target {
			if weights[i] == 0 {
				continue
			}
			to := x.Grad.Row(i)
			for j, slope := range slopes[i] {
				to[j] += out.Grad.Data[0] * weights[i] * T(slope)
			}
		}
	}
	return out
}
