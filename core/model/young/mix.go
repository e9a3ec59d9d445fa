package young

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
)

// alone are the logs of the likelihoods of the settings without a share in the others' season; nil where a series tells
// nothing. It leaves what a share in that season may be: one that is as large as it, next to the noise of the likeliest.
func (s *seen) alone() []float64 {
	out, noise := impossible(s.d.alone), make([]float64, s.d.alone)
	if s.each(0, out, noise); math.IsInf(out[0], -1) {
		return nil
	}
	s.share = math.Sqrt(shareOfOthers / noise[floats.MaxIdx(out)])
	return out
}

// each puts the logs of the likelihoods of the settings from one on, and their noise; nothing where the series tells
// nothing.
func (s *seen) each(from int, loglik, noise []float64) {
	for _, some := range s.d.alike(from, len(loglik)) {
		if !s.ready(some[0]) {
			return
		}
		s.logliks(some, loglik[some[0]:], noise[some[0]:])
	}
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

// ready filters the series with a setting's wander, unless it was before; false where it tells nothing.
func (s *seen) ready(setting int) bool {
	if setting == 0 || s.d.list[setting].wander != s.wander || s.n == 0 {
		s.wander = s.d.list[setting].wander
		s.filter(s.wander)
	}
	return s.yy > 0
}

// beside is the series beside the others' season.
func (s *seen) beside(others []float64) *seen {
	s.others = others
	for i := range s.values {
		row := s.rows[i*s.p : (i+1)*s.p]
		row[s.p-1] = 0
		if others != nil {
			row[s.p-1] = floats.Dot(row[1:s.p-1], others)
		}
	}
	s.n = 0 // what was filtered no longer holds
	return s
}

// all adds the logs of the likelihoods of the settings with a share in the others' season; impossible where there is
// none.
func (s *seen) all(alone []float64) []float64 {
	out := append(slices.Clip(alone), impossible(len(s.d.list)-len(alone))...)
	if s.others != nil {
		s.each(len(alone), out, make([]float64, len(out)))
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
		if x < mostlyLeft || !d.list[k].has() || !s.ready(k) {
			continue
		}
		out.share += x
		_, noise := s.loglik(k)
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
	out.mean[0] = 0
	for place, row := range rows { // without the slope
		at := floats.Dot(row, out.mean)
		for a, y := range row {
			if a > 0 {
				out.variance[place] += y * floats.Dot(row[1:], squares[a*s.p+1:(a+1)*s.p])
			}
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
	out := append([]float64(nil), coef[1:s.p-1]...)
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
