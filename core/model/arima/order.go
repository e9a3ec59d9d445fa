package arima

import (
	"fmt"
	"strconv"
	"strings"
)

// Order is the shape (p,d,q)(P,D,Q)s of a seasonal ARIMA model, with a constant or
// without: a mean where nothing is differenced, a drift where once.
type Order struct {
	P, D, Q    int // of the periods
	SP, SD, SQ int // of the seasons
	Season     int
	Constant   bool
}

func (o Order) String() string {
	text := fmt.Sprintf("(%d,%d,%d)", o.P, o.D, o.Q)
	if o.SP+o.SD+o.SQ > 0 {
		text += fmt.Sprintf("(%d,%d,%d)%d", o.SP, o.SD, o.SQ, o.Season)
	}
	if o.Constant {
		if o.D+o.SD == 0 {
			return text + " with a mean"
		}
		return text + " with drift"
	}
	return text
}

// Arma names the shape of stationary errors.
func (o Order) Arma() string {
	if o.Q == 0 {
		return fmt.Sprintf("AR(%d)", o.P)
	}
	return fmt.Sprintf("ARMA(%d,%d)", o.P, o.Q)
}

// weights is the number of coefficients.
func (o Order) weights() int { return o.P + o.Q + o.SP + o.SQ }

// lost is how many values differencing takes.
func (o Order) lost() int { return o.D + o.SD*o.Season }

// reach is the longest lag that counts.
func (o Order) reach() int { return max(o.P+o.SP*o.Season, o.Q+o.SQ*o.Season+1) }

// parseTriple reads an order such as 0,1,1.
func parseTriple(list []string) (v [3]int, err error) {
	if len(list) != 3 {
		return v, fmt.Errorf("%q is no order: write three whole numbers, as 0,1,1", strings.Join(list, ","))
	}
	for i, text := range list {
		if v[i], err = strconv.Atoi(strings.Trim(text, "() ")); err != nil || v[i] < 0 || v[i] > 5 {
			return v, fmt.Errorf("%q in an order is no whole number from 0 to 5", text)
		}
	}
	return v, nil
}

// shape is a model's polynomials at given weights, and the sparse lags that they have.
type shape struct {
	o          Order
	phi, theta []float64 // phi[k-1] of lag k; theta[k] of lag k, theta[0] = 1
	own        []int     // at which phi has a weight
	r          int
	short      [2][]float64 // work: of the periods' part
	long       [2][]float64 // work: of the seasons' part
}

// The coefficients come from unbounded numbers by way of partial autocorrelations in
// (-1, 1), so that every one gives a stationary and invertible model.
//
// Source: Monahan, A note on enforcing stationarity in autoregressive-moving average
// models, Biometrika 71 (1984).
func stationary(x, out []float64) {
	for k, v := range x {
		r := squash(v)
		out[k] = r
		for i := range k / 2 {
			a, b := out[i], out[k-1-i]
			out[i], out[k-1-i] = a-r*b, b-r*a
		}
		if k%2 == 1 {
			out[k/2] -= r * out[k/2]
		}
	}
}

// set lays out the weights: p of the periods' autoregression, q of the moving average, P,
// then Q of the seasons'.
func (s *shape) set(o Order, x []float64) {
	s.o, s.r = o, o.reach()
	ar, ma := o.P+o.SP*o.Season, o.Q+o.SQ*o.Season
	s.phi, s.theta = sized(s.phi, ar), sized(s.theta, ma+1)
	for i := range 2 {
		s.short[i], s.long[i] = sized(s.short[i], max(o.P, o.Q)), sized(s.long[i], max(o.SP, o.SQ))
	}
	stationary(x[:o.P], s.short[0])
	stationary(x[o.P:o.P+o.Q], s.short[1])
	stationary(x[o.P+o.Q:o.P+o.Q+o.SP], s.long[0])
	stationary(x[o.P+o.Q+o.SP:o.weights()], s.long[1])
	// (1 - sum phi B^i)(1 - sum Phi B^js), and with plus signs (1 + ...) for the moving
	// average, whose squashed weights count the other way round.
	for j := 0; j <= o.SP; j++ {
		for i := 0; i <= o.P; i++ {
			if i+j == 0 {
				continue
			}
			a, b := 1.0, 1.0
			if i > 0 {
				a = -s.short[0][i-1]
			}
			if j > 0 {
				b = -s.long[0][j-1]
			}
			s.phi[i+j*o.Season-1] -= a * b
		}
	}
	s.own = s.own[:0]
	for i, v := range s.phi {
		if v != 0 {
			s.own = append(s.own, i)
		}
	}
	for j := 0; j <= o.SQ; j++ {
		for i := 0; i <= o.Q; i++ {
			a, b := 1.0, 1.0
			if i > 0 {
				a = -s.short[1][i-1]
			}
			if j > 0 {
				b = -s.long[1][j-1]
			}
			s.theta[i+j*o.Season] += a * b
		}
	}
}

func sized(v []float64, n int) []float64 {
	if cap(v) < n {
		return make([]float64, n)
	}
	v = v[:n]
	clear(v)
	return v
}
