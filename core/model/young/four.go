package young

import (
	"math"
	"slices"
	"sync"
)

// left is what an own season leaves of the rest of M and Q, of a wander: by it the likelihoods of all slopes and of a
// share in the others' season, which are but the last two columns, are told without going through the season again.
type left struct {
	yy, logdet    float64
	slope, others column
	cross         float64 // of the slope and the others' season
}

// column is what is left of a column's products with itself and with the series.
type column struct{ gram, moment float64 }

// loglik is how likely the series is under a setting, as solve has it, and the noise.
func (s *seen) loglik(setting int) (loglik, noise float64) {
	x := s.d.list[setting]
	l := &s.left[x.wander][x.season]
	pivot := max(1+x.slope*l.slope.gram, leastPivot)
	q, det := l.yy-x.slope*l.slope.moment*l.slope.moment/pivot, pivot
	if x.shares {
		across := x.slope * l.cross / pivot
		gram, moment := l.others.gram-across*l.cross, l.others.moment-across*l.slope.moment
		share := s.share * s.share
		pivot = max(1+share*gram, leastPivot)
		q, det = q-share*moment*moment/pivot, det*pivot
	}
	return s.by[x.wander].loglik(q, l.logdet+math.Log(det))
}

// four are numbers of as many seasons.
type four struct{ a, b, c, d float64 }

func (x four) times(y four) four { return four{x.a * y.a, x.b * y.b, x.c * y.c, x.d * y.d} }

func (x four) by(f float64) four { return four{x.a * f, x.b * f, x.c * f, x.d * f} }

func (x four) less(y, z four) four {
	return four{x.a - y.a*z.a, x.b - y.b*z.b, x.c - y.c*z.c, x.d - y.d*z.d}
}

func (x four) each() [4]float64 { return [4]float64{x.a, x.b, x.c, x.d} }

func same(x float64) four { return four{x, x, x, x} }

// fours is room for four seasons.
type fours struct {
	lower, right, dev, inverse, slope, others []four
}

var foursRoom = sync.Pool{New: func() any { return &fours{} }}

// reach makes room for some coefficients.
func (w *fours) reach(p int) {
	w.lower = slices.Grow(w.lower[:0], p*p)[:p*p]
	for _, x := range []*[]four{&w.right, &w.dev, &w.inverse, &w.slope, &w.others} {
		*x = slices.Grow((*x)[:0], p)[:p]
	}
}

// goThrough finds what some own seasons leave, for all wanders: four at a time, since each number of one waits for the
// one before it.
func (s *seen) goThrough(seasons int) {
	w := foursRoom.Get().(*fours)
	defer foursRoom.Put(w)
	w.reach(s.d.coefficients())
	for k := range s.by {
		s.left[k] = make([]left, seasons)
		s.left[k][0] = s.by[k].without()
		for from := 1; from < seasons; from += 4 {
			var some [4]int
			for j := range some {
				some[j] = min(from+j, seasons-1)
			}
			l := s.by[k].leave(s.d, some, w)
			copy(s.left[k][from:], l[:])
		}
	}
}

// without is what is left where there is no season.
func (f *filtered) without() left {
	slope, others := (f.p-2)*f.p, (f.p-1)*f.p
	return left{yy: f.yy, slope: column{f.gram[slope+f.p-2], f.moment[f.p-2]}, others: column{f.gram[others+f.p-1], f.moment[f.p-1]},
		cross: f.gram[others+f.p-2]}
}

// leave is what four own seasons leave.
func (f *filtered) leave(d *design, seasons [4]int, w *fours) (out [4]left) {
	p := d.coefficients()
	for a := range p {
		w.dev[a] = four{d.seasons[seasons[0]][a], d.seasons[seasons[1]][a], d.seasons[seasons[2]][a], d.seasons[seasons[3]][a]}
	}
	q, det := same(f.yy), same(1)
	var logdet [4]float64
	for a, u := range w.dev {
		row, gram := w.lower[a*p:a*p+a], f.gram[a*f.p:a*f.p+a+1]
		right := u.by(f.moment[a])
		x := u.times(u).by(gram[a])
		x = four{1 + x.a, 1 + x.b, 1 + x.c, 1 + x.d}
		for b := range row {
			y := u.times(w.dev[b]).by(gram[b])
			for c, z := range w.lower[b*p : b*p+b] {
				y = y.less(row[c], z)
			}
			y = y.times(w.inverse[b])
			row[b] = y
			right = right.less(y, w.right[b])
			x = x.less(y, y)
		}
		x = four{max(x.a, leastPivot), max(x.b, leastPivot), max(x.c, leastPivot), max(x.d, leastPivot)}
		det = det.times(x)
		if max(det.a, det.b, det.c, det.d) > 1e100 {
			for k, v := range det.each() {
				logdet[k] += math.Log(v)
			}
			det = same(1)
		}
		w.inverse[a] = four{1 / math.Sqrt(x.a), 1 / math.Sqrt(x.b), 1 / math.Sqrt(x.c), 1 / math.Sqrt(x.d)}
		w.right[a] = right.times(w.inverse[a])
		q = q.less(w.right[a], w.right[a])
	}
	slope := f.beyond(f.p-2, w, w.slope)
	others := f.beyond(f.p-1, w, w.others)
	cross := same(f.gram[(f.p-1)*f.p+f.p-2])
	for a := range w.slope {
		cross = cross.less(w.slope[a], w.others[a])
	}
	yy, dets, crosses := q.each(), det.each(), cross.each()
	for k := range out {
		out[k] = left{yy: yy[k], logdet: logdet[k] + math.Log(dets[k]), slope: slope[k], others: others[k], cross: crosses[k]}
	}
	return out
}

// beyond is what four seasons leave of a column behind them; solved has what they take of it.
func (f *filtered) beyond(at int, w *fours, solved []four) (out [4]column) {
	p := len(solved)
	gram, moment := same(f.gram[at*f.p+at]), same(f.moment[at])
	for b := range solved {
		y := w.dev[b].by(f.gram[at*f.p+b])
		for c, z := range w.lower[b*p : b*p+b] {
			y = y.less(solved[c], z)
		}
		y = y.times(w.inverse[b])
		solved[b] = y
		gram, moment = gram.less(y, y), moment.less(y, w.right[b])
	}
	grams, moments := gram.each(), moment.each()
	for k := range out {
		out[k] = column{max(0, grams[k]), moments[k]}
	}
	return out
}
