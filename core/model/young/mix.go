package young

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
)

// alone are the logs of the likelihoods of the settings without a share in the others' season; nil where a series tells
// nothing. It leaves what a share in that season may be: one that is as large as it, next to the noise of the likeliest.
func (s *seen) alone() []float64 {
	if !s.tells() {
		return nil
	}
	s.goThrough(len(s.d.seasons))
	out, noise := make([]float64, s.d.alone), make([]float64, s.d.alone)
	for k := range out {
		out[k], noise[k] = s.loglik(k)
	}
	s.share = math.Sqrt(shareOfOthers / noise[floats.MaxIdx(out)])
	return out
}

// impossible are logs of likelihoods of settings that nothing speaks for.
func impossible(n int) []float64 {
	out := make([]float64, n)
	for k := range out {
		out[k] = math.Inf(-1)
	}
	return out
}

// shareOfOthers is the variance of the share that a series has in the others' season.
const shareOfOthers = 1.5

// all adds the logs of the likelihoods of the settings with a share in the others' season; impossible where there is
// none.
func (s *seen) all(alone []float64) []float64 {
	out := append(slices.Clip(alone), impossible(len(s.d.list)-len(alone))...)
	if s.others == nil {
		return out
	}
	for k := len(alone); k < len(out); k++ {
		out[k], _ = s.loglik(k)
	}
	return out
}

// mostlyLeft is the weight of a setting from which on it counts.
const mostlyLeft = 1e-3

// saying is what settings say of a season together: the mean of all columns' coefficients, the variance of the season at
// the places of a round, how many coefficients' worth the series told, and how likely it is that there is one.
type saying struct {
	mean, variance []float64
	learnt, share  float64
}

// say weighs what the settings say. doubt is the variance of the others' season at each place; nil for none.
func (s *seen) say(w, doubt []float64) saying {
	d := s.d
	rows := make([][]float64, d.m)
	for place := range rows {
		rows[place] = make([]float64, s.p)
		s.season(int64(place), rows[place])
	}
	out := saying{mean: make([]float64, s.p), variance: make([]float64, d.m)}
	own, inverse, squares := make([]float64, s.p), make([]float64, s.p*s.p), make([]float64, s.p*s.p)
	inOthers := 0.0
	for k, x := range w {
		if x < mostlyLeft || !d.list[k].has() {
			continue
		}
		out.share += x
		_, noise := s.solve(k)
		s.coefficients(k, own)
		floats.AddScaled(out.mean, x, own)
		s.inverse(inverse)
		out.learnt += x * s.learnt(k, inverse)
		inOthers += x * own[s.p-1] * own[s.p-1]
		for a, u := range s.dev {
			for b, v := range s.dev {
				squares[a*s.p+b] += x * (own[a]*own[b] + noise*u*v*inverse[a*s.p+b])
			}
		}
	}
	out.mean[s.p-2] = 0
	for place, row := range rows { // in which the slope is nought
		at := floats.Dot(row, out.mean)
		for a, y := range row {
			out.variance[place] += y * floats.Dot(row, squares[a*s.p:(a+1)*s.p])
		}
		if doubt != nil {
			out.variance[place] += inOthers * doubt[place]
		}
		out.variance[place] = max(0, out.variance[place]-at*at)
	}
	return out
}

// whole are the coefficients of the season, its own and its share in the others', given those of all columns.
func (s *seen) whole(coef []float64) []float64 {
	out := append([]float64(nil), coef[:s.p-2]...)
	if s.others != nil {
		floats.AddScaled(out, coef[s.p-1], s.others)
	}
	return out
}

// mix is the season that all settings together say.
func (b *belief) mix(s *seen, unit float64, log bool) *Season {
	logliks := s.alone()
	if logliks == nil {
		return nil
	}
	say := s.say(weights(s.all(logliks), b.share), b.doubt)
	out := &Season{Log: log, Terms: s.d.terms(s.whole(say.mean), unit), Deviations: make([]float64, s.d.m), Learnt: say.learnt, Share: say.share}
	for place, v := range say.variance {
		out.Deviations[place] = unit * math.Sqrt(v)
	}
	return out
}
