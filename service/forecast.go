package service

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"time"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/panel"
	"paperkettle/ingest"
)

// forecastInput is a table, and what is to be forecast of it.
type forecastInput struct {
	SentFile
	api.ForecastAsk
}

const (
	usualFamily     = "pretrained"
	mostForecast    = 5000 // series
	forecastTakes   = 5 * time.Minute
	forecastsAtOnce = 2
	// mostLookedBack is how many values of the past are flagged, and leastLookedBack from how many on.
	mostLookedBack, leastLookedBack = 60, 12
	forecastSeed                    = 1
)

var usualLevels = []float64{80, 95}

// forecastTable forecasts a table's series at once, and keeps nothing.
func (s *Server) forecastTable(ctx context.Context, in *forecastInput) (api.Forecast, error) {
	ctx, cancel := context.WithTimeout(ctx, forecastTakes)
	defer cancel()
	levels, err := forecastLevels(in.Levels)
	if err != nil {
		return api.Forecast{}, err
	}
	name := in.Family
	if name == "" {
		name = usualFamily
	}
	f, err := s.catalogue.Find(name)
	if err != nil {
		return api.Forecast{}, invalid("query.family", "%v", err)
	}
	if f.New == nil {
		return api.Forecast{}, invalid("query.family", "%s is made of other contenders' forecasts: enter it in a bake-off", name)
	}
	m, _, err := s.catalogue.New(name, nil)
	if err != nil {
		return api.Forecast{}, err
	}
	loaded, c, err := s.readAtOnce(ctx, in)
	if err != nil {
		return api.Forecast{}, err
	}
	p := loaded.Panel
	if len(p.Series) > mostForecast {
		return api.Forecast{}, invalid("query.by", "the table has %d series and at most %d are forecast at once: load it as a dataset",
			len(p.Series), mostForecast)
	}
	select {
	case s.forecasts <- struct{}{}:
		defer func() { <-s.forecasts }()
	case <-ctx.Done():
		return api.Forecast{}, ctx.Err()
	}
	ask := bakeoff.GlanceSettings{Horizon: in.Horizon, Workers: runtime.GOMAXPROCS(0), Seed: forecastSeed, Level: slices.Max(levels)}
	out := api.Forecast{Family: name, Time: c.Time, Measure: p.Measure, Cadence: p.Cadence.String(), Rows: loaded.Rows, First: p.Period(0),
		Origin: p.Period(p.Length - 1), Levels: levels, Cautions: loaded.Cautions}
	if in.Flag {
		if ask.Back = min(mostLookedBack, p.Length/3); p.Length < leastLookedBack {
			ask.Back = 0
			out.Cautions = append(out.Cautions, fmt.Sprintf("%s are too few to flag any", p.Cadence.Noun(p.Length)))
		}
	}
	g, err := bakeoff.NewGlance(ctx, p, m, ask)
	if errors.Is(err, context.DeadlineExceeded) {
		return out, invalid("query.family", "%s takes longer than %v on this table: load it as a dataset, and run a bake-off", name, forecastTakes)
	}
	if err != nil {
		return out, err
	}
	tellGlance(&out, p, g, in.ForecastAsk)
	return out, nil
}

// forecastLevels are the levels that are asked for.
func forecastLevels(levels []float64) ([]float64, error) {
	if len(levels) == 0 {
		return usualLevels, nil
	}
	for _, l := range levels {
		if !(l >= 50 && l <= 99.9) {
			return nil, invalid("query.level", "levels run from 50 to 99.9, and %g does not", l)
		}
	}
	return slices.Sorted(slices.Values(levels)), nil
}

// readAtOnce reads a table whose columns are found where they are not said.
func (s *Server) readAtOnce(ctx context.Context, in *forecastInput) (*ingest.Loaded, ingest.Columns, error) {
	if len(in.Drivers) > 0 || len(in.KnownAhead) > 0 {
		return nil, ingest.Columns{}, invalid("query.driver", "a forecast at once knows no drivers: load the table as a dataset, and run a bake-off")
	}
	src, err := s.source(ctx, &in.SentFile, in.LoadColumns)
	if err != nil {
		return nil, ingest.Columns{}, err
	}
	cols, err := src.inspect(ctx)
	if err != nil {
		return nil, src.columns, err
	}
	src.columns = src.columns.Propose(cols)
	if err := src.columns.Complete(cols); err != nil {
		return nil, src.columns, invalid("query", "%s: %v", src.name, err)
	}
	if _, err := src.columns.Options(); err != nil {
		return nil, src.columns, invalid("query", "%v", err)
	}
	loaded, err := src.load(ctx)
	if unused := src.columns.Unused(cols); err == nil && len(unused) > 0 {
		if more := len(unused) - mostUnused; more > 0 {
			unused = append(unused[:mostUnused], fmt.Sprintf("and %d more", more))
		}
		loaded.Cautions = append(loaded.Cautions, fmt.Sprintf("Left out: %s. A forecast at once takes the time, the measure and the names of series "+
			"alone: load the table as a dataset to use drivers.", strings.Join(unused, ", ")))
	}
	return loaded, src.columns, err
}

// mostUnused is how many columns that a forecast left out are told.
const mostUnused = 8

// tellGlance fills in what came of a glance.
func tellGlance(out *api.Forecast, p *panel.Panel, g *bakeoff.Glance, ask api.ForecastAsk) {
	out.Series = make([]api.ForecastSeries, len(p.Series))
	for h := range ask.Horizon {
		out.Periods = append(out.Periods, p.Period(p.Length+h))
	}
	first := p.Length - min(ask.History, p.Length)
	for i := first; i < p.Length; i++ {
		out.Past = append(out.Past, p.Period(i))
	}
	failed := 0
	for i := range p.Series {
		one := api.ForecastSeries{Series: p.Series[i].Key}
		for t := first; t < p.Length; t++ {
			one.Actual = append(one.Actual, number(p.Series[i].At(t)))
		}
		if g.Errs[i] != nil {
			one.LeftOut = g.Errs[i].Error()
			failed++
		} else {
			one.Forecast = g.Rows[i].Mean
			one.Low, one.High = bands(g.Rows[i], out.Levels)
		}
		out.Series[i] = one
	}
	if failed > 0 {
		out.Cautions = append(out.Cautions, fmt.Sprintf("%d of %d series have no forecast: each says why", failed, len(p.Series)))
	}
	if short := shortSeries(p); len(short) > 0 {
		out.Cautions = append(out.Cautions, fewValues(short))
	}
	if all, err := p.Where(nil); err == nil {
		out.Cautions = append(out.Cautions, bakeoff.DoubtfulEnds(p, all)...)
		out.Cautions = append(out.Cautions, bakeoff.EndedSeries(p, all)...)
	}
	out.Tried = g.Tried
	for _, o := range g.Odd {
		out.Flags = append(out.Flags, api.ForecastFlag{Series: p.Series[o.Series].Key, Period: p.Period(o.At), Actual: o.Actual,
			Forecast: o.Median, Low: o.Low, High: o.High, Severity: o.Severity})
	}
}

// fewKnown is below how many known values a series' forecast deserves less trust.
const fewKnown = 16

func shortSeries(p *panel.Panel) (out []string) {
	for i := range p.Series {
		if panel.CountKnown(p.Series[i].Values) < fewKnown {
			out = append(out, p.Series[i].Key)
		}
	}
	return out
}

// fewValues says of which series little is known, the first three by name.
func fewValues(short []string) string {
	if len(short) == 1 {
		return fmt.Sprintf("fewer than %d values are known of %s: its forecasts go by little", fewKnown, short[0])
	}
	names := strings.Join(short[:min(3, len(short))], ", ")
	if len(short) > 3 {
		names += fmt.Sprintf(" and %d more", len(short)-3)
	}
	return fmt.Sprintf("fewer than %d values are known of %d series (%s): their forecasts go by little", fewKnown, len(short), names)
}
