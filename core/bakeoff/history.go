package bakeoff

import (
	"context"
	"math"
	"slices"
	"sync"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/core/split"
)

// history is what the members of a combining contender did, as far as an origin knows: of each
// forecast only the steps whose actuals lie no later count, whatever window they are of.
type history struct {
	e       *Engine
	co      *combiner
	metric  score.Metric
	windows []pastWindow
	beats   []bool // members that beat the baseline over the shard
}

// pastWindow is a window with its members' results, a place each.
type pastWindow struct {
	split.Window
	got []*memberShard
}

// steps is how many of a window's steps are known at an origin.
func (h *history) steps(w *pastWindow, origin int) int {
	return max(0, min(h.e.Plan.Split.Horizon, origin+1-w.AssessFirst()))
}

// tells says whether anything of the members on one of the series is known at an origin.
func (h *history) tells(series []int, origin int) bool {
	for i := range h.windows {
		w := &h.windows[i]
		if h.steps(w, origin) == 0 {
			continue
		}
		for _, got := range w.got {
			if slices.ContainsFunc(series, func(s int) bool { _, ok := got.at[s]; return ok }) {
				return true
			}
		}
	}
	return false
}

// rehearse puts a window before the first one, with the members trained on what lay before it:
// the first choice is then informed too. Series without the history for it are left out.
func (h *history) rehearse(ctx context.Context, w int, shard []int) error {
	e := h.e
	win := e.Windows[w]
	win.Origin -= e.Reach()
	win.AssessLast -= e.Reach()
	history := map[int]bool{}
	for _, s := range e.withHistory(win) {
		history[s] = true
	}
	series := slices.DeleteFunc(slices.Clone(shard), func(s int) bool { return !history[s] })
	if len(series) == 0 || win.Origin < win.TrainFirst {
		return nil
	}
	past := pastWindow{Window: win}
	for _, member := range h.co.members {
		got, err := e.rehearsed(ctx, member, win, series)
		if err != nil {
			return err
		}
		past.got = append(past.got, got)
	}
	h.windows = append(h.windows, past)
	return nil
}

// rehearsals keeps what contenders that learn from all series made of a window before the
// plan's first: every shard asks for it.
type rehearsals struct {
	mu   sync.Mutex
	kept map[rehearsal]*memberShard
}

type rehearsal struct{ member, origin int }

// rehearsed is what a member makes of series in a window before the plan's first.
func (e *Engine) rehearsed(ctx context.Context, member int, win split.Window, series []int) (*memberShard, error) {
	if !e.Lineup.pools(member) {
		return e.trainBefore(ctx, member, win, series)
	}
	e.before.mu.Lock()
	defer e.before.mu.Unlock()
	key := rehearsal{member, win.Origin}
	got := e.before.kept[key]
	if got == nil {
		var err error
		if got, err = e.trainBefore(ctx, member, win, e.withHistory(win)); err != nil {
			return nil, err
		}
		if e.before.kept == nil {
			e.before.kept = map[rehearsal]*memberShard{}
		}
		e.before.kept[key] = got
	}
	return got.part(series, e.Plan.Split.Horizon), nil
}

func (e *Engine) trainBefore(ctx context.Context, member int, win split.Window, series []int) (*memberShard, error) {
	p := newPrediction(series)
	view := e.view(series, win)
	rows, errs, err := e.Lineup.forecast(ctx, member, occasion{view: view, horizon: e.Reach(), stream: "before", workers: e.Lineup.workers(member)})
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil {
		return &memberShard{at: map[int]int{}}, nil // it tells nothing
	}
	for i := range series {
		if errs[i] == nil {
			p.rows[i] = afterGap(rows[i], e.Plan.Split.Gap)
		}
		values, _ := view.Values(i)
		p.scales = append(p.scales, score.MakeScale(values, e.ScaleLag()))
	}
	return &memberShard{res: e.resultIn(win, series, p), at: p.at}, nil
}

// part is a member's result on some of its series alone: a shard's past must not hold on to
// all series of a contender that learns from all.
func (m *memberShard) part(series []int, horizon int) *memberShard {
	if m.res == nil || len(m.at) <= len(series) {
		return m
	}
	size := forecast.RecordSize(m.res.Packed, horizon)
	out := &memberShard{res: &TaskResult{Window: m.res.Window}, at: map[int]int{}}
	for _, s := range series {
		i, ok := m.at[s]
		if !ok {
			continue
		}
		out.at[s] = len(out.res.Series)
		out.res.Packed = append(out.res.Packed, m.res.Packed[i*size:(i+1)*size]...)
		out.res.Series = append(out.res.Series, m.res.Series[i])
		out.res.Errors = append(out.res.Errors, m.res.Errors[i*horizon:(i+1)*horizon]...)
	}
	return out
}

// judge finds the members that beat the baseline on all of a shard's series together.
func (h *history) judge(shard []int, origin int) {
	accs := h.e.newAccs(len(h.co.members))
	for _, s := range shard {
		for m := range accs {
			h.gather(&accs[m], m, s, origin)
		}
	}
	h.beats = make([]bool, len(accs))
	usual := h.value(&accs[h.co.usual])
	for m := range accs {
		h.beats[m] = h.value(&accs[m]) < usual
	}
}

func (h *history) value(acc *score.Acc) float64 {
	v := h.metric.Value(acc)
	if v == v {
		v = h.metric.Order(v)
	}
	return v
}

// gather adds what is known of a member on a series.
func (h *history) gather(acc *score.Acc, m, series, origin int) {
	for i := range h.windows {
		w := &h.windows[i]
		at, ok := w.got[m].at[series]
		switch steps := h.steps(w, origin); {
		case !ok || steps == 0:
		case steps == h.e.Plan.Split.Horizon:
			acc.Merge(&w.got[m].res.Series[at])
		default:
			h.part(acc, w, m, series, steps)
		}
	}
}

// part scores the first steps of a forecast.
func (h *history) part(acc *score.Acc, w *pastWindow, m, series, steps int) {
	rows, err := w.got[m].rows(series, h.e.Plan.Split.Horizon)
	if err != nil || rows.Mean == nil {
		return
	}
	rows.Mean, rows.Quantiles = rows.Mean[:steps], rows.Quantiles[:steps*forecast.GridSize]
	values, _ := h.e.view([]int{series}, w.Window).Values(0)
	one := score.NewAcc(len(h.e.Plan.Levels))
	h.e.scorer().series(&one, h.e.newAccs(steps), nil, rows, &h.e.Panel.Series[series], w.Window, score.MakeScale(values, h.e.ScaleLag()))
	acc.Merge(&one)
}

// pasts are what the members did on some series, as far as an origin knows, each with what all of them
// show together.
func (h *history) pasts(series []int, origin int) []model.Past {
	h.judge(series, origin)
	out := make([]model.Past, len(series))
	for i, s := range series {
		out[i] = h.past(s, origin)
	}
	model.Pool(out)
	return out
}

// past is what a series' members did, as far as an origin knows.
func (h *history) past(series, origin int) model.Past {
	members := len(h.co.members)
	out := model.Past{Usual: h.co.usual, Beats: h.beats}
	for i := range h.windows {
		w := &h.windows[i]
		steps := h.steps(w, origin)
		there := false
		for m := range members {
			_, ok := w.got[m].at[series]
			there = there || ok
		}
		if steps == 0 || !there {
			continue
		}
		if out.Errors == nil {
			out.Errors = make([][]float64, members)
		}
		for m := range members {
			at, ok := w.got[m].at[series]
			for k := range steps {
				e := panel.Unknown
				if ok {
					e = w.got[m].res.Errors[at*h.e.Plan.Split.Horizon+k]
				}
				out.Errors[m] = append(out.Errors[m], e)
			}
		}
		out.Windows += h.share(steps)
		for k := range steps {
			out.Actual = append(out.Actual, h.e.Panel.Series[series].At(w.AssessFirst()+k))
		}
	}
	if out.Errors == nil {
		return out
	}
	for m := range members {
		acc := score.NewAcc(len(h.e.Plan.Levels))
		h.gather(&acc, m, series, origin)
		v := h.value(&acc)
		if acc.N == 0 {
			v = math.NaN()
		}
		out.Scores = append(out.Scores, v)
	}
	return out
}
