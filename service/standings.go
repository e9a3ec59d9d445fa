package service

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/score"
	"paperkettle/core/split"
	"paperkettle/store"
)

// leader is the first line of a finished bake-off's standings.
func (s *Server) leader(ctx context.Context, b *store.Bakeoff) (bakeoff.Standing, error) {
	if known, ok := s.leaders.Load(b.ID); ok {
		return known.(bakeoff.Standing), nil
	}
	e, err := s.engine(ctx, b)
	if err != nil {
		return bakeoff.Standing{}, err
	}
	st, err := s.results.Standings(ctx, e, b.ID, "", "")
	if err != nil || len(st.Slices) == 0 {
		return bakeoff.Standing{Skill: math.NaN()}, err
	}
	s.leaders.Store(b.ID, st.Slices[0].Rows[0])
	return st.Slices[0].Rows[0], nil
}

type standingsQuery struct {
	BakeoffPath
	Metric string `query:"metric" doc:"the plan's where left out"`
	Per    string `query:"per" doc:"step, window, series, demand, history, volume, weekday, month, quarter, time-of-day or an attribute, or two of them apart by a comma; the whole where left out"`
	Brief  bool   `query:"brief" doc:"values of the ranking metric alone"`
}

func (s *Server) getStandings(ctx context.Context, in *standingsQuery) (api.Standings, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return api.Standings{}, err
	}
	return s.standings(ctx, b, in.Metric, in.Per, in.Brief)
}

func (s *Server) standings(ctx context.Context, b *store.Bakeoff, metric, per string, brief bool) (api.Standings, error) {
	e, err := s.engine(ctx, b)
	if err != nil {
		return api.Standings{}, err
	}
	if per == "all" {
		per = ""
	}
	st, err := s.results.Standings(ctx, e, b.ID, metric, per)
	if err != nil {
		return api.Standings{}, err
	}
	var job store.Job
	if err := s.store.Read(ctx).First(&job, b.JobID).Error; err != nil {
		return api.Standings{}, err
	}
	if brief {
		st.Keep(st.Metric)
	}
	out := standingsOf(st)
	out.Bakeoff, out.Complete = idText("bake", b.ID), job.State == store.Done
	if out.Filled, err = s.filled(ctx, e, b.ID); err != nil {
		return out, err
	}
	if per == "" {
		out.Weights = e.Plan.Weights
		if err := s.addCosts(ctx, &out, e, b.ID); err != nil {
			return out, err
		}
		out.Sentence = sentence(out, e)
		out.Cautions = append(stoodIn(out, e), e.Cautions()...)
		return out, nil
	}
	if per == "series" {
		if err := s.addFound(ctx, &out, e, b.ID); err != nil {
			return out, err
		}
	}
	whole, err := s.standings(ctx, b, metric, "", false)
	out.Sentence = whole.Sentence
	return out, err
}

func (s *Server) addCosts(ctx context.Context, out *api.Standings, e *bakeoff.Engine, id uint) error {
	costs, err := s.results.Costs(ctx, e, id)
	if err != nil || len(out.Slices) == 0 {
		return err
	}
	for i := range out.Slices[0].Rows {
		r := &out.Slices[0].Rows[i]
		c := costs[e.Plan.Contender(r.Contender)]
		r.Seconds, r.Bytes = c.Seconds, c.Bytes
	}
	return nil
}

// addFound says what each contender found for each series.
func (s *Server) addFound(ctx context.Context, out *api.Standings, e *bakeoff.Engine, id uint) error {
	found, err := s.results.Found(ctx, e, id)
	if err != nil {
		return err
	}
	for _, slice := range out.Slices {
		for i := range slice.Rows {
			r := &slice.Rows[i]
			r.Found = found[e.Plan.Contender(r.Contender)][slice.Name]
		}
	}
	return nil
}

func metricOf(m score.Metric) api.Metric {
	return api.Metric{Name: m.Name, Label: m.Label(), Meaning: m.Meaning, Share: m.Share, Unit: m.Unit}
}

func standingsOf(st *bakeoff.Standings) api.Standings {
	out := api.Standings{Metric: st.Metric, By: st.Metric, Baseline: st.Baseline, Per: st.Per, Slices: []api.StandingsSlice{}, Series: st.Series}
	if st.Weighted {
		out.By = "weighted " + st.Metric
	}
	if st.Series > 0 {
		out.Hindsight, out.CriticalDistance = number(st.Hindsight), number(st.CriticalDistance)
	}
	for _, m := range st.Metrics {
		out.Metrics = append(out.Metrics, metricOf(m))
	}
	byMetric := func(values []float64) map[string]*float64 { return byMetricOf(st.Metrics, values) }
	out.Newcomers = newcomersOf(st)
	for _, sl := range st.Slices {
		slice := api.StandingsSlice{Name: sl.Name}
		for _, r := range sl.Rows {
			row := api.StandingRow{Rank: r.Rank, Contender: r.Contender, Points: r.Points, Filled: r.Filled, Skill: number(r.Skill),
				Values: byMetric(r.Values)}
			if o := r.Over; o != nil && len(st.Metrics) == len(r.Values) && len(st.Metrics) > 1 {
				row.Train = known(byMetric(o.Train))
				if row.Over = overOf(o); !slices.ContainsFunc(o.Weighted, func(v float64) bool { return v == v }) {
					o.Weighted = nil
				}
				row.Weighted = byMetric(o.Weighted)
			}
			slice.Rows = append(slice.Rows, row)
		}
		out.Slices = append(out.Slices, slice)
	}
	return out
}

func byMetricOf(metrics []score.Metric, values []float64) map[string]*float64 {
	if values == nil {
		return nil
	}
	all := make(map[string]*float64, len(values))
	for i, m := range metrics {
		all[m.Name] = number(values[i])
	}
	return all
}

// newcomersShown is how many of them are named.
const newcomersShown = 100

func newcomersOf(st *bakeoff.Standings) *api.Newcomers {
	n := st.Newcomers
	if n == nil {
		return nil
	}
	out := &api.Newcomers{Series: n.Series[:min(len(n.Series), newcomersShown)], Count: len(n.Series), Places: n.Places,
		Meaning: fmt.Sprintf("%d series with fewer than %d values before an origin: forecast there from series like them, and assessed "+
			"apart, without scale or baseline. 'All others' takes what every other series sold last for a newcomer's: who does no better knows nothing of its likes.",
			len(n.Series), bakeoff.MinKnown)}
	for _, m := range st.Metrics {
		if slices.Contains([]string{"wape", "mae", "bias", "crps"}, m.Name) || strings.HasPrefix(m.Name, "coverage") {
			out.Metrics = append(out.Metrics, m.Name)
		}
	}
	for _, r := range n.Rows {
		out.Rows = append(out.Rows, api.NewcomerRow{Contender: r.Contender, Reference: r.Contender == bakeoff.OthersReference, Points: r.Points,
			Failed: r.Failed, Why: r.Why, Values: byMetricOf(st.Metrics, r.Values)})
	}
	return out
}

// known leaves out what is unknown.
func known(values map[string]*float64) map[string]*float64 {
	maps.DeleteFunc(values, func(_ string, v *float64) bool { return v == nil })
	return values
}

func overOf(o *bakeoff.Over) *api.OverSeries {
	return &api.OverSeries{Mean: number(o.Mean), Median: number(o.Median), MeanRank: number(o.MeanRank), Won: number(o.Won), Beats: number(o.Beats),
		BehindLow: number(o.Behind.Low), BehindHigh: number(o.Behind.High), P: number(o.P), LikeLeader: o.LikeLeader}
}

const filledShown = 100

func (s *Server) filled(ctx context.Context, e *bakeoff.Engine, id uint) ([]api.Filled, error) {
	byTask, err := s.results.Filled(ctx, id)
	if err != nil {
		return nil, err
	}
	tasks := slices.SortedFunc(maps.Keys(byTask), func(a, b bakeoff.Task) int {
		return cmp.Or(cmp.Compare(a.Window, b.Window), cmp.Compare(a.Contender, b.Contender), cmp.Compare(a.Shard, b.Shard))
	})
	var out []api.Filled
	for _, t := range tasks {
		for _, f := range byTask[t] {
			if len(out) < filledShown {
				out = append(out, api.Filled{Contender: e.Plan.Contenders[t.Contender].Name, Window: e.Windows[t.Window].Index, Series: f.Series,
					Reason: f.Reason})
			}
		}
	}
	return out, nil
}

// sentence is the first line of the standings: who leads, by how much, whether it may be
// chance, and what it costs.
func sentence(st api.Standings, e *bakeoff.Engine) string {
	if len(st.Slices) == 0 {
		return "Nothing to rank yet: no window is finished by every contender."
	}
	rows := st.Slices[0].Rows
	lead := rows[0]
	text := lead.Contender + " leads"
	switch {
	case ranked(st, lead) == nil:
		return fmt.Sprintf("No contender has a %s here, since what it divides by is zero: rank by another metric.", labelOf(st))
	case len(rows) == 1:
		return fmt.Sprintf("%s ran alone: enter a second contender to compare it with.", lead.Contender)
	case rows[1].Rank == 1:
		text = fmt.Sprintf("%s and %s share the lead", lead.Contender, rows[1].Contender)
	case lead.Contender == st.Baseline:
		text = fmt.Sprintf("Nothing beats the baseline: %s leads", lead.Contender)
	case lead.Skill != nil:
		text = fmt.Sprintf("%s leads by %.1f %% over %s", lead.Contender, 100**lead.Skill, st.Baseline)
	}
	text += fmt.Sprintf(" on %s over %d points in %s", labelOf(st), lead.Points, windowsText(e))
	if !st.Complete {
		text += ", so far"
	}
	if luck := luckOf(rows); luck != "" {
		text += "; " + luck
	} else if e.Plan.Split.Windows == 1 {
		text += "; with a single window the lead may be chance"
	}
	return text + costOf(rows) + "."
}

// windowsText counts the windows, and says where they are each series' own.
func windowsText(e *bakeoff.Engine) string {
	n := e.Plan.Split.Windows
	text := fmt.Sprintf("%d %s", n, plural(n, "window"))
	if e.Plan.Split.Ends == split.OwnEnds {
		text += " before each series' own end"
	}
	return text
}

// labelOf is what the standings go by, as people write it.
func labelOf(st api.Standings) string {
	label := st.Metric
	for _, m := range st.Metrics {
		if m.Name == st.Metric {
			label = m.Label
		}
	}
	if st.By != st.Metric {
		return "weighted " + label
	}
	return label
}

// ranked is the figure of a contender that the standings go by.
func ranked(st api.Standings, r api.StandingRow) *float64 {
	if st.By != st.Metric {
		return r.Weighted[st.Metric]
	}
	return r.Values[st.Metric]
}

// stoodIn says of each contender that failed somewhere how much of its figures is the
// fallback's.
func stoodIn(st api.Standings, e *bakeoff.Engine) (out []string) {
	if len(st.Slices) == 0 {
		return nil
	}
	places := e.Places()
	for _, r := range st.Slices[0].Rows {
		switch {
		case r.Filled == 0:
		case e.Plan.Fallback == bakeoff.LeaveOut:
			out = append(out, fmt.Sprintf("%s failed on %d of %d places (a series in a window), which are left out of its figures.", r.Contender,
				r.Filled, places))
		case r.Rank == 0:
			out = append(out, fmt.Sprintf("%s failed on %d of %d places (a series in a window), where %s stood in: its figures are mostly not its "+
				"own, and it is not ranked.", r.Contender, r.Filled, places, e.Plan.Fallback))
		default:
			out = append(out, fmt.Sprintf("%s failed on %d of %d places (a series in a window), where %s stood in.", r.Contender, r.Filled, places,
				e.Plan.Fallback))
		}
	}
	return out
}

// luckOf names who can't be told from the leader; empty where nothing was tested.
func luckOf(rows []api.StandingRow) string {
	var like []string
	tested := false
	for _, r := range rows[1:] {
		if r.Over == nil || r.Over.BehindLow == nil && r.Over.P == nil || r.Rank == 1 {
			continue
		}
		tested = true
		if r.Over.LikeLeader {
			like = append(like, r.Contender)
		}
	}
	switch {
	case len(like) == 0 && tested:
		return "the lead over every other is more than chance"
	case len(like) == 1:
		return "the lead over " + like[0] + " may be chance"
	case len(like) > 1:
		return fmt.Sprintf("the lead over %s and %d more may be chance", like[0], len(like)-1)
	}
	return ""
}

// costOf says so where the leader takes far longer than the next.
func costOf(rows []api.StandingRow) string {
	a, b := rows[0].Seconds, rows[1].Seconds
	if a > 1 && b > 0 && a > 3*b {
		return fmt.Sprintf(". It takes %.0f times as long as %s", a/b, rows[1].Contender)
	}
	return ""
}

func plural(n int, word string) string {
	if n == 1 {
		return word
	}
	return word + "s"
}
