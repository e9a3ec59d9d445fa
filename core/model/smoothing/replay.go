package smoothing

import (
	"math"

	"paperkettle/core/panel"
)

// replayed brings the states to the end of the values.
func (s *State) replayed() { s.follow(s.scaled()) }

// scaled are the values up to the last known one, scaled, without harmonics.
func (s *State) scaled() []float64 {
	n := len(s.Values)
	for n > 0 && !panel.Known(s.Values[n-1]) {
		n--
	}
	out := make([]float64, n)
	for i, v := range s.Values[:n] {
		out[i] = (v - s.longAt(i)) / s.Scale
	}
	return out
}

// follow moves the states from the first ones over values as scaled gives them: push, one after another, without
// moving the season along each time.
func (s *State) follow(x []float64) {
	s.Now = s.First
	s.Quiet = len(s.Values) - len(x)
	p := &s.Now
	lowest := math.Inf(-1)
	if s.Form.Positive() {
		lowest = 1e-9
	}
	if s.Form.Season == 'N' {
		p.Season = nil
		p.pass(x, lowest)
		return
	}
	m := len(s.First.Season)
	p.Season = make([]float64, m)
	at := len(x) % m
	for k, v := range p.passSeason(x, lowest, s.Form.Season == 'M', append([]float64(nil), s.First.Season...)) {
		p.Season[(k-at+m)%m] = v
	}
}

// pass moves level and slope over values; an unknown one leaves them to themselves.
func (p *params) pass(x []float64, lowest float64) {
	l, b := p.Level, p.Slope
	for _, v := range x {
		q := l + p.Phi*b
		r := v - q
		if r != r {
			r = 0
		}
		if l, b = q+p.Alpha*r, p.Phi*b+p.Beta*r; l < lowest {
			l = lowest
		}
	}
	p.Level, p.Slope = l, b
}

// passSeason does so with a season, which it moves where it stands: the first place is that of the first value.
func (p *params) passSeason(x []float64, lowest float64, times bool, season []float64) []float64 {
	l, b, k := p.Level, p.Slope, 0
	for _, v := range x {
		q, old := l+p.Phi*b, season[k]
		if times {
			r := v - q*old
			if r != r {
				r = 0
			}
			u := r / old
			l, b = q+p.Alpha*u, p.Phi*b+p.Beta*u
			season[k] = max(old+p.Gamma*(r/q), leastSeason)
		} else {
			r := v - (q + old)
			if r != r {
				r = 0
			}
			l, b = q+p.Alpha*r, p.Phi*b+p.Beta*r
			season[k] = old + p.Gamma*r
		}
		if l < lowest {
			l = lowest
		}
		if k++; k == len(season) {
			k = 0
		}
	}
	p.Level, p.Slope = l, b
	return season
}
