package neural

import (
	"context"
	"errors"
	"fmt"
	"math"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/num/tensor"
	"paperkettle/core/panel"
)

// Trained is the networks of the groups.
type Trained struct {
	Series  int
	Bounds  single.Bounds
	Groups  []*Group
	workers int
	view    *panel.View // as last seen; not written
}

// Group is what forecasts the series of one group.
type Group struct {
	Places   []int
	Name     string // the value that its series share; empty for all
	To       int64  // the last period that it learnt from
	Since    string // what it went on from, in words; empty where it started anew
	Failed   string // why it could not be trained; empty where it was
	Layout   Layout
	Shape    Shape
	Weights  [][]float32 // of the members
	Early    [][]float32 // of the members before they learnt the last periods too
	Likely   []likely    // the distributions that were tried, the likeliest first
	Widening single.Widening
	Ties     float64 // correlation of the normal scores of neighbouring steps' errors
	Windows  int
	// Untaught says that there was too little to learn from: the networks are as they start.
	Untaught bool
	// Unexplained says that there was no time to explain drivers and events first.
	Unexplained bool
	Hurried     bool      // the time that was given was up before the training was done
	Steps       []int     // at which each member did best
	Losses      []float64 // of held-out windows
	Curves      [][]float64
	Helds       [][]float64
	Worths      []model.Worth
	Kernels     string // that computed it
	Every       int    // batches from a look at held-out windows to the next

	networks []*Network
	outside  model.Trained
	at       map[int]int // places among Places
}

// Forecast has the networks forecast every series from its last value.
func (t *Trained) Forecast(ctx context.Context, v panel.View, horizon int) (model.Result, error) {
	out := model.Result{Series: make([]forecast.Rows, t.Series), Err: make([]error, t.Series)}
	for _, g := range t.Groups {
		rows, errs, err := g.forecast(ctx, v.Pick(g.Places), horizon, t.workers, t.Bounds)
		if err != nil {
			return out, err
		}
		for j, i := range g.Places {
			out.Series[i], out.Err[i] = rows[j], errs[j]
		}
	}
	return out, nil
}

// forecastBlock is how many series are forecast in one go, and mostQuiet over how many unknown
// values at the end a forecast goes on.
const (
	forecastBlock = 16
	mostQuiet     = 200
)

func (g *Group) forecast(ctx context.Context, v panel.View, horizon, workers int, bounds single.Bounds) ([]forecast.Rows, []error, error) {
	rows, errs := make([]forecast.Rows, v.Len()), make([]error, v.Len())
	if g.Failed != "" {
		for j := range errs {
			errs[j] = errors.New(g.Failed)
		}
		return rows, errs, nil
	}
	list, errs, err := g.Layout.sequences(ctx, v, horizon, workers, g.outside)
	if err != nil {
		return nil, nil, err
	}
	var some []window
	for j, q := range list {
		switch {
		case errs[j] != nil:
		case panel.CountKnown(q.seen.Values) == 0:
			errs[j] = errors.New("no value is known in the training part")
		case !single.Tells(q.seen.Values):
			state, _, err := single.Start(ctx, nil, single.InputOf(q.seen, horizon, nil))
			if err != nil {
				errs[j] = err
				continue
			}
			rows[j] = forecast.NewRows(horizon)
			errs[j] = state.Forecast(q.seen, rows[j])
		default:
			if _, ok := g.Layout.at(q, len(q.z)); !ok {
				errs[j] = fmt.Errorf("nothing is known of the last %s", v.Cadence().Noun(8*g.Layout.reach(q.season)))
				continue
			}
			// Over unknown values at the end the forecast goes on from the last known one.
			quiet := single.Trailing(q.z)
			if quiet > mostQuiet {
				quiet = 0
			}
			some = append(some, window{int32(j), int32(len(q.z) - quiet)})
		}
	}
	blocks := (len(some) + forecastBlock - 1) / forecastBlock
	err = num.EachWith(ctx, workers, blocks, func() []*tape { return make([]*tape, len(g.networks)) }, func(tapes []*tape, b int) {
		part := some[b*forecastBlock : min(len(some), (b+1)*forecastBlock)]
		reach := horizon
		for _, w := range part {
			reach = max(reach, len(list[w.series].z)-int(w.n)+horizon)
		}
		var quantiles []tensor.Matrix[float64]
		if err := model.Guard(func() error { quantiles = g.run(tapes, list, part, reach); return nil }); err != nil {
			for _, w := range part {
				errs[w.series] = err
			}
			return
		}
		for r, w := range part {
			j := int(w.series)
			errs[j] = model.Guard(func() error {
				rows[j] = forecast.NewRows(horizon)
				g.read(list[j], quantiles, r*reach+len(list[j].z)-int(w.n), rows[j])
				values := list[j].seen.Values
				g.Widening.Stretch(rows[j], single.Trailing(values))
				single.Hold(values, rows[j])
				bounds.Keep(rows[j])
				return rows[j].Check()
			})
		}
	})
	return rows, errs, err
}

// run gives the members' quantiles of some windows.
func (g *Group) run(tapes []*tape, list []*sequence, part []window, horizon int) (out []tensor.Matrix[float64]) {
	for k, n := range g.networks {
		task := &task{lay: &g.Layout, list: list, net: n}
		out = append(out, task.roll(tapeOf(tapes, k, n), part, horizon))
	}
	return out
}

// read turns the members' quantiles, from a row on, into a forecast: their mean, wider by as
// much as they disagree, with drivers and events put back.
//
// Source: the variance within and between members: Lakshminarayanan, Pritzel and Blundell, NeurIPS
// 2017; averaged quantiles: Lichtendahl, Grushka-Cockayne and Winkler, Management Science 59 (2013).
func (g *Group) read(q *sequence, members []tensor.Matrix[float64], first int, rows forecast.Rows) {
	horizon := len(rows.Mean)
	row, count := make([]float64, len(outlook.Probs)), float64(len(members))
	for h := range horizon {
		clear(row)
		squares := 0.0
		for _, m := range members {
			for j, x := range m.Row(first + h) {
				row[j] += x / count
			}
		}
		for _, m := range members {
			d := m.Row(first + h)[outlook.Middle] - row[outlook.Middle]
			squares += d * d / count
		}
		between, within := squares, (row[6]-row[2])/2.563
		wider := math.Sqrt(1 + between/max(within*within, 1e-300))
		median := row[outlook.Middle]
		for j := range row {
			row[j] = median + (row[j]-median)*min(wider, 3)
		}
		out := rows.At(h)
		rows.Mean[h] = outlook.OnGrid(row, out, forecast.Grid[:])
		outlook.PutBack(rows, h, len(q.z), q.outside)
	}
}

// Paths draws futures whose steps go together as errors did, by a chain of normal scores.
func (t *Trained) Paths(ctx context.Context, v panel.View, horizon, count int, each func(i int, paths []float64, err error)) error {
	res, err := t.Forecast(ctx, v, horizon)
	if err != nil {
		return err
	}
	for _, g := range t.Groups {
		own := v.Pick(g.Places)
		for j, i := range g.Places {
			if res.Err[i] != nil {
				each(i, nil, res.Err[i])
				continue
			}
			outside, err := outlook.OutsideOf(g.outside, own, j, horizon)
			if err != nil {
				each(i, nil, err)
				continue
			}
			paths := outlook.Futures(res.Series[i], v.Series(i).Key, horizon, count, g.Ties, outside)
			t.Bounds.Clip(paths)
			each(i, paths, nil)
		}
	}
	return nil
}

// Advance moves on: the networks stay.
func (t *Trained) Advance(ctx context.Context, v panel.View) error {
	if v.Len() != t.Series {
		return fmt.Errorf("the model was trained on %d series and is advanced with %d", t.Series, v.Len())
	}
	t.view = &v
	for _, g := range t.Groups {
		if g.outside != nil {
			if err := g.outside.Advance(ctx, v.Pick(g.Places)); err != nil {
				return err
			}
		}
	}
	return nil
}

// Use sets how many goroutines a model that was read may use.
func (t *Trained) Use(workers int) { t.workers = max(1, workers) }

// find gives the group of a series, and its place there.
func (t *Trained) find(i int) (*Group, int) {
	for _, g := range t.Groups {
		if g.at == nil {
			g.at = make(map[int]int, len(g.Places))
			for j, x := range g.Places {
				g.at[x] = j
			}
		}
		if j, ok := g.at[i]; ok {
			return g, j
		}
	}
	return nil, 0
}

// Len is the number of series.
func (t *Trained) Len() int { return t.Series }

// written is what the series share.
type written struct {
	Trained *Trained
	Shared  [][]byte // of what explains drivers and events, by group
}

// Shared writes the networks.
func (t *Trained) Shared() ([]byte, error) {
	w := written{Trained: t}
	for _, g := range t.Groups {
		var b []byte
		if g.outside != nil {
			var err error
			if b, err = g.outside.Shared(); err != nil {
				return nil, err
			}
		}
		w.Shared = append(w.Shared, b)
	}
	return model.Encode(w)
}

// Part writes what explains a series' drivers and events.
func (t *Trained) Part(i int) ([]byte, error) {
	g, j := t.find(i)
	own := model.Pieces{nil}
	if g.outside != nil {
		var err error
		if own[0], err = g.outside.Part(j); err != nil {
			return nil, err
		}
	}
	return model.Encode(own)
}

// read reads what Trained wrote.
func read(p model.Parts) (model.Trained, error) {
	var w written
	if err := model.DecodeShared(p, &w); err != nil {
		return nil, fmt.Errorf("reading a network: %w", err)
	}
	t := w.Trained
	if t == nil || t.Series != p.Len() || len(w.Shared) != len(t.Groups) {
		return nil, errors.New("reading a network: parts are missing")
	}
	for k, g := range t.Groups {
		g.networks = nil
		for _, values := range g.Weights {
			n := newNetwork(g.Shape, nil)
			if err := n.weights.Set(values); err != nil {
				return nil, fmt.Errorf("reading a network: %w", err)
			}
			g.networks = append(g.networks, n)
		}
		if w.Shared[k] != nil {
			var err error
			if g.outside, err = outlook.Explained(model.Nested{Of: p, Piece: 0, Common: w.Shared[k], Places: g.Places}); err != nil {
				return nil, err
			}
		}
	}
	t.workers = 1
	return t, nil
}
