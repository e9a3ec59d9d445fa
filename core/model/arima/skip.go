package arima

import (
	"math"

	"paperkettle/core/panel"
)

// skipper is the Kalman filter of an ARIMA process on the levels themselves, so that an
// unknown value costs that value alone: differencing would lose every difference that it
// takes part in. The state holds the parts of the differenced process and those past levels,
// of the ones that differencing needs, that are unknown; a level that was seen has no
// variance and is no part of it. The covariance is therefore hardly larger than that of the
// differenced process.
//
// Source: Harvey and Pierse, Estimating missing observations in economic time series,
// Journal of the American Statistical Association 79 (1984); Jones, Technometrics 22 (1980).
type skipper struct {
	r, lost int
	phi     []float64
	theta   []float64
	lags    []int     // that take part in a difference
	weights []float64 // of those past levels in the next one
	at      []float64 // weight by lag, 1..lost

	mean  float64   // of the differenced process
	live  []int     // lags of the levels that are unknown, ascending
	cov   []float64 // of the parts and the live levels, by rows of r + len(live)
	next  []float64
	reach []float64 // what each of them has in common with the next value
	ahead float64   // variance of the next value

	keep, later []int // room to work in
}

// track is one column's way through the filter.
type track struct {
	parts  []float64 // of the differenced process, one zero more
	levels []float64 // the last lost ones, the latest first
}

// wideLevel is the variance, against that of an error, of a level that nothing is known of.
const wideLevel = 1e3

// set lays out the process.
func (k *skipper) set(s *shape) {
	k.r, k.lost, k.mean = s.r, s.o.lost(), 0
	k.phi, k.theta = sized(k.phi, k.r), sized(k.theta, k.r)
	copy(k.phi, s.phi)
	copy(k.theta, s.theta)
	k.lags, k.weights = k.lags[:0], k.weights[:0]
	k.at = sized(k.at, k.lost+1)
	for j, b := range binomials(s.o.SD) {
		for i, a := range binomials(s.o.D) {
			if lag := i + j*s.o.Season; lag > 0 {
				k.at[lag] -= a * b
			}
		}
	}
	for lag, w := range k.at {
		if w != 0 {
			k.lags, k.weights = append(k.lags, lag), append(k.weights, w)
		}
	}
}

// start puts the state before the first value after the lost ones: the process' stationary
// covariance, and first levels that are wide open where they are unknown.
func (k *skipper) start(f *filter, s *shape, first []float64) {
	f.stationaryMatrix(s)
	k.live = k.live[:0]
	for lag := 1; lag <= k.lost; lag++ {
		if !panel.Known(first[k.lost-lag]) {
			k.live = append(k.live, lag)
		}
	}
	m := k.r + len(k.live)
	k.cov = sized(k.cov, m*m)
	for i := range k.r {
		copy(k.cov[i*m:i*m+k.r], f.matrix[i*k.r:(i+1)*k.r])
	}
	for i := k.r; i < m; i++ {
		k.cov[i*m+i] = wideLevel
	}
}

// look finds what the state has in common with the next value, and its variance.
func (k *skipper) look() {
	m := k.r + len(k.live)
	if cap(k.reach) < m {
		k.reach = make([]float64, m, 2*m)
	}
	k.reach = k.reach[:m]
	for i := range m {
		k.reach[i] = k.cov[i*m]
	}
	for j, lag := range k.live {
		if w := k.at[lag]; w != 0 {
			row := k.cov[(k.r+j)*m : (k.r+j+1)*m]
			for i, v := range row {
				k.reach[i] += w * v
			}
		}
	}
	k.ahead = k.reach[0]
	for j, lag := range k.live {
		k.ahead += k.at[lag] * k.reach[k.r+j]
	}
}

// take corrects the covariance by a value that was seen.
func (k *skipper) take() {
	m := len(k.reach)
	for i, a := range k.reach {
		a /= k.ahead
		row := k.cov[i*m : (i+1)*m]
		for j, b := range k.reach {
			row[j] -= a * b
		}
	}
}

// advance moves the covariance on by a period, in which the value was seen or not.
func (k *skipper) advance(known bool) {
	r, m := k.r, len(k.reach)
	// Levels that remain: those not too long ago, and not told exactly by what was seen.
	keep := k.keep[:0]
	for j, lag := range k.live {
		if lag < k.lost && k.cov[(r+j)*m+r+j] > 1e-9 {
			keep = append(keep, j)
		}
	}
	fresh := 0
	if !known && k.lost > 0 {
		fresh = 1
	}
	n := r + fresh + len(keep)
	q := sized(k.next, n*n)
	k.next = q
	k.carry(q, n)
	// across is a part's covariance, after the move, with something of covariances c.
	across := func(i int, at func(i int) float64) float64 {
		v := k.phi[i] * at(0)
		if i+1 < r {
			v += at(i + 1)
		}
		return v
	}
	put := func(i, j int, v float64) { q[i*n+j], q[j*n+i] = v, v }
	if fresh == 1 {
		for i := range r {
			put(i, r, across(i, func(i int) float64 { return k.reach[i] }))
		}
		put(r, r, k.ahead)
	}
	for a, j := range keep {
		row := k.cov[(r+j)*m : (r+j+1)*m]
		to := r + fresh + a
		for i := range r {
			put(i, to, across(i, func(i int) float64 { return row[i] }))
		}
		if fresh == 1 {
			put(r, to, k.reach[r+j])
		}
		for b, l := range keep[:a+1] {
			put(r+fresh+b, to, row[r+l])
		}
	}
	k.keep = keep
	live := k.later[:0]
	if fresh == 1 {
		live = append(live, 1)
	}
	for _, j := range keep {
		live = append(live, k.live[j]+1)
	}
	k.live, k.later = live, k.live
	k.cov, k.next = k.next, k.cov
}

// carry puts T P T' + R R' of the parts into the corner of q, whose rows have n entries.
func (k *skipper) carry(q []float64, n int) {
	r, m, p := k.r, len(k.reach), k.cov
	corner := p[0]
	for i := range r {
		a := k.phi[i]
		// What the row below has, and what the first part adds.
		var below []float64
		if i+1 < r {
			below = p[(i+1)*m : (i+1)*m+r]
		}
		for j := i; j < r; j++ {
			v := k.theta[i] * k.theta[j]
			if below != nil {
				if j+1 < r {
					v += below[j+1]
				}
				v += k.phi[j] * below[0]
			}
			if a != 0 {
				v += a * k.phi[j] * corner
				if j+1 < r {
					v += a * p[j+1]
				}
			}
			q[i*n+j], q[j*n+i] = v, v
		}
	}
}

// begin is a column at the state's start.
func (k *skipper) begin(first []float64) *track {
	t := &track{parts: make([]float64, k.r+1), levels: make([]float64, k.lost)}
	for lag := 1; lag <= k.lost; lag++ {
		t.levels[lag-1] = first[k.lost-lag]
	}
	return t
}

// forecast is the next value of a column, as its past has it.
func (k *skipper) forecast(t *track) float64 {
	v := k.mean + t.parts[0]
	for i, lag := range k.lags {
		v += k.weights[i] * t.levels[lag-1]
	}
	return v
}

// move corrects a column by its error, and moves it on; level is its next level.
func (k *skipper) move(t *track, e, level float64) {
	if e != 0 {
		e /= k.ahead
		for i := range k.r {
			t.parts[i] += k.reach[i] * e
		}
		for j, lag := range k.live {
			t.levels[lag-1] += k.reach[k.r+j] * e
		}
	}
	first := t.parts[0]
	for i := range k.r {
		t.parts[i] = t.parts[i+1] + k.phi[i]*first
	}
	if k.lost > 0 {
		copy(t.levels[1:], t.levels[:k.lost-1])
		t.levels[0] = level
	}
}

// run filters the columns, whose first tells what is known, and leaves the innovations, each
// divided by the root of its variance and 0 where nothing is known, in out from the lost
// values on; each column's way is in tracks.
func (k *skipper) run(f *filter, s *shape, columns, out [][]float64) (tracks []*track, ok bool) {
	if !f.autocovariances(s) {
		return nil, false
	}
	k.set(s)
	lost, n := k.lost, len(columns[0])
	y := columns[0]
	k.start(f, s, y[:lost])
	from := nearest(y, lost)
	for _, c := range columns {
		first := make([]float64, lost)
		for i := range first {
			first[i] = c[from[i]]
		}
		tracks = append(tracks, k.begin(first))
	}
	logF, factors := 0.0, 1.0
	f.roots = sized(f.roots, n-lost)
	for t := lost; t < n; t++ {
		k.look()
		known := panel.Known(y[t])
		if !known {
			for c, tr := range tracks {
				out[c][t-lost] = 0
				k.move(tr, 0, k.forecast(tr))
			}
			k.advance(false)
			continue
		}
		if !(k.ahead > 0) || math.IsInf(k.ahead, 0) {
			return nil, false
		}
		if factors *= k.ahead; factors > 1e200 || factors < 1e-200 {
			logF += math.Log(factors)
			factors = 1
		}
		root := 1 / math.Sqrt(k.ahead)
		f.roots[t-lost] = root
		for c, tr := range tracks {
			e := columns[c][t] - k.forecast(tr)
			out[c][t-lost] = e * root
			k.move(tr, e, columns[c][t])
		}
		k.take()
		k.advance(true)
	}
	f.logF = logF + math.Log(factors)
	return tracks, true
}

// nearest are the places of the known values nearest to the first ones.
func nearest(y []float64, lost int) []int {
	out := make([]int, lost)
	next := len(y) - 1
	for i := len(y) - 1; i >= 0; i-- {
		if panel.Known(y[i]) {
			next = i
		}
		if i < lost {
			out[i] = next
		}
	}
	return out
}
