package bakeoff

import (
	"fmt"
	"math"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
	"paperkettle/core/score"
)

// Duel gathers two contenders' results to set them against each other.
type Duel struct {
	e      *Engine
	metric score.Metric
	pair   [2]int
	accs   [2][]score.Acc
	means  [2][][]float64 // by series and window
	cells  [2]score.Cells
	ratio  bool // the metric is a ratio of sums
}

// NewDuel makes one of two contenders by their names; an empty metric is the plan's.
func NewDuel(e *Engine, a, b, metric string) (*Duel, error) {
	if metric == "" {
		metric = e.Plan.Metric
	}
	m, err := score.FindMetric(plainMetric(metric), e.Plan.Levels)
	if err != nil {
		return nil, asked("metric", err)
	}
	d := &Duel{e: e, metric: m, ratio: true}
	for i, name := range []string{a, b} {
		if d.pair[i] = e.Plan.Contender(name); d.pair[i] < 0 {
			return nil, asked([]string{"a", "b"}[i], fmt.Errorf("no contender of the bake-off is called %q", name))
		}
		d.accs[i], d.means[i], d.cells[i] = e.newAccs(len(e.Chosen)), e.newMeans(), e.newCells()
	}
	return d, nil
}

// Contenders are the places of the two.
func (d *Duel) Contenders() []int { return d.pair[:] }

// Metric is what they are compared by.
func (d *Duel) Metric() string { return d.metric.Name }

// Add takes one task's result, window by window.
func (d *Duel) Add(t Task, r *TaskResult) error {
	h := d.e.Plan.Split.Horizon
	t.Window = r.Window
	for i, contender := range d.pair {
		if t.Contender != contender {
			continue
		}
		for k, s := range d.e.Shard(t) {
			at := d.e.chosenAt[s]
			acc := r.Series[k]
			acc.Abs = appendAbs(nil, r.Errors[k*h:(k+1)*h])
			d.accs[i][at].Merge(&acc)
			d.means[i][at][t.Window] = mean(absolute(r.Errors[k*h : (k+1)*h]))
			d.ratio = d.ratio && d.e.addCell(d.cells[i], d.metric, at, t.Window, &acc)
		}
	}
	return nil
}

// Pair is one series of a duel: both values, and the p-value of a test on the mean absolute
// errors of windows that don't overlap, NaN where those are too few.
type Pair struct {
	Series  int
	A, B, P float64
}

// Pairs lists the series that both were scored on.
func (d *Duel) Pairs() []Pair {
	var out []Pair
	for at, s := range d.e.Chosen {
		if d.accs[0][at].N == 0 || d.accs[1][at].N == 0 {
			continue
		}
		p := Pair{s, d.metric.Value(&d.accs[0][at]), d.metric.Value(&d.accs[1][at]), math.NaN()}
		if got, err := score.TestWindows(d.e.loneOf(s, d.means[0][at]), d.e.loneOf(s, d.means[1][at])); err == nil {
			p.P = got.P
		}
		out = append(out, p)
	}
	return out
}

// Better compares two values of the metric: below zero where a is better.
func (d *Duel) Better(a, b float64) int {
	switch x, y := d.metric.Order(a), d.metric.Order(b); {
	case x < y:
		return -1
	case x > y:
		return 1
	}
	return 0
}

// Between is the 95 % interval of the first's metric less the second's in the whole; NaN where
// series are too few or the metric is no ratio of sums.
func (d *Duel) Between() score.Between {
	both := 0
	for at := range d.e.Chosen {
		if d.accs[0][at].N > 0 && d.accs[1][at].N > 0 {
			both++
		}
	}
	if both < fewSeries || !d.ratio {
		return score.Between{Low: math.NaN(), High: math.NaN()}
	}
	return score.Difference(d.cells[0], d.cells[1], d.metric.Ratio, d.metric.Order)
}

// Residuals gathers one contender's errors, forecast less actual.
type Residuals struct {
	e         *Engine
	contender int
	series    int // a panel index, or -1 for all
	sums      []float64
	counts    []float64
	all       []float64
}

// NewResiduals makes one of a contender on a series; -1 for all series.
func NewResiduals(e *Engine, contender string, series int) (*Residuals, error) {
	c := e.Plan.Contender(contender)
	if c < 0 {
		return nil, asked("contender", fmt.Errorf("no contender of the bake-off is called %q", contender))
	}
	return &Residuals{e: e, contender: c, series: series, sums: make([]float64, e.Panel.Length), counts: make([]float64, e.Panel.Length)}, nil
}

// Contender is the place of the contender.
func (r *Residuals) Contender() int { return r.contender }

// Add takes one task's result.
func (r *Residuals) Add(t Task, res *TaskResult) error {
	if t.Contender != r.contender {
		return nil
	}
	t.Window = res.Window
	h, first := r.e.Plan.Split.Horizon, r.e.Windows[res.Window].AssessFirst()
	for k, s := range r.e.Shard(t) {
		if r.series >= 0 && s != r.series {
			continue
		}
		for step, v := range res.Errors[k*h : (k+1)*h] {
			if v == v {
				r.sums[first+step] += v
				r.counts[first+step]++
				r.all = append(r.all, v)
			}
		}
	}
	return nil
}

// All are the errors one by one.
func (r *Residuals) All() []float64 { return r.all }

// Series gives the mean error of each period from the first assessed one on, as a
// series, for looks at its cycles and autocorrelation.
func (r *Residuals) Series() panel.Series {
	first := r.e.Windows[0].AssessFirst()
	out := panel.Series{First: first}
	for t := first; t <= r.e.Windows[len(r.e.Windows)-1].AssessLast; t++ {
		out.Values = append(out.Values, r.sums[t]/r.counts[t])
	}
	return out
}

// Cycles lists the positions that the cadence can be sorted by.
func (r *Residuals) Cycles() (out []calendar.Position) {
	for _, by := range []calendar.Position{calendar.ByTimeOfDay, calendar.ByWeekday, calendar.ByMonth} {
		if _, _, err := r.e.Panel.Cadence.Places(by); err == nil {
			out = append(out, by)
		}
	}
	return out
}

// Bins counts values in some bins of equal width, between their extremes; the outermost
// hundredth on either side falls into the first and last.
func Bins(values []float64, n int) (edges []float64, counts []int) {
	if len(values) == 0 {
		return nil, nil
	}
	sorted := slices.Clone(values)
	slices.Sort(sorted)
	low, high := sorted[len(sorted)/100], sorted[len(sorted)-1-len(sorted)/100]
	if low == high {
		low, high = low-0.5, high+0.5
	}
	counts = make([]int, n)
	for i := range n + 1 {
		edges = append(edges, low+(high-low)*float64(i)/float64(n))
	}
	for _, v := range sorted {
		counts[min(n-1, max(0, int((v-low)/(high-low)*float64(n))))]++
	}
	return edges, counts
}
