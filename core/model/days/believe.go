package days

import (
	"math"

	"gonum.org/v1/gonum/floats"
)

const (
	// tails is the degrees of freedom of what is left of levels, and tailMiddle the median of its size.
	tails      = 4.0
	tailMiddle = 0.7407
	// leastOnce and mostOnce bound the share of periods in which something happens that does not come again, as large as
	// feasts are.
	leastOnce = 0.03
	mostOnce  = 0.2
	// usualSize is the mean size of the log of a feast's factor, and varies its standard deviation from year to year next to
	// that.
	usualSize = 0.3
	varies    = 0.2
	farGrid   = 5.8
	grids     = 201
)

// sizesOf are logs of factors that feasts may have, finer about nought, and the probability of each.
var sizesOf, oddsOf = func() (sizes, odds []float64) {
	sizes, odds = make([]float64, grids), make([]float64, grids)
	for k := range sizes {
		x := farGrid * (2*float64(k)/(grids-1) - 1)
		sizes[k] = 0.02 * math.Sinh(x)
		odds[k] = math.Exp(-math.Abs(sizes[k])/usualSize) * math.Cosh(x)
	}
	floats.Scale(1/floats.Sum(odds), odds)
	return sizes, odds
}()

// cell is what all series are in a year at a place, and its variance where it is no feast; part is how much of a feast's
// effect it has, on a weekend.
type cell struct{ mean, variance, part float64 }

// belief is what years say of a place: the mean and the variance of its effect if it has one, and the log of how much
// likelier these years are then.
type belief struct{ mean, variance, odds float64 }

// believe weighs the effects that a place may have by what it was in some years: of Laplace's distribution (Johnstone and
// Silverman, Needles and straw in haystacks, Annals of Statistics 32, 2004). What happened in one year alone, as
// something does in a share of all periods, is no effect.
func believe(years []cell, once float64) belief {
	weights := make([]float64, grids)
	none := 0.0
	for _, c := range years {
		none += logYear(c.mean, c.variance, once)
	}
	for k, b := range sizesOf {
		weights[k] = -none
		for _, c := range years {
			weights[k] += logYear(c.mean-c.part*b, c.variance+square(varies*c.part*b), once)
		}
	}
	most := floats.Max(weights)
	sum, mean, square := 0.0, 0.0, 0.0
	for k, b := range sizesOf {
		w := oddsOf[k] * math.Exp(weights[k]-most)
		sum, mean, square = sum+w, mean+w*b, square+w*b*b
	}
	mean /= sum
	return belief{mean: mean, variance: square/sum - mean*mean, odds: most + math.Log(sum)}
}

// logYear is the log of the density, but for a constant, of what a year is beyond an effect: of Student's t, but where
// something happened once.
func logYear(x, variance, once float64) float64 {
	return math.Log((1-once)*student(x, variance) + once*student(x, variance+usualSize*usualSize))
}

// student is the density of Student's t of four degrees of freedom, but for a constant.
func student(x, variance float64) float64 {
	u := 1 + x*x/(tails*variance)
	return 1 / math.Sqrt(variance*u) / (u * u)
}
