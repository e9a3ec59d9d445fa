package neural

import (
	"math"
	"slices"

	"paperkettle/core/model/outlook"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// leaning is what a network starts from: which plain forecasts do well, and how wide errors are.
type leaning struct {
	mix   [anchors]float32
	quant [9]float32
	width float64 // standard deviation of errors, as their middle 80 % have it
}

const (
	mostLeaned = 2000 // windows that are looked at
	// sharp is how many times a plain forecast's weight falls by e for an error e times as large.
	sharp = 5
)

// lean judges the plain forecasts on some windows.
func (l *Layout) lean(list []*sequence, cut []int32, windows []window) (out leaning) {
	var sums [anchors]float64
	stride := 1 + len(windows)/mostLeaned
	steps := 1 // of a window that are looked at
	if len(windows) < fewestWindows {
		steps = l.Horizon
	}
	type seen struct {
		a      [anchors]float32
		y      float64
		series int32
	}
	var all []seen
	row := make([]float32, anchors+lags)
	for i := 0; num.Thin(i/steps, stride) < len(windows); i++ {
		w := windows[num.Thin(i/steps, stride)]
		q := list[w.series]
		p, ok := l.at(q, int(w.n))
		if !ok {
			continue
		}
		h := 1 + i%l.Horizon
		at := p.n - 1 + h
		if at >= int(cut[w.series]) || !panel.Known(q.z[at]) {
			continue
		}
		l.place(p, h, row)
		y := (q.z[at] - p.level) / p.unit
		s := seen{y: y, series: w.series}
		for k := range anchors {
			s.a[k] = row[k]
			sums[k] += math.Sqrt(math.Abs(y - float64(row[k]))) // which forgives far misses
		}
		all = append(all, s)
	}
	if len(all) == 0 {
		return out
	}
	least := slices.Min(sums[:])
	if least <= 0 {
		least = 1e-9
	}
	var weights [anchors]float64
	total := 0.0
	for k := range anchors {
		logit := -2 * sharp * math.Log(max(sums[k], 1e-9)/least)
		out.mix[k] = float32(max(-12, logit))
		weights[k] = math.Exp(max(-12, logit))
		total += weights[k]
	}
	errs := make([]float64, len(all))
	for i, s := range all {
		mix := 0.0
		for k := range anchors {
			mix += weights[k] / total * float64(s.a[k])
		}
		errs[i] = s.y - mix
	}
	evenOut(errs, func(i int) int32 { return all[i].series })
	at := quantiles(errs, len(windows))
	out.quant[outlook.Middle] = float32(at(0.5))
	out.width = (at(0.9) - at(0.1)) / 2.563
	for j := range outlook.Probs {
		switch {
		case j < outlook.Middle:
			out.quant[j] = inverse(at(outlook.Probs[j+1]) - at(outlook.Probs[j]))
		case j > outlook.Middle:
			out.quant[j] = inverse(at(outlook.Probs[j]) - at(outlook.Probs[j-1]))
		}
	}
	return out
}

// evenOut brings the errors of series that err far more than the one in the middle down to farther times its: one
// that multiplies within weeks, or leaps, says nothing of how far others go wrong.
func evenOut(errs []float64, of func(i int) int32) {
	sums, counts := map[int32]float64{}, map[int32]float64{}
	for i, e := range errs {
		sums[of(i)] += math.Abs(e)
		counts[of(i)]++
	}
	sizes := make([]float64, 0, len(sums))
	for k, sum := range sums {
		sizes = append(sizes, sum/counts[k])
	}
	slices.Sort(sizes)
	middle := sizes[len(sizes)/2]
	for i := range errs {
		if size := sums[of(i)] / counts[of(i)]; size > farther*middle && middle > 0 {
			errs[i] *= farther * middle / size
		}
	}
}

// farther is how many times as far as the series in the middle one may err to be taken as it is.
const farther = 2

// Where windows are few, errors are taken for normal, and their variance leans on that of a walk over some
// steps, in usual changes: on usualError squared, which counts for usualCount of them.
const (
	usualError = 1.5
	usualCount = 6.0
)

// quantiles gives those of errors, at probabilities.
func quantiles(errs []float64, windows int) func(p float64) float64 {
	if windows >= fewestWindows {
		slices.Sort(errs)
		return func(p float64) float64 { return errs[int(p*float64(len(errs)-1))] }
	}
	squares := usualCount * usualError * usualError
	for _, e := range errs {
		squares += e * e
	}
	size := math.Sqrt(squares / (usualCount + float64(len(errs))))
	return func(p float64) float64 { return size * num.NormalQuantile(p) }
}

// inverse is the number whose log(1 + e to it) is a distance.
func inverse(distance float64) float32 {
	d := max(distance, 1e-3)
	if d > 20 {
		return float32(d)
	}
	return float32(math.Log(math.Expm1(d)))
}

// lean has a network start from plain forecasts that do well.
func (n *Network) lean(from leaning) {
	copy(n.weights.Data(n.mix.B), from.mix[:])
	start := from.quant[:]
	switch n.Shape.Out {
	case outNormal:
		start = []float32{0, inverse(from.width), 0}
	case outStudent:
		start = []float32{0, inverse(from.width), inverse(5)}
	case outCounts:
		start = []float32{0, inverse(0.2), 0}
	}
	copy(n.weights.Data(n.quant.B), start)
}
