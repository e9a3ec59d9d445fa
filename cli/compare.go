package cli

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"paperkettle/api"
	"paperkettle/client"
)

func (a *app) bakeoffStandings() *cobra.Command {
	var metric, per string
	cmd := &cobra.Command{Use: "standings ID", Short: "Read who leads, whole or cut: by step, window, series, demand, history, volume, " +
		"weekday, month or an attribute", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			return a.showStandings(ctx, c, args[0], metric, per)
		})}
	cmd.Flags().StringVar(&metric, "metric", "", "the metric that ranks; the plan's if left out")
	cmd.Flags().StringVar(&per, "per", "", "step, window, series, demand, history, volume, weekday, month, quarter, time-of-day or an "+
		"attribute; two apart by a comma are crossed")
	return cmd
}

func (a *app) showStandings(ctx context.Context, c *client.Client, id, metric, per string) error {
	st, err := c.Standings(ctx, id, metric, per)
	if err != nil {
		return err
	}
	if a.output == "table" && st.Sentence != "" {
		fmt.Fprintf(a.out, "%s\n\n", st.Sentence)
	}
	for i, metrics := range a.metricTables(st) {
		if i > 0 {
			fmt.Fprintln(a.out)
		}
		if err := a.print(st, a.standingsSheet(st, metrics)); err != nil {
			return err
		}
	}
	if err := a.showNewcomers(st); err != nil {
		return err
	}
	a.caution(st.Cautions)
	if len(st.Filled) > 0 {
		f := st.Filled[0]
		fmt.Fprintf(a.err, "%s failed on %s in window %d, for one: %s.\n", f.Contender, f.Series, f.Window, f.Reason)
	}
	return nil
}

// shownMetrics go into a terminal's first table, besides the ranking one.
var shownMetrics = []string{"mae", "rmse", "bias", "wape", "mase", "crps"}

// metricTables says which metrics go into which table. A terminal gets the usual ones of
// points and those of intervals apart, and of a cut the ranking metric alone; CSV
// and JSON have all in one.
func (a *app) metricTables(st api.Standings) [][]api.Metric {
	if a.output != "table" {
		all := st.Metrics
		if st.Weights != "" {
			all = append(slices.Clone(all), weightedMetrics(all)...)
		}
		return [][]api.Metric{all}
	}
	var points, intervals, ranking []api.Metric
	for _, m := range st.Metrics {
		switch {
		case m.Name == st.Metric:
			ranking = append(ranking, m)
		case slices.Contains(shownMetrics, m.Name):
			points = append(points, m)
		case strings.HasPrefix(m.Name, "coverage") || strings.HasPrefix(m.Name, "width") || strings.HasPrefix(m.Name, "interval_score"):
			intervals = append(intervals, m)
		}
	}
	if st.Per != "" {
		return [][]api.Metric{ranking}
	}
	tables := [][]api.Metric{append(ranking, points...), intervals}
	if st.Weights != "" {
		tables = append(tables, weightedMetrics(append(ranking, points...)))
	}
	return append(tables, nil)
}

// weightedName begins the name of a column of weighted values.
const weightedName = "weighted "

// weightedMetrics are the weighted columns beside those of metrics.
func weightedMetrics(list []api.Metric) (out []api.Metric) {
	for _, m := range list {
		m.Name = weightedName + m.Name
		out = append(out, m)
	}
	return out
}

// valueOf is a row's figure under a column.
func valueOf(r api.StandingRow, column string) *float64 {
	if name, weighted := strings.CutPrefix(column, weightedName); weighted {
		return r.Weighted[name]
	}
	return r.Values[column]
}

// overHead are the columns of the table on what the lead is worth.
var overHead = []string{">in training", ">mean rank", ">series won", ">beats baseline", ">behind the leader by", "like the leader", ">seconds", ">MB"}

func (a *app) overCells(st api.Standings, r api.StandingRow) []string {
	o := r.Over
	if o == nil {
		return make([]string, len(overHead))
	}
	behind := ""
	if r.Rank > 1 && o.BehindLow != nil && o.BehindHigh != nil {
		behind = a.figure(o.BehindLow) + " to " + a.figure(o.BehindHigh)
	} else if r.Rank > 1 && o.P != nil {
		behind = "p = " + a.figure(o.P)
	}
	seconds, mb := r.Seconds, float64(r.Bytes)/1e6
	return []string{a.figure(r.Train[st.Metric]), a.figure(o.MeanRank), a.share(o.Won), a.share(o.Beats), behind,
		map[bool]string{true: "yes", false: "no"}[o.LikeLeader && r.Rank > 0 || r.Rank == 1], a.part(&seconds), a.part(&mb)}
}

func (a *app) standingsSheet(st api.Standings, metrics []api.Metric) *sheet {
	s := &sheet{}
	if st.Per != "" {
		s.head = append(s.head, st.Per)
	}
	s.head = append(s.head, ">rank", "contender", ">skill")
	for _, m := range metrics {
		s.head = append(s.head, ">"+m.Name)
	}
	luck := st.Per == "" && metrics == nil
	if luck {
		s.head = append(s.head[:1], append([]string{"contender"}, overHead...)...)
	} else {
		s.head = append(s.head, ">points", ">filled")
	}
	if st.Per == "series" {
		s.head = append(s.head, "found")
	}
	for _, sl := range st.Slices {
		for _, r := range sl.Rows {
			if luck {
				s.add(append([]string{rankText(r.Rank), r.Contender}, a.overCells(st, r)...)...)
			} else {
				s.add(a.standingCells(st, sl, r, metrics)...)
			}
		}
	}
	return s
}

func (a *app) standingCells(st api.Standings, sl api.StandingsSlice, r api.StandingRow, metrics []api.Metric) []string {
	var cells []string
	if st.Per != "" {
		cells = append(cells, sl.Name)
	}
	cells = append(cells, rankText(r.Rank), r.Contender, a.share(r.Skill))
	for _, m := range metrics {
		if m.Share {
			cells = append(cells, a.share(valueOf(r, m.Name)))
		} else {
			cells = append(cells, a.figure(valueOf(r, m.Name)))
		}
	}
	cells = append(cells, whole(r.Points), whole(r.Filled))
	if st.Per == "series" {
		cells = append(cells, r.Found)
	}
	return cells
}

func (a *app) bakeoffDuel() *cobra.Command {
	var metric string
	cmd := &cobra.Command{Use: "duel ID CONTENDER CONTENDER", Short: "Set two contenders against each other, series by series",
		Args: exactly(3), RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			d, err := c.Duel(ctx, args[0], args[1], args[2], metric)
			if err != nil {
				return err
			}
			if a.output == "table" {
				fmt.Fprintf(a.out, "%s is better than %s on %d series and worse on %d, by %s.", d.A, d.B, d.Wins, d.Losses, d.Metric)
				if d.Low != nil && d.High != nil {
					fmt.Fprintf(a.out, " In the whole the difference lies between %s and %s (95 %%, over series and windows).", a.figure(d.Low), a.figure(d.High))
				}
				fmt.Fprintln(a.out)
			}
			s := &sheet{head: []string{"series", ">" + d.A, ">" + d.B, ">difference", ">p"}}
			slices.SortStableFunc(d.Series, func(x, y api.DuelPoint) int { return cmp.Compare(aheadBy(x), aheadBy(y)) })
			for _, x := range d.Series {
				difference := ""
				if v := aheadBy(x); v == v {
					difference = a.figure(&v)
				}
				s.add(x.Series, a.figure(x.A), a.figure(x.B), difference, a.figure(x.P))
			}
			return a.print(d, s)
		})}
	cmd.Flags().StringVar(&metric, "metric", "", "the metric to compare by; the plan's if left out")
	return cmd
}

// aheadBy is the first contender's value less the second's: below zero it is ahead.
func aheadBy(x api.DuelPoint) float64 {
	if x.A == nil || x.B == nil {
		return math.NaN()
	}
	return *x.A - *x.B
}

func (a *app) bakeoffTuning() *cobra.Command {
	return &cobra.Command{Use: "tuning ID", Short: "Show every combination of settings that was tried, with its score on inner windows",
		Args: exactly(1), RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Tuning(ctx, args[0])
			if err != nil {
				return err
			}
			if len(list) == 0 {
				fmt.Fprintln(a.err, "No contender of this bake-off is tuned.")
			}
			usual := usualOf(list)
			s := &sheet{head: []string{"contender", ">window", "settings", ">score"}}
			for _, name := range usual {
				s.head = append(s.head, ">"+name)
			}
			s.head = append(s.head, ">chosen by series", "problem")
			for _, t := range list {
				for _, x := range t.Trials {
					row := []string{t.Contender, whole(t.Window), settingsText(x.Settings), a.figure(x.Score)}
					for _, name := range usual {
						row = append(row, a.trialValue(name, x.Values))
					}
					s.add(append(row, whole(x.Chosen), x.Problem)...)
				}
			}
			if err := a.print(list, s); err != nil || a.output != "table" || len(list) == 0 {
				return err
			}
			for _, m := range list[len(list)-1].Matter {
				fmt.Fprintf(a.out, "%s explains %.0f %% of the scores' variance in the last window.\n", m.Setting, 100*m.Share)
			}
			return nil
		})}
}

// usualOf names the metrics that the trials' report shows beside their score.
func usualOf(list []api.Tuning) []string {
	names := map[string]bool{}
	for _, t := range list {
		for _, x := range t.Trials {
			for name := range x.Values {
				names[name] = true
			}
		}
	}
	return slices.SortedFunc(maps.Keys(names), func(a, b string) int {
		return cmp.Or(cmp.Compare(len(a), len(b)), cmp.Compare(a, b))
	})
}

func (a *app) trialValue(name string, values map[string]float64) string {
	v, ok := values[name]
	switch {
	case !ok:
		return ""
	case a.output == "table" && (name == "mape" || strings.HasPrefix(name, "coverage")):
		return fmt.Sprintf("%.1f %%", 100*v)
	}
	return a.figure(&v)
}

func settingsText(v map[string]any) string {
	var parts []string
	for name, value := range v {
		parts = append(parts, fmt.Sprintf("%s=%v", name, value))
	}
	slices.Sort(parts)
	return strings.Join(parts, ", ")
}

// rankText is a rank; a contender whose figures are mostly the fallback's has none.
func rankText(rank int) string {
	if rank == 0 {
		return "-"
	}
	return whole(rank)
}
