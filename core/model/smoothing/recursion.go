package smoothing

import "math"

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
	squares                 float64   // of resid, summed
	over                    []float64 // 1 / mu; of multiplicative errors alone
	weigh                   pull
	seasonPull              []float64
}

// pull is what the derivative of the loss by a mu is made from.
type pull struct {
	additive bool
	known    float64 // 1 / their number
	squares  float64 // 1 / the sum of squared errors
}

// of is the derivative by the mu of a value y with the residual r.
func (w *pull) of(r, y, over float64) float64 {
	if w.additive {
		return -w.squares * r
	}
	return over * (w.known - r*over*y*over*w.squares)
}

func (t *trace) grow(n, m int) {
	if cap(t.level) < n+1 || cap(t.season) < n+m {
		t.level, t.slope, t.mu, t.resid, t.over = make([]float64, n+1), make([]float64, n+1), make([]float64, n), make([]float64, n), make([]float64, n)
		t.season, t.seasonPull = make([]float64, n+m), make([]float64, n+m)
	}
	t.level, t.slope, t.mu, t.resid, t.over = t.level[:n+1], t.slope[:n+1], t.mu[:n], t.resid[:n], t.over[:n]
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
// unknown period the states go on by themselves. A step waits for the one before, so what it
// waits for is kept short: with x the value as the level sees it, y - s or y / s,
//
//	l' = (1 - alpha) q + alpha x,  phi b' = (phi (phi b) + phi beta x) - phi beta q
//
// Source: Hyndman, Koehler, Ord and Snyder, Forecasting with Exponential Smoothing (2008),
// table 2.2 and section 5.1.
func (t *trace) run(f Form, y []float64, m int, p *params) bool {
	t.grow(len(y), m)
	switch f.Season {
	case 'M':
		return t.runTimes(y, m, p)
	case 'A':
		copy(t.season, p.Season)
		t.runPlus(y, t.season[m:], p)
	default:
		t.runPlain(y, p)
	}
	return true
}

func (t *trace) runPlain(y []float64, p *params) {
	n := len(y)
	level, slope, mu, resid := t.level[:n+1], t.slope[:n+1], t.mu[:n], t.resid[:n]
	alpha, beta, phi := p.Alpha, p.Beta, p.Phi
	keep, turn := 1-alpha, phi*beta
	l, b, on, squares := p.Level, p.Slope, phi*p.Slope, 0.0
	for i, x := range y {
		level[i], slope[i] = l, b
		q := l + on
		mu[i] = q
		r := x - q
		if r == r {
			l, b, on = keep*q+alpha*x, on+beta*r, (phi*on+turn*x)-turn*q
			squares += r * r
		} else {
			r, l, b, on = 0, q, on, phi*on
		}
		resid[i] = r
	}
	level[n], slope[n], t.squares = l, b, squares
}

func (t *trace) runPlus(y, ahead []float64, p *params) {
	n := len(y)
	level, slope, mu, resid, season := t.level[:n+1], t.slope[:n+1], t.mu[:n], t.resid[:n], t.season
	alpha, beta, gamma, phi := p.Alpha, p.Beta, p.Gamma, p.Phi
	keep, turn := 1-alpha, phi*beta
	l, b, on, squares := p.Level, p.Slope, phi*p.Slope, 0.0
	for i, v := range y {
		level[i], slope[i] = l, b
		s := season[i]
		q := l + on
		mu[i] = q + s
		x := v - s
		r := x - q
		if r == r {
			l, b, on = keep*q+alpha*x, on+beta*r, (phi*on+turn*x)-turn*q
			squares += r * r
		} else {
			r, l, b, on = 0, q, on, phi*on
		}
		resid[i] = r
		ahead[i] = s + gamma*r
	}
	level[n], slope[n], t.squares = l, b, squares
}

func (t *trace) runTimes(y []float64, m int, p *params) bool {
	n := len(y)
	copy(t.season, p.Season)
	level, slope, mu, resid, season := t.level[:n+1], t.slope[:n+1], t.mu[:n], t.resid[:n], t.season
	ahead := season[m:]
	alpha, beta, gamma, phi := p.Alpha, p.Beta, p.Gamma, p.Phi
	keep, turn := 1-alpha, phi*beta
	l, b, on, squares := p.Level, p.Slope, phi*p.Slope, 0.0
	for i, v := range y {
		level[i], slope[i] = l, b
		s := season[i]
		q := l + on
		if !(q > 0) || !(s > 0) {
			return false
		}
		mu[i] = q * s
		x := v / s
		r := v - q*s
		if r == r {
			l, b, on = keep*q+alpha*x, on+beta*(x-q), (phi*on+turn*x)-turn*q
			squares += r * r
		} else {
			r, l, b, on = 0, q, on, phi*on
		}
		resid[i] = r
		ahead[i] = s + gamma*r/q
	}
	level[n], slope[n], t.squares = l, b, squares
	return true
}

// loss is minus the log-likelihood per known value with the variance concentrated out,
// without its constant: half the log of the mean squared error, and for multiplicative
// errors the mean log of mu. It leaves in weigh what its derivative by each mu is made from.
func (t *trace) loss(f Form, y []float64, known int) (loss, sigma2 float64) {
	n := float64(known)
	sum, logs := t.squares, 0.0
	if f.Error == 'M' {
		var ok bool
		if sum, logs, ok = t.relative(y); !ok {
			return math.Inf(1), 0
		}
	}
	sigma2 = sum / n
	if !(sigma2 > 0) {
		return math.Inf(1), 0
	}
	t.weigh = pull{f.Error == 'A', 1 / n, 1 / sum}
	return 0.5*math.Log(sigma2) + logs/n, sigma2
}

// relative sums up the squares of the errors next to their mu, and the logs of these. It is false where a mu is not
// above zero.
func (t *trace) relative(y []float64) (squares, logs float64, ok bool) {
	product := 1.0 // a log of many factors at once
	mu, over, resid := t.mu[:len(y)], t.over[:len(y)], t.resid[:len(y)]
	for i, v := range y {
		if v != v {
			continue
		}
		m := mu[i]
		if !(m > 0) {
			return 0, 0, false
		}
		over[i] = 1 / m
		e := resid[i] * over[i]
		squares += e * e
		if product *= m; product > 1e200 || product < 1e-200 {
			logs += math.Log(product)
			product = 1
		}
	}
	return squares, logs + math.Log(product), true
}

// slopes are the derivatives of the loss by the parameters.
type slopes struct {
	alpha, beta, gamma, phi, level, slope float64
	season                                []float64 // a view on the trace
}

// back goes the pass backwards (the adjoint of run) from the pull on each mu. Here too a step waits for one
// before it: with g the pull of the period, dl and db those on the states after it,
//
//	dl' = ((1 - alpha) dl - beta db) + g,  db' = phi (dl' + db)
func (t *trace) back(f Form, y []float64, m int, p *params) (d slopes) {
	switch f.Season {
	case 'M':
		d = t.backTimes(y, m, p)
	case 'A':
		d = t.backPlus(y, m, p)
	default:
		return t.backPlain(y, p)
	}
	d.season = t.seasonPull[:m]
	return d
}

func (t *trace) backPlain(y []float64, p *params) (d slopes) {
	n := len(y)
	slope, resid, over := t.slope[:n], t.resid[:n], t.over[:n]
	w := t.weigh
	beta, phi, keep := p.Beta, p.Phi, 1-p.Alpha
	both, rest := phi*keep, phi*(1-beta)
	dl, db := 0.0, 0.0
	for i := n - 1; i >= 0; i-- {
		b, r := slope[i], resid[i]
		if y[i] != y[i] {
			d.phi += b * (dl + db)
			db = phi * (dl + db)
			continue
		}
		g := w.of(r, y[i], over[i])
		d.alpha += r * dl
		d.beta += r * db
		dq := keep*dl - beta*db + g
		d.phi += b * (dq + db)
		dl, db = dq, both*dl+rest*db+phi*g
	}
	d.level, d.slope = dl, db
	return d
}

func (t *trace) backPlus(y []float64, m int, p *params) (d slopes) {
	n := len(y)
	slope, resid, over, ds := t.slope[:n], t.resid[:n], t.over[:n], t.seasonPull
	clear(ds[n:])
	w := t.weigh
	alpha, beta, gamma, phi, keep := p.Alpha, p.Beta, p.Gamma, p.Phi, 1-p.Alpha
	both, rest := phi*keep, phi*(1-beta)
	dl, db := 0.0, 0.0
	for i := n - 1; i >= 0; i-- {
		b, r, after := slope[i], resid[i], ds[i+m]
		if y[i] != y[i] {
			ds[i] = after
			d.phi += b * (dl + db)
			db = phi * (dl + db)
			continue
		}
		g := w.of(r, y[i], over[i]) - gamma*after
		d.alpha += r * dl
		d.beta += r * db
		d.gamma += r * after
		ds[i] = after + g - alpha*dl - beta*db
		dq := keep*dl - beta*db + g
		d.phi += b * (dq + db)
		dl, db = dq, both*dl+rest*db+phi*g
	}
	d.level, d.slope = dl, db
	return d
}

func (t *trace) backTimes(y []float64, m int, p *params) (d slopes) {
	n := len(y)
	level, slope, resid, over, season, ds := t.level[:n], t.slope[:n], t.resid[:n], t.over[:n], t.season, t.seasonPull
	clear(ds[n:])
	w := t.weigh
	alpha, beta, gamma, phi, keep := p.Alpha, p.Beta, p.Gamma, p.Phi, 1-p.Alpha
	both, rest := phi*keep, phi*(1-beta)
	dl, db := 0.0, 0.0
	for i := n - 1; i >= 0; i-- {
		b, r, after := slope[i], resid[i], ds[i+m]
		if y[i] != y[i] {
			ds[i] = after
			d.phi += b * (dl + db)
			db = phi * (dl + db)
			continue
		}
		s := season[i]
		q := level[i] + phi*b
		byS, byQ := 1/s, 1/q
		u, v := r*byS, r*byQ
		du, dv := alpha*dl+beta*db, gamma*after
		g := w.of(r, y[i], over[i]) - dv*byQ // on mu, but for what the level after it adds
		d.alpha += u * dl
		d.beta += u * db
		d.gamma += v * after
		ds[i] = after + (g-du*byS)*q - du*u*byS
		g = g*s - dv*v*byQ // on q
		dq := keep*dl - beta*db + g
		d.phi += b * (dq + db)
		dl, db = dq, both*dl+rest*db+phi*g
	}
	d.level, d.slope = dl, db
	return d
}
