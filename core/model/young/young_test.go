package young_test

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model/young"
)

// shops are months of sales with a year on them that begins where each series says, a level that wanders and noise.
func shops(count, n int, year, wander, noise float64) (list []young.Series) {
	for i := range count {
		rnd := rand.New(rand.NewPCG(uint64(i), 9))
		level, y := math.Log(50)+rnd.NormFloat64(), make([]float64, n)
		for t := range y {
			level += wander * rnd.NormFloat64()
			y[t] = math.Exp(level + season(year, t+600) + noise*rnd.NormFloat64())
		}
		list = append(list, young.Series{Key: string(rune('a' + i)), Values: y, First: 600})
	}
	return list
}

func season(year float64, ordinal int) float64 {
	x := 2 * math.Pi * float64(ordinal) / 12
	return year * (math.Sin(x) + 0.4*math.Cos(2*x))
}

// learn is the prior of series, and how far each one's season is from the truth, in logs, as a root of mean squares.
func learn(t *testing.T, list []young.Series, year float64) (p *young.Prior, far, share float64) {
	p, err := young.Learn(context.Background(), list, 12, 12, 2)
	require.NoError(t, err)
	require.NotNil(t, p)
	for _, s := range list {
		own := p.Of(s)
		require.NotNil(t, own)
		share += own.Share / float64(len(list))
		for k := range 12 {
			at := own.At(int64(600 + k))
			require.True(t, own.Log)
			d := math.Log(at) - season(year, 600+k)
			far += d * d / 12 / float64(len(list))
		}
	}
	return p, math.Sqrt(far), share
}

// A year is found in a year and a half of months, in one series as in many, and none where there is none.
func TestAYearInAYearAndAHalf(t *testing.T) {
	for _, c := range []struct {
		count, n int
		most     float64
	}{{20, 18, 0.08}, {20, 24, 0.06}, {20, 30, 0.05}, {1, 24, 0.08}} {
		_, far, share := learn(t, shops(c.count, c.n, 0.3, 0.02, 0.08), 0.3)
		t.Logf("%d series of %d months: off by %.3f, a season with %.2f", c.count, c.n, far, share)
		assert.Less(t, far, c.most)
		assert.Greater(t, share, 0.9)
	}
	for _, wander := range []float64{0, 0.02, 0.1} {
		_, far, share := learn(t, shops(20, 20, 0, wander, 0.08), 0)
		t.Logf("none, a level that moves by %.2f: off by %.3f, a season with %.2f", wander, far, share)
		assert.Less(t, far, 0.025)
	}
}

// How unsure a season is of itself is how far it is from the truth, also where all series have seen less than a round of
// the same one, or their levels move together, and they err alike; where they do not it may be half as far.
func TestDeviationsHold(t *testing.T) {
	for _, c := range []struct {
		count, n, from int
		common         float64
	}{{1, 22, 0, 0}, {12, 22, 0, 0}, {12, 22, 0, 0.03}, {12, 9, 0, 0}, {12, 9, 4, 0.03}, {12, 11, 8, 0}, {12, 13, 0, 0.03}, {12, 30, 0, 0.03}} {
		var sum, n float64
		all := shops(c.count*40, c.n+c.from, 0.2, 0.03, 0.08)
		for seed := range 40 {
			list := slices.Clone(all[seed*c.count : (seed+1)*c.count]) // other shops, other noise
			for i := range list {
				list[i].Key, list[i].Values, list[i].First = string(rune('a'+i)), list[i].Values[c.from:], int64(600+c.from)
				rnd, level := rand.New(rand.NewPCG(uint64(seed), 2)), 0.0
				for k := range list[i].Values {
					level += c.common * rnd.NormFloat64()
					list[i].Values[k] *= math.Exp(level)
				}
			}
			p, err := young.Learn(context.Background(), list, 12, 12, 2)
			require.NoError(t, err)
			own := p.Of(list[0])
			if !own.Log {
				continue // one alone may speak for levels
			}
			for k := range 12 {
				z := (math.Log(own.At(int64(600+k))) - season(0.2, 600+k)) / own.Deviation(int64(600+k))
				sum, n = sum+z*z, n+1
			}
		}
		z := math.Sqrt(sum / n)
		t.Logf("of %d series of %d months, a common level that moves by %.2f: errors of %.2f deviations", c.count, c.n, c.common, z)
		assert.Greater(t, z, 0.45)
		assert.Less(t, z, 1.4)
	}
}

// A short series among others takes their season, and what is its own does not come back to it through them.
func TestANewSeriesTakesTheOthersSeason(t *testing.T) {
	list := shops(12, 48, 0.4, 0.02, 0.08)
	newcomer := &list[3]
	newcomer.Values, newcomer.First = newcomer.Values[41:], newcomer.First+41 // seven months
	p, err := young.Learn(context.Background(), list, 12, 12, 1)
	require.NoError(t, err)
	own := p.Of(*newcomer)
	for k := range 12 {
		assert.InDelta(t, season(0.4, 600+k), math.Log(own.At(int64(600+k))), 0.12, "place %d", k)
	}
	odd := shops(3, 24, 0, 0.02, 0.05)
	odd[1].Values = shops(1, 24, 0.5, 0.02, 0.05)[0].Values // the one with a season
	p, err = young.Learn(context.Background(), odd, 12, 12, 1)
	require.NoError(t, err)
	for _, i := range []int{0, 2} {
		flat := p.Of(odd[i])
		for k := range 12 {
			assert.InDelta(t, 0, math.Log(flat.At(int64(600+k))), 0.1, "series %d has none", i)
		}
	}
}

// Taking a season out and putting it back changes nothing, in logs and in levels, and the workers change no bit.
func TestASeasonGoesOutAndBack(t *testing.T) {
	for name, change := range map[string]func(y []float64){
		"sales": func([]float64) {},
		"with zeros and gaps": func(y []float64) {
			y[3], y[9] = 0, math.NaN()
			y[17] = 0
		},
		"huge":        func(y []float64) { scale(y, 1e15) },
		"tiny":        func(y []float64) { scale(y, 1e-12) },
		"below zero":  func(y []float64) { scale(y, -1) },
		"gaps alone":  func(y []float64) { y[0], y[1], y[19] = math.NaN(), math.NaN(), math.NaN() },
		"whole parts": func(y []float64) { y[5] = math.Round(y[5]) },
	} {
		list := shops(6, 20, 0.3, 0.02, 0.08)
		for i := range list {
			change(list[i].Values)
		}
		one, err := young.Learn(context.Background(), list, 12, 12, 1)
		require.NoError(t, err)
		many, err := young.Learn(context.Background(), list, 12, 12, 4)
		require.NoError(t, err)
		for _, s := range list {
			own := one.Of(s)
			require.NotNil(t, own, name)
			assert.Equal(t, own, many.Of(s), name)
			rest, span := own.Rest(s.Values, s.First), own.Over(s.First, len(s.Values))
			for i := range rest {
				span.PutBack(i, rest[i:i+1])
				if s.Values[i] == s.Values[i] {
					assert.InEpsilon(t, 1+s.Values[i], 1+rest[i], 1e-9, name)
				}
			}
		}
	}
}

func scale(y []float64, by float64) {
	for i := range y {
		y[i] *= by
	}
}

// Where nobody has seen a round, or each says nothing, there is nothing to learn.
func TestNothingToLearn(t *testing.T) {
	learned := func(list []young.Series, m int) *young.Prior {
		p, err := young.Learn(context.Background(), list, m, float64(m), 1)
		require.NoError(t, err)
		return p
	}
	assert.Nil(t, learned(shops(5, 8, 0.3, 0.02, 0.08), 12), "less than most of a round")
	assert.Nil(t, learned(nil, 12))
	assert.Nil(t, learned(shops(5, 20, 0.3, 0.02, 0.08), 1), "no season")
	constant := []young.Series{{Key: "a", Values: slices.Repeat([]float64{7}, 20)}}
	assert.Nil(t, learned(constant, 12).Of(constant[0]))
	var none *young.Prior
	assert.Nil(t, none.Of(shops(1, 20, 0.3, 0.02, 0.08)[0]))
	long := shops(2, 100, 0.3, 0.02, 0.08)
	assert.Nil(t, learned(long, 12).Of(long[0]), "a long series tells by itself")
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := young.Learn(ctx, shops(5, 20, 0.3, 0.02, 0.08), 12, 12, 2)
	assert.ErrorIs(t, err, context.Canceled)
}

// Weeks have years that are no whole number of them.
func TestAYearOfWeeks(t *testing.T) {
	const period = 365.25 / 7
	year := func(ordinal int) float64 { return 0.3 * math.Sin(2*math.Pi*float64(ordinal)/period) }
	var list []young.Series
	for i := range 10 {
		rnd := rand.New(rand.NewPCG(uint64(i), 3))
		y := make([]float64, 70+3*i)
		for k := range y {
			y[k] = 20 * math.Exp(year(2600+k)+0.1*rnd.NormFloat64())
		}
		list = append(list, young.Series{Key: string(rune('a' + i)), Values: y, First: 2600})
	}
	p, err := young.Learn(context.Background(), list, 52, period, 2)
	require.NoError(t, err)
	for _, s := range list {
		own := p.Of(s)
		base := math.Log(own.At(2700)) - year(2700)
		for k := range 100 {
			assert.InDelta(t, year(2600+k)+base, math.Log(own.At(int64(2600+k))), 0.1)
		}
	}
}

// BenchmarkOf is of what a series' season takes once the others are known.
func BenchmarkOf(b *testing.B) {
	for name, c := range map[string]struct {
		m, n   int
		period float64
	}{"24 months": {12, 24, 12}, "100 weeks": {52, 100, 365.25 / 7}} {
		list := shops(20, c.n, 0.3, 0.02, 0.08)
		p, err := young.Learn(context.Background(), list, c.m, c.period, 2)
		require.NoError(b, err)
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				p.Of(list[0])
			}
		})
	}
}
