package boosting

import (
	"context"
	"fmt"
	"slices"

	"gonum.org/v1/gonum/floats"

	"paperkettle/core/boost"
	"paperkettle/core/model"
	"paperkettle/core/num"
)

// The ways in which trees forecast several steps.
const (
	shared    = "shared"    // the same for all, which see how far a step is
	each      = "each"      // some for every step
	recursive = "recursive" // those of the next step, which go on from what they forecast
)

// Grove is the trees on a base: those of the first step, of the second and so on; the last are for all
// that follow. A step that had too few rows has none.
//
// Source: the ways compared: Ben Taieb and others, Expert Systems with Applications 39 (2012).
type Grove []Tier

// Tier is the trees of one step.
type Tier struct{ Model *boost.Model }

// of gives the trees of a step, counted from 1; nil where it has none.
func (g Grove) of(step int) *boost.Model {
	if len(g) == 0 {
		return nil
	}
	return g[min(step, len(g))-1].Model
}

// predict is what the trees say of a step.
func (g Grove) predict(step int, x []float32) float64 {
	m := g.of(step)
	if m == nil {
		return 0
	}
	var out [1]float64
	m.Predict(x, out[:])
	return out[0]
}

// trees is how many there are.
func (g Grove) trees() (n int) {
	for _, t := range g {
		if t.Model != nil {
			n += len(t.Model.Trees)
		}
	}
	return n
}

// words say how many there are, and for which steps.
func (g Grove) words(way string) string {
	switch {
	case way == recursive:
		return g.count() + ", which go on from the next step"
	case len(g) > 1:
		return fmt.Sprintf("%s of %d steps", g.count(), len(g))
	}
	return g.count()
}

func (g Grove) count() string {
	if n := g.trees(); n != 1 {
		return fmt.Sprintf("%d trees", n)
	}
	return "1 tree"
}

const (
	fewestLearnt = 30 // rows that trees are grown on
	fewestHeld   = 10 // rows that they are stopped by
)

// parts are the rows that each of the models learns from, among those given.
func (r *rows) parts(some []int32) [][]int32 {
	if r.lay.Way == shared {
		return [][]int32{some}
	}
	out := make([][]int32, r.lay.models())
	for _, i := range some {
		if k := int(r.step[i]) - 1; k < len(out) {
			out[k] = append(out[k], i)
		}
	}
	return out
}

// models is how many there are on a base.
func (l *Layout) models() int {
	if l.Way == each {
		return l.Horizon
	}
	return 1
}

// grow grows a grove on the early rows, stopped by the late ones.
func (m Model) grow(ctx context.Context, r *rows, env model.Env) (Grove, error) {
	early, late := r.split()
	train, held := r.parts(early), r.parts(late)
	s := m.settings(r)
	out := make(Grove, len(train))
	for k := range out {
		if len(train[k]) < fewestLearnt || len(held[k]) < fewestHeld {
			continue
		}
		by := r.data(held[k])
		grown, err := boost.Fit(ctx, r.data(train[k]), s, boost.Options{Workers: env.Workers, Held: &by, Report: growing(env, k, len(out))})
		if err != nil {
			return nil, err
		}
		if len(grown.Trees) > 0 {
			out[k].Model = grown
		}
	}
	return out, nil
}

// again grows a grove on all rows, with as many trees as one that was stopped had.
func (m Model) again(ctx context.Context, r *rows, like Grove, env model.Env) (Grove, error) {
	s := m.settings(r)
	s.Patience = 0
	out := make(Grove, len(like))
	for k, rows := range r.parts(r.places()) {
		if like[k].Model == nil {
			continue
		}
		s.Trees = len(like[k].Model.Trees)
		var err error
		if out[k].Model, err = boost.Fit(ctx, r.data(rows), s, boost.Options{Workers: env.Workers, Report: growing(env, k, len(out))}); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func growing(env model.Env, k, of int) func(done, trees int) {
	return func(done, trees int) {
		env.Tell((float64(k)+float64(done)/float64(trees))/float64(of), fmt.Sprintf("growing trees, %d of %d", done, trees))
	}
}

// start is an origin of a series from which trees go on, with the base's forecasts from there.
type start struct {
	series, origin int
	first          int // of its rows
	steps          int // that are rows
	base           []float64
}

// says gives shares of what a grove says of rows, in units. Where a step rests on what was said of the one before, each
// share is gone through by itself; else all are parts of the whole.
func (a *attempt) says(ctx context.Context, workers int, some []int32) (func(share float64) []float64, error) {
	r := a.rows
	if r.lay.Way == recursive {
		wanted := make([]bool, r.count())
		for _, i := range some {
			wanted[i] = true
		}
		return func(share float64) []float64 {
			out := make([]float64, r.count())
			for k := range r.starts {
				if share > 0 {
					a.onward(&r.starts[k], share, wanted, out)
				}
			}
			return out
		}, nil
	}
	whole := make([]float64, r.count())
	var err error
	if a.trees.trees() > 0 {
		err = num.Each(ctx, workers, (len(some)+rowsSaid-1)/rowsSaid, func(k int) {
			x := make([]float32, len(r.columns))
			for _, i := range some[k*rowsSaid : min((k+1)*rowsSaid, len(some))] {
				r.row(i, x)
				whole[i] = a.trees.predict(int(r.step[i]), x)
			}
		})
	}
	return func(share float64) []float64 {
		out := slices.Clone(whole)
		floats.Scale(share, out)
		return out
	}, err
}

// rowsSaid is how many rows a worker takes at a time.
const rowsSaid = 1024

// onward goes on from an origin for those of its rows that are wanted.
func (a *attempt) onward(s *start, share float64, wanted []bool, out []float64) {
	last := -1
	for k := range s.steps {
		if wanted[s.first+k] {
			last = k
		}
	}
	if last < 0 {
		return
	}
	r := a.rows
	from := r.sources[s.series]
	n := s.origin - from.series.First + 1
	w := r.lay.newWriter(from.series, from.laid)
	rows := s.first
	moves := w.goOn(from.series.Values[:n], s.base[:r.step[s.first+last]], share, a.trees, nil)
	for ; rows <= s.first+last; rows++ {
		out[rows] = moves[r.step[rows]-1] / float64(r.unit[rows])
	}
}

// goOn forecasts one step after another, each from those before, and gives what is added to the base's;
// use, if there is one, sees the columns of every step. What the base says of a step stays: were it
// told its own forecasts, it would say the same.
func (w *writer) goOn(past, base []float64, share float64, trees Grove, use func(h int, x []float32, unit float64)) []float64 {
	path := append(make([]float64, 0, len(past)+len(base)), past...)
	x := make([]float32, w.lay.width())
	out := make([]float64, len(base))
	for h, b := range base {
		if w.from(path); !(w.level == w.level) {
			break
		}
		w.fill(1, b, x)
		if use != nil {
			use(h, x, w.unit)
		}
		out[h] = share * trees.predict(1, x) * w.unit
		path = append(path, b+out[h])
	}
	return out
}
