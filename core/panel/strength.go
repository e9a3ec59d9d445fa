package panel

import "math"

// Strengths tells of a single series how much of its movement is trend and how much
// season, as Look does for all.
func Strengths(values []float64, season int) (trend, seasonal float64) {
	return new(scratch).strengths(values, season)
}

// strengths gives how much of a series' movement is trend and how much season, each
// 0 to 1: 1 - Var(R)/Var(T+R) and 1 - Var(R)/Var(S+R), with the trend T a centred
// moving mean over a season, the season S the mean of what is left at each of its
// places, and R the remainder. Variances count degrees of freedom, so that noise has a
// strength of about 0 however few seasons there are. NaN where fewer than two seasons,
// or nothing that moves, tell.
//
// Source: Wang, Smith and Hyndman, Characteristic-based clustering for time series
// data, Data Mining and Knowledge Discovery 13 (2006).
func (w *scratch) strengths(values []float64, season int) (trend, seasonal float64) {
	width := season
	if season < 2 {
		width = 5
	}
	n := len(values)
	if n < 2*season || n < 3*width/2+3 || n < 10 {
		return Unknown, Unknown
	}
	w.smooth = centred(w.smooth[:0], values, width, w.open(values, width))
	w.blocks = w.blocks[:0]
	for range season {
		w.blocks = append(w.blocks, 0)
	}
	w.counts = w.counts[:0]
	for range season {
		w.counts = append(w.counts, 0)
	}
	known := 0.0
	for t, k := 0, 0; t < n; t, k = t+1, k+1 {
		if k == season {
			k = 0
		}
		if d := values[t] - w.smooth[t]; d == d {
			w.blocks[k] += d
			w.counts[k]++
			known++
		}
	}
	places, level := 0.0, 0.0
	for k := range w.blocks {
		if w.counts[k] > 0 {
			w.blocks[k] /= w.counts[k]
			level += w.blocks[k]
			places++
		}
	}
	if level /= max(places, 1); season < 2 {
		places, level, w.blocks[0] = 1, 0, 0
	}
	var rest, withTrend, withSeason moments
	for t, k := 0, 0; t < n; t, k = t+1, k+1 {
		if k == season {
			k = 0
		}
		d := values[t] - w.smooth[t]
		if d != d {
			continue
		}
		r := d - (w.blocks[k] - level)
		rest.add(r)
		withTrend.add(w.smooth[t] + r)
		withSeason.add(d)
	}
	bends := known / float64(width) // about what the moving mean uses up
	free := known - bends - places
	level = rest.ss + withTrend.ss + withSeason.ss
	if free < 3 || !(level > 1e-20*known*withTrend.mean*withTrend.mean) {
		return Unknown, Unknown
	}
	noise := rest.ss / free
	share := func(with, freedom float64) float64 {
		if with <= 1e-12*level {
			return 0
		}
		return max(0, 1-noise*freedom/with)
	}
	seasonal = Unknown
	if season > 1 {
		seasonal = share(withSeason.ss, known-bends)
	}
	return share(withTrend.ss, known-places), seasonal
}

// moments are a running mean and sum of squared deviations.
type moments struct{ n, mean, ss float64 }

func (m *moments) add(v float64) {
	m.n++
	d := v - m.mean
	m.mean += d / m.n
	m.ss += d * (v - m.mean)
}

// open is how many places of a round have a value in half of the rounds at least: a shop that is shut at weekends has
// five days to its week. It is the whole round where hardly any has.
func (w *scratch) open(values []float64, width int) int {
	w.counts = append(w.counts[:0], make([]float64, width)...)
	for t, v := range values {
		if Known(v) {
			w.counts[t%width]++
		}
	}
	open := 0
	for _, n := range w.counts {
		if 2*width*int(n) >= len(values) {
			open++
		}
	}
	if open < 2 {
		return width
	}
	return open
}

// centred appends the moving mean over a width around each value; an even width takes
// half of each end. It is unknown within half a width of the ends, and where fewer
// than three quarters of those that are usual are known.
func centred(out, values []float64, width, usual int) []float64 {
	half := width / 2
	n := len(values)
	sum, known := 0.0, 0
	put := func(v float64, sign int) {
		if Known(v) {
			sum += float64(sign) * v
			known += sign
		}
	}
	for t := 0; t < min(2*half+1, n); t++ {
		put(values[t], 1)
	}
	for t := range n {
		if t < half || t+half >= n {
			out = append(out, Unknown)
			continue
		}
		if t > half {
			put(values[t+half], 1)
			put(values[t-half-1], -1)
		}
		total, weight := sum, float64(known)
		if width%2 == 0 {
			for _, v := range [2]float64{values[t-half], values[t+half]} {
				if Known(v) {
					total -= v / 2
					weight -= 0.5
				}
			}
		}
		if weight < 0.75*float64(usual) {
			out = append(out, Unknown)
			continue
		}
		out = append(out, total/weight)
	}
	return out
}

// finite is v where it is a number, and unknown otherwise.
func finite(v float64) float64 {
	if math.IsInf(v, 0) {
		return Unknown
	}
	return v
}
