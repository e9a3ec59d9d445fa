// Package loess takes series apart into trend, seasons and rest by local regression.
package loess

import (
	"math"
	"slices"

	"paperkettle/core/panel"
)

// Parts are a series taken apart: what was known of it is Trend + the Seasons + Rest.
type Parts struct {
	Trend   []float64
	Seasons [][]float64 // one for each period, the shortest first
	Rest    []float64
	Weight  []float64 // 0 to 1: how far robust fitting trusted each value
}

// Options of a decomposition.
type Options struct {
	// Window is how many seasons a season is smoothed over; at least 3. Long windows give
	// steady seasons.
	Window int
	Robust bool
}

// Split takes a series apart by local regression, season after season, and goes over
// them again so that each is fitted to what the others leave. Unknown values get no weight.
//
// Source: Cleveland, Cleveland, McRae and Terpenning, STL: A seasonal-trend decomposition
// procedure based on loess, Journal of Official Statistics 6 (1990); over several seasons:
// Bandara, Hyndman and Bergmeir, International Journal of Operational Research 52 (2025).
func Split(y []float64, periods []int, o Options) Parts {
	n := len(y)
	p := Parts{Trend: make([]float64, n), Rest: make([]float64, n), Weight: make([]float64, n)}
	for i, v := range y {
		if panel.Known(v) {
			p.Weight[i] = 1
		}
	}
	for range periods {
		p.Seasons = append(p.Seasons, make([]float64, n))
	}
	w := &worker{left: make([]float64, n)}
	rounds := 1
	if len(periods) > 1 {
		rounds = 2
	}
	robust := 1
	if o.Robust {
		robust = 6
	}
	for k := range robust {
		for range rounds {
			for at, period := range periods {
				for i := range w.left {
					w.left[i] = y[i]
					for other, s := range p.Seasons {
						if other != at {
							w.left[i] -= s[i]
						}
					}
				}
				w.season(w.left, p.Weight, p.Trend, p.Seasons[at], period, o.Window)
			}
		}
		if len(periods) == 0 {
			span := odd(max(7, n/10))
			w.smooth(y, p.Weight, p.Trend, span, 1)
		}
		for i, v := range y {
			p.Rest[i] = v - p.Trend[i]
			for _, s := range p.Seasons {
				p.Rest[i] -= s[i]
			}
		}
		if k+1 < robust {
			weigh(y, p.Rest, p.Weight)
		}
	}
	return p
}

// weigh gives values far from their fit less weight: the bisquare of the rest over six
// times its median size, or twice what one in twenty exceeds: where many lie far out they
// are no outliers.
func weigh(y, rest, weight []float64) {
	var sizes []float64
	for _, r := range rest {
		if panel.Known(r) {
			sizes = append(sizes, math.Abs(r))
		}
	}
	slices.Sort(sizes)
	if len(sizes) == 0 {
		return
	}
	bound := max(6*sizes[len(sizes)/2], 2*sizes[len(sizes)*19/20])
	for i, r := range rest {
		weight[i] = 0
		if !panel.Known(y[i]) {
			continue
		}
		weight[i] = 1
		if bound > 0 {
			u := math.Abs(r) / bound
			weight[i] = max(1e-6, (1-min(u*u, 1))*(1-min(u*u, 1)))
		}
	}
}

type worker struct {
	left, cycle, low, tmp, sub, subWeight, subOut []float64
	near                                          []float64 // weights by distance
	reach                                         float64   // that they were made for
}

func grown(v []float64, n int) []float64 {
	if cap(v) < n {
		return make([]float64, n)
	}
	return v[:n]
}

// Longest is the Longest season whose places stand for themselves.
const Longest = 60

// season is the inner loop: the season of what the trend leaves, smoothed place by place,
// less its own slow movement; then the trend of what the season leaves.
func (w *worker) season(y, weight, trend, season []float64, period, window int) {
	n := len(y)
	trendSpan := odd(int(math.Ceil(1.5 * float64(period) / (1 - 1.5/float64(max(window, 3))))))
	w.cycle, w.low, w.tmp = grown(w.cycle, n+2*period), grown(w.low, n+2*period), grown(w.tmp, n+2*period)
	detrended := make([]float64, n)
	for range 2 {
		for i := range detrended {
			detrended[i] = y[i] - trend[i]
		}
		w.places(detrended, weight, period, window)
		// The low pass: two means over a season, one over three, and a local line.
		m := n + 2*period
		moving(w.cycle[:m], w.tmp, period)
		moving(w.tmp[:m-period+1], w.low, period)
		moving(w.low[:m-2*period+2], w.tmp, 3)
		w.smooth(w.tmp[:n], nil, w.low[:n], odd(period), 1)
		for i := range season {
			season[i] = w.cycle[i+period] - w.low[i]
		}
		if period > Longest {
			// Each place has few values of its own: its neighbours help.
			w.smooth(season, nil, w.tmp[:n], odd(period/8), 1)
			copy(season, w.tmp)
		}
		for i := range detrended {
			detrended[i] = y[i] - season[i]
		}
		w.smooth(detrended, weight, trend, trendSpan, 1)
	}
}

// places smooths each place of the season over the seasons, and reaches one season beyond
// either end.
func (w *worker) places(y, weight []float64, period, window int) {
	n := len(y)
	for place := range period {
		k := (n - place + period - 1) / period
		if k <= 0 {
			for i := place; i < n+2*period; i += period {
				w.cycle[i] = 0
			}
			continue
		}
		w.sub, w.subWeight, w.subOut = grown(w.sub, k), grown(w.subWeight, k), grown(w.subOut, k+2)
		for i := range k {
			w.sub[i], w.subWeight[i] = y[place+i*period], weight[place+i*period]
		}
		span := odd(max(window, 3))
		for i := -1; i <= k; i++ {
			w.subOut[i+1] = w.local(w.sub, w.subWeight, i, span, 0)
		}
		for i, v := range w.subOut[:k+2] {
			w.cycle[place+i*period] = v
		}
	}
}

// moving is the mean over width values, len(y)-width+1 of them.
func moving(y, out []float64, width int) {
	sum := 0.0
	for i, v := range y {
		sum += v
		if i >= width {
			sum -= y[i-width]
		}
		if i >= width-1 {
			out[i-width+1] = sum / float64(width)
		}
	}
}

// smooth is a local regression at every value; long spans are computed at some points and
// joined by lines between.
func (w *worker) smooth(y, weight, out []float64, span, degree int) {
	n := len(y)
	jump := max(1, span/10)
	for i := 0; i < n; i += jump {
		out[i] = w.local(y, weight, i, span, degree)
	}
	last := (n - 1) / jump * jump
	if last != n-1 {
		out[n-1] = w.local(y, weight, n-1, span, degree)
	}
	for i := 0; i < n-1; i += jump {
		j := min(i+jump, n-1)
		for k := i + 1; k < j; k++ {
			out[k] = out[i] + (out[j]-out[i])*float64(k-i)/float64(j-i)
		}
	}
}

// local is the value at place x, which may lie just outside, of the line (degree 1) or level (degree 0) through
// the span values around it, by tricube weights.
func (w *worker) local(y, weight []float64, x, span, degree int) float64 {
	n := len(y)
	half := span / 2
	from := min(max(x-half, 0), max(n-span, 0))
	to := min(from+span, n)
	reach := float64(max(x-from, to-1-x))
	if span > n {
		reach += float64(span-n) / 2
	}
	near := w.tricube(max(reach*1.001, 1e-9), max(x-from, to-1-x))
	var s, sx, sy, sxx, sxy float64
	for i := from; i < to; i++ {
		d := i - x
		c := near[max(d, -d)]
		if weight != nil {
			c *= weight[i]
		}
		v := y[i]
		if c == 0 || v != v {
			continue
		}
		u := float64(d)
		s += c
		sy += c * v
		if degree == 1 {
			sx += c * u
			sxx += c * u * u
			sxy += c * u * v
		}
	}
	if s == 0 {
		return nearest(y, weight, float64(x))
	}
	if d := s*sxx - sx*sx; degree == 1 && d > 1e-9*s*s {
		return (sxx*sy - sx*sxy) / d
	}
	return sy / s
}

// tricube are the weights of values 0, 1, ... most places away, of which those within reach count. Nearly all places
// have the same: the last are kept.
func (w *worker) tricube(reach float64, most int) []float64 {
	if w.reach == reach && len(w.near) == most+1 {
		return w.near
	}
	w.reach, w.near = reach, w.near[:0]
	for k := range most + 1 {
		c := 0.0
		if d := float64(k) / reach; d < 1 {
			c = 1 - d*d*d
			c = c * c * c
		}
		w.near = append(w.near, c)
	}
	return w.near
}

// nearest is the known value closest to x; 0 where there is none.
func nearest(y, weight []float64, x float64) float64 {
	best, value := math.Inf(1), 0.0
	for i, v := range y {
		if d := math.Abs(float64(i) - x); panel.Known(v) && (weight == nil || weight[i] > 0) && d < best {
			best, value = d, v
		}
	}
	return value
}

func odd(n int) int { return max(n, 3) | 1 }
