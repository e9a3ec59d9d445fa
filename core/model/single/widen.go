package single

import (
	"context"
	"math"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Widening is by what factor intervals are made wider than a model has them, of the first
// steps and of the last ones: what its errors on inner windows ask for. A model that was
// chosen among many, and judged by the data that chose it, thinks too well of itself.
//
// Source: after the calibration of forecast variances by past forecast errors, as in Gneiting
// and others, Monthly Weather Review 133 (2005), shrunk towards the model's own width.
type Widening struct {
	Near, Far float64
	Tail      float64 // by what more at 95 %
	Steps     int     // of the windows that told
	// Point is the share of the way from the mean to the median that point forecasts go, where they
	// are ranked by absolute errors and inner windows of many series gain by it.
	Point float64
	// Skew is by how much quantiles are bent: see bend.
	Skew float64
	// Little is what share of the factors there is since little was there to learn from: 0.2 for a fifth.
	Little float64
	tally  *Tally // what it was made of, until all series are fitted; not written
}

// Tally is what inner windows say of a model's widths: the sizes of its errors, each divided
// by what the model took for its standard deviation.
type Tally struct {
	Near, Far Sizes
	Steps     int
	misses    [][]miss // of each window
}

// Sizes are sizes of errors from a number of windows, overlapping ones counted for less.
type Sizes struct {
	Sizes  []float64
	Weight float64
}

const (
	// trust is the number of windows that a model's own width counts for, and doubtLess that
	// against which one is made narrower: what was never seen going wrong still may. What many
	// series say together counts for likeOthers.
	trust      = 2
	doubtLess  = 5
	likeOthers = 8
	// mostSize is how much one error may count.
	mostSize   = 3.5
	leastWiden = 0.8
	// middleShare is the share that the middle has in the factor.
	middleShare = 0.8
	mostWiden   = 4
)

// AskWindows fits a method to what was known before the inner windows, and gives what its errors
// on them ask for: what is usual where there is no room for windows, and nothing where the method fails there.
func AskWindows(ctx context.Context, m Method, in Input) Widening {
	trial, ok := TrialOf(in)
	if !ok {
		return Untold(in)
	}
	state, err := m.Fit(ctx, trial.Early(in))
	if err != nil {
		return None
	}
	_, tally := trial.Run(state, in)
	w := tally.Widening()
	w.tally = &tally
	return w
}

// Agree has series that were fitted each by itself learn from one another where points lie and how far errors lean; how wide
// their intervals are is their own. Those without room for inner windows learn it too.
func Agree(list []Widening, by model.Judge) {
	var told []Tally
	for _, w := range list {
		if w.tally != nil {
			told = append(told, *w.tally)
		}
	}
	common := None
	common.Skew = skewed(told)
	bent := make([]Tally, len(told))
	for i := range told {
		bent[i] = told[i].bent(common.Skew)
	}
	common.Point = pointOf(bent)
	common = common.RankedBy(by)
	for i, w := range list {
		if w.tally != nil {
			w = w.tally.Toward(common)
		}
		if w.Steps > 0 {
			w.Point, w.Skew = common.Point, common.Skew
		}
		list[i] = w
	}
}

// Heart is the middle of a forecast: the ends of its 80 % interval, the median and the mean, a step
// each.
type Heart struct{ Low, Middle, High, Mean []float64 }

// HeartOf reads it.
func HeartOf(rows forecast.Rows) (h Heart) {
	for k := range rows.Mean {
		low, high := forecast.Interval(rows.At(k), 80)
		h.Low, h.Middle, h.High = append(h.Low, low), append(h.Middle, rows.At(k)[forecast.Median]), append(h.High, high)
	}
	h.Mean = slices.Clone(rows.Mean)
	return h
}

// Mixed averages hearts by weights that add up to 1.
func Mixed(list []Heart, weights []float64) (out Heart) {
	for i, h := range list {
		if out.Low == nil {
			n := len(h.Low)
			out = Heart{make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)}
		}
		for k := range h.Low {
			out.Low[k] += weights[i] * h.Low[k]
			out.Middle[k] += weights[i] * h.Middle[k]
			out.High[k] += weights[i] * h.High[k]
			out.Mean[k] += weights[i] * h.Mean[k]
		}
	}
	return out
}

// Take adds a window's forecast to a tally; actual are the values of its steps.
func (t Trial) Take(tally *Tally, h Heart, actual []float64) {
	half := (t.Horizon + 1) / 2
	weight := min(1, float64(t.Stride)/float64(half))
	tally.Steps = t.Horizon
	var window []miss
	var any [2]bool
	for k := range min(len(h.Low), len(actual)) {
		if actual[k] != actual[k] {
			continue
		}
		m := missOf(h, k, actual[k])
		m.far = k >= half
		window = append(window, m)
		any[m.part()] = any[m.part()] || panel.Known(m.score)
	}
	tally.add(window)
	for part, of := range tally.parts() {
		if any[part] {
			of.Weight += weight
		}
	}
}

// parts are the sizes near and far.
func (t *Tally) parts() [2]*Sizes { return [2]*Sizes{&t.Near, &t.Far} }

// scaled is an error in standard deviations, each side by its own part of the 80 % interval.
func scaled(low, middle, high, y float64) float64 {
	wide := high - middle
	if y < middle {
		wide = middle - low
	}
	if !(wide > 1e-9*math.Abs(middle)) {
		return panel.Unknown
	}
	return (y - middle) / wide * 1.2816
}

// None widens nothing.
var None = Widening{Near: 1, Far: 1, Tail: 1}

// Widening is what the tally asks for, shrunk towards none.
func (t Tally) Widening() Widening { return t.Toward(None) }

// Toward is what the tally asks for, shrunk towards another widening.
func (t Tally) Toward(w Widening) Widening {
	pooled := w.Steps > 0
	t = t.bent(w.Skew)
	out := Widening{Near: t.Near.factor(w.Near, pooled), Steps: max(t.Steps, w.Steps), Point: w.Point, Skew: w.Skew}
	far := w.Far
	if !pooled {
		far = out.Near
	}
	out.Far = t.Far.factor(far, pooled)
	both := Sizes{Weight: t.Near.Weight}
	for _, z := range t.Near.Sizes {
		both.Sizes = append(both.Sizes, z/out.Near)
	}
	for _, z := range t.Far.Sizes {
		both.Sizes = append(both.Sizes, z/out.Far)
	}
	out.Tail = both.tail(w.Tail, pooled)
	return out
}

// Pooled is what the tallies of many series ask for together.
func Pooled(list []Tally) Widening {
	var all Tally
	skew := skewed(list)
	if skew != 0 {
		list = slices.Clone(list)
		for i := range list {
			list[i] = list[i].bent(skew)
		}
	}
	for _, t := range list {
		all.Near.Sizes, all.Near.Weight = append(all.Near.Sizes, t.Near.Sizes...), all.Near.Weight+t.Near.Weight
		all.Far.Sizes, all.Far.Weight = append(all.Far.Sizes, t.Far.Sizes...), all.Far.Weight+t.Far.Weight
		all.Steps = max(all.Steps, t.Steps)
	}
	out := all.Widening()
	out.Point, out.Skew = pointOf(list), skew
	return out
}

// factor is what the middle 80 % of the errors ask for, a little by their mean square: that
// tells more where errors are few, and is moved by rare ones.
func (m Sizes) factor(otherwise float64, pooled bool) float64 {
	if len(m.Sizes) == 0 {
		return otherwise
	}
	square := 0.0
	for _, z := range m.Sizes {
		square += z * z
	}
	square /= float64(len(m.Sizes))
	q := quantile(m.Sizes, 0.8) / 1.2816
	asked := math.Pow(q*q, middleShare) * math.Pow(square, 1-middleShare)
	own := weigh(pooled, asked < otherwise*otherwise)
	f := math.Sqrt((own*otherwise*otherwise + m.Weight*asked) / (own + m.Weight))
	return max(leastWiden, min(f, mostWiden))
}

// weigh is how many windows what is there before counts for.
func weigh(pooled, less bool) float64 {
	switch {
	case pooled:
		return likeOthers
	case less:
		return doubtLess
	}
	return trust
}

// tail is what the outermost errors ask for beyond that.
func (m Sizes) tail(otherwise float64, pooled bool) float64 {
	if len(m.Sizes) < 12 {
		return otherwise
	}
	asked := quantile(m.Sizes, 0.95) / 1.96
	own := weigh(pooled, asked < otherwise)
	return max(1, min((own*otherwise+m.Weight*asked)/(own+m.Weight), 1.6))
}

// Learnt widens by what is not known of a model that was learnt from few windows: where p
// parameters are learnt from n independent ones, errors of new windows have (1 + p/n) times the
// variance of those that a model with the true parameters makes. windows is n; freedom is p, as far as
// the model's shrinkage leaves it any.
//
// Source: Akaike, Fitting autoregressive models for prediction, Annals of the Institute of
// Statistical Mathematics 21 (1969).
func (w Widening) Learnt(windows, freedom float64) Widening {
	if windows <= 0 {
		return w
	}
	f := math.Sqrt(1 + freedom/max(windows, 1))
	w.Near, w.Far = min(w.Near*f, mostWiden), min(w.Far*f, mostWiden)
	w.Steps, w.Little = max(w.Steps, 1), f-1
	return w
}

// untested is how many parameters' worth of a form was never put to a test where there is no room for inner windows:
// whether there is a trend, or a level that moves.
const untested = 0.5

// Untold widens by what a form that no inner window tested may be wrong by.
func Untold(in Input) Widening { return None.Learnt(Apart([]Input{in}, in.Horizon), untested) }

// Apart is how many windows that do not overlap some series have.
func Apart(inputs []Input, horizon int) float64 {
	known := 0
	for _, in := range inputs {
		known += panel.CountKnown(in.Values)
	}
	return float64(known) / float64(max(1, horizon))
}

// at is the factor of a step, counted from 0: along the log of the steps, and no further than
// twice as far as the windows reached.
func (w Widening) at(step int) float64 {
	if w.Near == w.Far || w.Steps < 2 {
		return w.Near
	}
	half := float64(w.Steps+1) / 2
	a, b := math.Log(half/2+0.5), math.Log((half+float64(w.Steps))/2+0.5)
	x := math.Log(float64(min(step+1, 2*w.Steps)))
	share := max(0, (x-a)/max(b-a, 0.1))
	return w.Near * math.Pow(w.Far/w.Near, min(share, 2))
}

// Stretch widens the intervals of a forecast around its medians; quiet periods before it are
// unknown.
func (w Widening) Stretch(out forecast.Rows, quiet int) {
	if w.Steps == 0 {
		return
	}
	bendAll(out, w.Skew)
	for k := range out.Mean {
		f := w.at(k + quiet)
		q := out.At(k)
		middle := q[forecast.Median]
		out.PointAt(k, w.Point)
		for g := range q {
			q[g] = middle + f*w.tailAt(g)*(q[g]-middle)
		}
	}
}

// tailAt is the tail's factor at a place of the grid: none within the middle 80 %, all from
// 95 % on.
func (w Widening) tailAt(g int) float64 {
	score := math.Abs(num.NormalQuantile(forecast.Grid[g]))
	share := max(0, min(1, (score-1.2816)/(1.96-1.2816)))
	return 1 + (w.Tail-1)*share
}

// quantile is the order statistic at p (n + 1), whose expected coverage is p.
func quantile(x []float64, p float64) float64 {
	sorted := slices.Sorted(slices.Values(x))
	at := p*float64(len(x)+1) - 1
	k := max(0, min(int(at), len(x)-1))
	next := min(k+1, len(x)-1)
	return sorted[k] + max(0, min(1, at-float64(k)))*(sorted[next]-sorted[k])
}
