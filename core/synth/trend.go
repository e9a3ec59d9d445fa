package synth

import "math"

// trend is a slow movement whose change over a history has a size of about 1.
func (d *maker) trend(k *rhythm, n int) []float64 {
	out := make([]float64, n)
	span := float64(n)
	up := 1.0
	if d.chance(0.38) { // more grows than shrinks
		up = -1
	}
	switch d.pick([]float64{0.22, 0.2, 0.12, 0.2, 0.12, 0.14}) {
	case 0: // straight
		for i := range out {
			out[i] = up * float64(i) / span * 2
		}
	case 1: // with bends
		slope := up * d.uniform(0, 3) / span
		bend := float64(1+d.IntN(6)) / span
		for i := 1; i < n; i++ {
			if d.chance(bend) {
				slope = d.NormFloat64() * 3 / span
			}
			out[i] = out[i-1] + slope
		}
	case 2: // that ends at a bound
		middle, width := d.uniform(-0.2, 0.9)*span, d.uniform(0.04, 0.3)*span
		for i := range out {
			out[i] = up * 2 / (1 + math.Exp(-(float64(i)-middle)/width))
		}
	case 3: // at random
		drift := 0.0
		if d.chance(0.4) {
			drift = up * d.uniform(0, 0.15)
		}
		for i := 1; i < n; i++ {
			out[i] = out[i-1] + d.NormFloat64() + drift
		}
		standard(out)
	case 4: // whose slope moves at random, and lasts a while
		keep, slope := d.uniform(0.8, 0.995), 0.0
		for i := 1; i < n; i++ {
			slope = keep*slope + d.NormFloat64()
			out[i] = out[i-1] + slope
		}
		standard(out)
	case 5: // waves of no fixed length
		copy(out, d.wave(n, d.between(0.05, 0.6)*span))
	}
	return out
}

// shift moves the level for good, now and then.
func (d *maker) shift(y []float64, noise float64) {
	if !d.chance(0.15) {
		return
	}
	for range 1 + d.IntN(3) {
		at, by := d.IntN(len(y)), d.NormFloat64()*noise*d.between(1, 6)
		length := len(y)
		if d.chance(0.3) { // or for a while
			length = min(len(y), at+1+int(d.between(2, float64(len(y)))))
		}
		for i := at; i < length; i++ {
			y[i] += by
		}
	}
}
