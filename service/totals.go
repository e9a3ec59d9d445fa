package service

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
	"paperkettle/results"
	"paperkettle/store"
)

// everySeries is the name of the group of all.
const everySeries = "all"

// totalsHistory is how many horizons before the forecast a sum's history reaches back.
const totalsHistory = 3

// releaseTotals adds a release up over its series, in the whole and by an attribute.
func (s *Server) releaseTotals(ctx context.Context, in *struct {
	ReleasePath
	By    string   `query:"by" doc:"an attribute: a sum for each of its values; the sum of all where left out"`
	Where []string `query:"where,explode" doc:"attribute=value; several narrow further"`
}) (api.ReleaseTotals, error) {
	rel, err := s.findRelease(ctx, in.Release)
	if err != nil {
		return api.ReleaseTotals{}, err
	}
	levels, err := levelsOf(rel)
	if err != nil {
		return api.ReleaseTotals{}, err
	}
	old, now, err := s.releasePanels(ctx, rel)
	if err != nil {
		return api.ReleaseTotals{}, err
	}
	chosen, err := choose(old, in.Where, "")
	if err != nil {
		return api.ReleaseTotals{}, err
	}
	groupOf, err := grouping(old, in.By)
	if err != nil {
		return api.ReleaseTotals{}, err
	}
	out := api.ReleaseTotals{By: in.By, Levels: levels, First: old.Period(old.Length), Last: old.Period(old.Length + rel.Horizon - 1),
		Groups: []api.ReleaseTotal{}}
	groups, err := s.gatherGroups(ctx, rel, old, chosen, groupOf)
	if err != nil {
		return out, err
	}
	ties, err := s.tiesOf(ctx, rel.BakeoffID, rel.Contender, in.By)
	if err != nil {
		return out, err
	}
	out.Ties = ties
	for _, g := range groups {
		if g.sum.Series == 0 {
			continue // the release says that they were left out
		}
		out.Groups = append(out.Groups, g.total(rel, old, now, levels, coreTies(ties)))
	}
	slices.SortStableFunc(out.Groups, func(a, b api.ReleaseTotal) int { return cmp.Compare(b.Total, a.Total) })
	return out, nil
}

// grouping names the group of each series of a panel.
func grouping(p *panel.Panel, by string) (func(series int) string, error) {
	if by == "" {
		return func(int) string { return everySeries }, nil
	}
	names := make([]string, len(p.Attributes))
	for i, a := range p.Attributes {
		if a.Name == by {
			return func(series int) string { return a.Values[a.Codes[series]] }, nil
		}
		names[i] = a.Name
	}
	if len(names) == 0 {
		return nil, invalid("query.by", "the dataset has no attributes to add up by: leave it out for the sum of all series")
	}
	return nil, invalid("query.by", "no attribute is called %q: use one of %s", by, strings.Join(names, ", "))
}

// sumGroup is a group while its series are added up.
type sumGroup struct {
	name    string
	keys    []string // of the series with a forecast
	leftOut int
	sum     *forecast.Sum
}

// gatherGroups adds up the forecasts of the chosen series, group by group, in the order in which
// groups come.
func (s *Server) gatherGroups(ctx context.Context, rel *store.Release, p *panel.Panel, chosen []int, groupOf func(int) string) ([]*sumGroup, error) {
	keep := make(map[int]bool, len(chosen))
	for _, i := range chosen {
		keep[i] = true
	}
	var list []*sumGroup
	at := map[string]*sumGroup{}
	err := s.results.EachReleased(ctx, rel, func(r results.ReleasedSeries) error {
		i := p.Find(r.Series)
		if i < 0 || !keep[i] {
			return nil
		}
		name := groupOf(i)
		g := at[name]
		if g == nil {
			g = &sumGroup{name: name, sum: forecast.NewSum(rel.Horizon)}
			at[name], list = g, append(list, g)
		}
		if r.LeftOut != "" {
			g.leftOut++
			return nil
		}
		g.sum.Add(r.Rows)
		g.keys = append(g.keys, r.Series)
		return nil
	})
	return list, err
}

// total is a group as it is told; now has the actuals that arrived since.
func (g *sumGroup) total(rel *store.Release, old, now *panel.Panel, levels []float64, ties forecast.Ties) api.ReleaseTotal {
	steps, whole := g.sum.Total(ties)
	out := api.ReleaseTotal{Group: g.name, Series: g.sum.Series, LeftOut: g.leftOut, Total: whole.Mean[0]}
	for _, level := range levels {
		low, high := forecast.Interval(whole.At(0), level)
		out.Low, out.High = append(out.Low, low), append(out.High, high)
	}
	history := min(old.Length, totalsHistory*rel.Horizon)
	from := old.Length + int(old.First-now.First) - history // the latest revision may begin earlier
	c := &out.Curve
	c.Series, c.Levels, c.Start, c.Forecast, c.Flags = g.name, levels, history, steps.Mean, []api.Flag{}
	c.Periods = periods(now, from, history+rel.Horizon)
	c.Low, c.High = bands(steps, levels)
	c.Actual = make([]*float64, len(c.Periods))
	series := make([]*panel.Series, 0, len(g.keys))
	for _, key := range g.keys {
		if i := now.Find(key); i >= 0 {
			series = append(series, &now.Series[i])
		}
	}
	for k := range c.Actual {
		sum, known := 0.0, 0
		for _, sr := range series {
			if v := sr.At(from + k); panel.Known(v) {
				sum, known = sum+v, known+1
			}
		}
		if known > 0 && (k < history || known == len(g.keys)) {
			c.Actual[k] = &sum
		}
	}
	out.Actual = wholeSum(c.Actual[history:])
	return out
}

// wholeSum adds up what is known; nil where anything is not.
func wholeSum(values []*float64) *float64 {
	sum := 0.0
	for _, v := range values {
		if v == nil {
			return nil
		}
		sum += *v
	}
	return &sum
}

// tiesOf says how far the errors of a contender went together in a bake-off; those of the leader where
// it is no contender of its own.
func (s *Server) tiesOf(ctx context.Context, id uint, contender, by string) (api.Ties, error) {
	var b store.Bakeoff
	if err := s.store.Read(ctx).First(&b, id).Error; err != nil {
		return api.Ties{}, err
	}
	e, err := s.engine(ctx, &b)
	if err != nil {
		return api.Ties{}, err
	}
	if e.Plan.Contender(contender) < 0 {
		lead, err := s.leader(ctx, &b)
		if err != nil {
			return api.Ties{}, err
		}
		contender = lead.Contender
	}
	// The bake-off may stand on an older revision than what is added up, but its attributes are the same.
	groupOf, err := grouping(e.Panel, by)
	if err != nil {
		return api.Ties{}, err
	}
	together, err := bakeoff.NewTogetherness(e, contender, groupOf)
	if err != nil {
		return api.Ties{}, err
	}
	if err := s.results.EachResult(ctx, e, b.ID, results.Wanted{Forecasts: true, Contenders: []int{together.Contender()}}, together.Add); err != nil {
		return api.Ties{}, fmt.Errorf("reading past errors: %w", err)
	}
	t := together.Ties()
	return api.Ties{Series: t.Series, Steps: t.Steps, Across: t.Across, Windows: e.Plan.Split.Windows}, nil
}

// coreTies are ties as the core has them.
func coreTies(t api.Ties) forecast.Ties {
	return forecast.Ties{Series: t.Series, Steps: t.Steps, Across: t.Across}
}
