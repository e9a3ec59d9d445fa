package young_test

import (
	"context"
	"math"
	"math/rand/v2"
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
		own := p.Of(s.Key, s.Values, s.First)
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
