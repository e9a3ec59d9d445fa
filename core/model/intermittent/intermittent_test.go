package intermittent

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

func input(y []float64) single.Input {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week, WeekStart: 1}, First: 100, Length: len(y),
		Series: []panel.Series{{Key: "a", Values: y}}}
	return single.Input{SeriesView: panel.NewView(p, []int{0}, 0, len(y)-1).Series(0), Horizon: 4}
}

func fit(t testing.TB, m Method, y []float64) *State {
	s, err := m.Fit(context.Background(), input(y))
	require.NoError(t, err)
	return s.(*State)
}

// Three every fourth period: each kind by hand, with weight 0.1.
func TestRatesByHand(t *testing.T) {
	y := make([]float64, 40)
	for i := 3; i < 40; i += 4 {
		y[i] = 3
	}
	for kind, want := range map[Kind]float64{Croston: 0.75, Corrected: 0.95 * 0.75, Aggregated: 0.75} {
		s := fit(t, Method{Kind: kind, Alpha: 0.1}, y)
		assert.InDelta(t, want, s.Rate.value(kind, 0.1), 1e-9, kind)
	}
	// The probability p falls to 0.9^3 p between demands and rises by 0.1 at one: at the end,
	// just after, it is 0.1 / (1 - 0.9^4), started from 1/4.
	p := 0.25
	for i := range y {
		p *= 0.9
		if y[i] > 0 {
			p += 0.1
		}
	}
	decaying := fit(t, Method{Kind: Decaying, Alpha: 0.1}, y)
	assert.InDelta(t, 3*p, decaying.Rate.value(Decaying, 0.1), 1e-9)

	quiet := append(append([]float64(nil), y...), make([]float64, 30)...)
	before := decaying.Rate.value(Decaying, 0.1)
	require.NoError(t, decaying.Advance(input(quiet).SeriesView, 40))
	assert.InDelta(t, before*math.Pow(0.9, 30), decaying.Rate.value(Decaying, 0.1), 1e-9, "it forgets")
}

// draw makes counts, and what the quantiles say of them must come true.
func TestCountsCover(t *testing.T) {
	rnd := rand.New(rand.NewPCG(6, 6))
	poisson := func(l float64) (k float64) {
		for p := math.Exp(-l); ; k++ {
			if u := rnd.Float64(); k == 0 && u < p {
				return 0
			} else if k == 0 {
				for c := p; u > c; c += p {
					k++
					p *= l / k
				}
				return k
			}
		}
	}
	gamma := func(shape int) (sum float64) { // mean 1
		for range shape {
			sum -= math.Log(1-rnd.Float64()) / float64(shape)
		}
		return sum
	}
	for _, c := range []struct {
		name string
		next func() float64
	}{
		{"poisson", func() float64 { return poisson(0.7) }},
		{"negative binomial", func() float64 { return poisson(2 * gamma(1)) }},
		{"zeros of its own", func() float64 {
			if rnd.Float64() < 0.6 {
				return 0
			}
			return poisson(6)
		}},
	} {
		name, next := c.name, c.next
		var y []float64
		for range 1500 {
			y = append(y, next())
		}
		s := fit(t, Method{Alpha: 0.05}, y)
		out := forecast.NewRows(1)
		require.NoError(t, s.Forecast(panel.SeriesView{}, out))
		require.NoError(t, out.Check())
		for _, p := range []float64{0.5, 0.9, 0.975} {
			q := forecast.Quantile(out.At(0), p)
			assert.Equal(t, math.Trunc(q), q, name)
			below, atMost := 0.0, 0.0
			const draws = 20000
			for range draws {
				if v := next(); v < q {
					below++
				} else if v == q {
					atMost++
				}
			}
			assert.LessOrEqual(t, below/draws, p+0.04, "%s at %v", name, p)
			assert.GreaterOrEqual(t, (below+atMost)/draws, p-0.04, "%s at %v", name, p)
		}
		assert.Equal(t, name == "zeros of its own", s.Counts.Zeros > 0, name)
	}
	_, err := Method{}.Fit(context.Background(), input([]float64{1, 0, -2, 3, 1}))
	assert.ErrorContains(t, err, "below zero")
}

func BenchmarkCroston(b *testing.B) {
	rnd := rand.New(rand.NewPCG(1, 1))
	y := make([]float64, 200)
	for i := range y {
		if rnd.IntN(4) == 0 {
			y[i] = float64(1 + rnd.IntN(5))
		}
	}
	in := input(y)
	out := forecast.NewRows(8)
	for b.Loop() {
		s, _ := Method{Kind: Corrected}.Fit(context.Background(), in)
		_ = s.Forecast(panel.SeriesView{}, out)
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "series/s")
}
