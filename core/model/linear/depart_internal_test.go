package linear

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/feature"
	"paperkettle/core/panel"
)

// priced makes series whose prices move what is sold by an effect of each one's own, besides noise.
func priced(n, h int, seed uint64, effects []float64) (values, prices [][]float64) {
	for i, effect := range effects {
		rnd := rand.New(rand.NewPCG(seed, uint64(i)))
		price, y := make([]float64, n+h), make([]float64, n)
		for k := range price {
			price[k] = 10 + float64(rnd.IntN(4))
		}
		for k := range y {
			y[k] = 100 + effect*(price[k]-11.5) + 2*rnd.NormFloat64()
		}
		values, prices = append(values, y), append(prices, price)
	}
	return values, prices
}

func effectsOf(t *testing.T, values, prices [][]float64) (got []float64, pool *Pool) {
	t.Helper()
	v, list := inputs(3, values, prices)
	states, err := method("direct", "lag 1", "driver price").fit(context.Background(), v, list, 2)
	require.NoError(t, err)
	at := slices.IndexFunc(states[0].Pool.Ahead.Columns, func(c feature.Column) bool { return c.IsDriver() })
	require.GreaterOrEqual(t, at, 0)
	for _, s := range states {
		got = append(got, s.Outside.Beta[at]*s.Scale.Size)
	}
	return got, states[0].Pool
}

// Where customers are alike, series share a price's effect and tell it better than each could alone; where each
// has its own, it keeps it.
func TestSeriesShareAsFarAsTheyAreAlike(t *testing.T) {
	const series = 12
	alike, own := slices.Repeat([]float64{-4}, series), make([]float64, series)
	for i := range own {
		own[i] = -10 + 1.5*float64(i)
	}
	values, prices := priced(60, 3, 5, alike)
	got, together := effectsOf(t, values, prices)
	for i, b := range got {
		assert.InDelta(t, -4, b, 0.25, "series %d", i)
	}
	assert.GreaterOrEqual(t, together.EffectDeparture, 1.0, "held firmly")
	values, prices = priced(250, 3, 6, own)
	got, apart := effectsOf(t, values, prices)
	for i, b := range got {
		assert.InDelta(t, own[i], b, 0.6, "series %d", i)
	}
	assert.Less(t, apart.EffectDeparture, together.EffectDeparture)
}

// Customers mind a price more in one shop than in another, and leaflets alike in all: each driver is held as its effects
// are alike, and the one that is told by all is told better than by a strength for both.
func TestDriversAreHeldApart(t *testing.T) {
	const series, n = 24, 80
	var values, prices, leaflets [][]float64
	for i := range series {
		rnd := rand.New(rand.NewPCG(uint64(i), 17))
		y, price, leaflet := make([]float64, n), make([]float64, n+3), make([]float64, n+3)
		for k := range price {
			price[k], leaflet[k] = 10+float64(rnd.IntN(4)), float64(rnd.IntN(8)/7)
		}
		for k := range y {
			y[k] = 100 - (2+0.5*float64(i))*(price[k]-11.5) + 6*leaflet[k] + 5*rnd.NormFloat64()
		}
		values, prices, leaflets = append(values, y), append(prices, price), append(leaflets, leaflet)
	}
	v, list := inputs(3, values, prices, leaflets)
	states, err := method("direct", "lag 1", "driver price", "driver leaflet").fit(context.Background(), v, list, 2)
	require.NoError(t, err)
	pool := states[0].Pool
	require.Len(t, pool.PartDepartures, 2, "each once, though the equation is found twice")
	price, leaflet := pool.PartDepartures[0], pool.PartDepartures[1]
	assert.Equal(t, "price", price.Part)
	assert.Less(t, price.Strength, 0.5)
	assert.GreaterOrEqual(t, leaflet.Strength, 1.0)
	at := slices.IndexFunc(pool.Ahead.Columns, func(c feature.Column) bool { return c.Name2 == "leaflet" })
	for i, s := range states {
		assert.InDelta(t, 6, s.Outside.Beta[at]*s.Scale.Size, 1.5, "series %d", i)
	}
	assert.Contains(t, pool.partWords("drivers and events", pool.EffectDeparture, true), "(wholly for leaflet)")
}

// A strength that does better by one series alone is none that is better.
func TestStrengthsMustDoBetterBySeveralSeries(t *testing.T) {
	assert.True(t, clearlyLess([]float64{9, 8, 9, 8}, []float64{10, 10, 10, 10}))
	assert.False(t, clearlyLess([]float64{1, 10, 10, 10}, []float64{10, 10, 10, 10}))
	assert.False(t, clearlyLess([]float64{10, 10}, []float64{10, 10}))
	list := make([]*departure, 1000)
	for i := range list {
		list[i] = &departure{windows: []int{i}}
	}
	some := newTrials(list, 1).own
	assert.Len(t, some, mostTelling)
	assert.Equal(t, []int{0}, some[0].windows)
	assert.GreaterOrEqual(t, some[mostTelling-1].windows[0], 996)
	assert.Len(t, newTrials(list[:200], 1).own, 200)
}

// What strengths cost is told again as it was found, whatever was tried between, and on any number of workers.
func TestStrengthsAreTriedOnce(t *testing.T) {
	own := make([]*departure, 5)
	for i := range own {
		own[i] = newDeparture(someProducts(uint64(i), 3))
	}
	ctx, soft, firm := context.Background(), []float64{1, 0.1, 3}, []float64{10, 0.1, 3}
	tried := newTrials(own, 2)
	first, err := tried.losses(ctx, soft)
	require.NoError(t, err)
	for i, d := range own {
		assert.Equal(t, d.loss(soft, new(room)), first[i], "series %d", i)
	}
	other, err := tried.losses(ctx, firm)
	require.NoError(t, err)
	assert.NotEqual(t, first, other)
	own[0].windows = nil // what is asked again is not worked out again
	both, err := tried.all(ctx, [][]float64{firm, soft})
	require.NoError(t, err)
	assert.Equal(t, [][]float64{other, first}, both)
}

// someProducts are those of a regression on p columns, with folds to judge by.
func someProducts(seed uint64, p int) (out products) {
	for k := range folds {
		out.train[k], _, _ = design(2*seed, 200, p)
		out.judged[k], _, _ = design(2*seed+1, 50, p)
	}
	return out
}

// Held by nothing a regression is least squares; held by everything it is nothing; and the more it is held the
// shorter it is (Hoerl and Kennard 1970, theorem 4.3).
func TestRidgeShrinks(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		const p, n = 4, 30
		rnd := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))
		x, y := make([][p]float64, n), make([]float64, n)
		g, c := make([]float64, p*p), make([]float64, p)
		for i := range x {
			for a := range p {
				x[i][a] = rnd.NormFloat64()
			}
			y[i] = 2*x[i][0] - x[i][1] + 0.5*rnd.NormFloat64()
		}
		for i := range x {
			for a := range p {
				c[a] += x[i][a] * y[i] / n
				for b := range p {
					g[a*p+b] += x[i][a] * x[i][b] / n
				}
			}
		}
		free := make([]float64, p)
		ridge(g, c, 0, free)
		for a := range p { // the normal equations hold
			left := c[a]
			for b := range p {
				left -= g[a*p+b] * free[b]
			}
			assert.InDelta(t, 0, left, 1e-6)
		}
		last := math.Inf(1)
		for _, strength := range []float64{0, 0.01, 0.1, 1, 10, 1e9} {
			beta := make([]float64, p)
			ridge(g, c, strength, beta)
			size := 0.0
			for _, b := range beta {
				size += b * b
			}
			assert.LessOrEqual(t, size, last+1e-12)
			last = size
		}
		assert.Less(t, last, 1e-12)
		half := make([]float64, p) // one column held wholly has no effect, the others theirs without it
		ridgeEach(g, c, []float64{1e12, 0, 0, 0}, half)
		assert.InDelta(t, 0, half[0], 1e-6)
	})
}

// A value far from its neighbours is odd; a pattern is not, nor is what half of all values do.
func TestOddValues(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 4))
	quiet := make([]float64, 80)
	for i := range quiet {
		quiet[i] = 50 + rnd.NormFloat64()
	}
	with := func(change func(y []float64)) []float64 {
		y := slices.Clone(quiet)
		change(y)
		return y
	}
	assert.Empty(t, findOdd(quiet))
	assert.Equal(t, []int{20, 61}, findOdd(with(func(y []float64) { y[20], y[61] = 500, -90 })))
	assert.Equal(t, []int{0, 79}, findOdd(with(func(y []float64) { y[0], y[79] = 500, 0 })), "at either end")
	assert.Equal(t, []int{20}, findOdd(with(func(y []float64) { y[19], y[20], y[21] = panel.Unknown, 500, panel.Unknown })), "beside unknown values")
	assert.Empty(t, findOdd(with(func(y []float64) {
		for i := 0; i < len(y); i += 7 {
			y[i] = 0
		}
	})), "every seventh is how the series is")
	assert.Subset(t, []int{39, 40}, findOdd(with(func(y []float64) {
		for i := 40; i < len(y); i++ {
			y[i] += 100
		}
	})), "of a level that moved, the step alone may look like a mistake")
	assert.Empty(t, findOdd(slices.Repeat([]float64{7}, 40)))
	assert.Empty(t, findOdd([]float64{1, 2, 1, 2, 900}), "too few to tell")
	y := with(func(y []float64) { y[20], y[21] = 500, 600 })
	calm(y, findOdd(y))
	assert.InDelta(t, 50, y[20], 3)
	assert.InDelta(t, 50, y[21], 3)
}
