package service

import (
	"context"
	"encoding/json"
	"math"

	"gonum.org/v1/gonum/stat"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/calendar"
	"paperkettle/core/panel"
	"paperkettle/results"
	"paperkettle/store"
)

// getTuning lists what every search of a bake-off tried.
func (s *Server) getTuning(ctx context.Context, in *BakeoffPath) (api.Page[api.Tuning], error) {
	out := api.Page[api.Tuning]{Items: []api.Tuning{}}
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return out, err
	}
	e, err := s.engine(ctx, b)
	if err != nil {
		return out, err
	}
	var rows []store.TaskFacts
	err = s.store.Read(ctx).Where("bakeoff_id = ? AND tuned <> ''", b.ID).Order("contender, win, shard").Select("win", "contender", "shard",
		"tuned").Find(&rows).Error
	for _, r := range rows {
		x := api.Tuning{Contender: e.Plan.Contenders[r.Contender].Name, Window: e.Windows[r.Win].Index, Shard: r.Shard}
		if err := json.Unmarshal([]byte(r.Tuned), &x); err != nil {
			return out, err
		}
		out.Items = append(out.Items, x)
	}
	out.Total = len(out.Items)
	return out, err
}

func (s *Server) getDuel(ctx context.Context, in *struct {
	BakeoffPath
	A      string `query:"a" required:"true" doc:"a contender"`
	B      string `query:"b" required:"true" doc:"another"`
	Metric string `query:"metric" doc:"the plan's where left out"`
}) (api.Duel, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return api.Duel{}, err
	}
	e, err := s.engine(ctx, b)
	if err != nil {
		return api.Duel{}, err
	}
	d, err := bakeoff.NewDuel(e, in.A, in.B, in.Metric)
	if err != nil {
		return api.Duel{}, err
	}
	if err := s.results.EachResult(ctx, e, b.ID, results.Wanted{Contenders: d.Contenders()}, d.Add); err != nil {
		return api.Duel{}, err
	}
	out := api.Duel{A: in.A, B: in.B, Metric: d.Metric(), Series: []api.DuelPoint{}}
	sum, n := 0.0, 0.0
	for _, p := range d.Pairs() {
		switch d.Better(p.A, p.B) {
		case -1:
			out.Wins++
		case 1:
			out.Losses++
		}
		if v := p.A - p.B; v == v {
			sum += v
			n++
		}
		out.Series = append(out.Series, api.DuelPoint{Series: e.Panel.Series[p.Series].Key, A: number(p.A), B: number(p.B), P: number(p.P)})
	}
	between := d.Between()
	out.Mean, out.Low, out.High = number(sum/n), number(between.Low), number(between.High)
	return out, nil
}

// residualBins is how many bars the distribution of residuals has.
const residualBins = 31

func (s *Server) getResiduals(ctx context.Context, in *struct {
	BakeoffPath
	Contender string `query:"contender" required:"true"`
	Series    string `query:"series" doc:"all series where left out"`
}) (api.Residuals, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return api.Residuals{}, err
	}
	e, err := s.engine(ctx, b)
	if err != nil {
		return api.Residuals{}, err
	}
	series := -1
	if in.Series != "" {
		if series = e.Panel.Find(in.Series); series < 0 {
			return api.Residuals{}, noSeries(in.Series)
		}
	}
	r, err := bakeoff.NewResiduals(e, in.Contender, series)
	if err != nil {
		return api.Residuals{}, err
	}
	if err := s.results.EachResult(ctx, e, b.ID, results.Wanted{Contenders: []int{r.Contender()}}, r.Add); err != nil {
		return api.Residuals{}, err
	}
	out := residualsOf(e.Panel, r)
	out.Contender, out.Series = in.Contender, in.Series
	return out, nil
}

func residualsOf(p *panel.Panel, r *bakeoff.Residuals) api.Residuals {
	all, line := r.All(), r.Series()
	out := api.Residuals{Points: len(all), Periods: periods(p, line.First, len(line.Values)), Values: numbers(line.Values),
		Bins: []api.ResidualBin{}, Cycles: []api.Cycle{}}
	if len(all) > 1 {
		mean, deviation := stat.MeanStdDev(all, nil)
		out.Mean, out.Deviation = number(mean), number(deviation)
	}
	edges, counts := bakeoff.Bins(all, residualBins)
	for i, n := range counts {
		out.Bins = append(out.Bins, api.ResidualBin{Low: edges[i], High: edges[i+1], Count: n})
	}
	lags := min(mostLags, max(2*p.Cadence.Season(), 14), max(0, len(line.Values)-3))
	out.Autocorrelation = numbers(panel.Autocorrelation(line.Values, lags))
	if n := panel.CountKnown(line.Values); n > 0 {
		out.Bound = 1.96 / math.Sqrt(float64(n))
	}
	for _, by := range r.Cycles() {
		out.Cycles = append(out.Cycles, cycleOf(p, &line, by))
	}
	return out
}

// cycleOf is the seasonal profile of a series by one position.
func cycleOf(p *panel.Panel, sr *panel.Series, by calendar.Position) api.Cycle {
	cycle := api.Cycle{By: string(by), Places: []api.Place{}}
	places, err := panel.Profile(p, sr, by)
	if err != nil {
		return cycle
	}
	for k, x := range places {
		cycle.Places = append(cycle.Places, api.Place{Name: placeName(by, k, len(places)), Mean: number(x.Mean), Low: number(x.Low),
			High: number(x.High), Known: x.Known})
	}
	return cycle
}
