package additive

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
)

// stall makes daily sales with a week on them and a price whose elasticity is -1.5.
func stall(seed uint64, n, ahead int) (values, price []float64) {
	rnd := rand.New(rand.NewPCG(seed, 21))
	for t := range n + ahead {
		price = append(price, []float64{4, 5, 6}[rnd.IntN(3)])
		if t < n {
			values = append(values, 200*(1+0.2*math.Sin(2*math.Pi*float64(t)/7))*math.Pow(price[t]/5, -1.5)*math.Exp(0.05*rnd.NormFloat64()))
		}
	}
	return values, price
}

func fitted(t *testing.T, m Method, in single.Input) *State {
	s, err := m.fit(context.Background(), in)
	require.NoError(t, err)
	return s
}

func plain() Method {
	m := Auto()
	m.Trend, m.Level, m.Parts = "flat", "steady", "multiply"
	return m
}

// The elasticity comes back, within its own doubt.
func TestAnElasticityComesBack(t *testing.T) {
	hits := 0
	const trials = 30
	for seed := range uint64(trials) {
		values, price := stall(seed, 140, 7)
		s := fitted(t, plain(), inputOf(calendar.Day, 7, values, price))
		k := -1
		for a, name := range s.Belongs {
			if name == "price" {
				k = a
			}
		}
		require.GreaterOrEqual(t, k, 0)
		unit := s.Recipe.Drivers[0].Spread // columns are of unit spread
		elasticity, sd := s.Beta[k]/unit, math.Sqrt(float64(s.Cov[k*len(s.Beta)+k]))/unit
		assert.InDelta(t, -1.5, elasticity, 0.12)
		if math.Abs(elasticity+1.5) < 1.96*sd {
			hits++
		}
	}
	assert.InDelta(t, 0.95, float64(hits)/trials, 0.11, "in 95 % intervals")
}

// Taking out what drivers bring and putting it back is nothing, whatever the value and the period; and
// what is left does not move with the price.
func TestWhatIsTakenOutIsPutBack(t *testing.T) {
	values, price := stall(1, 140, 7)
	in := inputOf(calendar.Day, 7, values, price)
	s := fitted(t, plain(), in)
	o, err := s.Outside(in.SeriesView, 7)
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		at := rapid.IntRange(0, 146).Draw(t, "period")
		y := rapid.Float64Range(0.1, 1e6).Draw(t, "value")
		assert.InEpsilon(t, y, o.Put(at, o.Take(at, y)), 1e-9)
	})
	var cheap, dear []float64
	for k, y := range values {
		switch price[k] {
		case 4:
			cheap = append(cheap, o.Take(k, y))
		case 6:
			dear = append(dear, o.Take(k, y))
		}
	}
	assert.InDelta(t, 1, average(cheap)/average(dear), 0.05)
	none, err := fitted(t, plain(), inputOf(calendar.Day, 7, values)).Outside(inputOf(calendar.Day, 7, values).SeriesView, 7)
	assert.NoError(t, err)
	assert.Nil(t, none, "nothing comes from outside")
}

func average(x []float64) (m float64) {
	for _, v := range x {
		m += v / float64(len(x))
	}
	return m
}

// The components of a fit add up, on the working scale, to what it forecasts.
func TestComponentsAddUp(t *testing.T) {
	values, price := stall(2, 140, 7)
	for _, parts := range []string{"add", "multiply"} {
		m := plain()
		m.Parts = parts
		in := inputOf(calendar.Day, 7, values, price)
		s := fitted(t, m, in)
		sums := make([]float64, len(values))
		for _, p := range s.Past {
			for k, v := range p.Values {
				sums[k] += v
			}
		}
		rest := 0.0
		for k, y := range values {
			rest += math.Abs(s.Scale.To(y)-sums[k]) / float64(len(values))
		}
		assert.Less(t, rest, 0.25*s.Spread, parts)
		var d model.Description
		s.Describe(&d, 7)
		assert.NotEmpty(t, d.Components)
		for _, c := range d.Components {
			assert.Len(t, c.Ahead, 7, c.Name)
		}
	}
}

// Going on value by value is going on all at once, and goes on from what came, not from what was forecast.
func TestAdvancingValueByValue(t *testing.T) {
	values, price := stall(3, 160, 7)
	in := inputOf(calendar.Day, 7, values[:150], price)
	whole := inputOf(calendar.Day, 7, values, price).SeriesView
	one, all := fitted(t, plain(), in), fitted(t, plain(), in)
	require.NoError(t, all.Advance(whole, 150))
	for n := 151; n <= 160; n++ {
		require.NoError(t, one.Advance(inputOf(calendar.Day, 7, values[:n], price).SeriesView, n-1))
	}
	a, b := forecast.NewRows(7), forecast.NewRows(7)
	require.NoError(t, one.Forecast(whole, a))
	require.NoError(t, all.Forecast(whole, b))
	assert.InDeltaSlice(t, b.Mean, a.Mean, 1e-9)
	assert.InDeltaSlice(t, b.Quantiles, a.Quantiles, 1e-9)
	assert.InDeltaSlice(t, all.Beta, one.Beta, 0, "coefficients stay")
}

// A driver that never changes, or is not known ahead, is left out with a word; one with two states has no logarithm.
func TestDriversThatCantTell(t *testing.T) {
	values, _ := stall(4, 100, 7)
	flat, states := make([]float64, 107), make([]float64, 107)
	for k := range flat {
		flat[k], states[k] = 3, float64(k%2)
	}
	s := fitted(t, plain(), inputOf(calendar.Day, 7, values, flat))
	assert.Empty(t, s.Recipe.Drivers)
	require.NotEmpty(t, s.Notes)
	assert.Contains(t, s.Notes[0], "it never changes in the training part")
	s = fitted(t, plain(), inputOf(calendar.Day, 7, values, states))
	require.Len(t, s.Recipe.Drivers, 1)
	assert.False(t, s.Recipe.Drivers[0].Log)
	in := inputOf(calendar.Day, 7, values, states)
	in.View().Drivers()[0].KnownAhead = false
	s = fitted(t, plain(), in)
	assert.Empty(t, s.Recipe.Drivers)
	assert.Contains(t, s.Notes[0], "it is not known ahead")
	assert.Equal(t, math.Log(0.25), Driver{Log: true, Low: 0.5}.to(0), "below what was seen, half the least")
}

// A sign is kept where the data ask for the other: the effect is held at nothing.
func TestASignHolds(t *testing.T) {
	values, price := stall(5, 140, 7)
	m := plain()
	m.Signs = map[string]int{"price": 1}
	s := fitted(t, m, inputOf(calendar.Day, 7, values, price))
	for a, name := range s.Belongs {
		if name == "price" {
			assert.GreaterOrEqual(t, s.Beta[a], 0.0)
			assert.Less(t, s.Beta[a], 0.05)
		}
	}
}
