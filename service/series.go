package service

import (
	"cmp"
	"context"
	"math"
	"slices"
	"strings"

	"paperkettle/api"
	"paperkettle/core/panel"
)

type seriesQuery struct {
	DatasetPath
	Paging
	Revision int      `query:"revision" doc:"0 for the latest"`
	Where    []string `query:"where,explode" doc:"attribute=value; several narrow further"`
	Search   string   `query:"search" doc:"text in the key, whatever its case"`
	Sort     string   `query:"sort" enum:"key,known,-known,mean,-mean,zeros,-zeros" default:"key" doc:"a dash turns the order round"`
}

// panelOf reads the panel of a dataset's revision.
func (s *Server) panelOf(ctx context.Context, dataset string, revision int) (*panel.Panel, error) {
	_, rev, err := s.revisionOf(ctx, dataset, revision)
	if err != nil {
		return nil, err
	}
	return s.store.Panel(ctx, rev.ID)
}

// parseWhere reads attribute=value pairs.
func parseWhere(pairs []string) (map[string]string, error) {
	out := map[string]string{}
	for _, p := range pairs {
		name, value, ok := strings.Cut(p, "=")
		if !ok {
			return nil, invalid("query.where", "%q is not attribute=value", p)
		}
		out[name] = value
	}
	return out, nil
}

func (s *Server) listSeries(ctx context.Context, in *seriesQuery) (api.SeriesList, error) {
	out := api.SeriesList{Page: api.Page[api.SeriesRow]{Items: []api.SeriesRow{}}, Facets: []api.Facet{}}
	offset, err := in.offset()
	if err != nil {
		return out, err
	}
	p, err := s.panelOf(ctx, in.Dataset, in.Revision)
	if err != nil {
		return out, err
	}
	chosen, err := choose(p, in.Where, in.Search)
	if err != nil {
		return out, err
	}
	sortSeries(p, chosen, in.Sort)
	out.Total = len(chosen)
	out.Facets = facets(p, chosen)
	shown := chosen[min(offset, len(chosen)):min(offset+in.Limit, len(chosen))]
	for _, i := range shown {
		out.Items = append(out.Items, seriesRow(p, i))
	}
	out.Cursor = nextCursor(offset, len(shown), len(chosen))
	return out, nil
}

// sortSeries orders series by a fact; they come in the order of their keys.
func sortSeries(p *panel.Panel, chosen []int, by string) {
	name, down := strings.CutPrefix(by, "-")
	if name == "key" || name == "" {
		return
	}
	value := make(map[int]float64, len(chosen))
	for _, i := range chosen {
		known, zeros, sum := 0.0, 0.0, 0.0
		for _, v := range p.Series[i].Values {
			if panel.Known(v) {
				known++
				sum += v
				if v == 0 {
					zeros++
				}
			}
		}
		value[i] = map[string]float64{"known": known, "mean": sum / max(known, 1), "zeros": zeros / max(known, 1)}[name]
		if down {
			value[i] = -value[i]
		}
	}
	slices.SortStableFunc(chosen, func(a, b int) int { return cmp.Compare(value[a], value[b]) })
}

// choose lists the series that match every attribute=value pair and hold a text.
func choose(p *panel.Panel, where []string, search string) ([]int, error) {
	filter, err := parseWhere(where)
	if err != nil {
		return nil, err
	}
	chosen, err := p.Where(filter)
	if err != nil {
		return nil, invalid("query.where", "%v", err)
	}
	if text := strings.ToLower(search); text != "" {
		chosen = slices.DeleteFunc(chosen, func(i int) bool { return !strings.Contains(strings.ToLower(p.Series[i].Key), text) })
	}
	return chosen, nil
}

// facetValues bounds how many values of an attribute are counted in an answer.
const facetValues = 200

func facets(p *panel.Panel, chosen []int) []api.Facet {
	out := []api.Facet{}
	for _, a := range p.Attributes {
		counts := make([]int, len(a.Values))
		for _, i := range chosen {
			counts[a.Codes[i]]++
		}
		f := api.Facet{Attribute: a.Name, Values: []api.FacetValue{}}
		for v, n := range counts {
			if n > 0 && len(f.Values) < facetValues {
				f.Values = append(f.Values, api.FacetValue{Value: a.Values[v], Count: n})
			}
		}
		out = append(out, f)
	}
	return out
}

func seriesRow(p *panel.Panel, i int) api.SeriesRow {
	s := &p.Series[i]
	row := api.SeriesRow{Key: s.Key, Labels: map[string]string{}, Trace: trace(p, s)}
	for a := range p.Attributes {
		row.Labels[p.Attributes[a].Name] = p.Label(a, i)
	}
	if len(s.Values) > 0 {
		row.First, row.Last = p.Period(s.First), p.Period(s.End()-1)
	}
	sum, zeros := 0.0, 0
	for _, v := range s.Values {
		if panel.Known(v) {
			row.Known++
			sum += v
			if v == 0 {
				zeros++
			}
		}
	}
	if row.Known > 0 {
		row.Mean, row.Zeros = number(sum/float64(row.Known)), number(float64(zeros)/float64(row.Known))
	}
	return row
}

const tracePoints = 48

// trace is the series over the whole axis in a few means.
func trace(p *panel.Panel, s *panel.Series) []*float64 {
	n := min(tracePoints, p.Length)
	out := make([]*float64, n)
	for i := range out {
		lo, hi := i*p.Length/n, (i+1)*p.Length/n
		sum, known := 0.0, 0
		for t := max(lo, s.First); t < min(hi, s.End()); t++ {
			if v := s.Values[t-s.First]; panel.Known(v) {
				sum += v
				known++
			}
		}
		if known > 0 {
			out[i] = number(sum / float64(known))
		}
	}
	return out
}

// number is nil where the value is unknown, since JSON has no NaN.
func number(v float64) *float64 {
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return nil
	}
	return &v
}

func numbers(values []float64) []*float64 {
	out := make([]*float64, len(values))
	for i := range values {
		out[i] = number(values[i])
	}
	return out
}

type oneSeries struct {
	DatasetPath
	Revision int    `query:"revision" doc:"0 for the latest"`
	Series   string `query:"series" required:"true" doc:"the series' key: its attribute values joined by ' / '"`
}

func (s *Server) getSeries(ctx context.Context, in *oneSeries) (api.SeriesValues, error) {
	p, err := s.panelOf(ctx, in.Dataset, in.Revision)
	if err != nil {
		return api.SeriesValues{}, err
	}
	i := p.Find(in.Series)
	if i < 0 {
		return api.SeriesValues{}, noSeries(in.Series)
	}
	sr := &p.Series[i]
	out := api.SeriesValues{Key: sr.Key, Periods: periods(p, sr.First, len(sr.Values)), Values: numbers(sr.Values)}
	for d, info := range p.Drivers {
		out.Drivers = append(out.Drivers, api.DriverValues{Driver: api.Driver(info), Periods: periods(p, sr.First, len(sr.Drivers[d])), Values: numbers(sr.Drivers[d])})
	}
	out.Events = seriesEvents(p, i)
	out.Facts = factsOf(sr.Values)
	return out, nil
}

// seriesEvents lists what touches a series from its first period on.
func seriesEvents(p *panel.Panel, i int) []api.SeriesEvent {
	var out []api.SeriesEvent
	start := p.Cadence.Start(p.Ordinal(p.Series[i].First))
	for _, e := range p.EventsOf(i) {
		x := api.SeriesEvent{Name: e.Name, Occasions: []api.Occasion{}}
		for _, o := range e.Occasions {
			if o.End > start && len(x.Occasions) < occasionsShown {
				x.Occasions = append(x.Occasions, occasionOf(o))
			}
		}
		out = append(out, x)
	}
	return out
}

func noSeries(key string) error {
	return notFound("no series is called %q: write its attribute values joined by %q", key, panel.KeySeparator)
}

func periods(p *panel.Panel, first, n int) []string {
	out := make([]string, n)
	for i := range out {
		out[i] = p.Period(first + i)
	}
	return out
}

func factsOf(values []float64) []api.Fact {
	n, sum, ss, zeros := 0.0, 0.0, 0.0, 0.0
	low, high := math.Inf(1), math.Inf(-1)
	for _, v := range values {
		if !panel.Known(v) {
			continue
		}
		n++
		d := v - sum
		sum += d / n // the running mean
		ss += d * (v - sum)
		low, high = min(low, v), max(high, v)
		if v == 0 {
			zeros++
		}
	}
	facts := []api.Fact{{Name: "periods", Value: float64(len(values))}, {Name: "known", Value: n}}
	if n > 0 {
		facts = append(facts, api.Fact{Name: "mean", Value: sum}, api.Fact{Name: "lowest", Value: low}, api.Fact{Name: "highest", Value: high},
			api.Fact{Name: "share of zeros", Value: zeros / n})
	}
	if n > 1 {
		facts = append(facts, api.Fact{Name: "standard deviation", Value: math.Sqrt(ss / (n - 1))})
	}
	return facts
}
