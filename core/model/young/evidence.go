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
	m       int
	period  float64
	list    []setting
	alone   int         // how many have no share in the others' season; they come first
	seasons [][]float64 // deviations of the coefficients of each own season of the settings; the first is none
}

func newDesign(m int, period float64) *design {
	shapes := shapesOf(m)
	d := &design{m: m, period: period, seasons: seasonsOf(shapes), list: settings(len(shapes))}
	for _, s := range d.list {
		if !s.shares {
			d.alone++
		}
	}
	return d
}

// coefficients is how many a season has.
func (d *design) coefficients() int { return len(d.seasons[0]) }

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

// rows fills columns of n values from an ordinal on, a row a value: the season's, the slope's, and the drivers'.
func (d *design) rows(n int, first int64, drivers [][]float64, out []float64) {
	slope := d.coefficients()
	each := slope + 1 + len(drivers)
	middle := float64(n-1) / 2
	for i := range n {
		row := out[i*each : (i+1)*each]
		d.season(first+int64(i), row[:slope])
		row[slope] = (float64(i) - middle) / d.period
		for k, column := range drivers {
			row[slope+1+k] = column[i]
		}
	}
}

// seen is a series as its products with its columns say it, for a level of each wander: those of the season, of the
// slope, and of the others' season, which is one of its own season's.
type seen struct {
	d      *design
	p      int        // columns
	by     []filtered // of each wander
	left   [][]left   // of each wander, by own season
	others []float64  // coefficients of the others' season; nil for none
	share  float64    // standard deviation of the share in it, next to the noise's
	room              // of the settings that are gone into one by one
}

// look filters values, in logs or as they are, of a series for all wanders.
func (d *design) look(values []float64, of Series, others []float64) *seen {
	p, n := d.coefficients()+2, len(values)
	s := &seen{d: d, p: p, by: make([]filtered, len(wanders)), left: make([][]left, len(wanders)), room: newRoom(p)}
	u := unforeseens.Get().(*unforeseen)
	defer unforeseens.Put(u)
	each := p - 1 + len(of.Drivers)
	u.rows = slices.Grow(u.rows[:0], n*each)[:n*each]
	d.rows(n, of.First, of.Drivers, u.rows)
	for k, w := range wanders {
		f := newFiltered(each + 1)
		f.filter(values, w, u)
		s.by[k] = f.driven(len(of.Drivers))
	}
	return s.beside(others)
}

// tells says that the series moves at all.
func (s *seen) tells() bool { return s.by[0].yy > 0 }

// season fills a row but for the slope.
func (s *seen) season(ordinal int64, row []float64) {
	own := row[:s.p-2]
	s.d.season(ordinal, own)
	row[s.p-2], row[s.p-1] = 0, 0
	if s.others != nil {
		row[s.p-1] = floats.Dot(own, s.others)
	}
}

// beside is the series beside the others' season.
func (s *seen) beside(others []float64) *seen {
	s.others = others
	for k := range s.by {
		s.by[k].beside(others)
	}
	return s
}

// filtered is what each value and its row tell beyond those before it, of a level that wanders: products of that, of
// which those of two columns are kept once, in the row of the later one.
type filtered struct {
	p, n   int     // columns, and values that tell
	yy     float64 // the sum of squares of the series
	logs   float64 // the sum of the logs of their variances
	gram   []float64
	moment []float64
}

// unforeseen are the rows of a series, and its values' and rows' errors, a column after the other: of one series at a
// time, for they are large.
type unforeseen struct{ rows, level, errors, rest []float64 }

var unforeseens = sync.Pool{New: func() any { return &unforeseen{} }}

func newFiltered(p int) filtered {
	return filtered{p: p, gram: make([]float64, p*p), moment: make([]float64, p)}
}

// filter runs a level that wanders by a variance through a series and through each column, and takes the products of
// what it did not expect. The first known value tells of the level alone.
func (f *filtered) filter(values []float64, wander float64, u *unforeseen) {
	each := f.p - 1
	u.errors = slices.Grow(u.errors[:0], len(values))[:len(values)]
	u.rest = slices.Grow(u.rest[:0], len(values)*each)[:len(values)*each]
	u.level = slices.Grow(u.level[:0], each)[:each]
	own, variance, begun, product := 0.0, 0.0, false, 1.0
	for i, y := range values {
		if begun {
			variance += wander
		}
		if !panel.Known(y) {
			continue
		}
		row := u.rows[i*each : (i+1)*each]
		if !begun {
			own, variance, begun = y, 1, true
			copy(u.level, row)
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
		d := x - u.level[a]
		u.rest[at] = d * scale
		at += each
		u.level[a] += gain * d
	}
	f.n++
}

// multiply takes the products of what was noted.
func (f *filtered) multiply(u *unforeseen) {
	errors, each := u.errors[:f.n], len(u.errors)
	f.yy = floats.Dot(errors, errors)
	for a := range f.p - 1 {
		x := u.rest[a*each : a*each+f.n]
		f.moment[a] = floats.Dot(x, errors)
		for b := range a + 1 {
			f.gram[a*f.p+b] = floats.Dot(x, u.rest[b*each:b*each+f.n])
		}
	}
}

// beside puts the products of the others' season: a filter takes sums of columns as sums of what it makes of each.
func (f *filtered) beside(others []float64) {
	last := f.gram[(f.p-1)*f.p:]
	clear(last)
	f.moment[f.p-1] = 0
	for a, c := range others {
		f.moment[f.p-1] += c * f.moment[a]
		last[f.p-2] += c * f.gram[(f.p-2)*f.p+a]
		for b, e := range others {
			last[a] += e * f.gram[max(a, b)*f.p+min(a, b)]
		}
		last[f.p-1] += c * last[a]
	}
}
