package neural_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/neural"
	"paperkettle/core/panel"
)

// drawn is a panel of series whose days are drawn one by one, around means that follow the week.
func drawn(series, n int, draw func(rnd *rand.Rand, mean float64) float64) *panel.Panel {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 7000, Length: n}
	for i := range series {
		rnd := rand.New(rand.NewPCG(5, uint64(i)))
		y := make([]float64, n)
		for t := range y {
			y[t] = draw(rnd, 4+float64(i%4)+2*math.Sin(2*math.Pi*float64(t)/7))
		}
		p.Series = append(p.Series, panel.Series{Key: fmt.Sprint("item ", i), Values: y})
	}
	return p
}

// negativeBinomial draws a Poisson number whose mean has a Gamma distribution.
func negativeBinomial(rnd *rand.Rand, mean float64) float64 {
	const spread = 0.6
	return distuv.Poisson{Lambda: distuv.Gamma{Alpha: 1 / spread, Beta: 1 / (spread * mean), Src: rnd}.Rand(), Src: rnd}.Rand()
}

// covered is the share of a panel's last values that lie within 80 % intervals.
func covered(p *panel.Panel, n int, rows []forecast.Rows) float64 {
	inside, count := 0.0, 0.0
	for i, r := range rows {
		for k := range r.Mean {
			low, high := forecast.Interval(r.At(k), 80)
			if y := p.Series[i].Values[n+k]; low <= y && y <= high {
				inside++
			}
			count++
		}
	}
	return inside / count
}

// The likeliest distribution is the one that the noise has, and its intervals hold; where whole numbers
// are drawn, counts are tried, and else not.
func TestTheLikeliestDistribution(t *testing.T) {
	const n, h = 120, 7
	heavy := func(rnd *rand.Rand, mean float64) float64 {
		return 10 + mean + distuv.StudentsT{Mu: 0, Sigma: 1, Nu: 3, Src: rnd}.Rand()
	}
	for name, c := range map[string]struct {
		draw  func(*rand.Rand, float64) float64
		tried int
		least float64 // coverage of counts is above what was asked
	}{
		"negative binomial": {negativeBinomial, 3, 0.78},
		"Student":           {heavy, 2, 0.72},
	} {
		p := drawn(20, n+h, c.draw)
		v := viewOf(p, n-1)
		trained := train(t, "perceptron", small(model.Values{"output": "distribution", "passes": 4}), v, env(h, 2))
		d := trained.Describe(0)
		assert.Contains(t, d.Form, "gives a "+name+" distribution", name)
		require.Len(t, d.Choices, c.tried, name)
		assert.Equal(t, "a "+name+" distribution", d.Choices[0].Form)
		assert.Less(t, d.Choices[0].Value, d.Choices[1].Value)
		share := covered(p, n, forecasts(t, trained, v, h))
		assert.Greater(t, share, c.least, name)
		assert.Less(t, share, 0.91, name)
	}
}

// A distribution that is asked for is taken: of normal noise all forecast as well as quantiles do.
func TestDistributionsForecastAsQuantilesDo(t *testing.T) {
	const n, h = 120, 7
	p := drawn(12, n+h, func(rnd *rand.Rand, mean float64) float64 { return 10 + mean + rnd.NormFloat64() })
	v := viewOf(p, n-1)
	plain := errorOf(p, n, forecasts(t, train(t, "recurrent", small(model.Values{"passes": 6}), v, env(h, 2)), v, h))
	for _, output := range []string{"normal", "student"} {
		trained := train(t, "recurrent", small(model.Values{"passes": 6, "output": output}), v, env(h, 2))
		rows := forecasts(t, trained, v, h)
		assert.InEpsilon(t, plain, errorOf(p, n, rows), 0.05, output)
		assert.InDelta(t, 0.8, covered(p, n, rows), 0.07, output)
		assert.Empty(t, trained.Describe(0).Choices)
	}
	m, _, err := neural.Families().New("perceptron", small(model.Values{"output": "counts"}))
	require.NoError(t, err)
	trained, err := m.Train(t.Context(), v, env(h, 2))
	require.NoError(t, err)
	cautions := trained.Describe(0).Cautions
	assert.True(t, strings.HasPrefix(cautions[0], "output: counts are whole numbers"), "%v", cautions)
}

// A choice is the same for any workers, and after a stop that comes right after it; what is written
// forecasts the same.
func TestTheLikeliestIsTheSame(t *testing.T) {
	const n, h = 120, 7
	v := viewOf(drawn(10, n, negativeBinomial), n-1)
	given := small(model.Values{"output": "distribution", "passes": 5})
	first := train(t, "perceptron", given, v, env(h, 1))
	rows := forecasts(t, first, v, h)
	trained := afterAStop(t, "perceptron", given, v, env(h, 3), 1)
	assert.Equal(t, rows, forecasts(t, trained, v, h))
	assert.Equal(t, first.Describe(0).Choices, trained.Describe(0).Choices)
	assert.Equal(t, rows, forecasts(t, readBack(t, "perceptron", given, first), v, h))
}

// Whatever the series are like, distributions stay finite, ordered and near what was.
func TestDistributionsOfOddSeries(t *testing.T) {
	const n, h = 100, 7
	odd := map[string]func(t int) float64{
		"zeros": func(int) float64 { return 0 }, "constant": func(int) float64 { return 7 },
		"huge":     func(t int) float64 { return 1e15 + 1e13*float64(t%3) },
		"one sale": func(t int) float64 { return float64(t / 90 * (t % 90 / 9)) }, "ramp": func(t int) float64 { return float64(t) },
	}
	p := drawn(6, n, negativeBinomial)
	for name, of := range odd {
		y := make([]float64, n)
		for t := range y {
			y[t] = of(t)
		}
		p.Series = append(p.Series, panel.Series{Key: name, Values: y})
	}
	v := viewOf(p, n-1)
	for _, output := range []string{"normal", "student", "counts"} {
		for i, r := range forecasts(t, train(t, "perceptron", small(model.Values{"output": output}), v, env(h, 2)), v, h) {
			assert.NoError(t, r.Check(), "%s of %s", output, p.Series[i].Key)
		}
	}
}
