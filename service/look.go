package service

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"paperkettle/core/model"
	"runtime"
	"strings"
	"time"

	"paperkettle/api"
	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

func (s *Server) getSpread(ctx context.Context, in *struct {
	DatasetPath
	Revision int      `query:"revision" doc:"0 for the latest"`
	Where    []string `query:"where,explode" doc:"attribute=value; several narrow further"`
	Search   string   `query:"search" doc:"text in the key, whatever its case"`
	Scaled   bool     `query:"scaled" doc:"divide each series by its mean first"`
}) (api.Spread, error) {
	p, err := s.panelOf(ctx, in.Dataset, in.Revision)
	if err != nil {
		return api.Spread{}, err
	}
	chosen, err := choose(p, in.Where, in.Search)
	if err != nil {
		return api.Spread{}, err
	}
	spread := panel.SpreadOf(p, chosen, in.Scaled, runtime.GOMAXPROCS(0))
	out := api.Spread{Series: len(chosen), Scaled: in.Scaled, Periods: periods(p, 0, p.Length), Known: spread.Known}
	for k, share := range panel.SpreadShares {
		out.Lines = append(out.Lines, api.SpreadLine{Share: share, Values: numbers(spread.Lines[k])})
	}
	return out, nil
}

// getParts takes a series apart, to be looked at.
func (s *Server) getParts(ctx context.Context, in *oneSeries) (api.Fit, error) {
	p, err := s.panelOf(ctx, in.Dataset, in.Revision)
	if err != nil {
		return api.Fit{}, err
	}
	i := p.Find(in.Series)
	if i < 0 {
		return api.Fit{}, noSeries(in.Series)
	}
	m, _, err := s.catalogue.New("decomposition", model.Values{"rest": "theta"})
	if err != nil {
		return api.Fit{}, err
	}
	// Only the past is asked for: what would continue it does not matter.
	trained, err := m.Train(ctx, panel.NewView(p, []int{i}, 0, p.Length-1),
		model.Env{Workers: 1, Random: func(string) *rand.Rand { return rand.New(rand.NewPCG(0, 0)) }})
	if err != nil {
		return api.Fit{}, err
	}
	d := trained.Describe(0)
	if len(d.Components) == 0 {
		return api.Fit{}, invalid("query.series", "the series %q can't be taken apart: %s", in.Series, d.Form+" "+strings.Join(d.Cautions, "; "))
	}
	form, _, _ := strings.Cut(d.Form, ";")
	out := fitOf(p, model.Description{Form: form, From: d.From, To: d.To, Known: d.Known, Components: d.Components, Cautions: d.Cautions})
	out.Series = in.Series
	return *out, nil
}

// mostLags bounds how far an autocorrelation is shown.
const mostLags = 60

func (s *Server) getProfile(ctx context.Context, in *oneSeries) (api.SeriesProfile, error) {
	p, err := s.panelOf(ctx, in.Dataset, in.Revision)
	if err != nil {
		return api.SeriesProfile{}, err
	}
	i := p.Find(in.Series)
	if i < 0 {
		return api.SeriesProfile{}, noSeries(in.Series)
	}
	sr := &p.Series[i]
	out := api.SeriesProfile{Key: sr.Key, Cycles: []api.Cycle{}}
	for _, by := range []calendar.Position{calendar.ByTimeOfDay, calendar.ByWeekday, calendar.ByMonth, calendar.ByQuarter} {
		if _, _, err := p.Cadence.Places(by); err != nil || by == calendar.ByQuarter && p.Cadence.Unit != calendar.Quarter {
			continue // the cadence has no such cycle, or a finer one shows it
		}
		out.Cycles = append(out.Cycles, cycleOf(p, sr, by))
	}
	lags := min(mostLags, max(2*p.Cadence.Season(), 24), max(0, len(sr.Values)-3))
	out.Autocorrelation = numbers(panel.Autocorrelation(sr.Values, lags))
	if n := panel.CountKnown(sr.Values); n > 0 {
		out.Bound = 1.96 / math.Sqrt(float64(n))
	}
	return out, nil
}

func placeName(by calendar.Position, k, n int) string {
	switch by {
	case calendar.ByWeekday:
		return time.Weekday((k + 1) % 7).String()[:3]
	case calendar.ByMonth:
		return time.Month(k + 1).String()[:3]
	case calendar.ByQuarter:
		return fmt.Sprintf("Q%d", k+1)
	}
	minutes := k * 24 * 60 / n
	return fmt.Sprintf("%02d:%02d", minutes/60, minutes%60)
}
