package synth

import "math"

// process has a level, a slope and a season that move at random with every period: the states of
// exponential smoothing, and autoregressions of differences.
//
// Source: Hyndman, Koehler, Ord and Snyder, Forecasting with Exponential Smoothing, Springer 2008.
func (d *maker) process(k *rhythm, n int) []float64 {
	follow, bend, turn := d.between(0.01, 0.95), 0.0, 0.0
	damping := 1.0
	if d.chance(0.6) {
		bend = follow * d.between(0.01, 0.4)
		damping = d.uniform(0.8, 1)
	}
	period := max(1, k.season)
	season := make([]float64, period)
	if period > 1 && d.chance(0.7) {
		copy(season, d.shape(float64(period), k.day == 1))
		size := d.between(0.3, 6)
		for i := range season {
			season[i] *= size
		}
		turn = (1 - follow) * d.between(0.001, 0.4)
	}
	level, slope := 0.0, 0.0
	if bend > 0 {
		slope = d.NormFloat64() * 0.1
	}
	memory, lasting := d.uniform(-0.2, 0.8), d.chance(0.3)
	out := make([]float64, n)
	degrees, before := 30.0, 0.0
	if d.chance(0.3) {
		degrees = float64(3 + d.IntN(4))
	}
	for i := range out {
		e := d.heavy(degrees)
		if lasting {
			e += memory * before
		}
		before = e
		s := &season[i%period]
		out[i] = level + damping*slope + *s + e
		level += damping*slope + follow*e
		slope = damping*slope + bend*e
		*s += turn * e
	}
	noise := d.between(0.01, 0.5)
	scale(standard(out), noise*d.between(1, 5))
	d.shift(out, noise)
	d.happen(k, out, noise)
	if d.chance(0.5) {
		return d.multiplied(out)
	}
	return d.added(out, noise)
}

// sporadic is demand that comes now and then, in lots of some size.
//
// Source: Croston, Operational Research Quarterly 23 (1972), for what it is made of.
func (d *maker) sporadic(k *rhythm, n int) []float64 {
	logit := d.uniform(-3, 1.5)
	var along []float64
	if d.chance(0.5) {
		along = make([]float64, n)
		add(along, d.trend(k, n), d.uniform(0, 1.5))
		for i, period := range k.periods {
			if d.chance(k.chances[i] * 0.7) {
				add(along, d.season(n, period, i == 0 && k.day == 1), d.uniform(0, 1.2))
			}
		}
	}
	size, shape, whole := d.between(1, 200), d.between(0.4, 20), d.chance(0.8)
	out := make([]float64, n)
	for i := range out {
		x := logit
		if along != nil {
			x += along[i]
		}
		if d.chance(1 / (1 + math.Exp(-x))) {
			out[i] = size * d.gamma(shape)
			if whole {
				out[i] = math.Max(1, math.Round(out[i]))
			}
		}
	}
	return out
}

// wave is a smooth random function whose turns take about so many periods.
//
// Source: Rahimi and Recht, Random features for large-scale kernel machines, NeurIPS 2007.
func (d *maker) wave(n int, length float64) []float64 {
	out := make([]float64, n)
	const features = 12
	for range features {
		rate, phase := d.NormFloat64()/length, d.uniform(0, 2*math.Pi)
		sin, cos := math.Sincos(phase)
		turnSin, turnCos := math.Sincos(rate)
		for i := range out { // a turn a period, instead of a cosine each
			out[i] += cos
			sin, cos = sin*turnCos+cos*turnSin, cos*turnCos-sin*turnSin
		}
	}
	return standard(out)
}

// curves adds and multiplies smooth random functions, some of which come back.
func (d *maker) curves(k *rhythm, n int) []float64 {
	out := make([]float64, n)
	for i := range 1 + d.IntN(4) {
		var part []float64
		switch {
		case len(k.periods) > 0 && d.chance(0.45):
			part = d.season(n, k.periods[d.IntN(len(k.periods))], k.day == 1)
		case d.chance(0.2):
			part = d.season(n, d.between(3, math.Max(4, float64(n)/3)), false)
		default:
			part = d.wave(n, d.between(2, float64(n)))
		}
		if i > 0 && d.chance(0.3) {
			for t := range out {
				out[t] *= part[t]
			}
			standard(out)
			continue
		}
		add(out, part, d.between(0.3, 2))
	}
	noise := d.between(0.005, 0.3)
	add(standard(out), d.noise(n), d.between(0.01, 1))
	scale(out, 3*noise)
	if d.chance(0.5) {
		return d.multiplied(out)
	}
	return d.added(out, noise)
}
