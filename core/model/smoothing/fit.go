package smoothing

import (
	"math"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// estimate is a form fitted to a series by maximum likelihood.
type estimate struct {
	form   Form
	p      params // states before the first period
	x      []float64
	sigma2 float64 // of the errors, by degrees of freedom
	loglik float64
	count  int // free parameters, the variance included
	aicc   float64
}

// criterion is Akaike's with the small-sample correction (Hurvich and Tsai, Biometrika 76,
// 1989); +Inf where there are too few values for it.
func criterion(loglik float64, count, n int) float64 {
	if n <= count+1 {
		return math.Inf(1)
	}
	k := float64(count)
	return -2*loglik + 2*k + 2*k*(k+1)/(float64(n)-k-1)
}

// fitter fits forms to one series. It keeps its working space.
type fitter struct {
	y     []float64 // divided by scale
	known int
	m     int
	start [3]params // by kind of season, in the order N, A, M
	tr    trace
	min   num.Minimizer
	form  Form
	p     params
	x     []float64
	waste []float64
	top   float64 // bound of alpha; 0 for highest
}

func (f *fitter) alphaTop() float64 {
	if f.top > 0 {
		return f.top
	}
	return highest
}

// The weights lie within these bounds: alpha itself, beta as a share of alpha, gamma as
// a share of 1 - alpha.
const (
	lowest, highest = 1e-4, 0.9999
	phiLow, phiHigh = 0.8, 0.98
	// pullHome is a prior on the transformed weights, so weak that only a likelihood that
	// is flat towards a bound notices.
	pullHome = 1e-3
)

func within(x, low, high float64) (v, dv float64) {
	s := 1 / (1 + math.Exp(-x))
	return low + (high-low)*s, (high - low) * s * (1 - s)
}

func without(v, low, high float64) float64 {
	s := (v - low) / (high - low)
	s = min(max(s, 1e-6), 1-1e-6)
	return math.Log(s / (1 - s))
}

func (f *fitter) reset(y []float64, m int, scale float64) {
	f.y = f.y[:0]
	f.known, f.m = 0, m
	for _, v := range y {
		f.y = append(f.y, v/scale)
		if panel.Known(v) {
			f.known++
		}
	}
}

// weights counts the smoothing weights of a form.
func (f Form) weights() int {
	return 1 + [...]int{0, 1, 2}[f.Trend] + map[byte]int{'N': 0, 'A': 1, 'M': 1}[f.Season]
}

// free counts all that is estimated: weights, first states, and the variance. Of the
// season's states one hangs on the level.
func (f Form) free(m int) int {
	n := f.weights() + 2
	if f.Trend != NoTrend {
		n++
	}
	if f.Season != 'N' {
		n += m - 1
	}
	return n
}

// spread lays a vector out into parameters, and gives the slopes of the transforms.
func (f *fitter) spread(x []float64) (dAlpha, dBeta, dGamma, dPhi float64) {
	p, i := &f.p, 0
	next := func() float64 { i++; return x[i-1] }
	p.Alpha, dAlpha = within(next(), lowest, f.alphaTop())
	p.Beta, p.Gamma, p.Phi, p.Slope = 0, 0, 1, 0
	if f.form.Trend != NoTrend {
		p.Beta, dBeta = within(next(), lowest, highest)
		p.Beta *= p.Alpha
	}
	if f.form.Season != 'N' {
		p.Gamma, dGamma = within(next(), lowest, highest)
		p.Gamma *= 1 - p.Alpha
	}
	if f.form.Trend == Damped {
		p.Phi, dPhi = within(next(), phiLow, phiHigh)
	}
	p.Level = next()
	if f.form.Trend != NoTrend {
		p.Slope = next()
	}
	p.Season = x[i:]
	return dAlpha, dBeta, dGamma, dPhi
}

// gather is spread's way back.
func (f *fitter) gather(form Form, p *params, x []float64) []float64 {
	x = append(x[:0], without(p.Alpha, lowest, f.alphaTop()))
	if form.Trend != NoTrend {
		x = append(x, without(p.Beta/p.Alpha, lowest, highest))
	}
	if form.Season != 'N' {
		x = append(x, without(p.Gamma/(1-p.Alpha), lowest, highest))
	}
	if form.Trend == Damped {
		x = append(x, without(p.Phi, phiLow, phiHigh))
	}
	x = append(x, p.Level)
	if form.Trend != NoTrend {
		x = append(x, p.Slope)
	}
	if form.Season != 'N' {
		x = append(x, p.Season...)
	}
	return x
}

// objective is what a fit minimises: the loss, and the prior of the weights.
type objective struct{ *fitter }

func (f objective) Value(x []float64) float64 {
	value := f.value(x)
	if math.IsInf(value, 0) || math.IsNaN(value) {
		return math.Inf(1)
	}
	home := pullHome / float64(f.known)
	for _, v := range x[:f.form.weights()] {
		value += 0.5 * home * v * v
	}
	return value
}

// Gradient is in the vector's terms.
func (f objective) Gradient(x, g []float64) {
	dAlpha, dBeta, dGamma, dPhi := f.spread(x)
	d := f.tr.back(f.form, f.y, f.m, &f.p)
	i := 1
	byAlpha := d.alpha
	if f.form.Trend != NoTrend {
		byAlpha += d.beta * f.p.Beta / f.p.Alpha
		g[i] = d.beta * f.p.Alpha * dBeta
		i++
	}
	if f.form.Season != 'N' {
		byAlpha -= d.gamma * f.p.Gamma / (1 - f.p.Alpha)
		g[i] = d.gamma * (1 - f.p.Alpha) * dGamma
		i++
	}
	if f.form.Trend == Damped {
		g[i] = d.phi * dPhi
		i++
	}
	g[0] = byAlpha * dAlpha
	home := pullHome / float64(f.known)
	for k := range i {
		g[k] += home * x[k]
	}
	g[i] = d.level
	i++
	if f.form.Trend != NoTrend {
		g[i] = d.slope
		i++
	}
	if f.form.Season != 'N' {
		copy(g[i:], d.season)
	}
}

// value is the loss alone.
func (f *fitter) value(x []float64) float64 {
	f.spread(x)
	if !f.tr.run(f.form, f.y, f.m, &f.p) {
		return math.Inf(1)
	}
	v, _ := f.tr.loss(f.form, f.y, f.known)
	return v
}

// usualWeights are where a search may start from.
var usualWeights = [][3]float64{{0.1, 0.05, 0.05}, {0.3, 0.1, 0.1}, {0.6, 0.1, 0.05}, {0.9, 0.05, 0.02}}

// begin finds where to start: the best of the usual weights at first states that a
// simple decomposition gives.
func (f *fitter) begin(form Form) []float64 {
	f.form = form
	p := f.start[map[byte]int{'N': 0, 'A': 1, 'M': 2}[form.Season]]
	best := math.Inf(1)
	var x, trial []float64
	for _, w := range usualWeights {
		p.Alpha, p.Beta, p.Gamma, p.Phi = w[0], w[0]*w[1], (1-w[0])*w[2], 0.95
		trial = f.gather(form, &p, trial)
		if v := f.value(trial); v < best || x == nil {
			best = v
			x = append(x[:0], trial...)
		}
	}
	return x
}

// fit estimates a form, from a start or, where there is none, from the usual ones.
func (f *fitter) fit(form Form, from []float64, stop num.Stop) (estimate, bool) {
	x := append(f.x[:0], from...)
	if from == nil {
		x = append(x, f.begin(form)...)
	}
	f.x = x
	f.form = form
	f.min.Run(objective{f}, x, stop)
	value := f.value(x)
	if math.IsInf(value, 0) || math.IsNaN(value) {
		return estimate{}, false
	}
	_, sigma2 := f.tr.loss(form, f.y, f.known)
	n := float64(f.known)
	e := estimate{form: form, x: append([]float64(nil), x...), count: form.free(f.m)}
	f.spread(e.x)
	e.p = f.p // its season is e.x's end
	e.loglik = -n * (value + 0.5*(1+math.Log(2*math.Pi)))
	e.aicc = criterion(e.loglik, e.count, f.known)
	e.sigma2 = sigma2 * n / max(1, n-float64(e.count-1))
	return e, true
}

// starts finds first states by a simple decomposition: a centred moving mean over a
// season is the trend, the mean of what is left at each place the season, and a line
// through the first seasons, adjusted, gives level and slope.
func (f *fitter) starts(positive bool) {
	y, m := f.y, f.m
	f.start[0] = params{}
	f.start[0].Level, f.start[0].Slope = firstLine(y, max(10, min(2*m, len(y))))
	f.start[1], f.start[2] = f.start[0], f.start[0]
	if m < 2 {
		return
	}
	trend := movingMean(y, m, f.waste)
	f.waste = trend
	for kind := 1; kind <= 2; kind++ {
		if kind == 2 && !positive {
			continue
		}
		season, count := make([]float64, m), make([]float64, m)
		for i, v := range y {
			if d := v - trend[i]; d == d {
				if kind == 2 {
					d = v / trend[i]
				}
				season[i%m] += d
				count[i%m]++
			}
		}
		mean := 0.0
		for k := range season {
			if count[k] > 0 {
				season[k] /= count[k]
			} else if kind == 2 {
				season[k] = 1
			}
			mean += season[k] / float64(m)
		}
		adjusted := make([]float64, min(len(y), max(2*m, 10)))
		for k := range season {
			if kind == 2 {
				season[k] = max(season[k]/mean, 0.01)
			} else {
				season[k] -= mean
			}
		}
		for i := range adjusted {
			if kind == 2 {
				adjusted[i] = y[i] / season[i%m]
			} else {
				adjusted[i] = y[i] - season[i%m]
			}
		}
		s := &f.start[kind]
		s.Level, s.Slope = firstLine(adjusted, len(adjusted))
		s.Season = season
		if kind == 2 && !(s.Level+s.Slope > 0) {
			s.Level, s.Slope = max(meanOf(adjusted), 1e-6), 0
		}
	}
}

// firstLine is the least-squares line through the first n values: its height a period
// before the first, and its slope.
func firstLine(y []float64, n int) (level, slope float64) {
	var k, st, sy, stt, sty float64
	for i, v := range y[:min(n, len(y))] {
		if v == v {
			t := float64(i + 1)
			k, st, sy, stt, sty = k+1, st+t, sy+v, stt+t*t, sty+t*v
		}
	}
	if k == 0 {
		return meanOf(y), 0
	}
	if d := k*stt - st*st; d > 0 {
		slope = (k*sty - st*sy) / d
	}
	return (sy - slope*st) / k, slope
}

func meanOf(y []float64) float64 {
	s, k := 0.0, 0.0
	for _, v := range y {
		if v == v {
			s, k = s+v, k+1
		}
	}
	return s / max(k, 1)
}

// movingMean is the centred mean over m periods, the ends half where m is even, of the
// known values; unknown at the ends and where a place's values are all unknown.
func movingMean(y []float64, m int, out []float64) []float64 {
	out = out[:0]
	half := m / 2
	for i := range y {
		if i < half || i+half >= len(y) {
			out = append(out, panel.Unknown)
			continue
		}
		s, k := 0.0, 0.0
		for j := i - half; j <= i+half; j++ {
			w := 1.0
			if m%2 == 0 && (j == i-half || j == i+half) {
				w = 0.5
			}
			if v := y[j]; v == v {
				s, k = s+w*v, k+w
			}
		}
		if k < float64(m)/2 {
			s, k = panel.Unknown, 1
		}
		out = append(out, s/k)
	}
	return out
}
