package boost

import (
	"slices"

	"gonum.org/v1/gonum/stat"
)

// Effect is how the prediction moves with one column: at each place the mean over rows, and from which to
// which value the middle 80 % of them lie. Each row counts from its own mean over the places, so that a
// width tells how much the effect depends on the other columns.
type Effect struct{ Mean, Low, High []float64 }

// Effect puts each place into a column of all rows, the others as they are, and predicts: the first output,
// before any exponential. at are values of the column, or codes of a category.
//
// Source: partial dependence, Friedman, Greedy function approximation, Annals of Statistics 29 (2001),
// section 8.2; a curve for each row, Goldstein and others, Peeking inside the black box, Journal of
// Computational and Graphical Statistics 24 (2015).
func (m *Model) Effect(t *Table, column int, at []float32) Effect {
	n := t.Rows()
	curves := make([][]float64, len(at)) // by place, over rows
	for k := range curves {
		curves[k] = make([]float64, n)
	}
	x, out, bins, f := make([]float32, len(m.Columns)), make([]float64, m.Outputs()), make([]uint8, len(m.Columns)), m.quickly()
	for i := range n {
		m.bin(f, t.row(i, x), bins)
		mean := 0.0
		for k, v := range at {
			bins[column] = m.Scales[column].bin(v)
			copy(out, m.Start)
			m.add(f, bins, out)
			curves[k][i] = out[0]
			mean += out[0] / float64(len(at))
		}
		for k := range at {
			curves[k][i] -= mean
		}
	}
	e := Effect{}
	for _, c := range curves {
		e.Mean = append(e.Mean, stat.Mean(c, nil))
		slices.Sort(c)
		e.Low = append(e.Low, stat.Quantile(0.1, stat.LinInterp, c, nil))
		e.High = append(e.High, stat.Quantile(0.9, stat.LinInterp, c, nil))
	}
	return e
}
