package arima

import (
	"math"
)

// squash maps the line onto (-1, 1), a little inside, so that no root lies on the circle.
func squash(x float64) float64 { return 0.9995 * math.Tanh(x) }

// filter computes the exact Gaussian likelihood of an ARMA process, and the innovations of
// the series and of regressors beside it. It keeps its working space.
type filter struct {
	gamma, psi []float64 // autocovariances, and weights of past errors
	steps      []float64 // of the step-down recursion, order after order
	cov        []float64 // of the moving average
	gain, turn []float64 // K F and Y of the recursions
	state      []float64 // r for each column
	matrix     []float64 // the state's whole stationary covariance
	logF       float64
	lastGain   []float64 // K at the end
	stride     int       // of the columns in state
	roots      []float64 // one over the standard deviations of the innovations, sigma 1
	still      still     // the rest of a run, once the gain no longer changes
	turned     int       // where it began in the last run; n where it never did
	held       bool      // it begins there again, whatever the weights: see objective
}

// autocovariances puts gamma(0..r) and psi(0..r) of an ARMA process with unit error
// variance. The autoregression's come by the step-down recursion, the process' by passing
// them through the moving average.
//
// Source: Brockwell and Davis, Time Series: Theory and Methods, 2nd ed. 1991, sections
// 3.3 and 5.2.
func (f *filter) autocovariances(s *shape) bool {
	p, q, r := len(s.phi), len(s.theta)-1, s.r
	reach := r + q + 1
	pure := sized(f.cov, reach+1) // of the autoregression alone
	f.cov = pure
	f.steps = sized(f.steps, p*(p+1)/2)
	// steps holds the coefficients of order k at k(k-1)/2.
	copy(f.steps[p*(p-1)/2:], s.phi)
	variance := 1.0
	for k := p; k >= 1; k-- {
		a := f.steps[k*(k-1)/2:][:k]
		last := a[k-1]
		rest := 1 - last*last
		if !(rest > 1e-12) {
			return false
		}
		variance /= rest
		if k > 1 {
			b := f.steps[(k-1)*(k-2)/2:][:k-1]
			for i := range b {
				b[i] = (a[i] + last*a[k-2-i]) / rest
			}
		}
	}
	pure[0] = variance
	for lag := 1; lag <= reach; lag++ {
		a := s.phi
		if lag < p {
			a = f.steps[lag*(lag-1)/2:][:lag]
		}
		sum := 0.0
		for i, c := range a {
			if c != 0 {
				sum += c * pure[lag-1-i]
			}
		}
		pure[lag] = sum
	}
	f.gamma, f.psi = sized(f.gamma, r+1), sized(f.psi, r+1)
	for j := 0; j <= q; j++ { // c(j) = sum of theta(i) theta(i+j)
		c := 0.0
		for i := 0; i+j <= q; i++ {
			c += s.theta[i] * s.theta[i+j]
		}
		if c == 0 {
			continue
		}
		for lag := range f.gamma {
			if j == 0 {
				f.gamma[lag] += c * pure[lag]
				continue
			}
			back := lag - j
			if back < 0 {
				back = -back
			}
			f.gamma[lag] += c * (pure[lag+j] + pure[back])
		}
	}
	for k := range f.psi {
		v := 0.0
		if k <= q {
			v = s.theta[k]
		}
		for i := 1; i <= min(k, p); i++ {
			if c := s.phi[i-1]; c != 0 {
				v += c * f.psi[k-i]
			}
		}
		f.psi[k] = v
	}
	return true
}

// firstGain puts T P Z', P the state's stationary covariance, Z = (1, 0, ...), from the
// covariances of the state's parts with the process itself.
func (f *filter) firstGain(s *shape) {
	r, p, q := s.r, len(s.phi), len(s.theta)-1
	first := sized(f.state, r+1) // P Z'
	f.state = first
	first[0] = f.gamma[0]
	for i := 2; i <= r; i++ {
		v := 0.0
		for j := i; j <= p; j++ {
			if c := s.phi[j-1]; c != 0 {
				v += c * f.gamma[1+j-i]
			}
		}
		for j := i; j <= q+1; j++ {
			if c := s.theta[j-1]; c != 0 {
				v += c * f.psi[j-i]
			}
		}
		first[i-1] = v
	}
	f.gain, f.turn = sized(f.gain, r), sized(f.turn, r)
	for i := range r {
		v := first[i+1]
		if i < p {
			v += s.phi[i] * first[0]
		}
		f.gain[i] = v
	}
	copy(f.turn, f.gain)
}

// run filters columns without unknown values, the series first, and leaves the innovations,
// each divided by the root of its variance, in out; logF is the sum of the variances' logs.
// It is false where the model is too near to the bounds.
//
// It uses the Chandrasekhar recursions, which carry the change of the state's covariance in
// one vector:
//
//	F' = F + (Z Y)^2 M,  K F' = K F + T Y M (Z Y),  M' = M + M^2 (Z Y)^2 / F,
//	Y' = T Y - K' (Z Y)
//
// from Y = T P Z', M = -1/F. Source: Morf, Sidhu and Kailath, Some new algorithms for
// recursive estimation in constant linear discrete-time systems, IEEE Transactions on
// Automatic Control 19 (1974); Pearlman, Biometrika 67 (1980).
func (f *filter) run(s *shape, columns, out [][]float64) bool {
	if !f.autocovariances(s) {
		return false
	}
	f.firstGain(s)
	n, r, p := len(columns[0]), s.r, len(s.phi)
	// One zero more than there are parts: what moves up into the last.
	f.state = sized(f.state, (r+1)*len(columns))
	f.turn = append(f.turn[:r], 0)
	variance := f.gamma[0]
	if !(variance > 0) || math.IsInf(variance, 0) {
		return false
	}
	m := -1 / variance
	logF, product := 0.0, 1.0
	gain, turn := f.gain[:r], f.turn[:r+1]
	inv := 1 / variance
	root := math.Sqrt(inv)
	f.roots = sized(f.roots, n)
	turned := n
	for t := 0; t < n; t++ {
		f.roots[t] = root
		if product *= variance; product > 1e200 || product < 1e-200 {
			logF += math.Log(product)
			product = 1
		}
		for c, column := range columns {
			a := f.state[c*(r+1) : (c+1)*(r+1)]
			first := a[0]
			e := column[t] - first
			out[c][t] = e * root
			s.carry(a, first)
			move(a, gain, e*inv)
		}
		z := turn[0]
		zm := z * m
		change := z * zm
		lastInv := inv
		variance += change
		if !(variance > 0) {
			return false
		}
		inv = 1 / variance
		root = math.Sqrt(inv)
		s.carry(turn, z)
		fade(turn, gain, zm, z*inv)
		m += m * zm * z * lastInv
		now := f.held && t+1 == f.turned
		if !f.held && t > p && t%4 == 0 && math.Abs(change) < steadyChange*variance {
			now = settled(turn, m, variance)
		}
		if now {
			turned = t + 1
			for i := turned; i < n; i++ {
				f.roots[i] = root
			}
			for c, column := range columns {
				f.still.run(s, f.state[c*(r+1):(c+1)*(r+1)], column[turned:], out[c][turned:], root)
			}
			logF += float64(n-turned) * math.Log(variance)
			break
		}
	}
	f.turned = turned
	f.logF = logF + math.Log(product)
	f.stride = r + 1
	f.lastGain = append(f.lastGain[:0], gain...)
	for i := range f.lastGain {
		f.lastGain[i] *= inv
	}
	return true
}

// steadyChange and steadyRest are how small, against the variance of an innovation, what a step changes of it must be
// and all that can still change, for the gain to count as steady: a hundred thousandth of a unit of log-likelihood.
const steadyChange, steadyRest = 1e-7, 1e-6

// carry adds the first part's weights to the others, of which few have any, before they move up: with the move it is
// the transition T. The zero beyond the last part may get one.
func (s *shape) carry(a []float64, first float64) {
	for _, i := range s.own {
		a[i+1] += s.phi[i] * first
	}
}

// move moves the parts up by one, each with its weight K of the error e, and puts the zero back.
func move(a, gain []float64, e float64) {
	a, above := a[:len(gain)+1], a[1:][:len(gain)]
	for i, k := range gain {
		a[i] = above[i] + k*e
	}
	a[len(gain)] = 0
}

// fade moves Y up, less K' (Z Y), and puts K' into K on the way.
func fade(turn, gain []float64, zm, by float64) {
	turn, above := turn[:len(gain)+1], turn[1:][:len(gain)]
	for i, ty := range above {
		k := gain[i]
		k += ty * zm
		gain[i] = k
		turn[i] = ty - k*by
	}
	turn[len(gain)] = 0
}

// settled says that what is left of Y changes the covariance no more.
func settled(turn []float64, m, variance float64) bool {
	sum := 0.0
	for _, v := range turn {
		sum += v * v
	}
	return sum*math.Abs(m) < steadyRest*variance
}

// phiAt is the weight of lag i + 1, thetaAt that of lag i; 0 beyond the last.
func (s *shape) phiAt(i int) float64 {
	if i < len(s.phi) {
		return s.phi[i]
	}
	return 0
}

func (s *shape) thetaAt(i int) float64 {
	if i < len(s.theta) {
		return s.theta[i]
	}
	return 0
}

// stationaryMatrix puts the state's whole stationary covariance: its parts are sums of
// past values and errors, whose covariances are known. An entry follows from the next one
// along its diagonal, P(i,j) = P(i+1,j+1) + what the transition adds, from the end up.
func (f *filter) stationaryMatrix(s *shape) {
	r := s.r
	f.firstGain(s)
	first := append([]float64(nil), f.state[:r]...) // P Z'
	f.matrix = sized(f.matrix, r*r)
	phi, theta := s.phiAt, s.thetaAt
	above := func(i int) float64 {
		if i < r {
			return first[i]
		}
		return 0
	}
	for i := r - 1; i >= 0; i-- {
		for j := r - 1; j >= i; j-- {
			v := theta(i)*theta(j) + phi(i)*above(j+1) + phi(j)*above(i+1) + phi(i)*phi(j)*first[0]
			if i+1 < r && j+1 < r {
				v += f.matrix[(i+1)*r+j+1]
			}
			f.matrix[i*r+j], f.matrix[j*r+i] = v, v
		}
	}
}
