package boosting

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"

	"paperkettle/core/boost"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Trained is the forests of the groups.
type Trained struct {
	Series  int
	Bounds  single.Bounds
	Forests []*Forest
	workers int
	view    *panel.View // as last seen; not written
}

// Forest is what forecasts one group: a mix of bases, each with the trees that correct it.
type Forest struct {
	Places   []int  // of its series
	Failed   string // why it could not be trained; empty where it was
	Layout   Layout
	Stems    []*Stem
	Widening single.Widening
	New      *Newcomers        // nil where there are none
	Tried    []model.Candidate // mean absolute errors of held-out rows, in units of the recent size

	at map[int]int // places among Places
}

// Stem is a base and the trees that correct it.
type Stem struct {
	Base      string
	Weight    float64
	Trees     Grove        // none where nothing is corrected
	Spread    *boost.Model // of quantiles; nil where the base's own are taken
	Belief    float64
	Rows      int
	Curve     []float64
	HeldCurve []float64
	Worths    []model.Worth
	Curves    []model.EffectCurve

	base model.Trained
}

func (f *Forest) failure() error {
	if f.Failed == "" {
		return nil
	}
	return errors.New(f.Failed)
}

// moves are what trees add to the base's forecast of a series, a step each.
func (p *Stem) moves(f *Forest, s panel.SeriesView, base []float64) ([]float64, error) {
	out := make([]float64, len(base))
	if p.Trees == nil || !single.Tells(s.Values) { // what never moved is not moved
		return out, nil
	}
	seen, err := f.Layout.lookAt(s, len(base))
	if err != nil {
		return out, err
	}
	return p.movesOf(f, seen, base), nil
}

func (p *Stem) movesOf(f *Forest, seen look, base []float64) []float64 {
	if f.Layout.Way == recursive {
		return f.Layout.newWriter(seen.series, seen.laid).goOn(seen.series.Values, base, p.Belief, p.Trees, nil)
	}
	out := make([]float64, len(base))
	f.direct(seen, base, func(h int, x []float32, unit float64) { out[h] = p.Belief * p.Trees.predict(h+1, x) * unit })
	return out
}

// each gives the columns of every step of a forecast as the trees see them.
func (p *Stem) each(f *Forest, s panel.SeriesView, base []float64, use func(h int, x []float32, unit float64)) error {
	seen, err := f.Layout.lookAt(s, len(base))
	if err != nil {
		return err
	}
	if f.Layout.Way == recursive {
		f.Layout.newWriter(seen.series, seen.laid).goOn(seen.series.Values, base, p.Belief, p.Trees, use)
	} else {
		f.direct(seen, base, use)
	}
	return nil
}

// direct gives the columns of every step as the end of the history knows them.
func (f *Forest) direct(seen look, base []float64, use func(h int, x []float32, unit float64)) {
	w := f.Layout.newWriter(seen.series, seen.laid)
	w.from(seen.series.Values)
	if !panel.Known(w.level) {
		return
	}
	x := make([]float32, f.Layout.width())
	for h, b := range base {
		w.fill(h+1, b, x)
		use(h, x, w.unit)
	}
}

// Forecast corrects the base's.
func (t *Trained) Forecast(ctx context.Context, v panel.View, horizon int) (model.Result, error) {
	out := model.Result{Series: make([]forecast.Rows, t.Series), Err: make([]error, t.Series)}
	for _, f := range t.Forests {
		if f.Failed != "" {
			for _, i := range f.Places {
				out.Err[i] = errors.New(f.Failed)
			}
			continue
		}
		if err := t.forecast(ctx, f, v.Pick(f.Places), horizon, &out); err != nil {
			return out, err
		}
	}
	return out, nil
}

// forecast mixes the corrected forecasts of a group's bases, by the weights of those that have
// one.
func (t *Trained) forecast(ctx context.Context, f *Forest, v panel.View, horizon int, out *model.Result) error {
	total := make([]float64, v.Len())
	failed := make([]error, v.Len())
	for _, p := range f.Stems {
		res, err := p.base.Forecast(ctx, v, horizon)
		if err != nil {
			return err
		}
		err = num.Each(ctx, t.workers, v.Len(), func(j int) {
			if res.Err[j] != nil {
				failed[j] = errors.Join(failed[j], res.Err[j])
				return
			}
			rows := res.Series[j]
			if err := model.Guard(func() error { return p.correct(f, v.Series(j), rows) }); err != nil {
				failed[j] = errors.Join(failed[j], err)
				return
			}
			i := f.Places[j]
			if out.Series[i].Mean == nil {
				out.Series[i] = forecast.NewRows(horizon)
			}
			out.Series[i].Add(rows, p.Weight)
			total[j] += p.Weight
		})
		if err != nil {
			return err
		}
	}
	return num.Each(ctx, t.workers, v.Len(), func(j int) {
		i := f.Places[j]
		if f.New.has(j) {
			out.Err[i] = model.Guard(func() (err error) {
				out.Series[i], err = f.New.forecast(v.Series(j), horizon)
				return err
			})
			t.Bounds.Keep(out.Series[i])
			return
		}
		if total[j] == 0 {
			out.Err[i] = cmp.Or(failed[j], errors.New("no form of the mix could be trained on it"))
			return
		}
		rows := out.Series[i]
		rows.Scale(1 / total[j])
		values, _ := v.Values(j)
		f.Widening.Stretch(rows, single.Trailing(values))
		single.Hold(values, rows)
		t.Bounds.Keep(rows)
		out.Err[i] = rows.Check()
	})
}

// correct moves a base's forecast by what its trees say.
func (p *Stem) correct(f *Forest, s panel.SeriesView, rows forecast.Rows) error {
	if p.Trees == nil && p.Spread == nil || !single.Tells(s.Values) { // what never moved is not moved
		return nil
	}
	seen, err := f.Layout.lookAt(s, len(rows.Mean))
	if err != nil {
		return err
	}
	base := slices.Clone(rows.Mean)
	for h, m := range p.movesOf(f, seen, base) {
		rows.Mean[h] += m
		q := rows.At(h)
		for g := range q {
			q[g] += m
		}
	}
	p.widths(f, seen, base, rows)
	return nil
}

// Paths are those of the bases, each as many as its weight, moved as its forecast is.
func (t *Trained) Paths(ctx context.Context, v panel.View, horizon, count int, each func(i int, paths []float64, err error)) error {
	for _, f := range t.Forests {
		drawn, failed := make([][]float64, len(f.Places)), make([]error, len(f.Places))
		own := v.Pick(f.Places)
		from := 0
		for k, p := range f.Stems {
			to := from + int(float64(count)*p.Weight+0.5)
			if k == len(f.Stems)-1 {
				to = count
			}
			if err := p.paths(ctx, f, own, horizon, to-from, func(j int, paths []float64, err error) {
				drawn[j] = append(drawn[j], paths...)
				failed[j] = errors.Join(failed[j], err)
			}); err != nil {
				return err
			}
			from = to
		}
		for j, i := range f.Places {
			if f.New.has(j) {
				drawn[j], failed[j] = f.New.paths(own.Series(j), horizon, count, j)
			}
			t.Bounds.Clip(drawn[j])
			each(i, drawn[j], errors.Join(f.failure(), failed[j]))
		}
	}
	return nil
}

// stemTies is how far neighbouring steps of futures go together that are drawn from quantiles.
const stemTies = 0.5

func (p *Stem) paths(ctx context.Context, f *Forest, v panel.View, horizon, count int, each func(j int, paths []float64, err error)) error {
	res, err := p.base.Forecast(ctx, v, horizon)
	if err != nil {
		return err
	}
	draw := func(each func(j int, paths []float64, err error)) error {
		for j := range v.Len() {
			each(j, nil, model.ErrNoPaths)
		}
		return nil
	}
	if d, ok := p.base.(model.Pather); ok {
		draw = func(each func(j int, paths []float64, err error)) error {
			return d.Paths(ctx, v, horizon, count, each)
		}
	}
	return draw(func(j int, paths []float64, err error) {
		var moves []float64
		if errors.Is(err, model.ErrNoPaths) && res.Err[j] == nil { // trees move what draws none of its own
			paths, err = res.Series[j].Paths(count, stemTies, rand.New(rand.NewPCG(11, uint64(j)))), nil
		}
		if err = errors.Join(err, res.Err[j]); err == nil {
			moves, err = p.moves(f, v.Series(j), res.Series[j].Mean)
		}
		if err != nil {
			each(j, nil, err)
			return
		}
		for k := range paths {
			paths[k] += moves[k%horizon]
		}
		each(j, paths, nil)
	})
}

// Advance moves the bases on; trees stay.
func (t *Trained) Advance(ctx context.Context, v panel.View) error {
	if v.Len() != t.Series {
		return fmt.Errorf("the model was trained on %d series and is advanced with %d", t.Series, v.Len())
	}
	t.view = &v
	for _, f := range t.Forests {
		for _, p := range f.Stems {
			if err := p.base.Advance(ctx, v.Pick(f.Places)); err != nil {
				return err
			}
		}
	}
	return nil
}

// Use sets how many goroutines a model that was read may use.
func (t *Trained) Use(workers int) {
	t.workers = workers
	for _, f := range t.Forests {
		for _, p := range f.Stems {
			if u, ok := p.base.(interface{ Use(workers int) }); ok {
				u.Use(workers)
			}
		}
	}
}

// Coarse has the bases draw few futures from now on.
func (t *Trained) Coarse() {
	for _, f := range t.Forests {
		for _, p := range f.Stems {
			model.Coarsen(p.base)
		}
	}
}

// find gives the forest of a series, and its place there.
func (t *Trained) find(i int) (*Forest, int) {
	for _, f := range t.Forests {
		if f.at == nil {
			f.at = make(map[int]int, len(f.Places))
			for j, x := range f.Places {
				f.at[x] = j
			}
		}
		if j, ok := f.at[i]; ok {
			return f, j
		}
	}
	return nil, 0
}

// main is the stem with the most weight; nil where none could be trained.
func (f *Forest) main() (best *Stem) {
	for _, p := range f.Stems {
		if best == nil || p.Weight > best.Weight {
			best = p
		}
	}
	return best
}

// Len is the number of series.
func (t *Trained) Len() int { return t.Series }

// written is what the series share: the forests, and what their bases' series share, one after
// another.
type written struct {
	Trained *Trained
	Shared  [][]byte
}

// Shared writes the forests.
func (t *Trained) Shared() ([]byte, error) {
	w := written{Trained: t}
	for _, f := range t.Forests {
		for _, p := range f.Stems {
			b, err := p.base.Shared()
			if err != nil {
				return nil, err
			}
			w.Shared = append(w.Shared, b)
		}
	}
	return model.Encode(w)
}

// Part writes the bases' fits of a series.
func (t *Trained) Part(i int) ([]byte, error) {
	f, j := t.find(i)
	var own model.Pieces
	for _, p := range f.Stems {
		b, err := p.base.Part(j)
		if err != nil {
			return nil, err
		}
		own = append(own, b)
	}
	return model.Encode(own)
}

// read reads what Trained wrote.
func read(p model.Parts) (model.Trained, error) {
	var w written
	if err := model.DecodeShared(p, &w); err != nil {
		return nil, fmt.Errorf("reading boosted trees: %w", err)
	}
	t := w.Trained
	if t == nil || t.Series != p.Len() {
		return nil, errors.New("reading boosted trees: parts are missing")
	}
	for _, f := range t.Forests {
		for k, stem := range f.Stems {
			if len(w.Shared) == 0 {
				return nil, errors.New("reading boosted trees: parts are missing")
			}
			family, err := bases().Find(stem.Base)
			if err != nil {
				return nil, err
			}
			if stem.base, err = family.Read(model.Nested{Of: p, Piece: k, Common: w.Shared[0], Places: f.Places}); err != nil {
				return nil, err
			}
			w.Shared = w.Shared[1:]
		}
	}
	t.workers = 1
	return t, nil
}
