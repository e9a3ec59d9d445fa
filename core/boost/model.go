package boost

import (
	"bytes"
	"context"
	"encoding/gob"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"paperkettle/core/num"
)

// Model is a fitted ensemble.
type Model struct {
	Loss    Loss       `json:"loss"`
	Columns []string   `json:"columns"`
	Scales  []Scale    `json:"scales"`
	Start   []float64  `json:"start"`
	Trees   []Branches `json:"trees"`
	// Curve is the mean loss of the training rows after each tree, and Held that of the held-out
	// ones, where there are any.
	Curve []float64 `json:"curve,omitempty"`
	Held  []float64 `json:"held,omitempty"`

	quick *forest // of Trees
}

// Options of a fit besides its settings.
type Options struct {
	Workers int
	Held    *Data  // rows to stop by
	From    *Model // to go on from: on the same columns
	// Report is told after each tree how many of them there are.
	Report func(done, of int)
}

// Fit grows a model. Between trees it looks whether it is wanted no more.
func Fit(ctx context.Context, d Data, s Settings, o Options) (*Model, error) {
	s = s.Usual()
	if err := errors.Join(s.check(len(d.Table.Columns)), d.check(s.Loss)); err != nil {
		return nil, err
	}
	if d.Table.Rows() > mostRows {
		return nil, fmt.Errorf("boost: %d rows are more than the %d that can be counted: take a sample", d.Table.Rows(), mostRows)
	}
	m, err := begin(d, s, o.From)
	if err != nil {
		return nil, err
	}
	b, err := lay(ctx, d.Table, s.Bins, m.Scales, max(1, o.Workers))
	if err != nil {
		return nil, err
	}
	m.Scales = b.scales
	g := newGrower(s, d, b, max(1, o.Workers))
	if err := g.begin(ctx, m); err != nil {
		return nil, err
	}
	held, err := newHeld(ctx, m, o.Held, g.workers)
	if err != nil {
		return nil, err
	}
	grown := len(m.Trees)
	for k := range s.Trees {
		t, err := g.tree(ctx, rand.NewPCG(s.Seed, uint64(grown+k)), (grown+k)%g.outputs)
		if err != nil {
			return nil, err
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		loss, err := g.loss(ctx)
		if err != nil {
			return nil, err
		}
		m.Trees, m.Curve = append(m.Trees, *t), append(m.Curve, loss)
		if held != nil {
			enough, err := held.stop(ctx, m, t, g.way(t), s.Patience)
			if err != nil {
				return nil, err
			}
			if enough {
				break
			}
		}
		if o.Report != nil {
			o.Report(k+1, s.Trees)
		}
		if len(t.Column) == 1 && g.outputs == 1 && s.RowShare >= 1 && s.ColumnShare >= 1 {
			break // nothing is left to split: the next tree would be no other
		}
	}
	if held != nil {
		m.Trees, m.Curve, m.Held = m.Trees[:held.best], m.Curve[:held.best], held.curve[:held.best]
	}
	m.quick, err = newForest(m)
	return m, err
}

// begin is a model without trees, or a copy of the one to go on from.
func begin(d Data, s Settings, from *Model) (*Model, error) {
	if from == nil {
		m := &Model{Loss: s.Loss, Start: s.Loss.start(d)}
		for k := range d.Table.Columns {
			m.Columns = append(m.Columns, d.Table.Columns[k].Name)
		}
		return m, nil
	}
	if len(from.Columns) != len(d.Table.Columns) || from.Loss.Kind != s.Loss.Kind {
		return nil, errors.New("boost: a model goes on with the columns and the loss that it has")
	}
	m := *from
	m.Trees, m.Curve, m.Held = slices.Clone(from.Trees), slices.Clone(from.Curve), slices.Clone(from.Held)
	return &m, nil
}

// begin puts the predictions of what there is already in place.
func (g *grower) begin(ctx context.Context, m *Model) error {
	return g.eachStripe(ctx, g.b.rows, func(from, to int) {
		x := make([]float32, g.b.columns)
		for i := from; i < to; i++ {
			if len(m.Trees) > 0 {
				for k := range x {
					x[k] = g.d.Table.Columns[k].Values[i]
				}
			}
			m.raw(x, g.f[i*g.outputs:(i+1)*g.outputs])
		}
	})
}

// loss is the mean loss of the training rows, or of some where they are many.
func (g *grower) loss(ctx context.Context) (float64, error) {
	return meanLoss(ctx, g.workers, &g.s.Loss, g.d, g.f, 1+g.b.rows/50_000)
}

// meanLoss is that of every few rows, summed stripe by stripe, so that it does not depend on how the work is cut.
func meanLoss(ctx context.Context, workers int, l *Loss, d Data, f []float64, step int) (float64, error) {
	n, outputs := (len(d.Target)+step-1)/step, l.outputs()
	sums := make([][2]float64, (n+stripe-1)/stripe)
	err := num.Each(ctx, workers, len(sums), func(k int) {
		var sum [2]float64
		for j := k * stripe; j < min((k+1)*stripe, n); j++ {
			i := j * step
			w := weight(d.Weights, i)
			sum[0] += w * l.value(float64(d.Target[i]), f[i*outputs:(i+1)*outputs])
			sum[1] += w
		}
		sums[k] = sum
	})
	sum, total := 0.0, 0.0
	for _, s := range sums {
		sum, total = sum+s[0], total+s[1]
	}
	return sum / total, err
}

// held is the rows that tell when to stop.
type held struct {
	d       Data
	b       *binned
	workers int
	f       []float64
	outputs int
	curve   []float64
	best    int // trees
	least   float64
}

func newHeld(ctx context.Context, m *Model, d *Data, workers int) (*held, error) {
	if d == nil || d.Table.Rows() == 0 {
		return nil, nil
	}
	if err := d.check(m.Loss); err != nil {
		return nil, err
	}
	b, err := lay(ctx, d.Table, 0, m.Scales, workers)
	if err != nil {
		return nil, err
	}
	h := &held{d: *d, b: b, workers: workers, outputs: m.Loss.outputs(), least: math.Inf(1), best: len(m.Trees), curve: slices.Clone(m.Held)}
	h.f = make([]float64, d.Table.Rows()*h.outputs)
	x := make([]float32, len(m.Columns))
	for i := range d.Table.Rows() {
		m.raw(d.Table.row(i, x), h.f[i*h.outputs:(i+1)*h.outputs])
	}
	if h.least, err = h.mean(ctx, m); err != nil {
		return nil, err
	}
	for len(h.curve) < len(m.Trees) { // of trees that were grown without
		h.curve = append(h.curve, h.least)
	}
	return h, nil
}

func (t *Table) row(i int, x []float32) []float32 {
	for k := range x {
		x[k] = t.Columns[k].Values[i]
	}
	return x
}

func (h *held) mean(ctx context.Context, m *Model) (float64, error) {
	return meanLoss(ctx, h.workers, &m.Loss, h.d, h.f, 1)
}

// stop takes a tree in, with its splits, and says whether none has been better for long.
func (h *held) stop(ctx context.Context, m *Model, t *Branches, way *steps, patience int) (bool, error) {
	n := h.d.Table.Rows()
	err := num.Each(ctx, h.workers, (n+heldStripe-1)/heldStripe, func(s int) {
		for i := s * heldStripe; i < min((s+1)*heldStripe, n); i++ {
			v := t.Value[int(way.leafOf(h.b, i, way.places[0]))*h.outputs:]
			for k := range h.outputs {
				h.f[i*h.outputs+k] += float64(v[k])
			}
		}
	})
	if err != nil {
		return true, err
	}
	loss, err := h.mean(ctx, m)
	if err != nil {
		return true, err
	}
	h.curve = append(h.curve, loss)
	if loss < h.least {
		h.least, h.best = loss, len(m.Trees)
	}
	return patience > 0 && len(m.Trees)-h.best >= patience, nil
}

// heldStripe is how many held-out rows a worker takes at a time.
const heldStripe = 2048

// clean takes codes of categories that were never seen for unknown.
func (m *Model) clean(x []float32) []float32 {
	copied := false
	for k := range m.Scales {
		if c := m.Scales[k].Categories; c > 0 && x[k] == x[k] && (x[k] < 0 || int(x[k]) >= min(c, unknownBin)) {
			if !copied {
				x, copied = slices.Clone(x), true
			}
			x[k] = float32(math.NaN())
		}
	}
	return x
}

// Outputs is how many numbers Predict gives.
func (m *Model) Outputs() int { return m.Loss.outputs() }

// Predict puts what is expected of a row into out: the mean, or quantiles in rising order
// (Chernozhukov, Fernandez-Val and Galichon, Econometrica 78, 2010). x has a number for each
// column, NaN where it is unknown.
func (m *Model) Predict(x []float32, out []float64) {
	m.raw(x, out)
	switch {
	case m.Loss.counts():
		out[0] = math.Exp(max(-farthest, min(out[0], farthest)))
	case m.Loss.Kind == Quantiles:
		slices.Sort(out)
	}
}

// MarshalBinary writes the model.
func (m *Model) MarshalBinary() ([]byte, error) {
	type plain Model
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode((*plain)(m))
	return b.Bytes(), err
}

// UnmarshalBinary reads what MarshalBinary wrote, and refuses what is no model.
func (m *Model) UnmarshalBinary(b []byte) error {
	type plain Model
	if err := gob.NewDecoder(bytes.NewReader(b)).Decode((*plain)(m)); err != nil {
		return fmt.Errorf("boost: reading a model: %w", err)
	}
	return m.Check()
}

// Read reads a model from JSON, and refuses what is no model.
func Read(b []byte) (*Model, error) {
	m := &Model{}
	if err := json.Unmarshal(b, m); err != nil {
		return nil, fmt.Errorf("boost: reading a model: %w", err)
	}
	return m, m.Check()
}

// Check says what is wrong with a model that was read: every path must end in a leaf.
func (m *Model) Check() error {
	bad := func(format string, args ...any) error {
		return fmt.Errorf("boost: the model is damaged: "+format, args...)
	}
	if err := m.Loss.check(); err != nil {
		return err
	}
	if len(m.Start) != m.Loss.outputs() || len(m.Scales) != len(m.Columns) {
		return bad("it starts from %d numbers and has scales for %d of %d columns", len(m.Start), len(m.Scales), len(m.Columns))
	}
	for k := range m.Trees {
		t := &m.Trees[k]
		n := len(t.Column)
		for _, size := range []int{len(t.Cut), len(t.Set), len(t.Unknown), len(t.Left), len(t.Right), len(t.Cover), len(t.Gain),
			len(t.Value) / len(m.Start)} {
			if size != n || n == 0 {
				return bad("the parts of tree %d are of different lengths", k)
			}
		}
		for i := range n {
			if t.Left[i] == 0 && t.Right[i] == 0 {
				continue
			}
			if int(t.Left[i]) <= i || int(t.Right[i]) <= i || int(t.Left[i]) >= n || int(t.Right[i]) >= n || int(t.Column[i]) >= len(m.Columns) ||
				t.Column[i] < 0 || int(t.Set[i]) > len(t.Sets) {
				return bad("node %d of tree %d leads nowhere", i, k)
			}
		}
	}
	quick, err := newForest(m)
	if err != nil {
		return bad("%w", err)
	}
	m.quick = quick
	return nil
}
