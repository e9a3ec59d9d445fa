package synth

import "math"

// structure puts a series together from a level, a trend, seasons, events and noise, which add up or
// multiply.
func (d *maker) structure(k *rhythm, n int) []float64 {
	noise := d.between(0.01, 0.6)
	if d.chance(0.15) { // hardly any
		noise = d.between(0.0005, 0.01)
	}
	y := make([]float64, n)
	if !d.chance(0.36) {
		add(y, d.trend(k, n), noise*d.between(0.3, 8))
	}
	if d.chance(0.5) { // the level wanders
		add(y, d.wander(n), noise*d.between(0.02, 0.7))
	}
	if k.day > 1 && d.chance(0.5) {
		add(y, d.days(k.day, n), noise*d.between(0.3, 3))
	}
	together := make([]float64, n) // all seasons
	for i, period := range k.periods {
		if !d.chance(k.chances[i]) {
			continue
		}
		add(together, d.season(n, period, i == 0 && k.day == 1), d.between(0.25, 1))
	}
	if k.periods == nil && d.chance(0.3) { // which nobody tells of
		add(together, d.season(n, d.between(3, 60), false), 1)
	}
	add(y, standard(together), noise*d.between(0.2, 7))
	add(y, d.noise(n), noise)
	d.shift(y, noise)
	d.happen(k, y, noise)
	if d.chance(0.55) {
		return d.multiplied(y)
	}
	return d.added(y, noise)
}

// wander is the sum of disturbances of spread 1.
func (d *maker) wander(n int) []float64 {
	out := make([]float64, n)
	for i := 1; i < n; i++ {
		out[i] = out[i-1] + d.NormFloat64()
	}
	return out
}

// days is good and bad days that tell nothing of the next.
func (d *maker) days(day, n int) []float64 {
	out := make([]float64, n)
	offset, middle, skewed := d.IntN(day), d.Float64(), d.chance(0.5)
	by := 0.0
	for i := range out {
		if i == 0 || (i+offset)%day == 0 {
			if by = d.NormFloat64(); skewed {
				by = d.gamma(0.7) - 1
			}
		}
		at := float64((i+offset)%day)/float64(day) - middle
		out[i] = by * math.Exp(-4*at*at)
	}
	return out
}

// multiplied takes logs back, bounded.
func (d *maker) multiplied(y []float64) []float64 {
	level := d.between(0.3, 1e5)
	for i, v := range y {
		y[i] = level * math.Exp(math.Max(-6, math.Min(6, v)))
	}
	if d.chance(0.3) {
		return d.counted(y, level)
	}
	if d.chance(0.3) && level > 20 {
		round(y)
	}
	return y
}

// added stands on a level, and often does not fall below zero.
func (d *maker) added(y []float64, noise float64) []float64 {
	size := d.between(0.01, 1e4)
	level := d.uniform(-1, 12) * math.Max(noise, 0.05) * d.between(0.3, 6)
	for i := range y {
		y[i] = size * (level + y[i])
	}
	if d.chance(0.6) {
		for i := range y {
			y[i] = math.Max(0, y[i])
		}
	}
	if d.chance(0.06) { // no more than there is room for
		top := y[d.IntN(len(y))]
		for i := range y {
			y[i] = math.Min(y[i], math.Max(top, 0))
		}
	}
	return y
}

// counted draws counts of a mean, which is scaled down to a few.
func (d *maker) counted(y []float64, level float64) []float64 {
	few := d.between(0.15, 60) / level
	shape := d.between(0.5, 50)
	poisson := d.chance(0.5)
	for i, v := range y {
		mean := math.Min(v*few, 1e6)
		if !poisson {
			mean *= d.gamma(shape)
		}
		y[i] = d.poisson(mean)
	}
	return y
}

func round(y []float64) {
	for i, v := range y {
		y[i] = math.Round(v)
	}
}

// noise is disturbances of spread about 1: at once or lasting, even or uneven.
func (d *maker) noise(n int) []float64 {
	degrees := 0.0
	if d.chance(0.35) {
		degrees = float64(3 + d.IntN(5))
	}
	skewed := d.chance(0.12)
	draw := func() float64 {
		switch {
		case skewed:
			return d.gamma(1.2)*1.1 - 1.1
		case degrees > 0:
			return d.heavy(degrees)
		}
		return d.NormFloat64()
	}
	out := make([]float64, n)
	switch d.pick([]float64{0.5, 0.26, 0.08, 0.08, 0.08}) {
	case 0:
		for i := range out {
			out[i] = draw()
		}
	case 1: // of the first order
		keep := d.uniform(-0.3, 0.95)
		d.recursive(out, keep, 0, draw)
	case 2: // with a cycle of its own
		keep, angle := d.uniform(0.7, 0.98), 2*math.Pi/d.between(3, 40)
		d.recursive(out, 2*keep*math.Cos(angle), -keep*keep, draw)
	case 3: // with a long memory: sums of many rates
		part := make([]float64, n)
		for _, keep := range []float64{0.3, 0.8, 0.95, 0.99} {
			d.recursive(part, keep, 0, draw)
			add(out, standard(part), d.uniform(0.2, 1))
		}
	case 4: // calm and restless stretches
		size, keep := 0.0, d.uniform(0.8, 0.99)
		for i := range out {
			size = keep*size + math.Sqrt(1-keep*keep)*0.8*d.NormFloat64()
			out[i] = draw() * math.Exp(size)
		}
	}
	return standard(out)
}

// recursive is an autoregression of the second order, warmed up.
func (d *maker) recursive(out []float64, first, second float64, draw func() float64) {
	a, b := 0.0, 0.0
	for i := -100; i < len(out); i++ {
		a, b = first*a+second*b+draw(), a
		if i >= 0 {
			out[i] = a
		}
	}
}
