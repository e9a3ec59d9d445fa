package young

import (
	"math"

	"gonum.org/v1/gonum/floats"
)

// room is working space for one setting.
type room struct{ lower, half, right, dev []float64 }

func newRoom(p int) room {
	return room{lower: make([]float64, p*p), half: make([]float64, p*p), right: make([]float64, p), dev: make([]float64, p)}
}

// solve finds the factor of a setting's M, and what solves it half. With level, slope and coefficients integrated out,
// and the noise's variance v with a density of 1/v, the likelihood of n values is |M|^(-1/2) Q^(-n/2), M = I + D X'X D,
// Q = y'y - y'X D M^-1 D X'y, D the standard deviations of the coefficients. noise is Q / n.
func (s *seen) solve(setting int) (loglik, noise float64) {
	f, dev := &s.by[s.d.list[setting].wander], s.deviations(setting)
	p, q, det, logdet := f.p, f.yy, 1.0, 0.0
	for a, u := range dev {
		row := s.lower[a*p : a*p+a+1]
		gram := f.gram[a*p : a*p+a+1]
		right := u * f.moment[a]
		for b := range a {
			other := s.lower[b*p : b*p+b+1]
			x := u * dev[b] * gram[b]
			for c, y := range other[:b] {
				x -= row[c] * y
			}
			row[b] = x / other[b]
			right -= row[b] * s.right[b]
		}
		x := 1 + u*u*gram[a]
		for _, y := range row[:a] {
			x -= y * y
		}
		x = max(x, leastPivot)
		row[a] = math.Sqrt(x)
		if det *= x; det > 1e100 {
			logdet += math.Log(det)
			det = 1
		}
		s.right[a] = right / row[a]
		q -= s.right[a] * s.right[a]
	}
	return f.loglik(q, logdet+math.Log(det))
}

// leastPivot is the least that rounding may leave of a pivot, which is 1 at least.
const leastPivot = 1e-12

// tiny is the least part of a sum of squares that noise has: a season without any would be believed beyond reason.
const tiny = 1e-9

// loglik is the log of the likelihood, and the noise, by Q and the log of M's determinant.
func (f *filtered) loglik(q, logdet float64) (loglik, noise float64) {
	q = max(q, tiny*f.yy)
	return -0.5 * (float64(f.n)*math.Log(q) + f.logs + logdet), q / float64(f.n)
}

// deviations are those of the coefficients under a setting.
func (s *seen) deviations(setting int) []float64 {
	x := s.d.list[setting]
	copy(s.dev, s.d.seasons[x.season])
	s.dev[s.p-2], s.dev[s.p-1] = math.Sqrt(x.slope), 0
	if x.shares {
		s.dev[s.p-1] = s.share
	}
	return s.dev
}

// coefficients are the means of the season's and the slope's coefficients, and of the share in the others' season, under
// the setting that was solved last.
func (s *seen) coefficients(setting int, out []float64) {
	p := s.p
	for a := p - 1; a >= 0; a-- {
		x := s.right[a]
		for b := a + 1; b < p; b++ {
			x -= s.lower[b*p+a] * out[b]
		}
		out[a] = x / s.lower[a*p+a]
	}
	for a, u := range s.deviations(setting) {
		out[a] *= u
	}
}

// inverse puts that of M under the setting that was solved last, which next to the noise's variance, and times the
// deviations on either side, is the covariance of the coefficients.
func (s *seen) inverse(out []float64) {
	p := s.p
	lower := s.half // the inverse of the factor, a column of it a row
	for j := range p {
		row := lower[j*p : (j+1)*p]
		row[j] = 1 / s.lower[j*p+j]
		for a := j + 1; a < p; a++ {
			x := 0.0
			for b, y := range s.lower[a*p+j : a*p+a] {
				x -= y * row[j+b]
			}
			row[a] = x / s.lower[a*p+a]
		}
	}
	for a := range p {
		for b := range a + 1 {
			x := floats.Dot(lower[a*p+a:(a+1)*p], lower[b*p+a:(b+1)*p])
			out[a*p+b], out[b*p+a] = x, x
		}
	}
}

// learnt is how many coefficients' worth the series told of the seasons under a setting: what M, whose inverse is given,
// next to the one that it would be without the series, takes away from each.
func (s *seen) learnt(setting int, inverse []float64) (sum float64) {
	for a, u := range s.deviations(setting) {
		if a != s.p-2 && u > 0 {
			sum += 1 - inverse[a*s.p+a]
		}
	}
	return sum
}
