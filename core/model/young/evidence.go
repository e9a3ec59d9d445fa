package young

import (
	"math"
	"slices"
	"sync"

	"gonum.org/v1/gonum/floats"

	"paperkettle/core/model/harmonic"
	"paperkettle/core/panel"
)

// design is a season and a slope as columns, for series of a cadence.
type design struct {
	m      int
	period float64
	list   []setting
	alone  int         // how many have no share in the others' season; they come first
	dev    [][]float64 // of each setting: the standard deviations of the slope and of the season's coefficients
}

func newDesign(m int, period float64) *design {
	shapes := shapesOf(m)
	d := &design{m: m, period: period, list: settings(len(shapes))}
	for _, s := range d.list {
		if !s.shares {
			d.alone++
		}
		dev := []float64{math.Sqrt(s.slope)}
		for _, v := range shapes[s.shape] {
			dev = append(dev, math.Sqrt(s.size*v))
		}
		d.dev = append(d.dev, append(dev, 0))
	}
	return d
}

// coefficients is how many a season has.
func (d *design) coefficients() int { return len(d.dev[0]) - 2 }

// season fills a row with what each coefficient counts for at an ordinal. Of a season of an even number of periods the
// last sine is nought, and left out.
func (d *design) season(ordinal int64, row []float64) {
	slowest := harmonic.First(ordinal, d.period)
	pair := slowest
	for j := 0; j < len(row); j += 2 {
		switch {
		case j+1 < len(row):
			row[j], row[j+1] = pair.Sin, pair.Cos
		case j+2 == d.m:
			row[j] = pair.Cos
		default:
			row[j] = pair.Sin
		}
		pair = pair.Plus(slowest)
	}
}

// seen is a series with its columns, a row a value: the slope's, the season's, and the others' season where it is known.
type seen struct {
	d      *design
	values []float64
	rows   []float64
	others []float64 // coefficients of the others' season; nil for none
	share  float64   // standard deviation of the share in it, next to the noise's
	wander float64   // that it was filtered with
	filtered
	lower, half, right, dev []float64 // working space
}

func (d *design) look(values []float64, first int64, others []float64) *seen {
	p := d.coefficients() + 2
	s := &seen{d: d, values: values, rows: make([]float64, len(values)*p), others: others, filtered: newFiltered(p),
		lower: make([]float64, p*p), half: make([]float64, p*p), right: make([]float64, p), dev: make([]float64, p)}
	middle := float64(len(values)-1) / 2
	for i := range values {
		row := s.rows[i*p : (i+1)*p]
		row[0] = (float64(i) - middle) / d.period
		s.season(first+int64(i), row)
	}
	return s
}

// season fills a row but for the slope.
func (s *seen) season(ordinal int64, row []float64) {
	own := row[1 : len(row)-1]
	s.d.season(ordinal, own)
	row[len(row)-1] = 0
	if s.others != nil {
		row[len(row)-1] = floats.Dot(own, s.others)
	}
}

// filtered is what each value and its row tell beyond those before it, of a level that wanders: products of that.
type filtered struct {
	p, n   int     // columns, and values that tell
	yy     float64 // the sum of squares of the series
	logs   float64 // the sum of the logs of their variances
	gram   []float64
	moment []float64
	level  []float64 // working space
}

// unforeseen are the errors of the values that tell, and of their rows, a column after the other: of one series at a
// time, for they are as large as all its rows.
type unforeseen struct{ errors, rest []float64 }

var unforeseens = sync.Pool{New: func() any { return &unforeseen{} }}

func newFiltered(p int) filtered {
	return filtered{p: p, gram: make([]float64, p*p), moment: make([]float64, p), level: make([]float64, p)}
}

// filter runs a level that wanders by a variance through a series and through each column, and takes the products of
// what it did not expect. The first known value tells of the level alone.
func (s *seen) filter(wander float64) {
	f := &s.filtered
	f.n, f.yy, f.logs = 0, 0, 0
	u := unforeseens.Get().(*unforeseen)
	defer unforeseens.Put(u)
	u.errors = slices.Grow(u.errors[:0], len(s.values))[:len(s.values)]
	u.rest = slices.Grow(u.rest[:0], len(s.values)*f.p)[:len(s.values)*f.p]
	own, variance, begun, product := 0.0, 0.0, false, 1.0
	for i, y := range s.values {
		if begun {
			variance += wander
		}
		if !panel.Known(y) {
			continue
		}
		row := s.rows[i*f.p : (i+1)*f.p]
		if !begun {
			own, variance, begun = y, 1, true
			copy(f.level, row)
			continue
		}
		scale, gain := 1/math.Sqrt(variance+1), variance/(variance+1)
		if product *= variance + 1; product > 1e100 {
			f.logs += math.Log(product)
			product = 1
		}
		f.take(u, row, (y-own)*scale, scale, gain)
		own += gain * (y - own)
		variance *= 1 - gain
	}
	f.logs += math.Log(product)
	f.multiply(u)
}

// take notes a value's error and its row's.
func (f *filtered) take(u *unforeseen, row []float64, e, scale, gain float64) {
	u.errors[f.n] = e
	at, each := f.n, len(u.errors)
	for a, x := range row {
		d := x - f.level[a]
		u.rest[at] = d * scale
		at += each
		f.level[a] += gain * d
	}
	f.n++
}

// multiply takes the products of what was noted.
func (f *filtered) multiply(u *unforeseen) {
	errors, each := u.errors[:f.n], len(u.errors)
	f.yy = floats.Dot(errors, errors)
	for a := range f.p {
		x := u.rest[a*each : a*each+f.n]
		f.moment[a] = floats.Dot(x, errors)
		for b := range a + 1 {
			f.gram[a*f.p+b] = floats.Dot(x, u.rest[b*each:b*each+f.n])
		}
	}
}

// tiny is the least part of a sum of squares that noise has: a season without any would be believed beyond reason.
const tiny = 1e-9

// loglik is how likely the series is under a setting, for what was filtered with its wander; lower and right then have
// the factor of M and what solves it half. With level, slope and coefficients integrated out, and the noise's variance
// v with a density of 1/v, the likelihood of n values is |M|^(-1/2) Q^(-n/2), M = I + D X'X D,
// Q = y'y - y'X D M^-1 D X'y, D the standard deviations of the coefficients. noise is Q / n.
func (s *seen) loglik(setting int) (loglik, noise float64) {
	f, dev := &s.filtered, s.deviations(setting)
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
		x = max(x, 1e-12)
		row[a] = math.Sqrt(x)
		if det *= x; det > 1e100 {
			logdet += math.Log(det)
			det = 1
		}
		s.right[a] = right / row[a]
		q -= s.right[a] * s.right[a]
	}
	q = max(q, tiny*f.yy)
	return -0.5 * (float64(f.n)*math.Log(q) + f.logs + logdet + math.Log(det)), q / float64(f.n)
}

// deviations are those of the coefficients under a setting.
func (s *seen) deviations(setting int) []float64 {
	copy(s.dev, s.d.dev[setting])
	if s.d.list[setting].shares {
		s.dev[s.p-1] = s.share
	}
	return s.dev
}

// coefficients are the means of the slope's and the seasons' coefficients under the setting that was asked for last.
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

// inverse puts that of M under the setting that was asked for last, which next to the noise's variance, and times the
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
		if a > 0 && u > 0 {
			sum += 1 - inverse[a*s.p+a]
		}
	}
	return sum
}
