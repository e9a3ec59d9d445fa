package service

import (
	"bufio"
	"cmp"
	"context"
	"fmt"
	"html/template"
	"math"
	"slices"
	"strconv"
	"strings"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/export"
	"paperkettle/store"
)

// reportSeries is how many of the hardest series a report draws.
const reportSeries = 6

// reportMetrics are the columns of a report's standings, besides the ranking one.
var reportMetrics = []string{"mae", "rmse", "bias", "wape", "mase", "crps"}

// report writes a bake-off as one page.
func (s *Server) report(ctx context.Context, in *BakeoffPath) (stream, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return stream{}, err
	}
	e, err := s.engine(ctx, b)
	if err != nil {
		return stream{}, err
	}
	shown, err := s.bakeoffOf(ctx, b, false)
	if err != nil {
		return stream{}, err
	}
	st, err := s.standings(ctx, b, "", "", false)
	if err != nil {
		return stream{}, err
	}
	if len(st.Slices) == 0 {
		return stream{}, conflict("%s has no finished window yet: there is nothing to report", shown.ID)
	}
	r := export.Report{Title: shown.Name, Lead: st.Sentence, Facts: factsOfPlan(shown, e)}
	r.Sections = append(r.Sections, standingsSection(st))
	if st.Newcomers != nil {
		r.Sections = append(r.Sections, newcomersSection(st))
	}
	for _, cut := range []string{"step", "window", "volume", "demand"} {
		section, err := s.cutSection(ctx, b, e, cut)
		if err != nil {
			return stream{}, err
		}
		r.Sections = append(r.Sections, section)
	}
	hardest, err := s.hardestSection(ctx, b, e, st)
	if err != nil {
		return stream{}, err
	}
	r.Sections = append(r.Sections, hardest, meanings(st))
	return stream{name: shown.ID + "-report.html", write: func(w *bufio.Writer) error { return export.WriteReport(w, r) }}, nil
}

func factsOfPlan(b api.Bakeoff, e *bakeoff.Engine) [][2]string {
	p := b.Plan
	text := func(v int) string { return strconv.Itoa(v) }
	facts := [][2]string{
		{"bake-off", b.ID + ", " + b.Name}, {"dataset", fmt.Sprintf("%s, revision %d: %s of %d series by %s", p.Dataset, p.Revision, b.Measure,
			len(e.Chosen), b.Cadence)},
		{"windows", fmt.Sprintf("%s of %d periods, a stride of %d, a gap of %d, history %s, trained %s", windowsText(e), p.Horizon, p.Stride,
			p.Gap, p.History, e.Plan.Split.Refit)},
		{"baseline", p.Baseline}, {"ranked by", p.Metric}, {"seed", strconv.FormatUint(p.Seed, 10)},
		{"set aside", text(len(e.SetAside)) + " places (a series in a window)"},
	}
	if p.Weights != "" {
		facts = append(facts, [2]string{"weights", p.Weights})
	}
	return facts
}

func figure(v *float64) string {
	if v == nil {
		return "–"
	}
	digits := 0
	if *v != math.Trunc(*v) {
		digits = max(0, min(4, 3-int(math.Floor(math.Log10(math.Abs(*v))))))
	}
	return strconv.FormatFloat(*v, 'f', digits, 64)
}

func perCent(v *float64) string {
	if v == nil {
		return "–"
	}
	return strconv.FormatFloat(100**v, 'f', 1, 64) + " %"
}

// newcomersSection tells how series without a past were forecast.
func newcomersSection(st api.Standings) export.Section {
	out := export.Section{Title: "Newcomers", Head: []string{"contender"}, Note: st.Newcomers.Meaning}
	var metrics []api.Metric
	for _, m := range st.Metrics {
		if slices.Contains(st.Newcomers.Metrics, m.Name) {
			metrics, out.Head = append(metrics, m), append(out.Head, m.Name)
		}
	}
	out.Head = append(out.Head, "points", "failed")
	for _, r := range st.Newcomers.Rows {
		row := []string{r.Contender}
		for _, m := range metrics {
			if m.Share {
				row = append(row, perCent(r.Values[m.Name]))
			} else {
				row = append(row, figure(r.Values[m.Name]))
			}
		}
		out.Rows = append(out.Rows, append(row, strconv.Itoa(r.Points), strconv.Itoa(r.Failed)))
	}
	return out
}

func standingsSection(st api.Standings) export.Section {
	metrics := []api.Metric{}
	for _, m := range st.Metrics {
		if m.Name == st.Metric || slices.Contains(reportMetrics, m.Name) || strings.HasPrefix(m.Name, "coverage") {
			metrics = append(metrics, m)
		}
	}
	out := export.Section{Title: "Standings", Head: []string{"contender", "rank", "skill"},
		Note: "In training: the ranking metric one step ahead within the training part, where the model tells. Like the leader: the 95 % " +
			"interval of the difference, over series and windows, holds zero."}
	for _, m := range metrics {
		out.Head = append(out.Head, m.Name)
	}
	out.Head = append(out.Head, "in training", "mean rank", "series won", "beats baseline", "like the leader", "seconds")
	for _, r := range st.Slices[0].Rows {
		row := []string{r.Contender, strconv.Itoa(r.Rank), perCent(r.Skill)}
		for _, m := range metrics {
			if m.Share {
				row = append(row, perCent(r.Values[m.Name]))
			} else {
				row = append(row, figure(r.Values[m.Name]))
			}
		}
		row = append(row, figure(r.Train[st.Metric]))
		if o := r.Over; o != nil {
			row = append(row, figure(o.MeanRank), perCent(o.Won), perCent(o.Beats), map[bool]string{true: "yes", false: "no"}[o.LikeLeader])
		} else {
			row = append(row, "–", "–", "–", "–")
		}
		out.Rows = append(out.Rows, append(row, strconv.FormatFloat(r.Seconds, 'f', 2, 64)))
	}
	return out
}

func (s *Server) cutSection(ctx context.Context, b *store.Bakeoff, e *bakeoff.Engine, per string) (export.Section, error) {
	st, err := s.standings(ctx, b, "", per, true)
	if err != nil {
		return export.Section{}, err
	}
	out := export.Section{Title: st.Metric + " by " + per, Head: []string{per}}
	curves := make([]export.Curve, len(e.Plan.Contenders))
	names := []string{}
	for c, x := range e.Plan.Contenders {
		out.Head = append(out.Head, x.Name)
		curves[c].Name = x.Name
	}
	for _, sl := range st.Slices {
		row := []string{sl.Name}
		names = append(names, sl.Name)
		for c, x := range e.Plan.Contenders {
			i := slices.IndexFunc(sl.Rows, func(r api.StandingRow) bool { return r.Contender == x.Name })
			v := sl.Rows[i].Values[st.Metric]
			row = append(row, figure(v))
			if v == nil {
				curves[c].Values = append(curves[c].Values, math.NaN())
			} else {
				curves[c].Values = append(curves[c].Values, *v)
			}
		}
		out.Rows = append(out.Rows, row)
	}
	if per != "step" || len(st.Slices) < 2 {
		return out, nil
	}
	picture, err := export.Picture("", st.Metric, names, curves)
	out.Pictures, out.Rows = []template.HTML{picture}, nil
	return out, err
}

// hardestSection draws the series on which the leader does worst.
func (s *Server) hardestSection(ctx context.Context, b *store.Bakeoff, e *bakeoff.Engine, st api.Standings) (export.Section, error) {
	out := export.Section{Title: "The leader's hardest series", Note: "Actuals in ink, the leader with its widest interval, and the baseline."}
	by, err := s.standings(ctx, b, "", "series", true)
	if err != nil {
		return out, err
	}
	lead := st.Slices[0].Rows[0].Contender
	value := func(sl api.StandingsSlice) float64 {
		i := slices.IndexFunc(sl.Rows, func(r api.StandingRow) bool { return r.Contender == lead })
		if v := sl.Rows[i].Values[st.Metric]; v != nil {
			return *v
		}
		return math.Inf(-1)
	}
	slices.SortStableFunc(by.Slices, func(a, b api.StandingsSlice) int { return cmp.Compare(value(b), value(a)) })
	for _, sl := range by.Slices[:min(reportSeries, len(by.Slices))] {
		picture, err := s.seriesPicture(ctx, b, e, sl.Name, lead, st.Baseline)
		if err != nil {
			return out, err
		}
		out.Pictures = append(out.Pictures, picture)
	}
	return out, nil
}

func (s *Server) seriesPicture(ctx context.Context, b *store.Bakeoff, e *bakeoff.Engine, key string, names ...string) (template.HTML, error) {
	series := e.Panel.Find(key)
	first := max(0, e.Windows[0].AssessFirst()-2*e.Plan.Split.Horizon)
	last := e.Windows[len(e.Windows)-1].AssessLast
	actual := export.Curve{Name: "actual", Ink: true}
	for t := first; t <= last; t++ {
		actual.Values = append(actual.Values, e.Panel.Series[series].At(t))
	}
	var curves []export.Curve
	widest := e.Plan.Levels[len(e.Plan.Levels)-1]
	for k, name := range slices.Compact(names) {
		curve := export.Curve{Name: name, Values: slices.Repeat([]float64{math.NaN()}, last-first+1)}
		for w, win := range e.Windows {
			rows, ok, err := s.readRows(ctx, e, b.ID, w, e.Plan.Contender(name), series)
			if err != nil {
				return "", err
			}
			if !ok {
				continue
			}
			means := happening(rows)
			copy(curve.Values[win.AssessFirst()-first:], means)
			if k == 0 && len(e.Windows) == 1 {
				low, high := bandOf(rows, widest)
				curves = append(curves, export.Curve{Start: win.AssessFirst() - first, Values: means, Band: [2][]float64{low, high}})
			}
		}
		curves = append(curves, curve)
	}
	return export.Picture(key, e.Panel.Measure, periods(e.Panel, first, last-first+1), append(curves, actual))
}

// happening are the means of a forecast, unknown on steps on which nothing happens.
func happening(rows forecast.Rows) []float64 {
	out := slices.Clone(rows.Mean)
	for h := range out {
		if rows.IsClosed(h) {
			out[h] = math.NaN()
		}
	}
	return out
}

func bandOf(rows forecast.Rows, level float64) (low, high []float64) {
	for h := range rows.Mean {
		lo, hi := forecast.Interval(rows.At(h), level)
		if rows.IsClosed(h) {
			lo, hi = math.NaN(), math.NaN()
		}
		low, high = append(low, lo), append(high, hi)
	}
	return low, high
}

func meanings(st api.Standings) export.Section {
	out := export.Section{Title: "What the metrics are", Head: []string{"metric", "meaning"}}
	for _, m := range st.Metrics {
		out.Rows = append(out.Rows, []string{m.Name, m.Meaning})
	}
	return out
}
