package weights_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/pretrained"
	"paperkettle/core/num"
	"paperkettle/core/panel"
	"paperkettle/core/synth"
	"paperkettle/pretrain/weights"
)

// The card, the files and the program speak of the same weights.
func TestTheCardSpeaksOfTheseWeights(t *testing.T) {
	w, err := weights.Open()
	require.NoError(t, err)
	card, err := os.ReadFile("../../docs/pretrained.md")
	require.NoError(t, err)
	assert.Contains(t, string(card), w.Hash)
	for k, about := range w.About {
		for _, name := range []string{"steps", "seed", "loss"} {
			assert.Contains(t, string(card), about[name], "network %d: %s", k+1, name)
		}
	}
	assert.Less(t, w.Bytes, 10<<20)
	assert.NotZero(t, strings.Count(string(card), "core/synth"))
}

// They forecast made-up series that they never saw as well as their card says.
func TestTheLossIsTheCards(t *testing.T) {
	w, err := weights.Open()
	require.NoError(t, err)
	var judged []pretrained.Lesson
	for i := range uint64(2000) {
		s := synth.Make(0xc0ffee, i)
		judged = append(judged, pretrained.Lesson{Values: s.Values, Known: s.Known, Season: s.Season, Longer: s.Longer})
	}
	for k, n := range w.Networks {
		loss, err := n.Check(context.Background(), 2, judged)
		require.NoError(t, err)
		var said float64
		_, err = fmt.Sscan(w.About[k]["loss"], &said)
		require.NoError(t, err)
		assert.InDelta(t, said, loss, 0.002, "network %d, rounded to half precision", k+1)
	}
}

// made is a panel of series of a kind.
func made(series, n int, cadence calendar.Cadence, y func(i, t int, rnd *rand.Rand) float64) (*panel.Panel, panel.View) {
	rnd := rand.New(rand.NewPCG(1, 2))
	p := &panel.Panel{Cadence: cadence, Length: n}
	all := make([]int, series)
	for i := range all {
		all[i] = i
		values := make([]float64, n)
		for t := range values {
			values[t] = y(i, t, rnd)
		}
		p.Series = append(p.Series, panel.Series{Key: fmt.Sprintf("s%d", i), Values: values})
	}
	return p, panel.NewView(p, all, 0, n-1)
}

func ahead(t testing.TB, p *panel.Panel, keep, h int) []forecast.Rows {
	t.Helper()
	w, err := weights.Open()
	require.NoError(t, err)
	m, _, err := pretrained.Families(w).New("pretrained", nil)
	require.NoError(t, err)
	all := make([]int, len(p.Series))
	for i := range all {
		all[i] = i
	}
	v := panel.NewView(p, all, 0, keep-1)
	trained, err := m.Train(context.Background(), v, model.Env{Horizon: h, Workers: 2, Random: func(s string) *rand.Rand { return num.Stream(1, s) }})
	require.NoError(t, err)
	res, err := trained.Forecast(context.Background(), v, h)
	require.NoError(t, err)
	for i, e := range res.Err {
		require.NoError(t, e, i)
	}
	return res.Series
}

var (
	daily   = calendar.Cadence{Unit: calendar.Day}
	monthly = calendar.Cadence{Unit: calendar.Month}
)

// What anyone tries first: a season, a line, growth, and noise about a level.
func TestWhatAnyoneTriesFirst(t *testing.T) {
	for name, c := range map[string]struct {
		cadence calendar.Cadence
		n, h    int
		y       func(i, t int, rnd *rand.Rand) float64
		most    float64 // WAPE
	}{
		"weeks with little noise": {daily, 280, 28, func(i, t int, rnd *rand.Rand) float64 {
			return 100 + 30*math.Sin(2*math.Pi*float64(t+i)/7) + rnd.NormFloat64()
		}, 0.015},
		"months that grow": {monthly, 84, 12, func(i, t int, rnd *rand.Rand) float64 {
			return 100 * math.Exp(0.01*float64(t)) * (1 + 0.3*math.Sin(2*math.Pi*float64(t+i)/12)) * (1 + 0.02*rnd.NormFloat64())
		}, 0.06},
		"a straight line": {monthly, 40, 6, func(i, t int, rnd *rand.Rand) float64 { return float64(20 + (2+i)*t) }, 0.03},
		"noise":           {daily, 200, 14, func(i, t int, rnd *rand.Rand) float64 { return 50 + 10*rnd.NormFloat64() }, 0.18},
	} {
		p, _ := made(20, c.n+c.h, c.cadence, c.y)
		rows := ahead(t, p, c.n, c.h)
		miss, size := 0.0, 0.0
		for i, r := range rows {
			for h := range c.h {
				y := p.Series[i].Values[c.n+h]
				miss, size = miss+math.Abs(y-r.At(h)[forecast.Median]), size+math.Abs(y)
			}
		}
		t.Logf("%s: WAPE %.4f", name, miss/size)
		assert.Less(t, miss/size, c.most, name)
	}
}

// Intervals hold what they say, of kinds of series that the training knows.
func TestIntervalsHold(t *testing.T) {
	p, _ := made(60, 220, daily, func(i, t int, rnd *rand.Rand) float64 {
		return 100 + 20*math.Sin(2*math.Pi*float64(t)/7) + 8*rnd.NormFloat64()
	})
	rows := ahead(t, p, 192, 28)
	in, in95, all := 0.0, 0.0, 0.0
	for i, r := range rows {
		for h := range 28 {
			y := p.Series[i].Values[192+h]
			all++
			if low, high := forecast.Interval(r.At(h), 80); y >= low && y <= high {
				in++
			}
			if low, high := forecast.Interval(r.At(h), 95); y >= low && y <= high {
				in95++
			}
		}
	}
	assert.InDelta(t, 0.80, in/all, 0.06)
	assert.InDelta(t, 0.95, in95/all, 0.03)
}

// BenchmarkForecast forecasts 500 series of 704 values, 28 steps ahead, as nothing is fitted.
func BenchmarkForecast(b *testing.B) {
	for _, series := range []int{500, 1} {
		b.Run(fmt.Sprint(series), func(b *testing.B) {
			_, v := made(series, 704, daily, func(i, t int, rnd *rand.Rand) float64 {
				return 100 + 20*math.Sin(2*math.Pi*float64(t)/7) + 8*rnd.NormFloat64()
			})
			w, err := weights.Open()
			require.NoError(b, err)
			m, _, err := pretrained.Families(w).New("pretrained", nil)
			require.NoError(b, err)
			trained, err := model.Bare(m).Train(context.Background(), v,
				model.Env{Horizon: 28, Workers: 2, Random: func(s string) *rand.Rand { return num.Stream(1, s) }})
			require.NoError(b, err)
			start := time.Now()
			for b.Loop() {
				_, err := trained.Forecast(context.Background(), v, 28)
				require.NoError(b, err)
			}
			b.ReportMetric(float64(series*b.N)/time.Since(start).Seconds(), "series/s")
		})
	}
}
