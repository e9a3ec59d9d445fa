package bakeoff

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"strconv"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/core/split"
)

// ShardSize is how many series a task of a per-series family holds. It is fixed,
// since stored results are laid out by it.
const ShardSize = 64

// MinKnown is the fewest known values a training part may have: below it no
// interval can be given.
const MinKnown = 2

// Engine is a plan made ready to run on a panel. It is safe for concurrent use.
type Engine struct {
	Panel     *panel.Panel
	Plan      Plan
	Windows   []split.Window
	Qualified [][]int // for each window the series that take part
	SetAside  []SetAside
	models    []model.Model
	across    []bool
	fallback  model.Model
}

// SetAside is a series that takes no part in a window, with the reason.
type SetAside struct {
	Series int    `json:"-"`
	Key    string `json:"series"`
	Window int    `json:"window"`
	Reason string `json:"reason"`
}

// Task names one piece of work: a contender on a shard of a window's series.
// Window and Contender are indices from 0.
type Task struct{ Window, Contender, Shard int }

// Filled is a series on which a contender failed; the naive forecast stands in.
type Filled struct {
	Series string `json:"series"`
	Reason string `json:"reason"`
}

// TaskResult is what a task made. Packed holds one forecast record a series of the
// shard, in order; Series and Steps hold the sums of scores for each series and, over
// the shard, for each step.
type TaskResult struct {
	Packed []byte
	Series []score.Acc
	Steps  []score.Acc
	Filled []Filled
}

// Prepare completes and checks a plan, lays its windows on the panel and finds
// which series take part in each.
func Prepare(p *panel.Panel, plan Plan, cat model.Catalogue) (*Engine, error) {
	if err := plan.Complete(cat); err != nil {
		return nil, err
	}
	e := &Engine{Panel: p, Plan: plan}
	var err error
	if e.Windows, err = split.Make(plan.Split, p.Length); err != nil {
		return nil, &FieldError{"split", err}
	}
	if e.fallback, _, err = cat.New("naive", nil); err != nil {
		return nil, err
	}
	for _, c := range plan.Contenders {
		if err := cat.CheckCadence(c.Family, c.Settings, p.Cadence); err != nil {
			return nil, &FieldError{"contenders", fmt.Errorf("contender %q: %w", c.Name, err)}
		}
		m, f, err := cat.New(c.Family, c.Settings)
		if err != nil {
			return nil, err
		}
		e.models = append(e.models, m)
		e.across = append(e.across, f.AcrossSeries)
	}
	chosen, err := p.Where(plan.Where)
	if err != nil {
		return nil, &FieldError{"where", err}
	}
	if len(chosen) == 0 {
		return nil, &FieldError{"where", errors.New("no series has all the attribute values of the filter")}
	}
	e.qualify(chosen)
	for _, q := range e.Qualified {
		if len(q) > 0 {
			return e, nil
		}
	}
	return nil, &FieldError{"split", fmt.Errorf("no series can take part in any window: %s, for one, %s", e.SetAside[0].Key, e.SetAside[0].Reason)}
}

func (e *Engine) qualify(chosen []int) {
	e.Qualified = make([][]int, len(e.Windows))
	for i, w := range e.Windows {
		for _, s := range chosen {
			if reason := e.disqualify(s, w); reason != "" {
				e.SetAside = append(e.SetAside, SetAside{s, e.Panel.Series[s].Key, w.Index, reason})
				continue
			}
			e.Qualified[i] = append(e.Qualified[i], s)
		}
	}
}

func (e *Engine) disqualify(series int, w split.Window) string {
	s := &e.Panel.Series[series]
	if n := knownBetween(s, w.TrainFirst, w.Origin, MinKnown); n < MinKnown {
		return fmt.Sprintf("has %s up to the origin %s, and training needs at least %d", knownValues(n), e.Panel.Period(w.Origin), MinKnown)
	}
	if knownBetween(s, w.AssessFirst(), w.AssessLast, 1) == 0 {
		return fmt.Sprintf("has no known value from %s to %s to be assessed on", e.Panel.Period(w.AssessFirst()), e.Panel.Period(w.AssessLast))
	}
	return ""
}

func knownValues(n int) string {
	if n == 1 {
		return "1 known value"
	}
	return fmt.Sprintf("%d known values", n)
}

// knownBetween counts known values on axis indices from..to, up to enough.
func knownBetween(s *panel.Series, from, to, enough int) (n int) {
	for i := max(from, s.First); i <= min(to, s.End()-1) && n < enough; i++ {
		if panel.Known(s.At(i)) {
			n++
		}
	}
	return n
}

// Tasks lists all pieces of work in a fixed order: window by window, so that
// early results already compare all contenders.
func (e *Engine) Tasks() []Task {
	var out []Task
	for w := range e.Windows {
		for shard := 0; shard < e.shards(w); shard++ {
			for c := range e.models {
				if shard == 0 || !e.across[c] {
					out = append(out, Task{w, c, shard})
				}
			}
		}
	}
	return out
}

func (e *Engine) shards(window int) int {
	return (len(e.Qualified[window]) + ShardSize - 1) / ShardSize
}

// Shard lists the series of a task, as panel indices.
func (e *Engine) Shard(t Task) []int {
	q := e.Qualified[t.Window]
	if e.across[t.Contender] {
		return q
	}
	lo := t.Shard * ShardSize
	return q[min(lo, len(q)):min(lo+ShardSize, len(q))]
}

// Locate finds the task and place in its shard of a series in a window; ok is
// false where the series takes no part.
func (e *Engine) Locate(window, contender, series int) (t Task, place int, ok bool) {
	for i, s := range e.Qualified[window] {
		if s != series {
			continue
		}
		if e.across[contender] {
			return Task{window, contender, 0}, i, true
		}
		return Task{window, contender, i / ShardSize}, i % ShardSize, true
	}
	return Task{}, 0, false
}

// Run does one task. The result depends on the engine and the task alone.
func (e *Engine) Run(ctx context.Context, t Task) (*TaskResult, error) {
	w := e.Windows[t.Window]
	shard := e.Shard(t)
	view := panel.NewView(e.Panel, shard, w.TrainFirst, w.Origin)
	random := func(series string) *rand.Rand {
		return num.Stream(e.Plan.Seed, series, strconv.Itoa(w.Index), e.Plan.Contenders[t.Contender].Name)
	}
	rows, filled, err := e.predict(ctx, e.models[t.Contender], view, random)
	if err != nil {
		return nil, err
	}
	res := &TaskResult{Filled: filled, Packed: make([]byte, 0, len(shard)*forecast.PackedSize(e.Plan.Split.Horizon))}
	res.Steps = e.newAccs(e.Plan.Split.Horizon)
	res.Series = e.newAccs(len(shard))
	for i := range rows {
		if f := e.Panel.Floor; f != nil {
			rows[i].Clip(*f)
		}
		power := rows[i].Round()
		res.Packed = rows[i].AppendPacked(res.Packed, power)
		e.scoreSeries(&res.Series[i], res.Steps, rows[i], shard[i], view.Series(i), w)
	}
	return res, nil
}

// predict trains and forecasts; where a series fails, the naive stands in.
func (e *Engine) predict(ctx context.Context, m model.Model, v panel.View, random func(string) *rand.Rand) ([]forecast.Rows, []Filled, error) {
	rows, errs, err := Forecast(ctx, m, v, e.Plan.Split.Horizon, random)
	if err != nil {
		return nil, nil, err
	}
	var filled []Filled
	for i, failure := range errs {
		if failure == nil {
			continue
		}
		key := v.Series(i).Key
		filled = append(filled, Filled{key, failure.Error()})
		one, oneErr, err := Forecast(ctx, e.fallback, v.Only(i), e.Plan.Split.Horizon, random)
		if err != nil {
			return nil, nil, err
		}
		if oneErr[0] != nil {
			return nil, nil, fmt.Errorf("series %q: neither the contender (%w) nor the naive (%w) could forecast it", key, failure, oneErr[0])
		}
		rows[i] = one[0]
	}
	return rows, filled, nil
}

// Forecast trains a model on a view and continues its series. errs holds each
// series' own failure.
func Forecast(ctx context.Context, m model.Model, v panel.View, horizon int, random func(string) *rand.Rand) (rows []forecast.Rows, errs []error, err error) {
	trained, err := m.Train(ctx, v, model.Env{Horizon: horizon, Workers: 1, Random: random})
	if err != nil {
		return nil, nil, err
	}
	res, err := trained.Forecast(ctx, v, horizon)
	return res.Series, res.Err, err
}

func (e *Engine) newAccs(n int) []score.Acc {
	out := make([]score.Acc, n)
	for i := range out {
		out[i] = score.NewAcc(len(e.Plan.Levels))
	}
	return out
}

// ScaleLag is the lag of MASE and RMSSE.
func (e *Engine) ScaleLag() int {
	if e.Plan.ScaleLag > 0 {
		return e.Plan.ScaleLag
	}
	return e.Panel.Cadence.Season()
}

func (e *Engine) scoreSeries(acc *score.Acc, steps []score.Acc, rows forecast.Rows, series int, seen panel.SeriesView, w split.Window) {
	scale := score.MakeScale(seen.Values, e.ScaleLag())
	s := &e.Panel.Series[series]
	levels := e.Plan.Levels
	low, high := make([]float64, len(levels)), make([]float64, len(levels))
	for h, f := range rows.Mean {
		for i, level := range levels {
			low[i], high[i] = forecast.Interval(rows.At(h), level)
		}
		y := s.At(w.AssessFirst() + h)
		acc.Add(y, f, scale, levels, low, high)
		one := score.NewAcc(len(levels))
		one.Add(y, f, scale, levels, low, high)
		one.CloseSeries(scale)
		steps[h].Merge(&one)
	}
	acc.CloseSeries(scale)
}
