package bakeoff

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/core/split"
)

// Newcomer is how a contender did on a series that had too few values before a window's origin to be
// trained on, so that it was forecast from its likes. It is assessed apart from the others: it has no
// scale, and nothing to repeat that a baseline could go by.
type Newcomer struct {
	Series string        `json:"series"`
	Scores score.Acc     `json:"-"`
	Rows   forecast.Rows `json:"-"` // none where it failed, or where an earlier version kept none
	Packed []byte        `json:"scores"`
	Record []byte        `json:"forecast,omitempty"`
	Failed string        `json:"failed,omitempty"` // why it got no forecast
}

// OthersReference is the name under which what all others sold stands among those that forecast newcomers.
const OthersReference = "all others"

// Newcomers are the standings of those that forecast newcomers, and of the reference that takes each for
// any of the others.
type Newcomers struct {
	Series []string // in the order of the panel
	Places int      // series in a window
	Rows   []NewcomerRow
}

// NewcomerRow is one contender's line. Failed counts places without a forecast, which are left out; Why is
// the reason of the first.
type NewcomerRow struct {
	Contender string
	Points    int
	Failed    int
	Why       string
	Values    []float64 // in the order of Standings.Metrics; those that ask for a scale are unknown
}

// newcomers lists the series that have values to be assessed on in a window, but not enough before it to
// be trained on.
func (e *Engine) newcomers(w split.Window) (out []int) {
	for _, s := range e.Chosen {
		if e.isNew(s, w) {
			out = append(out, s)
		}
	}
	return out
}

func (e *Engine) isNew(series int, w split.Window) bool {
	own := &e.Panel.Series[series]
	return e.isFor(series, w) && knownBetween(own, w.TrainFirst, w.Origin, MinKnown) < MinKnown &&
		knownBetween(own, w.AssessFirst(), w.AssessLast, 1) > 0
}

// NewIn lists the windows in which a series, by its place in the panel, is a newcomer.
func (e *Engine) NewIn(series int) (windows []int) {
	if !slices.Contains(e.Chosen, series) {
		return nil
	}
	for w, win := range e.Windows {
		if e.isNew(series, win) {
			windows = append(windows, w)
		}
	}
	return windows
}

// newcomerCautions say that some series are new in every window, where a contender would forecast them.
func (e *Engine) newcomerCautions() []string {
	names := e.Lineup.welcoming()
	if len(names) == 0 {
		return nil
	}
	taking := make([]bool, len(e.Panel.Series))
	for _, q := range e.Qualified {
		for _, s := range q {
			taking[s] = true
		}
	}
	found := map[int]bool{}
	for _, w := range e.Windows {
		for _, s := range e.newcomers(w) {
			if !taking[s] {
				found[s] = true
			}
		}
	}
	if len(found) == 0 {
		return nil
	}
	return []string{fmt.Sprintf("%s too new to be ranked on: fewer than %d values before each origin. %s them from series like them; "+
		"how well is told apart, under newcomers", seriesAre(len(found)), MinKnown, forecasts(names))}
}

func forecasts(names []string) string {
	if len(names) == 1 {
		return names[0] + " forecasts"
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1] + " forecast"
}

func seriesAre(n int) string {
	if n == 1 {
		return "1 series is"
	}
	return fmt.Sprintf("%d series are", n)
}

// welcome lets a task's contender forecast the newcomers of a window, and scores it; nil where it
// forecasts none, or there are none.
func (e *Engine) welcome(ctx context.Context, w int, contender int, fits []*fit) ([]Newcomer, error) {
	host, ok := e.Lineup.host(contender, fits)
	if !ok {
		return nil, nil
	}
	win := e.Windows[w]
	list := e.newcomers(win)
	if len(list) == 0 {
		return nil, nil
	}
	series := append(slices.Clone(list), e.withHistory(win)...)
	slices.Sort(series)
	res, err := e.welcomed(ctx, host, e.occasion(w, contender, series), contender)
	if err != nil {
		return nil, err
	}
	out := make([]Newcomer, 0, len(list))
	for i, s := range series {
		if _, ok := slices.BinarySearch(list, s); !ok {
			continue
		}
		n := Newcomer{Series: e.Panel.Series[s].Key, Scores: score.NewAcc(len(e.Plan.Levels))}
		if res.Err[i] != nil {
			n.Failed = res.Err[i].Error()
		} else {
			n.Rows = afterGap(res.Series[i], e.Plan.Split.Gap)
			n.Rows.Pack(nil) // rounded, as it is kept: what is scored is what can be read
			n.Scores = e.scoreNewcomer(s, win, n.Rows)
		}
		out = append(out, n)
	}
	return out, nil
}

// welcomed asks a model; one that breaks down fails on all newcomers.
func (e *Engine) welcomed(ctx context.Context, host model.Welcoming, o occasion, contender int) (res model.Result, err error) {
	err = model.Guard(func() (err error) {
		res, err = host.Welcome(ctx, o.view, e.Lineup.env(contender, o))
		return err
	})
	if err != nil && ctx.Err() == nil {
		res = model.Result{Series: make([]forecast.Rows, o.view.Len()), Err: slices.Repeat([]error{err}, o.view.Len())}
		err = nil
	}
	return res, err
}

func (e *Engine) scoreNewcomer(series int, win split.Window, rows forecast.Rows) score.Acc {
	p := newPrediction([]int{series})
	p.rows[0], p.scales = rows, []score.Scale{{}}
	return e.resultIn(win, []int{series}, p).Series[0]
}

// others is the reference: what the series with a past sold over the last season or horizon, whichever is
// longer, as a distribution that any newcomer's value is taken to be of.
func (e *Engine) others(win split.Window) (rows forecast.Rows, ok bool) {
	rows = forecast.NewRows(e.Plan.Split.Horizon)
	back := max(e.Panel.Cadence.Season(), e.Plan.Split.Horizon)
	var values []float64
	for _, s := range e.withHistory(win) {
		own := &e.Panel.Series[s]
		for t := max(win.Origin-back+1, own.First, win.TrainFirst); t <= min(win.Origin, own.End()-1); t++ {
			if y := own.At(t); panel.Known(y) && !e.Panel.IsClosed(s, t) {
				values = append(values, y)
			}
		}
	}
	if len(values) == 0 {
		return rows, false
	}
	slices.Sort(values)
	for h := range rows.Mean {
		rows.Mean[h] = mean(values)
		for g, p := range forecast.Grid {
			rows.At(h)[g] = values[int(p*float64(len(values)-1)+0.5)]
		}
	}
	return rows, true
}

// AddNewcomers takes what a contender's task kept of a window's newcomers.
func (t *Tally) AddNewcomers(task Task, list []Newcomer) {
	if t.per != "" || len(list) == 0 {
		return
	}
	if t.entered == nil {
		t.entered = map[int]map[int][]Newcomer{}
	}
	if t.entered[task.Contender] == nil {
		t.entered[task.Contender] = map[int][]Newcomer{}
	}
	t.entered[task.Contender][task.Window] = list
}

// newcomers reads the standings of those that forecast newcomers, over the windows that all of them have
// done; nil where there are none.
func (t *Tally) newcomers() *Newcomers {
	windows := t.enteredByAll()
	if len(windows) == 0 {
		return nil
	}
	e, out, seen := t.e, &Newcomers{}, map[string]bool{}
	reference := score.NewAcc(len(e.Plan.Levels))
	for _, w := range windows {
		rows, ok := e.others(e.Windows[w])
		for _, s := range e.newcomers(e.Windows[w]) {
			seen[e.Panel.Series[s].Key] = true
			out.Places++
			if ok {
				acc := e.scoreNewcomer(s, e.Windows[w], rows.From(0))
				reference.Merge(&acc)
			}
		}
	}
	for _, s := range e.Chosen {
		if key := e.Panel.Series[s].Key; seen[key] {
			out.Series = append(out.Series, key)
		}
	}
	for c, byWindow := range t.entered {
		row, acc := NewcomerRow{Contender: e.Plan.Contenders[c].Name}, score.NewAcc(len(e.Plan.Levels))
		for _, w := range windows {
			for i := range byWindow[w] {
				n := &byWindow[w][i]
				if n.Failed != "" {
					row.Failed++
					row.Why = cmp.Or(row.Why, n.Series+": "+n.Failed)
				}
				acc.Merge(&n.Scores)
			}
		}
		row.Points, row.Values = int(acc.N), t.values(&acc)
		out.Rows = append(out.Rows, row)
	}
	out.Rows = append(out.Rows, NewcomerRow{Contender: OthersReference, Points: int(reference.N), Values: t.values(&reference)})
	t.sortNewcomers(out.Rows)
	return out
}

// enteredByAll lists the windows of which every contender that forecasts newcomers has told.
func (t *Tally) enteredByAll() (windows []int) {
	for w := range t.e.Windows {
		all := len(t.entered) > 0
		for _, byWindow := range t.entered {
			all = all && byWindow[w] != nil
		}
		if all {
			windows = append(windows, w)
		}
	}
	return windows
}

// sortNewcomers puts the least weighted absolute percentage error first: what is scaled is not known here.
func (t *Tally) sortNewcomers(rows []NewcomerRow) {
	at := slices.IndexFunc(t.metrics, func(m score.Metric) bool { return m.Name == "wape" })
	slices.SortFunc(rows, func(a, b NewcomerRow) int {
		x, y := a.Values[at], b.Values[at]
		switch {
		case x < y || !math.IsNaN(x) && math.IsNaN(y):
			return -1
		case x > y || !math.IsNaN(y) && math.IsNaN(x):
			return 1
		}
		return strings.Compare(a.Contender, b.Contender)
	})
}

// packNewcomers writes them as JSON; empty where there are none.
func packNewcomers(list []Newcomer) ([]byte, error) {
	if len(list) == 0 {
		return nil, nil
	}
	out := slices.Clone(list)
	for i := range out {
		out[i].Packed = out[i].Scores.AppendPacked(nil)
		if out[i].Rows.Mean != nil {
			out[i].Record = out[i].Rows.Pack(nil)
		}
	}
	return json.Marshal(out)
}

// ReadNewcomers reads what a record keeps of newcomers, for a plan.
func ReadNewcomers(b []byte, plan *Plan) (list []Newcomer, err error) {
	if err := json.Unmarshal(b, &list); err != nil {
		return nil, errors.Join(errDamaged, err)
	}
	for i := range list {
		list[i].Scores = score.NewAcc(len(plan.Levels))
		if err := list[i].Scores.Unpack(list[i].Packed); err != nil {
			return nil, err
		}
		if n := &list[i]; len(n.Record) > 0 {
			n.Rows = forecast.NewRows(plan.Split.Horizon)
			if len(n.Record) != forecast.RecordSize(n.Record, plan.Split.Horizon) {
				return nil, errDamaged
			}
			if err := n.Rows.Unpack(n.Record); err != nil {
				return nil, errors.Join(errDamaged, err)
			}
		}
		list[i].Packed, list[i].Record = nil, nil
	}
	return list, nil
}
