package young

import (
	"math"
	"slices"
	"sync"
)

// four are numbers of as many settings.
type four struct{ a, b, c, d float64 }

func (x four) times(y four) four { return four{x.a * y.a, x.b * y.b, x.c * y.c, x.d * y.d} }

func (x four) by(f float64) four { return four{x.a * f, x.b * f, x.c * f, x.d * f} }

func (x four) less(y, z four) four {
	return four{x.a - y.a*z.a, x.b - y.b*z.b, x.c - y.c*z.c, x.d - y.d*z.d}
}

func (x four) each() [4]float64 { return [4]float64{x.a, x.b, x.c, x.d} }

// fours is room for the likelihoods of four settings.
type fours struct {
	lower, right, dev, inverse []four
}

var foursRoom = sync.Pool{New: func() any { return &fours{} }}

// reach makes room for some columns.
func (w *fours) reach(p int) {
	w.lower = slices.Grow(w.lower[:0], p*p)[:p*p]
	for _, x := range []*[]four{&w.right, &w.dev, &w.inverse} {
		*x = slices.Grow((*x)[:0], p)[:p]
	}
}

// logliks puts how likely the series is under each of some settings of one wander, with which it was filtered, as loglik
// does, and their noise: four at a time, since each number of one waits for the one before it.
func (s *seen) logliks(settings []int, loglik, noise []float64) {
	for from := 0; from < len(settings); from += 4 {
		var some [4]int
		n := copy(some[:], settings[from:])
		for k := n; k < len(some); k++ {
			some[k] = some[0]
		}
		l, v := s.loglikFour(some)
		copy(loglik[from:], l[:n])
		copy(noise[from:], v[:n])
	}
}

// loglikFour is loglik of four settings.
func (s *seen) loglikFour(settings [4]int) (loglik, noise [4]float64) {
	f, w, p := &s.filtered, foursRoom.Get().(*fours), s.p
	defer foursRoom.Put(w)
	w.reach(p)
	s.deviationsFour(settings, w.dev)
	q, det := four{f.yy, f.yy, f.yy, f.yy}, four{1, 1, 1, 1}
	var logdet [4]float64
	for a, u := range w.dev {
		row, gram := w.lower[a*p:a*p+a], f.gram[a*p:a*p+a+1]
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
		x = four{max(x.a, 1e-12), max(x.b, 1e-12), max(x.c, 1e-12), max(x.d, 1e-12)}
		det = det.times(x)
		if max(det.a, det.b, det.c, det.d) > 1e100 {
			for k, v := range det.each() {
				logdet[k] += math.Log(v)
			}
			det = four{1, 1, 1, 1}
		}
		w.inverse[a] = four{1 / math.Sqrt(x.a), 1 / math.Sqrt(x.b), 1 / math.Sqrt(x.c), 1 / math.Sqrt(x.d)}
		right = right.times(w.inverse[a])
		w.right[a] = right
		q = q.less(right, right)
	}
	dets := det.each()
	for k, v := range q.each() {
		v = max(v, tiny*f.yy)
		loglik[k] = -0.5 * (float64(f.n)*math.Log(v) + f.logs + logdet[k] + math.Log(dets[k]))
		noise[k] = v / float64(f.n)
	}
	return loglik, noise
}

// deviationsFour are those of the coefficients under four settings.
func (s *seen) deviationsFour(settings [4]int, out []four) {
	d := s.d.dev
	for a := range out {
		out[a] = four{d[settings[0]][a], d[settings[1]][a], d[settings[2]][a], d[settings[3]][a]}
	}
	if s.d.list[settings[0]].shares {
		out[s.p-1] = four{s.share, s.share, s.share, s.share}
	}
}
