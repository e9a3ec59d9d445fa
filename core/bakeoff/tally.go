package bakeoff

import (
	"fmt"
	"math"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/panel"
	"paperkettle/core/score"
)

// Tally gathers task results into slices.
type Tally struct {
	e      *Engine
	per    string
	cuts   []cut
	names  []string
	index  map[string]int
	accs   [][]score.Acc // [slice][contender]
	filled [][]int
	failed []int // by contender: places on which it failed, of
	placed []int // as many
	// Of the whole, by contender: each chosen series' sums, the sums within training
	// parts, and the weighted sums of every metric.
	bySeries [][]score.Acc
	means    [][][]float64 // [contender][place][window]: mean absolute errors, of a few series alone
	cells    []score.Cells // by contender, of cellsBy; nil where it is no ratio of sums
	cellsBy  score.Metric
	train    []score.Acc
	weighted []weightedSums
	metrics  []score.Metric
	weights  panel.Weights
	shares   map[int]map[int]float64    // of a window, each series' weight
	entered  map[int]map[int][]Newcomer // by contender and window
}

// weightedSums are sums of a metric's values for a series in a window times its weight,
// and of those weights.
type weightedSums struct{ values, weights []float64 }

// fewSeries is how many series are too few to be drawn anew: then their errors are
// tested in order of time.
const fewSeries = 5

// NewTally makes one for a cut: empty for the whole, step, window, series, demand,
// volume, weekday, month, quarter, time-of-day or an attribute, or two of them apart by a
// comma.
func NewTally(e *Engine, per string) (*Tally, error) {
	n := len(e.Plan.Contenders)
	t := &Tally{e: e, per: per, index: map[string]int{}, metrics: score.Metrics(e.Plan.Levels), failed: make([]int, n), placed: make([]int, n)}
	var err error
	if t.cuts, err = e.cuts(per); err != nil || per != "" {
		return t, asked("per", err)
	}
	if t.weights, err = panel.ParseWeights(e.Plan.Weights); err != nil {
		return nil, err
	}
	t.train, t.weighted, t.shares = e.newAccs(n), make([]weightedSums, n), map[int]map[int]float64{}
	t.bySeries, t.means, t.cells = make([][]score.Acc, n), make([][][]float64, n), make([]score.Cells, n)
	for c := range n {
		t.bySeries[c] = e.newAccs(len(e.Chosen))
		t.cells[c] = e.newCells()
		if len(e.Chosen) < fewSeries {
			t.means[c] = e.newMeans()
		}
		t.weighted[c] = weightedSums{make([]float64, len(t.metrics)), make([]float64, len(t.metrics))}
	}
	t.cellsBy, err = score.FindMetric(plainMetric(e.Plan.Metric), e.Plan.Levels)
	return t, err
}

// By names the metric that will rank, before results are added; the plan's where it is empty.
func (t *Tally) By(metric string) (err error) {
	if metric != "" && t.per == "" {
		var by Ranking
		by, err = FindRanking(metric, &t.e.Plan)
		t.cellsBy = by.Metric
	}
	return asked("metric", err)
}

// level is the finest that the cuts ask for.
func (t *Tally) has(l level) bool {
	return slices.ContainsFunc(t.cuts, func(c cut) bool { return c.level == l })
}

// NeedsForecasts says whether the results to add must hold their packed forecasts: only
// points taken one by one can be cut by series and by step at once.
func (t *Tally) NeedsForecasts() bool { return t.has(ofStep) && t.has(ofSeries) }

// Add takes one task's result. The order of calls may change sums in their last
// digits, so callers add window by window, shard by shard.
func (t *Tally) Add(task Task, r *TaskResult) error {
	task.Window = r.Window
	shard := t.e.Shard(task)
	t.failed[task.Contender] += len(r.Filled)
	t.placed[task.Contender] += len(shard)
	switch {
	case t.NeedsForecasts():
		return t.addPoints(task, shard, r)
	case t.has(ofStep):
		t.addSteps(task, r)
	default:
		t.addSeries(task, shard, r)
	}
	return nil
}

func (t *Tally) name(window, series, step int) string {
	switch len(t.cuts) {
	case 0:
		return ""
	case 1:
		return t.cuts[0].part(window, series, step)
	}
	return t.cuts[0].part(window, series, step) + CutSeparator + t.cuts[1].part(window, series, step)
}

func (t *Tally) addSteps(task Task, r *TaskResult) {
	horizon := len(r.Steps)
	for h := range r.Steps {
		acc := r.Steps[h]
		for i := h; i < len(r.Errors); i += horizon {
			acc.Abs = appendAbs(acc.Abs, r.Errors[i:i+1])
		}
		t.slice(t.name(task.Window, 0, h), task.Contender).Merge(&acc)
	}
}

func appendAbs(to, errors []float64) []float64 {
	for _, v := range errors {
		if v == v {
			to = append(to, math.Abs(v))
		}
	}
	return to
}

func (t *Tally) addSeries(task Task, shard []int, r *TaskResult) {
	failed := map[string]bool{}
	for _, f := range r.Filled {
		failed[f.Series] = true
	}
	h := t.e.Plan.Split.Horizon
	for i := range r.Series {
		acc := r.Series[i]
		errors := r.Errors[i*h : (i+1)*h]
		acc.Abs = appendAbs(make([]float64, 0, h), errors)
		name := t.name(task.Window, shard[i], 0)
		t.slice(name, task.Contender).Merge(&acc)
		if len(failed) > 0 && failed[t.e.Panel.Series[shard[i]].Key] {
			t.filled[t.index[name]][task.Contender]++
		}
		if t.per == "" {
			t.addWhole(task, shard[i], &acc, errors)
		}
	}
	if t.per == "" {
		t.train[task.Contender].Merge(&r.Train)
	}
}

func (t *Tally) addWhole(task Task, series int, acc *score.Acc, errors []float64) {
	place := t.e.chosenAt[series]
	t.bySeries[task.Contender][place].Merge(acc)
	if len(t.e.Chosen) < fewSeries {
		t.means[task.Contender][place][task.Window] = mean(absolute(errors))
	}
	if t.cells != nil && !t.e.addCell(t.cells[task.Contender], t.cellsBy, place, task.Window, acc) {
		t.cells = nil
	}
	if t.weights == (panel.Weights{}) {
		return
	}
	w := t.share(task.Window, series)
	sums := &t.weighted[task.Contender]
	for k, m := range t.metrics {
		if v := m.Value(acc); v == v {
			sums.values[k] += w * v
			sums.weights[k] += w
		}
	}
}

// share is a series' weight in a window, as seen at its origin.
func (t *Tally) share(window, series int) float64 {
	known, ok := t.shares[window]
	if !ok {
		q := t.e.Qualified[window]
		known = make(map[int]float64, len(q))
		for i, w := range t.weights.Of(t.e.Panel, q, t.e.Windows[window].Origin) {
			known[q[i]] = w
		}
		t.shares[window] = known
	}
	return known[series]
}

// addPoints scores every stored point anew.
func (t *Tally) addPoints(task Task, shard []int, r *TaskResult) error {
	e := t.e
	win, horizon := e.Windows[task.Window], e.Plan.Split.Horizon
	view := panel.NewView(e.Panel, shard, win.TrainFirst, win.Origin)
	size := forecast.RecordSize(r.Packed, horizon)
	if len(r.Packed) != size*len(shard) {
		return fmt.Errorf("stored forecasts are damaged")
	}
	s, rows := e.scorer(), forecast.NewRows(horizon)
	for i, series := range shard {
		if err := rows.Unpack(r.Packed[i*size : (i+1)*size]); err != nil {
			continue // left out
		}
		scale := score.MakeScale(view.Series(i).Values, e.ScaleLag())
		steps, whole := e.newAccs(horizon), score.NewAcc(len(e.Plan.Levels))
		s.series(&whole, steps, nil, rows, &e.Panel.Series[series], win, scale)
		for h := range steps {
			steps[h].Abs = appendAbs(nil, r.Errors[i*horizon+h:i*horizon+h+1])
			t.slice(t.name(task.Window, series, h), task.Contender).Merge(&steps[h])
		}
	}
	return nil
}

func (t *Tally) slice(name string, contender int) *score.Acc {
	i, ok := t.index[name]
	if !ok {
		i = len(t.names)
		t.index[name] = i
		t.names = append(t.names, name)
		t.accs = append(t.accs, t.e.newAccs(len(t.e.Plan.Contenders)))
		t.filled = append(t.filled, make([]int, len(t.e.Plan.Contenders)))
	}
	return &t.accs[i][contender]
}
