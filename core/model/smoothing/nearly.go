package smoothing

import (
	"math"

	"paperkettle/core/forecast"
)

const (
	// nearlySteps is up to how many steps, and nearlyWide up to which variance next to the square of the mean, a
	// forecast with multiplicative errors is told by its moments; beyond, its futures are simulated.
	nearlySteps = 200
	nearlyWide  = 0.5
	// leastFuture is the least share of its mean that a value may come to, as in futures that are simulated.
	leastFuture = 0.01
	// eachMoment is every how many of the drawn parameters moments are taken of.
	eachMoment = 4
)

// moments are a step's variance next to the square of its mean, and what is lopsided in it.
type moments struct{ variance, skew float64 }

// nearly gives the forecast of multiplicative errors by its moments, where that serves to choose: what simulating it
// costs many times more, and tells with more chance. False where it can't.
//
// The mean is the points', the variance exact but for seasons that multiply, the shape Student's t drawn out as a
// log-normal distribution is, by the skewness of a product of errors.
//
// Source: Hyndman, Koehler, Ord and Grose, Prediction intervals for exponential smoothing using two new classes of
// state space models, Journal of Forecasting 24 (2005), classes 2 and 3.
func (s *State) nearly(out forecast.Rows) bool {
	states := s.doubtful()
	if len(states) < doubts/2 {
		states = []State{*s}
	}
	horizon, n := len(out.Mean), float64(len(states))
	if horizon > nearlySteps {
		return false
	}
	mean, square := make([]float64, horizon), make([]float64, horizon)
	within, skew := make([]float64, horizon), make([]float64, horizon)
	w := newProduct(horizon)
	some := float64((len(states) + eachMoment - 1) / eachMoment)
	for i := range states {
		states[i].points(w.points)
		for h, v := range w.points {
			mean[h] += v / n
			square[h] += v * v / n
		}
		if i%eachMoment == 0 {
			for h, own := range states[i].moments(w) {
				within[h] += own.variance * w.points[h] * w.points[h] / some
				skew[h] += own.skew / some
			}
		}
	}
	for h, m := range mean {
		if !(m > 0) || !(within[h] <= nearlyWide*m*m) {
			return false
		}
	}
	copy(out.Mean, mean)
	t := forecast.Student(int(min(s.Free, 1000)))
	for h, m := range mean {
		wide := math.Sqrt(within[h] + max(0, square[h]-m*m))
		drawnOut(m, wide, skew[h], t, out.At(h))
		if s.Form.Season != 'A' {
			for g, q := range out.At(h) {
				out.At(h)[g] = max(q, leastFuture*m)
			}
		}
	}
	return true
}

// drawnOut puts the quantiles of a variable with a mean and a standard deviation, whose shape is that of t, drawn out by
// as much as a log-normal variable of a third of the skewness for its standard deviation is.
func drawnOut(mean, wide, skew float64, t *[forecast.GridSize]float64, q []float64) {
	omega := skew / 3
	if !(omega >= 1e-3) { // nor is there any where nothing varies
		for g, x := range t {
			q[g] = mean + wide*x
		}
		return
	}
	down := math.Exp(-omega * omega / 2)
	by := wide / math.Sqrt(math.Expm1(omega*omega))
	for g, x := range t {
		q[g] = mean + by*(down*math.Exp(omega*x)-1)
	}
}

// product is room for moments.
type product struct {
	points, base, gains, theta []float64
	out                        []moments
}

func newProduct(horizon int) *product {
	room := func() []float64 { return make([]float64, horizon) }
	return &product{room(), room(), room(), room(), make([]moments, horizon)}
}

// moments are those of each step for the parameters as they are, whose points are there.
func (s *State) moments(w *product) []moments {
	p := &s.Now
	base := w.points
	if s.Form.Season == 'M' { // what the season multiplies
		base = w.base
		level, slope := p.Level, p.Slope
		for h := range base {
			slope *= p.Phi
			level += slope
			base[h] = max(level, 0)
		}
	}
	sigma2, reach, power, fourths, rounds := s.Sigma2, 0.0, 1.0, 0.0, 1.0
	// theta is the mean square of what is multiplied by 1 + e, of a step next to that of its mean.
	for h := range base {
		sum := base[h] * base[h]
		mean2 := sum
		for j, g := range w.gains[:h] {
			sum += g * w.theta[h-1-j]
		}
		if s.Form.Season == 'M' && h > 0 && h%s.Season == 0 {
			rounds *= 1 + p.Gamma*p.Gamma*sigma2
		}
		v := max(0, (1+sigma2)*sum*rounds/mean2-1)
		own := sigma2*sigma2 + fourths // of errors that are alone
		w.out[h] = moments{v, 3 * max(0, v*v-own) / (v * math.Sqrt(v))}
		w.theta[h] = sum
		power *= p.Phi
		reach += power
		c := p.Alpha + p.Beta*reach
		if s.Form.Season == 'A' && (h+1)%s.Season == 0 {
			c += p.Gamma
		}
		c *= sigma2 * c
		w.gains[h] = c
		fourths += c * c
	}
	return w.out
}
