package boost

import (
	"math"
	"math/rand/v2"
	"slices"
)

// Attribute shares what is predicted for a row among the columns: the value of each is what it
// adds, averaged over all orders in which columns can be told. base is what is expected of a row
// of which nothing is told; base and shares add up to the first output before any exponential.
//
// Source: Shapley, A value for n-person games (1953); for trees: Lundberg and others, From local
// explanations to global understanding with explainable AI for trees, Nature Machine Intelligence
// 2 (2020), algorithm 2.
func (m *Model) Attribute(x []float32) (base float64, shares []float64) {
	shares = make([]float64, len(m.Columns))
	outputs := m.Outputs()
	base = m.Start[0]
	x = m.clean(x)
	for k := range m.Trees {
		t := &m.Trees[k]
		base += t.mean(0, outputs)
		a := attributor{t: t, x: x, shares: shares, outputs: outputs}
		a.walk(0, nil, 1, 1, -1)
	}
	return base, shares
}

// mean is what is expected below a node.
func (t *Branches) mean(n int32, outputs int) float64 {
	l, r := t.Left[n], t.Right[n]
	if l == 0 {
		return float64(t.Value[int(n)*outputs])
	}
	cl, cr := float64(t.Cover[l]), float64(t.Cover[r])
	if cl+cr == 0 {
		return 0
	}
	return (cl*t.mean(l, outputs) + cr*t.mean(r, outputs)) / (cl + cr)
}

// element is a column on the path to a node: the share of subsets that flow on where it is not
// told, and where it is, and the weight of subsets of each size.
type element struct {
	column         int
	zero, one, sum float64
}

type attributor struct {
	t       *Branches
	x       []float32
	shares  []float64
	outputs int
}

func (a *attributor) walk(n int32, path []element, zero, one float64, column int) {
	path = extend(slices.Clone(path), zero, one, column)
	t := a.t
	if t.Left[n] == 0 {
		v := float64(t.Value[int(n)*a.outputs])
		for i := 1; i < len(path); i++ {
			a.shares[path[i].column] += unwound(path, i) * (path[i].one - path[i].zero) * v
		}
		return
	}
	hot, cold := t.next(n, a.x), t.Left[n]
	if cold == hot {
		cold = t.Right[n]
	}
	zero, one = 1, 1
	split := int(t.Column[n])
	for i := 1; i < len(path); i++ {
		if path[i].column == split { // met before: it counts once
			zero, one = path[i].zero, path[i].one
			path = unwind(path, i)
			break
		}
	}
	ch, cc := float64(t.Cover[hot]), float64(t.Cover[cold])
	if ch+cc == 0 {
		return
	}
	a.walk(hot, path, zero*ch/(ch+cc), one, split)
	a.walk(cold, path, zero*cc/(ch+cc), 0, split)
}

func extend(path []element, zero, one float64, column int) []element {
	l := len(path)
	first := 0.0
	if l == 0 {
		first = 1
	}
	path = append(path, element{column, zero, one, first})
	for i := l - 1; i >= 0; i-- {
		path[i+1].sum += one * path[i].sum * float64(i+1) / float64(l+1)
		path[i].sum = zero * path[i].sum * float64(l-i) / float64(l+1)
	}
	return path
}

func unwind(path []element, at int) []element {
	l := len(path) - 1
	path = slices.Clone(path)
	one, zero := path[at].one, path[at].zero
	next := path[l].sum
	for i := l - 1; i >= 0; i-- {
		if one != 0 {
			was := path[i].sum
			path[i].sum = next * float64(l+1) / (float64(i+1) * one)
			next = was - path[i].sum*zero*float64(l-i)/float64(l+1)
		} else {
			path[i].sum = path[i].sum * float64(l+1) / (zero * float64(l-i))
		}
	}
	for i := at; i < l; i++ {
		path[i].column, path[i].zero, path[i].one = path[i+1].column, path[i+1].zero, path[i+1].one
	}
	return path[:l]
}

// unwound is the weight of all subsets without an element.
func unwound(path []element, at int) (total float64) {
	l := len(path) - 1
	one, zero := path[at].one, path[at].zero
	next := path[l].sum
	for i := l - 1; i >= 0; i-- {
		if one != 0 {
			w := next * float64(l+1) / (float64(i+1) * one)
			total += w
			next = path[i].sum - w*zero*float64(l-i)/float64(l+1)
		} else {
			total += path[i].sum * float64(l+1) / (zero * float64(l-i))
		}
	}
	return total
}

// Gains is how much of the loss each column's splits have taken away, as shares of the whole.
func (m *Model) Gains() []float64 {
	out := make([]float64, len(m.Columns))
	total := 0.0
	for k := range m.Trees {
		t := &m.Trees[k]
		for n, c := range t.Column {
			if t.Left[n] != 0 {
				out[c] += float64(t.Gain[n])
				total += float64(t.Gain[n])
			}
		}
	}
	for k := range out {
		out[k] /= max(total, 1e-300)
	}
	return out
}

// Worth is by how much the mean loss of rows rises where a column's values change places among
// them: how much the model leans on it (Breiman, Random forests, Machine Learning 45, 2001). It
// is the mean of a number of rounds, and their standard error.
func (m *Model) Worth(d Data, column, rounds int, seed uint64) (mean, err float64) {
	n := d.Table.Rows()
	before := m.Mean(d)
	squares := 0.0
	for r := range rounds {
		perm := rand.New(rand.NewPCG(seed, uint64(r))).Perm(n)
		v := m.mean(d, column, func(i int) int { return perm[i] }) - before
		delta := v - mean
		mean += delta / float64(r+1)
		squares += delta * (v - mean)
	}
	if rounds > 1 {
		err = squares / float64(rounds-1) / float64(rounds)
	}
	return mean, sqrt(err)
}

// Mean is the mean loss of rows.
func (m *Model) Mean(d Data) float64 { return m.mean(d, -1, nil) }

// mean is the mean loss where a column's values have changed places.
func (m *Model) mean(d Data, column int, place func(i int) int) float64 {
	x, out := make([]float32, len(m.Columns)), make([]float64, m.Outputs())
	loss := &m.Loss
	sum, total := 0.0, 0.0
	for i := range d.Table.Rows() {
		d.Table.row(i, x)
		if column >= 0 {
			x[column] = d.Table.Columns[column].Values[place(i)]
		}
		m.raw(x, out)
		w := weight(d.Weights, i)
		sum, total = sum+w*loss.value(float64(d.Target[i]), out), total+w
	}
	return sum / total
}

func sqrt(x float64) float64 { return math.Sqrt(max(x, 0)) }
