// Package score measures forecasts. Sums over points are gathered in an Acc, which
// can be merged over any slice (series, window, step, attribute), and read as
// metrics by their published definitions.
package score

import (
	"encoding/binary"
	"errors"
	"math"
)

// Acc gathers the sums of the points of a slice, y the actual and f the forecast.
type Acc struct {
	N       float64 // points with a known actual
	SumE    float64 // f - y
	SumAbs  float64 // |f - y|
	SumSq   float64 // (f - y)^2
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
	Levels  []LevelAcc
}

// LevelAcc gathers the sums of one level's intervals [l, u].
type LevelAcc struct {
	Covered float64 // points with l <= y <= u
	Width   float64 // u - l
	Winkler float64 // u - l + 2/alpha times the distance by which y lies outside
}

// Scale is what a series' errors are divided by in MASE and RMSSE: the mean
// absolute and the mean squared change over a lag, in the training part.
type Scale struct{ Abs, Sq float64 }

// MakeScale measures the training part of a series (NaN where unknown). The lag
// falls to 1 where the part is shorter than two of them. A part without a pair of
// known values that far apart has the scale 0.
//
// Source: Hyndman and Koehler, Another look at measures of forecast accuracy,
// International Journal of Forecasting 22 (2006), equation for MASE.
func MakeScale(training []float64, lag int) Scale {
	if lag < 1 || len(training) < 2*lag {
		lag = 1
	}
	abs, sq, n := 0.0, 0.0, 0
	for t := lag; t < len(training); t++ {
		if d := training[t] - training[t-lag]; d == d {
			abs += math.Abs(d)
			sq += d * d
			n++
		}
	}
	if n == 0 {
		return Scale{}
	}
	return Scale{abs / float64(n), sq / float64(n)}
}

// NewAcc makes an empty one with room for some levels.
func NewAcc(levels int) Acc { return Acc{Levels: make([]LevelAcc, levels)} }

// Add takes a point: actual y (skipped where NaN), forecast f and, for each level
// of levels (in per cent), the interval's ends.
func (a *Acc) Add(y, f float64, scale Scale, levels, low, high []float64) {
	if y != y {
		return
	}
	e := f - y
	abs := math.Abs(e)
	a.N++
	a.SumE += e
	a.SumAbs += abs
	a.SumSq += e * e
	if y != 0 {
		a.SumAPE += abs / math.Abs(y)
		a.NAPE++
	}
	if both := math.Abs(y) + math.Abs(f); both != 0 {
		a.SumSAPE += 2 * abs / both
	}
	a.SumAbsY += math.Abs(y)
	delta := y - a.MeanY
	a.MeanY += delta / a.N
	a.M2Y += delta * (y - a.MeanY)
	if scale.Abs > 0 {
		a.SumASE += abs / scale.Abs
		a.NASE++
	}
	for i, level := range levels {
		l := &a.Levels[i]
		width := high[i] - low[i]
		out := max(low[i]-y, y-high[i], 0)
		if out == 0 {
			l.Covered++
		}
		l.Width += width
		l.Winkler += width + out*2/(1-level/100)
	}
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
	a.SumAPE += b.SumAPE
	a.NAPE += b.NAPE
	a.SumSAPE += b.SumSAPE
	a.SumAbsY += b.SumAbsY
	a.SumASE += b.SumASE
	a.NASE += b.NASE
	a.SumRSE += b.SumRSE
	a.NRSE += b.NRSE
	for i := range a.Levels {
		a.Levels[i].Covered += b.Levels[i].Covered
		a.Levels[i].Width += b.Levels[i].Width
		a.Levels[i].Winkler += b.Levels[i].Winkler
	}
}

func (a *Acc) fields() []*float64 {
	return []*float64{&a.N, &a.SumE, &a.SumAbs, &a.SumSq, &a.SumAPE, &a.NAPE, &a.SumSAPE, &a.SumAbsY,
		&a.MeanY, &a.M2Y, &a.SumASE, &a.NASE, &a.SumRSE, &a.NRSE}
}

const baseFields = 14

// PackedSize is the length in bytes of a packed Acc.
func PackedSize(levels int) int { return 8 * (baseFields + 3*levels) }

// AppendPacked appends the sums as little-endian float64.
func (a *Acc) AppendPacked(b []byte) []byte {
	put := func(v float64) { b = binary.LittleEndian.AppendUint64(b, math.Float64bits(v)) }
	for _, f := range a.fields() {
		put(*f)
	}
	for _, l := range a.Levels {
		put(l.Covered)
		put(l.Width)
		put(l.Winkler)
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
		a.Levels[i] = LevelAcc{get(), get(), get()}
	}
	return nil
}
