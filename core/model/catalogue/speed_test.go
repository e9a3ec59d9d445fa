package catalogue_test

import (
	"context"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
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
			m, _, err := catalogue.Standard().New(c.family, nil)
			require.NoError(b, err)
			const series = 40
			var values [][]float64
			for i := range series {
				y, _, _ := c.pr.draw(rand.New(rand.NewPCG(3, uint64(i))), c.n, c.pr.h)
				values = append(values, y)
			}
			p := panelOf(c.pr.cadence, values)
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
