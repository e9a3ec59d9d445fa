package bakeoff

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
	"paperkettle/core/score"
)

// Tune asks for a search over a contender's settings, scored on inner windows of the
// training part alone.
type Tune struct {
	Settings map[string][]any `json:"settings"`          // the values to try of each
	Search   string           `json:"search,omitempty"`  // grid, the default, or random
	Tries    int              `json:"tries,omitempty"`   // of a random search
	Windows  int              `json:"windows,omitempty"` // inner windows, one horizon apart
	Per      string           `json:"per,omitempty"`     // TuneAll, the default, or TuneSeries
	Within   float64          `json:"within,omitempty"`  // minutes after which no further combination is tried; 0 for no bound
}

// How far a choice of settings reaches.
const (
	TuneAll    = "all"
	TuneSeries = "series"
)

const (
	searchGrid   = "grid"
	searchRandom = "random"
	mostTries    = 200
	// tuneSample bounds the series on which settings for all are scored.
	tuneSample = 500
)

func (t *Tune) complete(cat model.Catalogue, c Contender) error {
	if t.Search == "" {
		t.Search = searchGrid
	}
	if t.Windows == 0 {
		t.Windows = 1
	}
	if t.Per == "" {
		t.Per = TuneAll
	}
	if t.Search == searchRandom && t.Tries == 0 {
		t.Tries = 20
	}
	switch {
	case t.Search != searchGrid && t.Search != searchRandom:
		return fmt.Errorf("search %q is not known: use grid or random", t.Search)
	case t.Per != TuneAll && t.Per != TuneSeries:
		return fmt.Errorf("per %q is not known: use all or series", t.Per)
	case t.Windows < 1 || t.Windows > 20:
		return errors.New("there must be 1 to 20 inner windows")
	case !(t.Within >= 0):
		return errors.New("within is a number of minutes from 0 up")
	case t.Tries < 0 || t.Tries > mostTries:
		return fmt.Errorf("there can be at most %d tries", mostTries)
	case len(t.Settings) == 0:
		return errors.New("name the settings to try with their values")
	}
	f, err := cat.Find(c.Family)
	if err != nil {
		return err
	}
	if f.Combine != nil {
		return errors.New("a family that combines others can't be tuned")
	}
	size := 1
	for name, values := range t.Settings {
		if len(values) == 0 {
			return fmt.Errorf("the setting %s has no values to try", name)
		}
		if _, both := c.Settings[name]; both {
			return fmt.Errorf("the setting %s is given and tuned: leave it in one place", name)
		}
		for _, v := range values {
			given := model.Values{}
			maps.Copy(given, c.Settings)
			given[name] = v
			if _, _, err := cat.New(c.Family, given); err != nil {
				return err
			}
		}
		if size *= len(values); size > 1_000_000 {
			return errors.New("the grid has more than a million combinations")
		}
	}
	if t.Search == searchGrid && size > mostTries {
		return fmt.Errorf("the grid has %d combinations, and at most %d are tried: search at random, or try fewer values", size, mostTries)
	}
	return nil
}

// combinations lists the settings to try: the whole grid in a fixed order, or draws
// from it without repeats.
func (t *Tune) combinations(rnd *rand.Rand) []model.Values {
	names := slices.Sorted(maps.Keys(t.Settings))
	size := 1
	for _, n := range names {
		size *= len(t.Settings[n])
	}
	which := make([]int, size)
	for i := range which {
		which[i] = i
	}
	if t.Search == searchRandom && t.Tries < size {
		rnd.Shuffle(size, func(i, j int) { which[i], which[j] = which[j], which[i] })
		if which = which[:t.Tries]; t.Within == 0 { // within a time the first of them are tried
			slices.Sort(which)
		}
	}
	out := make([]model.Values, len(which))
	for k, index := range which {
		out[k] = model.Values{}
		for _, n := range slices.Backward(names) {
			values := t.Settings[n]
			out[k][n] = values[index%len(values)]
			index /= len(values)
		}
	}
	return out
}

// Tuned reports a search: every combination with its score on the inner windows.
type Tuned struct {
	Metric string   `json:"metric"`
	Trials []Trial  `json:"trials"`
	Matter []Matter `json:"matter,omitempty"` // the settings, the one that matters most first
}

// Trial is a combination of settings that was tried.
type Trial struct {
	Settings model.Values `json:"settings"`
	Score    *float64     `json:"score"`            // over all series; nil where unknown
	Chosen   int          `json:"chosen,omitempty"` // series that took it
	Problem  string       `json:"problem,omitempty"`
	// Values are the usual metrics on the inner windows, and coverage, for the report.
	Values map[string]float64 `json:"values,omitempty"`
}

// Matter says how much of the scores' variance over the trials a setting explains by
// itself: the variance of its values' mean scores, as a share of the whole.
type Matter struct {
	Setting string  `json:"setting"`
	Share   float64 `json:"share"`
}

// tuned makes the model of a contender that is tuned.
func tuned(plan *Plan, cat model.Catalogue, c Contender, cadence calendar.Cadence, reach int) (model.Model, error) {
	m := &tunedModel{tune: *c.Tune, levels: plan.Levels, lag: plan.scaleLag(cadence), horizon: reach}
	var err error
	if m.metric, err = score.FindMetric(plainMetric(plan.Metric), plan.Levels); err != nil {
		return nil, err
	}
	for _, settings := range c.Tune.combinations(num.Stream(plan.Seed, "tune", c.Name)) {
		given := c.Given()
		maps.Copy(given, settings)
		made, _, err := cat.New(c.Family, given)
		if err != nil {
			return nil, err
		}
		m.settings, m.models = append(m.settings, settings), append(m.models, made)
	}
	return m, nil
}

// tunedModel trains the settings that do best on inner windows.
type tunedModel struct {
	tune     Tune
	settings []model.Values
	models   []model.Model
	metric   score.Metric
	levels   []float64
	lag      int
	horizon  int
}

func (m *tunedModel) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	sampled := m.sample(v, env)
	search, err := m.resume(v, env)
	if err != nil {
		return nil, err
	}
	report := &Tuned{Metric: m.metric.Name, Trials: search.Trials}
	scores := make([][]float64, len(m.models)) // [combination][series]
	copy(scores, search.Scores)
	clock := model.NewTimer(env.Clock, m.tune.Within, search.Spent)
	for k := len(report.Trials); k < len(m.models); k++ {
		trial := Trial{Settings: m.settings[k]}
		if k > 0 && clock.Over() {
			trial.Problem = notTried
			report.Trials = append(report.Trials, trial)
			continue
		}
		part := env.Within(tuningShare*float64(k)/float64(len(m.models)), tuningShare*float64(k+1)/float64(len(m.models)),
			fmt.Sprintf("trying settings, %d of %d", k+1, len(m.models)))
		total, each, err := m.attempt(ctx, m.models[k], sampled, part)
		switch {
		case ctx.Err() != nil:
			return nil, ctx.Err()
		case err != nil:
			trial.Problem = err.Error()
		default:
			if value := m.metric.Value(&total); value == value {
				trial.Score = &value
			}
			trial.Values = m.usual(&total)
			scores[k] = each
		}
		report.Trials = append(report.Trials, trial)
		search.Trials, search.Scores, search.Spent = report.Trials, scores[:k+1], clock.Spent()
		if err := search.save(env); err != nil {
			return nil, err
		}
	}
	choice := m.choose(report, scores, v.Len())
	report.Matter = matter(m.tune, report.Trials)
	return m.fit(ctx, v, env.Within(tuningShare, 1, "training with the settings chosen"), choice, report)
}

// notTried is said of a combination that there was no time for.
const notTried = "not tried: the time given was up"

// tuningShare is how much of the training the search takes, where it is told how far that is.
const tuningShare = 0.95

// searched is a search so far, as a checkpoint keeps it.
type searched struct {
	Of     string // what is tried, and on what
	Trials []Trial
	Scores [][]float64 // of each combination, by series
	Spent  time.Duration
}

// resume gives the search as a stop left it, or a new one.
func (m *tunedModel) resume(v panel.View, env model.Env) (*searched, error) {
	s := &searched{}
	if env.Checkpoint == nil {
		return s, nil
	}
	of := fmt.Sprintf("%v|%d|%s", m.settings, env.Horizon, v.Fingerprint())
	b, err := env.Checkpoint.Load()
	if err != nil {
		return nil, err
	}
	var kept searched
	if len(b) > 0 && gob.NewDecoder(bytes.NewReader(b)).Decode(&kept) == nil && kept.Of == of && len(kept.Trials) <= len(m.models) &&
		len(kept.Scores) == len(kept.Trials) {
		for k := range kept.Trials {
			kept.Trials[k].Settings = m.settings[k]
		}
		return &kept, nil
	}
	s.Of = of
	return s, nil
}

func (s *searched) save(env model.Env) error {
	if env.Checkpoint == nil {
		return nil
	}
	kept := *s
	kept.Trials = slices.Clone(s.Trials)
	for k := range kept.Trials {
		kept.Trials[k].Settings = nil // known from the plan; and of any type
	}
	var b bytes.Buffer
	if err := gob.NewEncoder(&b).Encode(kept); err != nil {
		return err
	}
	return env.Checkpoint.Save(b.Bytes())
}

// usual are the metrics that a report of a search shows beside the one that it goes by.
func (m *tunedModel) usual(acc *score.Acc) map[string]float64 {
	out := map[string]float64{}
	names := []string{"mape", "mae", "rmse"}
	for _, l := range m.levels {
		names = append(names, "coverage"+score.LevelText(l))
	}
	for _, name := range names {
		if metric, err := score.FindMetric(name, m.levels); err == nil {
			if v := metric.Value(acc); v == v {
				out[name] = v
			}
		}
	}
	return out
}

// sample bounds the work of a choice for all series.
func (m *tunedModel) sample(v panel.View, env model.Env) panel.View {
	if m.tune.Per == TuneSeries || v.Len() <= tuneSample {
		return v
	}
	places := env.Random("").Perm(v.Len())[:tuneSample]
	slices.Sort(places)
	return v.Pick(places)
}

// attempt scores a combination on the inner windows, in total and for each series.
func (m *tunedModel) attempt(ctx context.Context, candidate model.Model, v panel.View, env model.Env) (score.Acc, []float64, error) {
	total := score.NewAcc(len(m.levels))
	accs := make([]score.Acc, v.Len())
	for i := range accs {
		accs[i] = score.NewAcc(len(m.levels))
	}
	s := newScorer(m.levels)
	for k := m.tune.Windows; k >= 1; k-- {
		origin := v.Origin() - k*m.horizon
		if origin-v.From() < 1 {
			continue
		}
		inner := v.Before(origin)
		rows, errs, err := Forecast(ctx, candidate, inner,
			model.Env{Horizon: m.horizon, Workers: env.Workers, Judge: env.Judge, Random: env.Random, Report: env.Report, Clock: env.Clock})
		if err != nil {
			return total, nil, err
		}
		for i := range rows {
			if errs[i] == nil {
				s.inner(&accs[i], rows[i], inner.Series(i), v.Series(i), m.lag)
			}
		}
	}
	each := make([]float64, len(accs))
	for i := range accs {
		each[i] = m.metric.Value(&accs[i])
		total.Merge(&accs[i])
	}
	return total, each, nil
}

// inner scores the forecast of a training part's own end.
func (s *scorer) inner(acc *score.Acc, rows forecast.Rows, seen, whole panel.SeriesView, lag int) {
	scale := score.MakeScale(seen.Values, lag)
	one := score.NewAcc(len(acc.Levels))
	for h, f := range rows.Mean {
		at := seen.First + len(seen.Values) + h - whole.First
		if at < 0 || at >= len(whole.Values) {
			continue
		}
		if s.set(whole.Values[at], f, scale, rows.At(h)) {
			one.Take(s.point)
		}
	}
	one.CloseSeries(scale)
	acc.Merge(&one)
}

// choose gives each series the place of its combination.
func (m *tunedModel) choose(report *Tuned, scores [][]float64, n int) []int {
	best, lowest := 0, math.Inf(1)
	for k, t := range report.Trials {
		if t.Score != nil && m.metric.Order(*t.Score) < lowest {
			best, lowest = k, m.metric.Order(*t.Score)
		}
	}
	choice := make([]int, n)
	for i := range choice {
		choice[i] = best
		if m.tune.Per == TuneSeries {
			least := math.Inf(1)
			for k := range scores {
				if i < len(scores[k]) && scores[k][i] == scores[k][i] && m.metric.Order(scores[k][i]) < least {
					choice[i], least = k, m.metric.Order(scores[k][i])
				}
			}
		}
		report.Trials[choice[i]].Chosen++
	}
	return choice
}

// matter ranks the settings by the variance that their values' means explain.
func matter(t Tune, trials []Trial) []Matter {
	var all []float64
	for _, x := range trials {
		if x.Score != nil {
			all = append(all, *x.Score)
		}
	}
	mean, total := meanSquares(all)
	if len(all) < 2 || total == 0 {
		return nil
	}
	var out []Matter
	for _, name := range slices.Sorted(maps.Keys(t.Settings)) {
		groups := map[string][]float64{}
		for _, x := range trials {
			if x.Score != nil {
				key := fmt.Sprint(x.Settings[name])
				groups[key] = append(groups[key], *x.Score)
			}
		}
		between := 0.0
		for _, key := range slices.Sorted(maps.Keys(groups)) {
			m, _ := meanSquares(groups[key])
			between += float64(len(groups[key])) * (m - mean) * (m - mean)
		}
		out = append(out, Matter{name, between / total})
	}
	slices.SortStableFunc(out, func(a, b Matter) int {
		switch {
		case a.Share > b.Share:
			return -1
		case a.Share < b.Share:
			return 1
		}
		return 0
	})
	return out
}

func meanSquares(x []float64) (mean, ss float64) {
	for i, v := range x {
		d := v - mean
		mean += d / float64(i+1)
		ss += d * (v - mean)
	}
	return mean, ss
}
