package bakeoff

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"

	"paperkettle/core/score"
)

// Standing is one contender's line in the standings of a slice.
type Standing struct {
	Rank      int
	Contender string
	Points    int
	Filled    int
	Values    []float64 // in the order of Standings.Metrics, NaN where unknown
	Skill     float64   // on the ranking metric, NaN where it has none
}

// Slice is a part of the assessed points with its own ranking.
type Slice struct {
	Name string // "" for the whole
	Rows []Standing
}

// Standings are the ranked result of a bake-off, whole or cut.
type Standings struct {
	Metric   string
	Baseline string
	Per      string // "", step, window, series or an attribute
	Metrics  []score.Metric
	Slices   []Slice
}

// Tally gathers task results into slices.
type Tally struct {
	e      *Engine
	per    string
	attr   int
	names  []string
	index  map[string]int
	accs   [][]score.Acc // [slice][contender]
	filled [][]int
}

// NewTally makes one for a cut: "", step, window, series or an attribute's name.
func NewTally(e *Engine, per string) (*Tally, error) {
	t := &Tally{e: e, per: per, index: map[string]int{}}
	switch per {
	case "", "step", "window", "series":
	default:
		a, err := e.Panel.AttributeIndex(per)
		if err != nil {
			return nil, fmt.Errorf("standings can be cut by step, window, series or an attribute; %w", err)
		}
		t.attr = a
	}
	return t, nil
}

// Add takes one task's sums. The order of calls may change sums in their last
// digits, so callers add in the order of Engine.Tasks.
func (t *Tally) Add(task Task, series, steps []score.Acc, filled []Filled) {
	if t.per == "step" {
		for h := range steps {
			t.slice(strconv.Itoa(h+1), task.Contender).Merge(&steps[h])
		}
		return
	}
	shard := t.e.Shard(task)
	failed := map[string]bool{}
	for _, f := range filled {
		failed[f.Series] = true
	}
	for i := range series {
		name := t.name(task, shard[i])
		t.slice(name, task.Contender).Merge(&series[i])
		if failed[t.e.Panel.Series[shard[i]].Key] {
			t.filled[t.index[name]][task.Contender]++
		}
	}
}

func (t *Tally) name(task Task, series int) string {
	switch t.per {
	case "":
		return ""
	case "window":
		return strconv.Itoa(t.e.Windows[task.Window].Index)
	case "series":
		return t.e.Panel.Series[series].Key
	}
	return t.e.Panel.Label(t.attr, series)
}

func (t *Tally) slice(name string, contender int) *score.Acc {
	i, ok := t.index[name]
	if !ok {
		i = len(t.names)
		t.index[name] = i
		t.names = append(t.names, name)
		t.accs = append(t.accs, t.e.newAccs(len(t.e.models)))
		t.filled = append(t.filled, make([]int, len(t.e.models)))
	}
	return &t.accs[i][contender]
}

// Rank reads the standings by a metric; empty means the plan's.
func (t *Tally) Rank(metric string) (*Standings, error) {
	if metric == "" {
		metric = t.e.Plan.Metric
	}
	m, err := score.FindMetric(metric, t.e.Plan.Levels)
	if err != nil {
		return nil, err
	}
	out := &Standings{Metric: m.Name, Baseline: t.e.Plan.Baseline, Per: t.per, Metrics: score.Metrics(t.e.Plan.Levels)}
	base := t.e.Plan.Contender(t.e.Plan.Baseline)
	for i, name := range t.names {
		out.Slices = append(out.Slices, Slice{name, t.rankSlice(i, base, m, out.Metrics)})
	}
	if t.per == "series" || t.attrCut() {
		slices.SortStableFunc(out.Slices, func(a, b Slice) int {
			return slices.Compare([]string{a.Name}, []string{b.Name})
		})
	}
	return out, nil
}

func (t *Tally) attrCut() bool {
	return t.per != "" && t.per != "step" && t.per != "window" && t.per != "series"
}

func (t *Tally) rankSlice(i, base int, m score.Metric, all []score.Metric) []Standing {
	rows := make([]Standing, len(t.e.models))
	order := make(map[string]float64, len(rows))
	absolute := make(map[string]float64, len(rows)) // settles the order of equals, not their rank
	for c := range rows {
		acc := &t.accs[i][c]
		values := make([]float64, len(all))
		for j, metric := range all {
			values[j] = metric.Value(acc)
		}
		own := m.Value(acc)
		skill := math.NaN()
		if m.HasSkill() {
			skill = score.Skill(own, m.Value(&t.accs[i][base]))
		}
		name := t.e.Plan.Contenders[c].Name
		order[name] = m.Order(own)
		absolute[name] = acc.SumAbs
		rows[c] = Standing{Contender: name, Points: int(acc.N), Filled: t.filled[i][c], Values: values, Skill: skill}
	}
	slices.SortStableFunc(rows, func(a, b Standing) int {
		return cmp.Or(cmp.Compare(order[a.Contender], order[b.Contender]), cmp.Compare(absolute[a.Contender], absolute[b.Contender]))
	})
	for r := range rows {
		rows[r].Rank = r + 1
		if r > 0 && order[rows[r].Contender] == order[rows[r-1].Contender] {
			rows[r].Rank = rows[r-1].Rank
		}
	}
	return rows
}

// Keep drops the values of every metric but one.
func (s *Standings) Keep(metric string) {
	at := slices.IndexFunc(s.Metrics, func(m score.Metric) bool { return m.Name == metric })
	s.Metrics = s.Metrics[at : at+1]
	for _, slice := range s.Slices {
		for i := range slice.Rows {
			slice.Rows[i].Values = slice.Rows[i].Values[at : at+1]
		}
	}
}

// Best gives, for a standings cut by series, each series' leading contender.
func (s *Standings) Best() map[string]string {
	out := make(map[string]string, len(s.Slices))
	for _, sl := range s.Slices {
		out[sl.Name] = sl.Rows[0].Contender
	}
	return out
}
