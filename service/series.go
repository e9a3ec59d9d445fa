package service

import (
	"context"
	"math"
	"slices"
	"strings"

	"paperkettle/api"
	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

type seriesQuery struct {
	DatasetPath
	Paging
	Revision int      `query:"revision" doc:"0 for the latest"`
	Where    []string `query:"where,explode" doc:"attribute=value; several narrow further"`
	Search   string   `query:"search" doc:"text in the key, whatever its case"`
	Wait     bool     `query:"wait" doc:"wait for the checks of a large dataset"`
	Weights  string   `query:"weights" doc:"weigh the series: volume:28, volume*price:28 or column:NAME"`
	Sort     string   `query:"sort" enum:"key,known,-known,mean,-mean,zeros,-zeros,trend,-trend,season,-season,marks,-marks,weight,-weight" default:"key" doc:"a dash turns the order round"`
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
	_, rev, err := s.revisionOf(ctx, in.Dataset, in.Revision)
	if err != nil {
		return out, err
	}
	p, err := s.store.Panel(ctx, rev.ID)
	if err != nil {
		return out, err
	}
	weights, err := panel.ParseWeights(in.Weights)
	if err == nil {
		err = weights.Check(p)
	}
	if err != nil {
		return out, invalid("query.weights", "%v", err)
	}
	chosen, err := choose(p, in.Where, in.Search)
	if err != nil {
		return out, err
	}
	share := shares(p, weights, chosen)
	look := s.surveyOf(rev.ID, p)
	by := strings.TrimPrefix(in.Sort, "-")
	some, all := look.ready(ctx, in.Wait || by == "trend" || by == "season" || by == "marks")
	if err := ctx.Err(); err != nil {
		return out, err // nobody waits, and what to sort by may not be known
	}
	out.Checked = all
	sortSeries(p, chosen, in.Sort, look, share)
	out.Total = len(chosen)
	if out.Facets, err = facets(p, in.Where, in.Search); err != nil {
		return out, err
	}
	shown := chosen[min(offset, len(chosen)):min(offset+in.Limit, len(chosen))]
	for _, i := range shown {
		row := seriesRow(p, i)
		if some {
			look.mark(&row, i)
		}
		if share != nil {
			row.Weight = number(share[i])
		}
		out.Items = append(out.Items, row)
	}
	out.Cursor = nextCursor(offset, len(shown), len(chosen))
	return out, nil
}

// shares are the weights of series at the end of the panel, by index; nil for none.
func shares(p *panel.Panel, w panel.Weights, chosen []int) map[int]float64 {
	if w == (panel.Weights{}) {
		return nil
	}
	out := make(map[int]float64, len(chosen))
	for k, v := range w.Of(p, chosen, p.Length-1) {
		out[chosen[k]] = v
	}
	return out
}

// sortSeries orders series by a fact; they come in the order of their keys.
func sortSeries(p *panel.Panel, chosen []int, by string, look *survey, share map[int]float64) {
	name, down := strings.CutPrefix(by, "-")
	value := map[string]func(i int) float64{
		"known":  func(i int) float64 { return knownOf(p.Series[i].Values).known },
		"mean":   func(i int) float64 { return knownOf(p.Series[i].Values).mean() },
		"zeros":  func(i int) float64 { return knownOf(p.Series[i].Values).zeroShare() },
		"trend":  func(i int) float64 { return look.look.Trend[i] },
		"season": func(i int) float64 { return look.look.Season[i] },
		"marks":  func(i int) float64 { return float64(len(look.told.Load().marks[i])) },
		"weight": func(i int) float64 { return share[i] },
	}[name]
	if value != nil {
		sortBy(chosen, down, value)
	}
}

// tally counts and sums the known values of a series.
type tally struct{ known, zeros, sum float64 }

func knownOf(values []float64) (t tally) {
	for _, v := range values {
		if panel.Known(v) {
			t.known++
			t.sum += v
			if v == 0 {
				t.zeros++
			}
		}
	}
	return t
}

func (t tally) mean() float64      { return t.sum / t.known } // 0/0 is unknown
func (t tally) zeroShare() float64 { return t.zeros / t.known }

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

// facets counts the values of each attribute among the series that the other
// attributes' conditions keep, so that any order of choosing shows what is left.
func facets(p *panel.Panel, where []string, search string) ([]api.Facet, error) {
	out := []api.Facet{}
	for _, a := range p.Attributes {
		others := slices.DeleteFunc(slices.Clone(where), func(w string) bool { return strings.HasPrefix(w, a.Name+"=") })
		chosen, err := choose(p, others, search)
		if err != nil {
			return nil, err
		}
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
	return out, nil
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
	t := knownOf(s.Values)
	row.Known, row.Mean, row.Zeros = int(t.known), number(t.mean()), number(t.zeroShare())
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
	out := api.SeriesValues{Key: sr.Key, Start: sr.First, Periods: periods(p, sr.First, len(sr.Values)), Values: numbers(sr.Values)}
	for d, info := range p.Drivers {
		out.Drivers = append(out.Drivers, api.DriverValues{Driver: api.Driver(info), Periods: periods(p, sr.First, len(sr.Drivers[d])),
			Values: numbers(sr.Drivers[d])})
	}
	events := p.EventsOf(i)
	ahead := aheadOf(p, sr, len(events))
	out.Ahead = periods(p, sr.End(), ahead)
	out.Events = seriesEvents(p, sr, events, len(sr.Values)+ahead)
	out.Facts = factsOf(sr.Values)
	return out, nil
}

// aheadOf is how many periods past a series' last value are worth showing: as far as
// its drivers are known, or a season where there are events.
func aheadOf(p *panel.Panel, sr *panel.Series, events int) int {
	n := 0
	for _, d := range sr.Drivers {
		n = max(n, len(d)-len(sr.Values))
	}
	if events > 0 {
		n = max(n, min(p.Cadence.Season(), 31))
	}
	return n
}

// seriesEvents lists what touches n periods of a series from its first on.
func seriesEvents(p *panel.Panel, sr *panel.Series, events []*calendar.Event, n int) []api.SeriesEvent {
	var out []api.SeriesEvent
	first := p.Ordinal(sr.First)
	for _, e := range events {
		x := api.SeriesEvent{Name: e.Name, Spans: []api.Span{}}
		for _, o := range e.Within(p.Cadence, first, first+int64(n)-1) {
			from, _ := p.Cadence.Ordinal(o.Start)
			to, _ := p.Cadence.Ordinal(o.End - 1)
			if len(x.Spans) < occasionsShown {
				x.Spans = append(x.Spans, api.Span{Occasion: occasionOf(o), From: int(max(from-first, 0)), To: int(min(to-first, int64(n)-1))})
			}
		}
		if len(x.Spans) > 0 {
			out = append(out, x)
		}
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
