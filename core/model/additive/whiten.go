package additive

import (
	"slices"

	"paperkettle/core/panel"
)

// Whiten filters columns.
func (w *Wander) Whiten(columns [][]float64) ([][]float64, bool) {
	return w.whiten(columns, new([]float64)), true
}

// level is what a column's filter remembers.
type level struct{ at, slope float64 }

// whiten filters columns into room, which is made larger where it is too small.
func (w *Wander) whiten(columns [][]float64, into *[]float64) [][]float64 {
	n, told := len(columns[0]), columns[0]
	room := slices.Grow((*into)[:0], n*len(columns))[:n*len(columns)]
	clear(room)
	*into = room
	out, levels := make([][]float64, len(columns)), make([]level, len(columns))
	for k := range columns {
		out[k] = room[k*n : (k+1)*n : (k+1)*n]
	}
	from := 0
	for _, jump := range slices.Compact(slices.Sorted(slices.Values(w.Jumps))) {
		if jump >= n {
			break
		}
		w.filter(columns, out, levels, from, jump)
		for k, c := range columns {
			levels[k].slope *= w.Phi
			levels[k].at += levels[k].slope
			if panel.Known(told[jump]) {
				levels[k].at = c[jump]
			}
		}
		from = jump + 1
	}
	w.filter(columns, out, levels, from, n)
	return out
}

// filter goes over from..to-1, between moves of the level: four columns at a time, since each waits for its own last
// error.
func (w *Wander) filter(columns, out [][]float64, levels []level, from, to int) {
	known := columns[0][:to]
	k := 0
	for ; k+4 <= len(columns); k += 4 {
		w.four((*[4][]float64)(columns[k:]), (*[4][]float64)(out[k:]), (*[4]level)(levels[k:]), known, from)
	}
	for ; k < len(columns); k++ {
		levels[k] = w.one(columns[k], out[k], levels[k], known, from)
	}
}

// one filters a column, given where its filter stands.
func (w *Wander) one(column, out []float64, x level, known []float64, from int) level {
	alpha, beta, phi := w.Alpha, w.Beta, w.Phi
	column, out = column[:len(known)], out[:len(known)]
	for i := from; i < len(known); i++ {
		x.slope *= phi
		x.at += x.slope
		if y := known[i]; y != y { // unknown
			continue
		}
		e := column[i] - x.at
		out[i] = e
		x.at += alpha * e
		x.slope += beta * e
	}
	return x
}

// four does the same to four, each as one would.
func (w *Wander) four(columns, out *[4][]float64, x *[4]level, known []float64, from int) {
	alpha, beta, phi, n := w.Alpha, w.Beta, w.Phi, len(known)
	c0, c1, c2, c3 := columns[0][:n], columns[1][:n], columns[2][:n], columns[3][:n]
	o0, o1, o2, o3 := out[0][:n], out[1][:n], out[2][:n], out[3][:n]
	x0, x1, x2, x3 := x[0], x[1], x[2], x[3]
	for i := from; i < n; i++ {
		x0.slope, x1.slope, x2.slope, x3.slope = x0.slope*phi, x1.slope*phi, x2.slope*phi, x3.slope*phi
		x0.at, x1.at, x2.at, x3.at = x0.at+x0.slope, x1.at+x1.slope, x2.at+x2.slope, x3.at+x3.slope
		if y := known[i]; y != y { // unknown
			continue
		}
		e0, e1, e2, e3 := c0[i]-x0.at, c1[i]-x1.at, c2[i]-x2.at, c3[i]-x3.at
		o0[i], o1[i], o2[i], o3[i] = e0, e1, e2, e3
		x0.at, x1.at, x2.at, x3.at = x0.at+alpha*e0, x1.at+alpha*e1, x2.at+alpha*e2, x3.at+alpha*e3
		x0.slope, x1.slope, x2.slope, x3.slope = x0.slope+beta*e0, x1.slope+beta*e1, x2.slope+beta*e2, x3.slope+beta*e3
	}
	x[0], x[1], x[2], x[3] = x0, x1, x2, x3
}
