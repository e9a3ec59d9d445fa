package smoothing

import (
	"math"

	"paperkettle/core/panel"
)

// params are what a form is made of: weights, and the states before the first period.
type params struct {
	Alpha, Beta, Gamma, Phi float64
	Level, Slope            float64
	Season                  []float64 // at the first period, the second, ...
}

// trace is a pass over a series, kept for the way back. Slices have the series' length,
// season has the season's on top.
type trace struct {
	level, slope, mu, resid []float64
	season                  []float64
	pull                    []float64 // of the loss on each mu
	seasonPull              []float64
}

func (t *trace) grow(n, m int) {
	if cap(t.level) < n+1 || cap(t.season) < n+m {
		t.level, t.slope, t.mu, t.resid, t.pull = make([]float64, n+1), make([]float64, n+1), make([]float64, n), make([]float64, n), make([]float64, n)
		t.season, t.seasonPull = make([]float64, n+m), make([]float64, n+m)
	}
	t.level, t.slope, t.mu, t.resid, t.pull = t.level[:n+1], t.slope[:n+1], t.mu[:n], t.resid[:n], t.pull[:n]
	t.season, t.seasonPull = t.season[:n+m], t.seasonPull[:n+m]
}

// run passes a form over a series; m is the season's length, 1 without one. It is false
// where a multiplicative form meets a value that is not above zero.
//
// The recursion in the level q = l + phi b, r = y - mu:
//
//	additive:       mu = q + s,  l' = q + alpha r,    b' = phi b + beta r,    s' = s + gamma r
//	multiplicative: mu = q s,    l' = q + alpha r/s,  b' = phi b + beta r/s,  s' = s + gamma r/q
//
// Multiplicative errors, r = mu e, have the same states and another likelihood. Over an
// unknown period the states go on by themselves.
//
// Source: Hyndman, Koehler, Ord and Snyder, Forecasting with Exponential Smoothing (2008),
// table 2.2 and section 5.1.
func (t *trace) run(f Form, y []float64, m int, p *params) bool {
	n := len(y)
	t.grow(n, m)
	l, b := p.Level, p.Slope
	alpha, beta, gamma, phi := p.Alpha, p.Beta, p.Gamma, p.Phi
	level, slope, mu, resid, season := t.level, t.slope[:len(t.level)], t.mu[:n], t.resid[:n], t.season
	switch f.Season {
	case 'M':
		copy(season, p.Season)
		for i, v := range y {
			level[i], slope[i] = l, b
			s := season[i]
			q := l + phi*b
			if !(q > 0) || !(s > 0) {
				return false
			}
			mu[i] = q * s
			r := v - mu[i]
			if r != r {
				r = 0
			}
			resid[i] = r
			u := r / s
			l = q + alpha*u
			b = phi*b + beta*u
			season[i+m] = s + gamma*r/q
		}
	case 'A':
		copy(season, p.Season)
		ahead := season[m:]
		for i, v := range y {
			level[i], slope[i] = l, b
			s := season[i]
			q := l + phi*b
			mu[i] = q + s
			r := v - mu[i]
			if r != r {
				r = 0
			}
			resid[i] = r
			l = q + alpha*r
			b = phi*b + beta*r
			ahead[i] = s + gamma*r
		}
	default:
		for i, v := range y {
			level[i], slope[i] = l, b
			q := l + phi*b
			mu[i] = q
			r := v - q
			if r != r {
				r = 0
			}
			resid[i] = r
			l = q + alpha*r
			b = phi*b + beta*r
		}
	}
	level[n], slope[n] = l, b
	return true
}

// loss is minus the log-likelihood per known value with the variance concentrated out,
// without its constant: half the log of the mean squared error, and for multiplicative
// errors the mean log of mu. It leaves its derivative by each mu in pull.
func (t *trace) loss(f Form, y []float64, known int) (loss, sigma2 float64) {
	n := float64(known)
	sum := 0.0
	if f.Error == 'A' {
		for _, r := range t.resid {
			sum += r * r
		}
		sigma2 = sum / n
		if !(sigma2 > 0) {
			return math.Inf(1), 0
		}
		scale := -1 / sum
		for i, r := range t.resid {
			t.pull[i] = scale * r
		}
		return 0.5 * math.Log(sigma2), sigma2
	}
	product, logs := 1.0, 0.0 // a log of many factors at once
	for i, r := range t.resid {
		if !panel.Known(y[i]) {
			continue
		}
		m := t.mu[i]
		if !(m > 0) {
			return math.Inf(1), 0
		}
		e := r / m
		sum += e * e
		if product *= m; product > 1e200 || product < 1e-200 {
			logs += math.Log(product)
			product = 1
		}
	}
	logs += math.Log(product)
	sigma2 = sum / n
	if !(sigma2 > 0) {
		return math.Inf(1), 0
	}
	for i, r := range t.resid {
		t.pull[i] = 0
		if panel.Known(y[i]) {
			m := t.mu[i]
			t.pull[i] = 1/(n*m) - (r/m)*y[i]/(m*m)/sum
		}
	}
	return 0.5*math.Log(sigma2) + logs/n, sigma2
}

// slopes are the derivatives of the loss by the parameters.
type slopes struct {
	alpha, beta, gamma, phi, level, slope float64
	season                                []float64 // a view on the trace
}

// back goes the pass backwards (the adjoint of run) from the pull on each mu.
func (t *trace) back(f Form, y []float64, m int, p *params) (d slopes) {
	n := len(y)
	alpha, beta, gamma, phi := p.Alpha, p.Beta, p.Gamma, p.Phi
	var dl, db float64
	ds := t.seasonPull
	if f.Season != 'N' {
		clear(ds)
	}
	for i := n - 1; i >= 0; i-- {
		b := t.slope[i]
		if !panel.Known(y[i]) {
			if f.Season != 'N' {
				ds[i] += ds[i+m]
			}
			d.phi += b * (dl + db)
			db = phi * (dl + db)
			continue
		}
		r := t.resid[i]
		var dq float64
		switch f.Season {
		case 'M':
			s := t.season[i]
			q := t.level[i] + phi*b
			u, v := r/s, r/q
			after := ds[i+m]
			du, dv := alpha*dl+beta*db, gamma*after
			dmu := t.pull[i] - du/s - dv/q
			d.alpha += u * dl
			d.beta += u * db
			d.gamma += v * after
			dq = dl + dmu*s - dv*v/q
			ds[i] += after + dmu*q - du*u/s
		case 'A':
			after := ds[i+m]
			dmu := t.pull[i] - alpha*dl - beta*db - gamma*after
			d.alpha += r * dl
			d.beta += r * db
			d.gamma += r * after
			dq = dl + dmu
			ds[i] += after + dmu
		default:
			dmu := t.pull[i] - alpha*dl - beta*db
			d.alpha += r * dl
			d.beta += r * db
			dq = dl + dmu
		}
		d.phi += b * (dq + db)
		dl, db = dq, phi*(dq+db)
	}
	d.level, d.slope = dl, db
	if f.Season != 'N' {
		d.season = ds[:m]
	}
	return d
}
