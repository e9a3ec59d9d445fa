package young

import "math"

// setting is what a series may be like: how far its level moves in a period (of wanders), its own season (of a design's;
// 0 for none), the variance of its slope over a round next to that of the noise, and whether it has a share in the season
// that the others have.
type setting struct {
	wander, season int
	slope          float64
	shares         bool
}

// has says that there is a season.
func (s setting) has() bool { return s.season > 0 || s.shares }

// The grid of settings: variances of what a level moves by in a period, of seasons, and of slopes over a round, next to
// that of the noise.
var (
	wanders = []float64{0, 0.03, 0.2, 1, 5}
	sizes   = []float64{0.2, 1, 4, 16, 64}
	slopes  = []float64{0, 0.4, 5}
)

// settings lists the grid, for a number of shapes: those without a share in the others' season first. What departs from
// the others' season is smooth.
func settings(shapes int) (out []setting) {
	for _, shares := range []bool{false, true} {
		for w := range wanders {
			for _, b := range slopes {
				for season := range 1 + shapes*len(sizes) {
					if !shares || season <= len(sizes) {
						out = append(out, setting{w, season, b, shares})
					}
				}
			}
		}
	}
	return out
}

// seasonsOf are the deviations of the coefficients of own seasons: none, and of each shape those of all sizes.
func seasonsOf(shapes [][]float64) [][]float64 {
	out := [][]float64{make([]float64, len(shapes[0]))}
	for _, shape := range shapes {
		for _, size := range sizes {
			dev := make([]float64, len(shape))
			for k, v := range shape {
				dev[k] = math.Sqrt(size * v)
			}
			out = append(out, dev)
		}
	}
	return out
}

// The shapes that a season may have: how far apart its places are alike, as a share of the round (see smooth), and
// which part of its variance each place has of its own.
var (
	alikeShort = []float64{0.8, 0.8}
	ownShort   = []float64{0.25, 1}
	alikeLong  = []float64{0.8, 0.4}
)

// shapesOf are the variances of the coefficients of a season of m periods, of each shape: sines and cosines in
// turns. Where m is even the last sine, which is nought at every period, is left out.
func shapesOf(m int) (variances [][]float64) {
	if m > placesOfOwn {
		for _, alike := range alikeLong {
			variances = append(variances, twice(smooth(alike, pairsOfLong), 2*pairsOfLong))
		}
		return variances
	}
	pairs := m / 2
	for k, alike := range alikeShort {
		v := smooth(alike, pairs)
		for j := range v {
			own := 2 / float64(m)
			if 2*(j+1) == m {
				own = 1 / float64(m)
			}
			v[j] = (1-ownShort[k])*v[j] + ownShort[k]*own
		}
		variances = append(variances, twice(v, m-1))
	}
	return variances
}

// twice gives each pair's variance to its sine and its cosine; of an odd number of coefficients the last pair has a
// cosine alone.
func twice(pairs []float64, count int) []float64 {
	out := make([]float64, count)
	for j := range out {
		out[j] = pairs[j/2]
	}
	return out
}

// smooth is the variance of each harmonic of the periodic covariance exp(-2 sin^2(pi d) / alike^2) over distances d in
// rounds, without its mean, and with a variance of 1 in all: its cosine series has modified Bessel functions I(k, a)
// for coefficients, a = 1/alike^2.
func smooth(alike float64, pairs int) []float64 {
	a := 1 / (alike * alike)
	out := make([]float64, pairs)
	rest := math.Exp(a) - bessel(0, a)
	for k := range out {
		out[k] = 2 * bessel(k+1, a) / rest
	}
	return out
}

// bessel is the modified Bessel function of the first kind, of whole order, by its series.
func bessel(k int, x float64) float64 {
	term := 1.0
	for j := 1; j <= k; j++ {
		term *= x / 2 / float64(j)
	}
	sum := term
	for j := 1; term > 1e-17*sum; j++ {
		term *= x * x / 4 / float64(j) / float64(j+k)
		sum += term
	}
	return sum
}
