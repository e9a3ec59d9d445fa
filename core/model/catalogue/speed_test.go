package catalogue_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// BenchmarkFamilies fits and forecasts, on two workers, what the issue of speed is about.
func BenchmarkFamilies(b *testing.B) {
	pr := processes()
	for _, c := range []struct {
		name, family string
		pr           process
		n            int
	}{
		{"smoothing/daily", "smoothing", pr[0], 730}, {"smoothing/monthly", "smoothing", pr[1], 120}, {"smoothing/weekly", "smoothing", pr[2], 156},
		{"arima/monthly", "arima", pr[3], 120}, {"theta/monthly", "theta", pr[1], 120}, {"decomposition/daily", "decomposition", pr[0], 730},
		{"automatic/monthly", "automatic", pr[3], 120}, {"automatic/daily", "automatic", pr[0], 730}, {"additive/daily", "additive", pr[0], 730},
	} {
		b.Run(c.name, func(b *testing.B) {
			m, _, err := whole().New(c.family, nil)
			require.NoError(b, err)
			const series = 40
			explained := c.name == "additive/daily"
			var values [][]float64
			for i := range series {
				y, _, _ := c.pr.draw(rand.New(rand.NewPCG(3, uint64(i))), c.n, c.pr.h)
				values = append(values, y)
			}
			p := panelOf(c.pr.cadence, values)
			if explained {
				explain(p, 10, 3, c.pr.h)
			}
			v := panel.NewView(p, all(p), 0, p.Length-1)
			for b.Loop() {
				trained, err := m.Train(context.Background(), v, model.Env{Horizon: c.pr.h, Workers: 2, Random: streams(1)})
				require.NoError(b, err)
				_, err = trained.Forecast(context.Background(), v, c.pr.h)
				require.NoError(b, err)
			}
			b.ReportMetric(float64(series*b.N)/b.Elapsed().Seconds(), "series/s")
		})
	}
}

// explain gives a panel events, twenty occasions each, and drivers that are known ahead.
func explain(p *panel.Panel, events, drivers, ahead int) {
	rnd := rand.New(rand.NewPCG(8, 8))
	for e := range events {
		event := calendar.Event{Name: fmt.Sprint("event ", e)}
		for range 20 {
			day := p.Cadence.Start(p.Ordinal(rnd.IntN(p.Length + ahead)))
			event.Occasions = append(event.Occasions, calendar.DayOf(day, day))
		}
		event.Tidy()
		p.Events = append(p.Events, event)
	}
	for d := range drivers {
		p.Drivers = append(p.Drivers, panel.Driver{Name: fmt.Sprint("driver ", d), KnownAhead: true})
		for i := range p.Series {
			values := make([]float64, p.Length+ahead)
			for k := range values {
				values[k] = 3 + rnd.Float64()
			}
			p.Series[i].Drivers = append(p.Series[i].Drivers, values)
		}
	}
}

// BenchmarkLinearTogether fits a thousand weekly series of three years on thirty columns,
// the path of penalties and the departures included, on two workers.
func BenchmarkLinearTogether(b *testing.B) {
	var values [][]float64
	for i := range 1000 {
		y, _, _ := processes()[2].draw(rand.New(rand.NewPCG(3, uint64(i))), 156, 8)
		values = append(values, y)
	}
	p := panelOf(weekly, values)
	explain(p, 0, 10, 8)
	v := panel.NewView(p, all(p), 0, p.Length-1)
	m, _, err := whole().New("linear", model.Values{"features": []string{"drivers", "year as harmonics 3", "lag 1 to 8", "season lag 1",
		"mean 4", "mean 13", "mean 26", "spread 8", "difference 4"}})
	require.NoError(b, err)
	for b.Loop() {
		trained, err := m.Train(context.Background(), v, model.Env{Horizon: 8, Workers: 2, Random: streams(1)})
		require.NoError(b, err)
		_, err = trained.Forecast(context.Background(), v, 8)
		require.NoError(b, err)
	}
}

// BenchmarkGaps fits ARIMA to daily series of 800 values, whole and with every seventh value
// unknown, on one worker.
func BenchmarkGaps(b *testing.B) {
	pr := processes()[0]
	for _, every := range []int{0, 7, 4} {
		b.Run(fmt.Sprint("every ", every), func(b *testing.B) {
			var values [][]float64
			for i := range 40 {
				y, _, _ := pr.draw(rand.New(rand.NewPCG(3, uint64(i))), 800, pr.h)
				for t := range y {
					if every > 0 && t%every == every-2 {
						y[t] = panel.Unknown
					}
				}
				values = append(values, y)
			}
			p := panelOf(pr.cadence, values)
			v := panel.NewView(p, all(p), 0, p.Length-1)
			m, _, err := whole().New("arima", nil)
			require.NoError(b, err)
			for b.Loop() {
				trained, err := m.Train(context.Background(), v, model.Env{Horizon: pr.h, Workers: 1, Random: streams(1)})
				require.NoError(b, err)
				_, err = trained.Forecast(context.Background(), v, pr.h)
				require.NoError(b, err)
			}
		})
	}
}

// BenchmarkPretrained calibrates the network and forecasts, on two workers, one daily series of 704 values and many.
func BenchmarkPretrained(b *testing.B) {
	const length, horizon = 704, 28
	pr := processes()[0]
	for _, series := range []int{1, 100, 1000} {
		b.Run(fmt.Sprint(series), func(b *testing.B) {
			m, _, err := whole().New("pretrained", nil)
			require.NoError(b, err)
			values := make([][]float64, series)
			for i := range values {
				values[i], _, _ = pr.draw(rand.New(rand.NewPCG(3, uint64(i))), length, horizon)
			}
			p := panelOf(pr.cadence, values)
			v := panel.NewView(p, all(p), 0, p.Length-1)
			for b.Loop() {
				trained, err := m.Train(context.Background(), v, model.Env{Horizon: horizon, Workers: 2, Random: streams(1)})
				require.NoError(b, err)
				_, err = trained.Forecast(context.Background(), v, horizon)
				require.NoError(b, err)
			}
			b.ReportMetric(float64(series*b.N)/b.Elapsed().Seconds(), "series/s")
		})
	}
}
