package synth

import "math"

// season repeats itself, in a shape of its own; the shape may grow, fade and move.
func (d *maker) season(n int, period float64, week bool) []float64 {
	out := make([]float64, n)
	shape := d.shape(period, week)
	offset := d.uniform(0, period)
	size, step := 0.0, 0.0
	switch d.pick([]float64{0.55, 0.25, 0.2}) {
	case 1: // whose size moves at random
		step = d.between(0.02, 0.4) / math.Sqrt(math.Max(period, 4))
	case 2: // which grows or fades
		size = d.uniform(-0.7, 0.7)
	}
	along, second := size/float64(n), []float64(nil)
	if d.chance(0.18) && period < float64(n)/3 { // another shape comes in
		second = d.shape(period, week)
	}
	walk := 0.0
	for i := range out {
		walk += step * d.NormFloat64()
		at := math.Mod(float64(i)+offset, period) / period
		v := read(shape, at)
		if second != nil {
			part := float64(i) / float64(n)
			v = (1-part)*v + part*read(second, at)
		}
		out[i] = v * math.Exp(walk+along*float64(i))
	}
	return out
}

// read gives a shape at a part of its period.
func read(shape []float64, at float64) float64 {
	x := at * float64(len(shape))
	i := int(x)
	if len(shape) < 60 { // a value a place
		return shape[min(i, len(shape)-1)]
	}
	part := x - float64(i)
	return (1-part)*shape[i%len(shape)] + part*shape[(i+1)%len(shape)]
}

// shape draws a season's shape: a value a place of a short one, or many points of a long one.
func (d *maker) shape(period float64, week bool) []float64 {
	points := int(math.Round(period))
	if points > 400 || math.Abs(period-math.Round(period)) > 0.01 {
		points = 240
	}
	out := make([]float64, max(2, points))
	if week && d.chance(0.6) { // weekdays that are alike, and the others
		end := d.IntN(7)
		low, other := d.NormFloat64(), d.NormFloat64()
		for i := range out {
			out[i] = 0.25 * d.NormFloat64()
			switch (i + end) % 7 {
			case 0:
				out[i] += 2 * low
			case 1:
				out[i] += 2 * other * d.uniform(0.3, 1)
			}
		}
		return standard(out)
	}
	switch d.pick([]float64{0.42, 0.22, 0.12, 0.14, 0.1}) {
	case 0: // waves, the shorter the smaller
		fall := d.uniform(0.3, 2)
		for h := 1; h <= 1+d.IntN(max(1, min(7, len(out)/2))); h++ {
			size, phase := d.NormFloat64()/math.Pow(float64(h), fall), d.uniform(0, 2*math.Pi)
			for i := range out {
				out[i] += size * math.Sin(2*math.Pi*float64(h*i)/float64(len(out))+phase)
			}
		}
	case 1: // every place by itself
		stretch := 1
		if len(out) >= 60 {
			stretch = max(1, len(out)/(5+d.IntN(30)))
		}
		v := 0.0
		for i := range out {
			if i%stretch == 0 {
				v = d.NormFloat64()
			}
			out[i] = v
		}
	case 2: // up slowly and down at once, or the other way
		top := d.uniform(0.05, 0.95)
		for i := range out {
			if x := float64(i) / float64(len(out)); x < top {
				out[i] = x / top
			} else {
				out[i] = (1 - x) / (1 - top)
			}
		}
	case 3: // one or two humps, as of a day or a year's high time
		for range 1 + d.IntN(3) {
			middle, width, high := d.Float64(), d.between(0.02, 0.2), d.uniform(0.3, 1)
			if d.chance(0.2) {
				high = -high
			}
			for i := range out {
				x := math.Abs(float64(i)/float64(len(out)) - middle)
				x = math.Min(x, 1-x) / width
				out[i] += high * math.Exp(-x*x/2)
			}
		}
	case 4: // open and shut
		from, to := d.Float64(), d.Float64()
		for i := range out {
			x := float64(i) / float64(len(out))
			if x >= math.Min(from, to) && x < math.Max(from, to) {
				out[i] = 1 + 0.3*d.NormFloat64()
			}
		}
	}
	return standard(out)
}
