package bakeoff

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"sync"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/core/split"
)

// Stored gives the result of a task in one window, as it was kept: Packed, Series and
// Errors are all that is read of it.
type Stored func(Task) (*TaskResult, error)

// Desk is where a task gets what others made, and hands over what it makes.
type Desk struct {
	// Stored gives the results of other tasks: those that combine need their members'.
	Stored Stored
	// Hand takes the results as they come: one of each shard in each window that the task serves.
	Hand func(*TaskResult) error
	// Report is told how much of the task is done, from 0 to 1, and what is being done; may be nil.
	Report func(done float64, note string)
	// Show is given how the losses of what is being trained went so far; may be nil.
	Show func(curves []model.Curve)
	// Checkpoint keeps what long training needs to go on after a stop; may be nil.
	Checkpoint model.Checkpoint
}

// Run does one task. What it makes depends on the engine, the task and the stored results of its
// members alone.
func (e *Engine) Run(ctx context.Context, t Task, desk Desk) error {
	if e.Combines(t) {
		return e.combine(ctx, t, desk)
	}
	g := &group{e: e, t: t, desk: desk}
	windows := e.taskWindows(t)
	for k, w := range windows {
		g.from, g.to = float64(k)/float64(len(windows)), float64(k+1)/float64(len(windows))
		if err := g.window(ctx, w); err != nil {
			return err
		}
	}
	return nil
}

// Reach is how many steps ahead a model must see.
func (e *Engine) Reach() int { return e.Plan.Split.Gap + e.Plan.Split.Horizon }

// group is a task at work: models trained at its first window, or where a series first
// takes part, and advanced from then on.
type group struct {
	e        *Engine
	t        Task
	desk     Desk
	fits     []*fit
	trained  map[int]bool
	from, to float64 // the share of the task that the window at work is
}

// fit is a trained model with the series it serves.
type fit struct {
	series  []int
	trained model.Trained
	held    int64 // bytes, where it was measured
}

func (g *group) window(ctx context.Context, w int) error {
	e := g.e
	win := e.Windows[w]
	for _, f := range g.fits {
		if err := f.trained.Advance(ctx, e.view(f.series, win)); err != nil {
			return err
		}
	}
	fresh, err := g.train(ctx, w)
	if err != nil {
		return err
	}
	p := newPrediction(e.served(w, g.t))
	for _, f := range g.fits {
		if err := g.forecast(ctx, w, f, p); err != nil {
			return err
		}
	}
	first := true
	for _, r := range e.results(g.t) {
		if r.Window != w {
			continue
		}
		res, err := g.result(ctx, r, p)
		if err != nil {
			return err
		}
		if fresh != nil {
			e.scoreTraining(&res.Train, fresh, e.Shard(r), e.scales(w, r.Shard), win)
			if t, ok := fresh.trained.(interface{ Tuned() *Tuned }); ok && first {
				res.Tuned = t.Tuned()
			}
		}
		if fresh != nil && first {
			res.Held = fresh.held
		}
		if first {
			if res.Newcomers, err = e.welcome(ctx, w, g.t.Contender, g.fits); err != nil {
				return err
			}
		}
		if e.final(w) {
			res.Found = g.found(e.Shard(r))
		}
		first = false
		if err := g.desk.Hand(res); err != nil {
			return err
		}
	}
	return nil
}

// found is what the fits say in a few words of each of some series.
func (g *group) found(series []int) []string {
	out := make([]string, len(series))
	at := make(map[int]int, len(series))
	for i, s := range series {
		at[s] = i
	}
	for _, f := range g.fits {
		for j, s := range f.series {
			if i, ok := at[s]; ok {
				out[i] = model.Brief(f.trained, j)
			}
		}
	}
	return out
}

// result is what the task made of one shard.
func (g *group) result(ctx context.Context, r Task, all *prediction) (*TaskResult, error) {
	shard := g.e.Shard(r)
	p := all.part(shard)
	if err := g.e.fill(ctx, r, shard, p); err != nil {
		return nil, err
	}
	return g.e.result(r, shard, p), nil
}

// train fits the series that no earlier window of the group had; nil where there are
// none.
func (g *group) train(ctx context.Context, w int) (*fit, error) {
	var fresh []int
	for _, s := range g.e.learns(w, g.t) {
		if !g.trained[s] {
			fresh = append(fresh, s)
		}
	}
	if len(fresh) == 0 {
		return nil, nil
	}
	o := g.e.occasion(w, g.t.Contender, fresh)
	o.report, o.show, o.check = g.report(), g.desk.Show, g.desk.Checkpoint
	trained, err := g.e.Lineup.train(ctx, g.t.Contender, o)
	if err != nil {
		return nil, err
	}
	f := &fit{series: fresh, trained: trained}
	if o.keep {
		f.held = model.Size(trained)
	}
	g.fits = append(g.fits, f)
	if g.trained == nil {
		g.trained = make(map[int]bool, len(fresh))
	}
	for _, s := range fresh {
		g.trained[s] = true
	}
	return f, nil
}

// report tells how much of the whole task is done.
func (g *group) report() func(done float64, note string) {
	if g.desk.Report == nil {
		return nil
	}
	return func(done float64, note string) { g.desk.Report(g.from+done*(g.to-g.from), note) }
}

// occasion is a window as one that a contender is trained for. What is trained for the last
// window that it is trained for is kept: that is the one that is asked for.
func (e *Engine) occasion(w, contender int, series []int) occasion {
	return occasion{view: e.view(series, e.Windows[w]), horizon: e.Reach(), stream: strconv.Itoa(e.Windows[w].Index),
		workers: e.Lineup.workers(contender), keep: e.final(w)}
}

// begun gives what contenders whose training goes on were trained to for the last window, where it
// ends no later than a panel. What is not kept of it is trained again.
func (e *Engine) begun(p *panel.Panel) map[int]*earlier {
	out := map[int]*earlier{}
	if e.ends != nil || len(e.Windows) == 0 {
		return out
	}
	w := e.Plan.Split.Refit.Leads(len(e.Windows) - 1)
	if e.Panel.Ordinal(e.Windows[w].Origin) > p.Ordinal(p.Length-1) {
		return out
	}
	for c := range e.Plan.Contenders {
		if !e.Lineup.goesOn(c) || !e.Lineup.pools(c) {
			continue
		}
		o := e.occasion(w, c, e.learns(w, Task{Contender: c}))
		key := sync.OnceValue(func() string { return e.Lineup.key(c, o) }) // it goes over all values
		out[c] = &earlier{key: key, find: func(ctx context.Context, env model.Env) (model.Trained, error) {
			o := o
			o.report, o.show, o.check = env.Report, env.Show, env.Checkpoint
			return e.Lineup.train(ctx, c, o)
		}}
	}
	return out
}

// final says that a window is the last one that some series' models are trained for.
func (e *Engine) final(w int) bool {
	if e.ends == nil {
		return w == e.Plan.Split.Refit.Leads(len(e.Windows)-1)
	}
	for _, later := range e.Windows[w+1:] {
		if later.End == e.Windows[w].End {
			return false
		}
	}
	return true
}

// learns lists the series that a task trains on in a window: those that it forecasts, and all
// that have a history, whether or not they are assessed, where it learns from all.
func (e *Engine) learns(w int, t Task) []int {
	if e.Lineup.pools(t.Contender) {
		return e.withHistory(e.Windows[w])
	}
	return e.members(w, t.Shard)
}

func (e *Engine) withHistory(win split.Window) (out []int) {
	for _, s := range e.Chosen {
		if knownBetween(&e.Panel.Series[s], win.TrainFirst, win.Origin, MinKnown) >= MinKnown {
			out = append(out, s)
		}
	}
	return out
}

// prediction is the forecasts of some series in the making.
type prediction struct {
	at     map[int]int // places of the series
	rows   []forecast.Rows
	errs   []error
	filled []Filled
	scales []score.Scale
}

func newPrediction(series []int) *prediction {
	p := &prediction{at: make(map[int]int, len(series)), rows: make([]forecast.Rows, len(series)), errs: make([]error, len(series))}
	for i, s := range series {
		p.at[s] = i
	}
	return p
}

// part is the prediction of some of the series.
func (p *prediction) part(series []int) *prediction {
	if len(series) == len(p.rows) {
		return p
	}
	out := newPrediction(series)
	for i, s := range series {
		at := p.at[s]
		out.rows[i], out.errs[i] = p.rows[at], p.errs[at]
		p.rows[at] = forecast.Rows{} // handed over
	}
	return out
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
func (e *Engine) fill(ctx context.Context, t Task, shard []int, p *prediction) error {
	for i, failure := range p.errs {
		if failure == nil {
			continue
		}
		key := e.Panel.Series[shard[i]].Key
		leftOut := e.Lineup.fallback == nil
		p.filled = append(p.filled, Filled{key, failure.Error(), leftOut})
		if leftOut {
			continue
		}
		rows, err := e.Lineup.standIn(ctx, t.Contender, e.occasion(t.Window, t.Contender, shard[i:i+1]))
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			return fmt.Errorf("series %q: neither the contender (%w) nor the fallback %s (%w) could forecast it", key, failure, e.Plan.Fallback, err)
		}
		p.rows[i] = afterGap(rows, e.Plan.Split.Gap)
	}
	return nil
}

// result rounds, packs and scores the forecasts of a shard.
func (e *Engine) result(t Task, shard []int, p *prediction) *TaskResult {
	p.scales = e.scales(t.Window, t.Shard)
	res := e.resultIn(e.Windows[t.Window], shard, p)
	res.Window, res.Shard = t.Window, t.Shard
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

func (s *scorer) series(acc *score.Acc, steps []score.Acc, errs []float64, rows forecast.Rows, series *panel.Series, w split.Window,
	scale score.Scale) []float64 {
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
func (e *Engine) scoreTraining(acc *score.Acc, f *fit, shard []int, scales []score.Scale, win split.Window) {
	told, ok := f.trained.(model.Fitted)
	if !ok {
		return
	}
	at := make(map[int]int, len(shard))
	for i, s := range shard {
		at[s] = i
	}
	view := e.view(f.series, win)
	for i, s := range f.series {
		k, ok := at[s]
		if !ok {
			continue
		}
		seen, _ := view.Values(i)
		if fitted := told.Fitted(i, len(seen)); fitted != nil {
			acc.AddTraining(seen, fitted, scales[k])
		}
	}
}
