// Package score measures forecasts. Sums over points are gathered in an Acc, which
// can be merged over any slice (series, window, step, attribute), and read as
// metrics by their published definitions.
package score

import (
	"encoding/binary"
	"errors"
	"math"

	"paperkettle/core/forecast"
)

// Acc gathers the sums of the points of a slice, y the actual and f the forecast.
type Acc struct {
	N       float64 // points with a known actual
	SumE    float64 // f - y
	SumAbs  float64 // |f - y|
	SumSq   float64 // (f - y)^2
	SumPE   float64 // (f - y) / y where y is not 0
	SumAPE  float64 // |f - y| / |y| where y is not 0
	NAPE    float64
	SumSAPE float64 // 2 |f - y| / (|y| + |f|), 0 where both are 0
	SumAbsY float64
	MeanY   float64 // running mean of y
	M2Y     float64 // sum of squared deviations of y from its mean
	SumASE  float64 // |f - y| / Scale.Abs where that is not 0
	NASE    float64
	SumRSE  float64 // per series and window: root of mean squared error over Scale.Sq
	NRSE    float64
	PinMid  float64 // pinball loss of the median
	SumCRPS float64 // see Crps
	Levels  []LevelAcc
	// Abs holds |f - y| of every point where medians are asked for; else it is nil. It
	// is not packed: it comes from the stored errors.
	Abs []float64
}

// LevelAcc gathers the sums of one level's intervals [l, u].
type LevelAcc struct {
	Covered float64 // points with l <= y <= u
	Width   float64 // u - l
	Winkler float64 // u - l + 2/alpha times the distance by which y lies outside
	Scaled  float64 // that divided by Scale.Abs, where it is not 0
	PinLow  float64 // pinball loss of l, the quantile of alpha/2
	PinHigh float64 // and of u, that of 1 - alpha/2
}

// Scale is what a series' errors are divided by: the mean absolute change over a lag in MASE,
// and the mean squared change from a period to the next, from the first value on that is not
// 0, in RMSSE, both in the training part.
type Scale struct{ Abs, Sq float64 }

// MakeScale measures the training part of a series (NaN where unknown). The lag
// falls to 1 where the part is shorter than two of them. A part without a pair of
// known values that far apart has the scale 0.
//
// Sources: Hyndman and Koehler, Another look at measures of forecast accuracy,
// International Journal of Forecasting 22 (2006), equation for MASE; Makridakis, Spiliotis and
// Assimakopoulos, M5 accuracy competition, International Journal of Forecasting 38 (2022), for
// RMSSE, which leaves out the zeros before the first sale.
func MakeScale(training []float64, lag int) (s Scale) {
	if lag < 1 || len(training) < 2*lag {
		lag = 1
	}
	abs, n := 0.0, 0.0
	for t := lag; t < len(training); t++ {
		if d := training[t] - training[t-lag]; d == d {
			abs, n = abs+math.Abs(d), n+1
		}
	}
	if n > 0 {
		s.Abs = abs / n
	}
	first := 0
	for first < len(training) && !(training[first] != 0 && training[first] == training[first]) {
		first++
	}
	sq, m := 0.0, 0.0
	for t := first + 1; t < len(training); t++ {
		if d := training[t] - training[t-1]; d == d {
			sq, m = sq+d*d, m+1
		}
	}
	if m > 0 {
		s.Sq = sq / m
	}
	return s
}

// NewAcc makes an empty one with room for some levels.
func NewAcc(levels int) Acc { return Acc{Levels: make([]LevelAcc, levels)} }

// Pinball is the loss of a quantile forecast q of probability p: p (y - q) above it,
// (1 - p) (q - y) below.
//
// Source: Koenker and Bassett, Regression quantiles, Econometrica 46 (1978).
func Pinball(y, q, p float64) float64 {
	if y >= q {
		return p * (y - q)
	}
	return (1 - p) * (q - y)
}

// stretch integrates the pinball loss of quantiles that run straight from a to b over
// the probabilities of a segment of the grid: high[0] (a - y) + high[1] (b - y) where
// both lie above y, low[0] (y - a) + low[1] (y - b) where both lie below.
type stretch struct{ high, low [2]float64 }

var stretches = func() (out [forecast.GridSize - 1]stretch) {
	for g := range out {
		p, q := forecast.Grid[g], forecast.Grid[g+1]
		w := q - p
		// The integrals of p and of 1 - p against the two ends' straight weights.
		low := [2]float64{w * (2*p + q) / 6, w * (p + 2*q) / 6}
		out[g] = stretch{[2]float64{w/2 - low[0], w/2 - low[1]}, low}
	}
	return out
}()

// under and over are what a quantile's distance below and above y weighs over the stretches on both sides of it.
var under, over = func() (under, over [forecast.GridSize]float64) {
	for g, s := range stretches {
		under[g] += s.low[0]
		under[g+1] += s.low[1]
		over[g] += s.high[0]
		over[g+1] += s.high[1]
	}
	return under, over
}()

// Crps is the continuous ranked probability score of a quantile row: twice the
// integral of the pinball loss over all probabilities, exact for the quantiles joined
// by straight lines and constant beyond the grid's ends.
//
// Source: Gneiting and Raftery, Strictly proper scoring rules, prediction, and
// estimation, Journal of the American Statistical Association 102 (2007); Laio and
// Tamea, Hydrology and Earth System Sciences 11 (2007), for the integral.
func Crps(y float64, quantiles []float64) float64 {
	const last = forecast.GridSize - 1
	quantiles = quantiles[:forecast.GridSize]
	tail := forecast.Grid[0]
	sum := tail*Pinball(y, quantiles[0], tail/2) + tail*Pinball(y, quantiles[last], 1-tail/2)
	m := 0 // quantiles up to y
	for ; m <= last && quantiles[m] <= y; m++ {
		sum += under[m] * (y - quantiles[m])
	}
	other := 0.0 // apart, as an addition waits for the one before it
	for g := m; g <= last; g++ {
		other += over[g] * (quantiles[g] - y)
	}
	sum += other
	if m > 0 && m <= last { // of the stretch on which y lies, each side has counted its half as if it were whole
		a, b := y-quantiles[m-1], quantiles[m]-y
		p, q := forecast.Grid[m-1], forecast.Grid[m]
		at := p + a/(a+b)*(q-p)
		sum += a*((at-p)*(2*p+at)/6-stretches[m-1].low[0]) + b*((q-at)*(3-at-2*q)/6-stretches[m-1].high[1])
	}
	return 2 * sum
}

// Point is one point with all that is summed of it.
type Point struct {
	y, e, abs, pe, ape, sape, ase, rse, pinMid, crps float64
	scaled                                           bool
	sq, root                                         float64 // of the scale
	levels                                           []levelTerms
	parts                                            []LevelAcc
}

// levelTerms is what a level's scores are made with: the probability of its lower end, and 2 over alpha.
type levelTerms struct{ tail, penalty float64 }

// NewPoint makes one that can be set again and again, for some levels in per cent.
func NewPoint(levels []float64) *Point {
	p := &Point{levels: make([]levelTerms, len(levels)), parts: make([]LevelAcc, len(levels))}
	for i, level := range levels {
		p.levels[i] = levelTerms{(1 - level/100) / 2, 2 / (1 - level/100)}
	}
	return p
}

// Set takes an actual y, a forecast f, its quantile row and each level's interval. It is
// false where y is unknown.
func (p *Point) Set(y, f float64, scale Scale, quantiles, low, high []float64) bool {
	if y != y {
		return false
	}
	p.y, p.e = y, f-y
	p.abs = math.Abs(p.e)
	p.pe, p.ape, p.sape, p.ase, p.rse = 0, 0, 0, 0, 0
	if y != 0 {
		p.pe = p.e / y
		p.ape = math.Abs(p.pe)
	}
	if both := math.Abs(y) + math.Abs(f); both != 0 {
		p.sape = 2 * p.abs / both
	}
	if p.scaled = scale.Abs > 0; p.scaled {
		p.ase = p.abs / scale.Abs
	}
	if scale.Sq > 0 {
		if p.sq != scale.Sq { // the same for a whole series
			p.sq, p.root = scale.Sq, math.Sqrt(scale.Sq)
		}
		p.rse = p.abs / p.root
	}
	p.pinMid, p.crps = Pinball(y, quantiles[forecast.Median], 0.5), Crps(y, quantiles)
	for i, level := range p.levels {
		l := &p.parts[i]
		lower, upper := low[i], high[i]
		width := upper - lower
		l.Covered, l.Width, l.Winkler = 0, width, width
		switch {
		case y < lower:
			l.Winkler += (lower - y) * level.penalty
		case y > upper:
			l.Winkler += (y - upper) * level.penalty
		default:
			l.Covered = 1
		}
		l.Scaled = 0
		if p.scaled {
			l.Scaled = l.Winkler / scale.Abs
		}
		l.PinLow, l.PinHigh = Pinball(y, lower, level.tail), Pinball(y, upper, 1-level.tail)
	}
	return true
}

// Take adds a point that Set took.
func (a *Acc) Take(p *Point) {
	a.N++
	a.SumE += p.e
	a.SumAbs += p.abs
	a.SumSq += p.e * p.e
	if p.y != 0 {
		a.SumPE += p.pe
		a.SumAPE += p.ape
		a.NAPE++
	}
	a.SumSAPE += p.sape
	a.SumAbsY += math.Abs(p.y)
	delta := p.y - a.MeanY
	a.MeanY += delta / a.N
	a.M2Y += delta * (p.y - a.MeanY)
	if p.scaled {
		a.SumASE += p.ase
		a.NASE++
	}
	a.PinMid += p.pinMid
	a.SumCRPS += p.crps
	for i := range p.parts {
		a.Levels[i].add(&p.parts[i])
	}
}

// TakeAlone adds a point that makes up a series and window of its own.
func (a *Acc) TakeAlone(p *Point, scale Scale) {
	a.Take(p)
	if scale.Sq > 0 {
		a.SumRSE += p.rse
		a.NRSE++
	}
}

func (l *LevelAcc) add(b *LevelAcc) {
	l.Covered += b.Covered
	l.Width += b.Width
	l.Winkler += b.Winkler
	l.Scaled += b.Scaled
	l.PinLow += b.PinLow
	l.PinHigh += b.PinHigh
}

// Add takes a point: actual y (skipped where NaN), forecast f, its quantile row and, for
// each level of levels (in per cent), the interval's ends.
func (a *Acc) Add(y, f float64, scale Scale, quantiles, levels, low, high []float64) {
	p := NewPoint(levels)
	if p.Set(y, f, scale, quantiles, low, high) {
		a.Take(p)
	}
}

// AddTraining takes actuals with what was fitted to them, NaN where unknown. Only the
// sums of plain and scaled errors and of |y| are known of them.
func (a *Acc) AddTraining(actual, fitted []float64, scale Scale) {
	n, sum, abs, sq, size := 0, 0.0, 0.0, 0.0, 0.0
	fitted = fitted[:len(actual)]
	for t, y := range actual {
		e := fitted[t] - y
		if e != e {
			continue
		}
		n++
		sum += e
		abs += math.Abs(e)
		sq += e * e
		size += math.Abs(y)
	}
	if n == 0 {
		return
	}
	one := Acc{N: float64(n), SumE: sum, SumAbs: abs, SumSq: sq, SumAbsY: size}
	if scale.Abs > 0 {
		one.SumASE, one.NASE = abs/scale.Abs, one.N
	}
	one.CloseSeries(scale)
	a.Merge(&one)
}

// CloseSeries ends the points of one series in one window: only then is its
// RMSSE known. Call it once on an Acc that holds just those points.
func (a *Acc) CloseSeries(scale Scale) {
	if a.N > 0 && scale.Sq > 0 {
		a.SumRSE = math.Sqrt(a.SumSq / a.N / scale.Sq)
		a.NRSE = 1
	}
}

// Merge adds another slice's points. The sums of deviations combine as in Chan,
// Golub and LeVeque, Updating formulae and a pairwise algorithm for computing
// sample variances (1979).
func (a *Acc) Merge(b *Acc) {
	if b.N == 0 {
		return
	}
	n := a.N + b.N
	delta := b.MeanY - a.MeanY
	a.M2Y += b.M2Y + delta*delta*a.N*b.N/n
	a.MeanY += delta * b.N / n
	a.N = n
	a.SumE += b.SumE
	a.SumAbs += b.SumAbs
	a.SumSq += b.SumSq
	a.SumPE += b.SumPE
	a.SumAPE += b.SumAPE
	a.NAPE += b.NAPE
	a.SumSAPE += b.SumSAPE
	a.SumAbsY += b.SumAbsY
	a.SumASE += b.SumASE
	a.NASE += b.NASE
	a.SumRSE += b.SumRSE
	a.NRSE += b.NRSE
	a.PinMid += b.PinMid
	a.SumCRPS += b.SumCRPS
	a.Abs = append(a.Abs, b.Abs...)
	for i := range b.Levels { // none where nothing is known of intervals
		a.Levels[i].add(&b.Levels[i])
	}
}

func (l *LevelAcc) fields() [6]*float64 {
	return [6]*float64{&l.Covered, &l.Width, &l.Winkler, &l.Scaled, &l.PinLow, &l.PinHigh}
}

func (a *Acc) fields() []*float64 {
	return []*float64{&a.N, &a.SumE, &a.SumAbs, &a.SumSq, &a.SumPE, &a.SumAPE, &a.NAPE, &a.SumSAPE, &a.SumAbsY,
		&a.MeanY, &a.M2Y, &a.SumASE, &a.NASE, &a.SumRSE, &a.NRSE, &a.PinMid, &a.SumCRPS}
}

const (
	baseFields  = 17
	levelFields = 6
)

// PackedSize is the length in bytes of a packed Acc.
func PackedSize(levels int) int { return 8 * (baseFields + levelFields*levels) }

// AppendPacked appends the sums as little-endian float64.
func (a *Acc) AppendPacked(b []byte) []byte {
	put := func(v float64) { b = binary.LittleEndian.AppendUint64(b, math.Float64bits(v)) }
	for _, f := range a.fields() {
		put(*f)
	}
	for i := range a.Levels {
		for _, f := range a.Levels[i].fields() {
			put(*f)
		}
	}
	return b
}

// Unpack reads the sums into an Acc made for the same number of levels.
func (a *Acc) Unpack(b []byte) error {
	if len(b) != PackedSize(len(a.Levels)) {
		return errors.New("score: a packed record has the wrong length")
	}
	get := func() float64 {
		v := math.Float64frombits(binary.LittleEndian.Uint64(b))
		b = b[8:]
		return v
	}
	for _, f := range a.fields() {
		*f = get()
	}
	for i := range a.Levels {
		for _, f := range a.Levels[i].fields() {
			*f = get()
		}
	}
	return nil
}
