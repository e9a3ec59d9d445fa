package synth

import "math"

// happen adds what happens now and then: holidays that come back, promotions with what they take
// from before and after, bursts that die away.
func (d *maker) happen(k *rhythm, y []float64, noise float64) {
	n := len(y)
	if k.day > 0 && k.year < float64(3*n) && d.chance(0.4) {
		for range 1 + d.IntN(8) {
			at, length, by := d.IntN(int(k.year)), 1+d.IntN(2), d.NormFloat64()*noise*d.between(1, 5)
			if d.chance(0.25) { // a block, as of holidays
				length = 4 + d.IntN(16)
			}
			for t := at - int(k.year); t < n; t += int(math.Round(k.year)) {
				d.block(y, t/k.day*k.day, length*k.day, by)
			}
		}
	}
	if d.chance(0.14) {
		d.promote(k, y, noise)
	}
	often := 0.12
	if k.day > 1 {
		often = 0.35
	}
	if d.chance(often) {
		every, by, keep := d.between(15, 200), noise*d.between(1, 4), d.uniform(0.3, 0.95)
		if d.chance(0.3) {
			by = -by
		}
		now := 0.0
		for i := range y {
			if d.chance(1 / every) {
				now += by * d.gamma(1)
			}
			y[i] += now
			now *= keep
		}
	}
}

// block moves some periods.
func (d *maker) block(y []float64, from, length int, by float64) {
	for i := max(0, from); i < min(len(y), from+length); i++ {
		y[i] += by
	}
}

func (d *maker) promote(k *rhythm, y []float64, noise float64) {
	every, length := d.between(8, 120), int(d.between(1, 15))
	by := noise * d.between(0.8, 5)
	echo := d.chance(0.4)
	for i := int(d.uniform(0, every)); i < len(y); i += length + int(every*d.gamma(2)) + 1 {
		up := by * d.uniform(0.5, 1.2)
		d.block(y, i, length, up)
		if echo {
			d.block(y, i-max(1, length/3), max(1, length/3), -up*0.2)
			d.block(y, i+length, max(1, length/2), -up*0.3)
		}
	}
}

// spoil puts in what spoils data: odd values, stretches without stock, and values that nobody
// knows. What is to be forecast stays known but where it always is unknown.
func (d *maker) spoil(y []float64, known int, k *rhythm) {
	n := len(y)
	if d.chance(0.2) {
		rate, size := d.between(0.001, 0.02), d.between(2, 10)
		spread := usual(y[:known])
		for i := range y {
			if d.chance(rate) {
				if y[i] += spread * size * d.heavy(3); y[i] < 0 && d.chance(0.7) {
					y[i] = 0
				}
			}
		}
	}
	if d.chance(0.05) {
		for range 1 + d.IntN(3) {
			from := d.IntN(n)
			for i := from; i < min(n, from+1+int(d.between(1, 20))); i++ {
				y[i] = 0
			}
		}
	}
	if d.chance(0.03) && k.season > 1 && k.season <= 24 { // shut
		for i := d.IntN(k.season); i < n; i += k.season {
			y[i] = math.NaN()
		}
	}
	if !d.chance(0.12) || known < 8 {
		return
	}
	if d.chance(0.5) {
		rate := d.between(0.01, 0.4)
		for i := range known {
			if d.chance(rate) {
				y[i] = math.NaN()
			}
		}
		return
	}
	from := d.IntN(known)
	for i := from; i < min(known, from+1+int(d.between(1, float64(known)/2))); i++ {
		y[i] = math.NaN()
	}
}

// usual is the mean size of what lies around the mean.
func usual(y []float64) float64 {
	mean, sum := 0.0, 0.0
	for _, v := range y {
		mean += v / float64(len(y))
	}
	for _, v := range y {
		sum += math.Abs(v-mean) / float64(len(y))
	}
	return sum
}
