package bakeoff

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/core/split"
)

// Stored gives the result of a task in one window, as it was kept: Packed, Series and
// Errors are all that is read of it.
type Stored func(Task) (*TaskResult, error)

// Run does one task and gives its result in each window that it serves. What it gives
// depends on the engine and the task alone; stored, which only combining tasks ask,
// must hold the results of their members.
func (e *Engine) Run(ctx context.Context, t Task, stored Stored) ([]*TaskResult, error) {
	if e.Combines(t) {
		return e.combine(ctx, t, stored)
	}
	g := &group{e: e, t: t}
	var out []*TaskResult
	for _, w := range e.taskWindows(t) {
		res, err := g.window(ctx, w)
		if err != nil {
			return nil, err
		}
		out = append(out, res)
	}
	return out, nil
}

// Reach is how many steps ahead a model must see.
func (e *Engine) Reach() int { return e.Plan.Split.Gap + e.Plan.Split.Horizon }

// group is a task at work: models trained at its first window, or where a series first
// takes part, and advanced from then on.
type group struct {
	e       *Engine
	t       Task
	fits    []*fit
	trained map[int]bool
}

// fit is a trained model with the series it serves.
type fit struct {
	series  []int
	trained model.Trained
}

func (g *group) window(ctx context.Context, w int) (*TaskResult, error) {
	e := g.e
	shard := e.Shard(Task{w, g.t.Contender, g.t.Shard})
	win := e.Windows[w]
	for _, f := range g.fits {
		if err := f.trained.Advance(ctx, e.view(f.series, win)); err != nil {
			return nil, err
		}
	}
	fresh, err := g.train(ctx, w, shard)
	if err != nil {
		return nil, err
	}
	p := e.prediction(shard)
	for _, f := range g.fits {
		if err := g.forecast(ctx, w, f, p); err != nil {
			return nil, err
		}
	}
	if err := e.fill(ctx, g.t.Contender, w, shard, p); err != nil {
		return nil, err
	}
	p.scales = e.scales(w, g.t.Shard, shard)
	res := e.result(w, shard, p)
	if fresh != nil {
		e.scoreTraining(&res.Train, fresh, p, win)
		if r, ok := fresh.trained.(interface{ Tuned() *Tuned }); ok {
			res.Tuned = r.Tuned()
		}
	}
	return res, nil
}

// train fits the series that no earlier window of the group had; nil where there are
// none.
func (g *group) train(ctx context.Context, w int, shard []int) (*fit, error) {
	var fresh []int
	learnt := shard
	if g.e.across[g.t.Contender] {
		learnt = g.e.learnt(w)
	}
	for _, s := range learnt {
		if !g.trained[s] {
			fresh = append(fresh, s)
		}
	}
	if len(fresh) == 0 {
		return nil, nil
	}
	e, win := g.e, g.e.Windows[w]
	view := e.view(fresh, win)
	trained, err := e.models[g.t.Contender].Train(ctx, view, model.Env{Horizon: e.Reach(), Workers: e.workers(g.t.Contender), Random: e.random(w, g.t.Contender)})
	if err != nil {
		return nil, err
	}
	f := &fit{series: fresh, trained: trained}
	g.fits = append(g.fits, f)
	if g.trained == nil {
		g.trained = make(map[int]bool, len(fresh))
	}
	for _, s := range fresh {
		g.trained[s] = true
	}
	return f, nil
}

// learnt lists the series that a contender which learns from all of them trains on: those with
// a history, whether or not they are assessed.
func (e *Engine) learnt(w int) []int { return e.withHistory(e.Windows[w]) }

func (e *Engine) withHistory(win split.Window) (out []int) {
	for _, s := range e.Chosen {
		if knownBetween(&e.Panel.Series[s], win.TrainFirst, win.Origin, MinKnown) >= MinKnown {
			out = append(out, s)
		}
	}
	return out
}

func (e *Engine) random(window, contender int) func(series string) *rand.Rand {
	return func(series string) *rand.Rand {
		return num.Stream(e.Plan.Seed, series, strconv.Itoa(e.Windows[window].Index), e.Plan.Contenders[contender].Name)
	}
}

// prediction is the forecasts of a shard in the making.
type prediction struct {
	at     map[int]int // places of the series
	rows   []forecast.Rows
	errs   []error
	filled []Filled
	scales []score.Scale
}

func (e *Engine) prediction(shard []int) *prediction {
	p := &prediction{at: make(map[int]int, len(shard)), rows: make([]forecast.Rows, len(shard)), errs: make([]error, len(shard))}
	for i, s := range shard {
		p.at[s] = i
	}
	return p
}

// forecast puts a fit's forecasts of the window's series into place.
func (g *group) forecast(ctx context.Context, w int, f *fit, p *prediction) error {
	win := g.e.Windows[w]
	res, err := f.trained.Forecast(ctx, g.e.view(f.series, win), g.e.Reach())
	if err != nil {
		return err
	}
	for i, s := range f.series {
		if at, ok := p.at[s]; ok {
			p.errs[at] = res.Err[i]
			if res.Err[i] == nil {
				p.rows[at] = afterGap(res.Series[i], g.e.Plan.Split.Gap)
			}
		}
	}
	return nil
}

// afterGap leaves out the steps that are not assessed.
func afterGap(r forecast.Rows, gap int) forecast.Rows {
	return r.From(gap)
}

// fill lets the fallback stand in for what failed, or leaves it out.
func (e *Engine) fill(ctx context.Context, contender, w int, shard []int, p *prediction) error {
	win := e.Windows[w]
	for i, failure := range p.errs {
		if failure == nil {
			continue
		}
		key := e.Panel.Series[shard[i]].Key
		p.filled = append(p.filled, Filled{key, failure.Error(), e.fallback == nil})
		if e.fallback == nil {
			continue
		}
		view := e.view(shard[i:i+1], win)
		rows, errs, err := Forecast(ctx, e.fallback, view, e.Reach(), 1, e.random(w, contender))
		if err != nil {
			return err
		}
		if errs[0] != nil {
			return fmt.Errorf("series %q: neither the contender (%w) nor the fallback %s (%w) could forecast it", key, failure, e.Plan.Fallback, errs[0])
		}
		p.rows[i] = afterGap(rows[0], e.Plan.Split.Gap)
	}
	return nil
}

// Forecast trains a model on a view, on some workers, and continues its series. errs holds each
// series' own failure.
func Forecast(ctx context.Context, m model.Model, v panel.View, horizon, workers int, random func(string) *rand.Rand) (rows []forecast.Rows, errs []error, err error) {
	trained, err := m.Train(ctx, v, model.Env{Horizon: horizon, Workers: workers, Random: random})
	if err != nil {
		return nil, nil, err
	}
	res, err := trained.Forecast(ctx, v, horizon)
	return res.Series, res.Err, err
}

// result rounds, packs and scores the forecasts of a shard.
func (e *Engine) result(w int, shard []int, p *prediction) *TaskResult {
	res := e.resultIn(e.Windows[w], shard, p)
	res.Window = w
	return res
}

// resultIn is result in a window that need not be one of the plan's.
func (e *Engine) resultIn(win split.Window, shard []int, p *prediction) *TaskResult {
	horizon := e.Plan.Split.Horizon
	res := &TaskResult{Filled: p.filled, Packed: make([]byte, 0, len(shard)*forecast.PackedSize(horizon)),
		Steps: e.newAccs(horizon), Series: e.newAccs(len(shard)), Errors: make([]float64, 0, len(shard)*horizon), Train: score.NewAcc(len(e.Plan.Levels))}
	s := e.scorer()
	for i, rows := range p.rows {
		if rows.Mean == nil {
			res.Packed = forecast.AppendAbsent(res.Packed, horizon)
			res.Errors = append(res.Errors, slices.Repeat([]float64{math.NaN()}, horizon)...)
			continue
		}
		if f := e.Panel.Floor; f != nil {
			rows.Clip(*f)
		}
		if e.Panel.HasClosed() {
			rows.Close(func(h int) bool { return e.Panel.IsClosed(shard[i], win.AssessFirst()+h) })
		}
		res.Packed = rows.Pack(res.Packed)
		res.Errors = s.series(&res.Series[i], res.Steps, res.Errors, rows, &e.Panel.Series[shard[i]], win, p.scales[i])
	}
	return res
}

// scorer scores one series after another without allocating.
type scorer struct {
	read      forecast.Reader
	low, high []float64
	point     *score.Point
}

func (e *Engine) scorer() *scorer { return newScorer(e.Plan.Levels) }

func newScorer(levels []float64) *scorer {
	n := len(levels)
	return &scorer{forecast.NewReader(levels), make([]float64, n), make([]float64, n), score.NewPoint(levels)}
}

func (s *scorer) series(acc *score.Acc, steps []score.Acc, errs []float64, rows forecast.Rows, series *panel.Series, w split.Window, scale score.Scale) []float64 {
	for h, f := range rows.Mean {
		y := series.At(w.AssessFirst() + h)
		if rows.IsClosed(h) {
			errs = append(errs, math.NaN())
			continue
		}
		errs = append(errs, f-y)
		if s.set(y, f, scale, rows.At(h)) {
			acc.Take(s.point)
			steps[h].TakeAlone(s.point, scale)
		}
	}
	acc.CloseSeries(scale)
	return errs
}

func (s *scorer) set(y, f float64, scale score.Scale, q []float64) bool {
	s.read.Read(q, s.low, s.high)
	return s.point.Set(y, f, scale, q, s.low, s.high)
}

// scoreTraining measures how well a model fits what it was trained on, one step ahead.
func (e *Engine) scoreTraining(acc *score.Acc, f *fit, p *prediction, win split.Window) {
	told, ok := f.trained.(model.Fitted)
	if !ok {
		return
	}
	view := e.view(f.series, win)
	for i, s := range f.series {
		at, ok := p.at[s]
		if !ok {
			continue
		}
		seen, _ := view.Values(i)
		fitted := told.Fitted(i, len(seen))
		if fitted == nil {
			continue
		}
		acc.AddTraining(seen, fitted, p.scales[at])
	}
}

// combine makes the forecasts of a contender that combines others, window by window, from
// what is stored of them in that window and the ones before.
func (e *Engine) combine(ctx context.Context, t Task, stored Stored) ([]*TaskResult, error) {
	co := e.combiners[t.Contender]
	metric, err := score.FindMetric(e.Plan.Metric, e.Plan.Levels)
	if err != nil {
		return nil, err
	}
	h := &history{e: e, co: co, metric: metric}
	now := make([]*memberShard, len(co.members))
	var out []*TaskResult
	for _, w := range e.taskWindows(t) {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		for m, member := range co.members {
			if now[m], err = e.memberShard(Task{w, member, t.Shard}, stored); err != nil {
				return nil, err
			}
		}
		shard := e.Shard(Task{w, t.Contender, t.Shard})
		if !h.tells(e.Windows[w].Origin) {
			if err := h.rehearse(ctx, w, shard); err != nil {
				return nil, err
			}
		}
		p := e.prediction(shard)
		rows := make([]forecast.Rows, len(co.members))
		h.judge(shard, e.Windows[w].Origin)
		for i, s := range shard {
			for m := range rows {
				if rows[m], err = now[m].rows(s, e.Plan.Split.Horizon); err != nil {
					return nil, err
				}
			}
			p.rows[i], _, p.errs[i] = co.Combine(rows, h.past(s, e.Windows[w].Origin))
		}
		if err := e.fill(ctx, t.Contender, w, shard, p); err != nil {
			return nil, err
		}
		p.scales = e.scales(w, t.Shard, shard)
		out = append(out, e.result(w, shard, p))
		past := pastWindow{Window: e.Windows[w]}
		for _, m := range now {
			past.got = append(past.got, m.part(shard, e.Plan.Split.Horizon))
		}
		h.windows = append(h.windows, past)
	}
	return out, nil
}

// memberShard is a member's stored result with the places of its series.
type memberShard struct {
	res *TaskResult
	at  map[int]int
}

func (e *Engine) memberShard(t Task, stored Stored) (*memberShard, error) {
	if e.across[t.Contender] {
		t.Shard = 0
	}
	series := e.Shard(t)
	m := &memberShard{at: make(map[int]int, len(series))}
	for i, s := range series {
		m.at[s] = i
	}
	if len(series) == 0 {
		return m, nil
	}
	var err error
	m.res, err = stored(t)
	return m, err
}

// rows gives a series' forecast; empty where the member has none.
func (m *memberShard) rows(series, horizon int) (forecast.Rows, error) {
	i, ok := m.at[series]
	if !ok {
		return forecast.Rows{}, nil
	}
	size := forecast.RecordSize(m.res.Packed, horizon)
	if (i+1)*size > len(m.res.Packed) {
		return forecast.Rows{}, errors.New("a stored forecast is damaged")
	}
	rows := forecast.NewRows(horizon)
	err := rows.Unpack(m.res.Packed[i*size : (i+1)*size])
	if errors.Is(err, forecast.ErrAbsent) {
		return forecast.Rows{}, nil
	}
	return rows, err
}

// pastOf gathers what all windows tell of a combining contender's members, by the
// series' keys.
func (e *Engine) pastOf(contender int, stored Stored) (map[string]model.Past, error) {
	metric, err := score.FindMetric(e.Plan.Metric, e.Plan.Levels)
	if err != nil {
		return nil, err
	}
	co := e.combiners[contender]
	out := make(map[string]model.Past, len(e.Chosen))
	last := e.Panel.Length - 1
	kept := map[Task]*memberShard{} // of members that learn from all series
	for shard := range e.shards() {
		h := &history{e: e, co: co, metric: metric}
		seen := map[int]bool{}
		var series []int
		for w := range e.Windows {
			got := make([]*memberShard, len(co.members))
			for m, member := range co.members {
				t := Task{w, member, shard}
				if e.across[member] {
					t.Shard = 0
				}
				if got[m] = kept[t]; got[m] == nil {
					if got[m], err = e.memberShard(t, stored); err != nil {
						return nil, err
					}
				}
				if e.across[member] {
					kept[t] = got[m]
				}
			}
			h.windows = append(h.windows, pastWindow{e.Windows[w], got})
			for _, s := range e.Shard(Task{w, contender, shard}) {
				if !seen[s] {
					seen[s] = true
					series = append(series, s)
				}
			}
		}
		h.judge(series, last)
		for _, s := range series {
			out[e.Panel.Series[s].Key] = h.past(s, last)
		}
	}
	return out, nil
}
