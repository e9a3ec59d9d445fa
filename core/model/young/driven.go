package young

import "math"

// freely is the variance of what a driver does by its standard deviation, next to that of the noise: next to nothing is
// believed of it before.
const freely = 16.0

// driven integrates out what drivers do, the last columns before that of the others' season: what it leaves of the
// products is what settings, which say nothing of drivers, tell apart. Where a season and a driver go together both are
// believed in part.
func (f filtered) driven(drivers int) filtered {
	p := f.p
	at := func(a, b int) *float64 { return &f.gram[max(a, b)*p+min(a, b)] }
	for d := p - 2; d >= p-1-drivers; d-- {
		own := *at(d, d)
		pivot := 1/freely + own
		f.logs += math.Log1p(freely * max(0, own))
		f.yy -= f.moment[d] * f.moment[d] / pivot
		for a := range d {
			x := *at(d, a) / pivot
			f.moment[a] -= x * f.moment[d]
			for b := range a + 1 {
				*at(a, b) -= x * *at(d, b)
			}
		}
	}
	out := newFiltered(p - drivers)
	out.n, out.yy, out.logs = f.n, max(0, f.yy), f.logs
	for a := range out.p - 1 {
		out.moment[a] = f.moment[a]
		copy(out.gram[a*out.p:a*out.p+a+1], f.gram[a*p:a*p+a+1])
	}
	return out
}
