package panel

import (
	"math"
	"sync"

	"gonum.org/v1/gonum/dsp/fourier"
)

// The bounds of a season that the calendar does not know.
const (
	fewestRounds  = 4   // that the history must hold
	leastEcho     = 0.3 // autocorrelation at its length
	leastRise     = 0.3 // of that autocorrelation above the least before it
	leastStrength = 0.5
	nearPeak      = 0.9 // the shortest length as good as this is the season, longer ones its multiples
	mustBeat      = 0.8 // of the calendar's error, or a mean's, over the last third
)

// FindSeason looks for a season that the calendar does not know: the length of the cycle that
// the series follows much more closely than its calendar's shortest season, or than none; 0
// where there is none. The length is the shortest peak of the autocorrelation of what a slow
// moving mean leaves; it is taken only where its strength is high, and where the means of its
// places in the first two thirds forecast the last third clearly better than those of the
// calendar's season do, or than a plain mean; one that the calendar's is a multiple of, as four weeks of a
// year's, need only be better. Unknown values count for nothing.
//
// Source of the autocorrelation peak as a season's length: Chatfield, The Analysis of Time
// Series (6th ed. 2004), ch. 2.
func FindSeason(values []float64, calendar int) int {
	n := len(values)
	if n < 6*fewestRounds || CountKnown(values) < 6*fewestRounds {
		return 0
	}
	rest := detrended(values, n/3|1)
	found := echo(rest, n/fewestRounds)
	if found == 0 || calendar > 1 && found%calendar == 0 {
		return 0
	}
	if _, strength := Strengths(values, found); !(strength >= leastStrength) {
		return 0
	}
	own := placesError(rest, found)
	if !(own < mustBeat*placesError(rest, 1)) {
		return 0
	}
	if calendar > 1 && n >= 3*calendar {
		least := mustBeat
		if calendar%found == 0 { // the calendar's holds it, in more numbers
			least = 1
		}
		if !(own < least*placesError(rest, calendar)) {
			return 0
		}
	}
	return found
}

// FindWithin looks for a cycle within a long season of the calendar, such as that of four weeks in a year: one of
// what a moving mean over a quarter of the season leaves, as strong as one that the calendar does not know has to be;
// 0 where there is none.
func FindWithin(values []float64, calendar int) int {
	width := calendar/4 | 1
	if len(values) < 2*calendar || CountKnown(values) < len(values)/2 {
		return 0
	}
	rest := detrended(values, width)
	found := echo(rest, width)
	if found == 0 || !(placesError(rest, found) < mustBeat*placesError(rest, 1)) {
		return 0
	}
	return found
}

// detrended takes a moving mean out, or the plain mean at the ends.
func detrended(values []float64, width int) []float64 {
	n := len(values)
	slow := centred(nil, values, width, max(1, width*CountKnown(values)/max(1, n)))
	first, last := -1, -1
	for i, v := range slow {
		if Known(v) {
			if first < 0 {
				first = i
			}
			last = i
		}
	}
	out := make([]float64, n)
	if first < 0 { // too many unknown values for a moving mean
		return values
	}
	for i, v := range values {
		level := slow[max(first, min(i, last))]
		if i < first || i > last { // the line through its ends goes on
			level += (slow[last] - slow[first]) / float64(max(1, last-first)) * float64(i-max(first, min(i, last)))
		}
		out[i] = v - level
	}
	return out
}

// echo is the lag of the first high peak of the autocorrelation; 0 where there is none.
func echo(x []float64, most int) int {
	r := autocorrelations(x, most+1)
	if r == nil {
		return 0
	}
	top := 0.0
	peak := func(k int) bool { return r[k] >= r[k-1] && r[k] >= r[k+1] && r[k] >= leastEcho }
	for k := 2; k <= most; k++ {
		if peak(k) {
			top = max(top, r[k])
		}
	}
	least := 1.0
	for k := 1; k <= most; k++ {
		if k > 1 && peak(k) && r[k]-least >= leastRise && r[k] >= nearPeak*top {
			return k
		}
		least = min(least, r[k])
	}
	return 0
}

// transforms are laid out for a length, which most series of a panel share.
var transforms sync.Pool

// autocorrelations up to a lag: mean products of the known pairs next to the mean square, of all
// lags at once by the Fourier transform of the values and of which are known. nil where nothing
// moves.
//
// Source: Brockwell and Davis, Time Series: Theory and Methods (2nd ed. 1991), section 10.3.
func autocorrelations(x []float64, most int) []float64 {
	size := 1
	for size < len(x)+most+1 {
		size *= 2
	}
	values, known := make([]float64, size), make([]float64, size)
	for i, v := range x {
		if Known(v) {
			values[i], known[i] = v, 1
		}
	}
	fft, ok := transforms.Get().(*fourier.FFT)
	if !ok || fft.Len() != size {
		fft = fourier.NewFFT(size)
	}
	defer transforms.Put(fft)
	sums, counts := lagged(fft, values), make([]float64, most+1)
	if CountKnown(x) < len(x) {
		counts = lagged(fft, known)
	} else {
		for k := range counts {
			counts[k] = float64(len(x) - k)
		}
	}
	if !(sums[0] > 0) {
		return nil
	}
	own := sums[0] / counts[0]
	out := make([]float64, most+1)
	for k := range out {
		if counts[k] > 0.5 {
			out[k] = sums[k] / math.Round(counts[k]) / own
		}
	}
	return out
}

// lagged are the sums of products of values with those a lag before, for every lag.
func lagged(fft *fourier.FFT, x []float64) []float64 {
	c := fft.Coefficients(nil, x)
	for i, v := range c {
		c[i] = complex(real(v)*real(v)+imag(v)*imag(v), 0)
	}
	out := fft.Sequence(nil, c)
	for i := range out {
		out[i] /= float64(len(x))
	}
	return out
}

// placesError is the mean absolute error, over the last third, of the means of the places in a
// season over the first two thirds.
func placesError(x []float64, season int) float64 {
	cut := 2 * len(x) / 3
	sums, counts := make([]float64, season), make([]float64, season)
	for i, v := range x[:cut] {
		if Known(v) {
			sums[i%season] += v
			counts[i%season]++
		}
	}
	sum, n := 0.0, 0.0
	for i := cut; i < len(x); i++ {
		if e := math.Abs(x[i] - sums[i%season]/counts[i%season]); Known(e) {
			sum, n = sum+e, n+1
		}
	}
	return sum / n
}
