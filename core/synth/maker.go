package synth

import (
	"math"
	"math/rand/v2"
)

// maker draws numbers.
type maker struct{ *rand.Rand }

func (d *maker) chance(p float64) bool { return d.Float64() < p }

// uniform is between two numbers, between the same on the scale of logs, which then are above 0.
func (d *maker) uniform(a, b float64) float64 { return a + (b-a)*d.Float64() }
func (d *maker) between(a, b float64) float64 { return a * math.Exp(math.Log(b/a)*d.Float64()) }

// pick is a place, by shares that add up to about 1.
func (d *maker) pick(shares []float64) int {
	u := d.Float64()
	for i, p := range shares {
		if u -= p; u < 0 {
			return i
		}
	}
	return len(shares) - 1
}

// heavy is a number of Student's t distribution with few degrees of freedom, of spread about 1.
func (d *maker) heavy(degrees float64) float64 {
	c := 0.0
	for range int(degrees) {
		x := d.NormFloat64()
		c += x * x
	}
	return d.NormFloat64() / math.Sqrt(c/degrees) * math.Sqrt((degrees-2)/degrees)
}

// poisson is a count of a mean.
func (d *maker) poisson(mean float64) float64 {
	if mean > 50 {
		return math.Max(0, math.Round(mean+math.Sqrt(mean)*d.NormFloat64()))
	}
	limit, n, p := math.Exp(-mean), 0.0, d.Float64()
	for p > limit {
		n++
		p *= d.Float64()
	}
	return n
}

// gamma is a positive number of mean 1 and of a shape of 0.1 and more.
//
// Source: Marsaglia and Tsang, ACM Transactions on Mathematical Software 26 (2000).
func (d *maker) gamma(shape float64) float64 {
	boost := 1.0
	a := shape
	if a < 1 {
		boost = math.Pow(d.Float64(), 1/a)
		a++
	}
	e := a - 1.0/3
	c := 1 / math.Sqrt(9*e)
	for {
		x := d.NormFloat64()
		v := 1 + c*x
		if v <= 0 {
			continue
		}
		v = v * v * v
		if u := d.Float64(); math.Log(u) < 0.5*x*x+e-e*v+e*math.Log(v) {
			return e * v * boost / shape
		}
	}
}

// standard moves and stretches numbers to a mean of 0 and a spread of 1; constant ones become 0.
func standard(x []float64) []float64 {
	mean, squares := 0.0, 0.0
	for _, v := range x {
		mean += v
	}
	mean /= float64(len(x))
	for _, v := range x {
		squares += (v - mean) * (v - mean)
	}
	spread := math.Sqrt(squares / float64(len(x)))
	for i := range x {
		if x[i] -= mean; spread > 1e-12 {
			x[i] /= spread
		} else {
			x[i] = 0
		}
	}
	return x
}

// add adds a multiple.
func add(to, x []float64, times float64) {
	for i, v := range x {
		to[i] += times * v
	}
}

// scale multiplies in place.
func scale(x []float64, by float64) {
	for i := range x {
		x[i] *= by
	}
}
