package young_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model/young"
	"paperkettle/core/panel"
)

const daysOfYear = 365.25

// ofYear is daily series with days of the week, a level that wanders and a season of the year.
func ofYear(count, n int, wander float64, year func(ordinal int64) float64) (out []young.Series) {
	for i := range count {
		rnd := rand.New(rand.NewPCG(uint64(i), 9))
		first := int64(18000 + 3*i)
		y, level := make([]float64, n), 4+rnd.Float64()
		for t := range y {
			o := first + int64(t)
			level += wander * rnd.NormFloat64()
			y[t] = math.Exp(level + year(o) + 0.3*math.Sin(2*math.Pi*float64(o)/7) + 0.1*rnd.NormFloat64())
		}
		out = append(out, young.Series{Key: string(rune('a' + i)), Values: y, First: first})
	}
	return out
}

// The season of the year of daily series is found by the means of weeks, of a year and a half or of nine, where some days
// are unknown and a weekday is shut too. Of a year and five months it is found by its foretelling the five.
func TestSeasonOfTheYearComesBack(t *testing.T) {
	wave := func(o int64) float64 {
		at := 2 * math.Pi * float64(o) / daysOfYear
		return 0.3*math.Sin(at) + 0.1*math.Cos(2*at)
	}
	for _, n := range []int{510, 750, 1100, 3300} {
		list := ofYear(8, n, 0.002, wave)
		for i := range list {
			for k := range list[i].Values {
				if (list[i].First+int64(k))%7 == 2 || k%31 == i {
					list[i].Values[k] = panel.Unknown
				}
			}
		}
		prior, err := young.LearnYear(context.Background(), list, 2)
		require.NoError(t, err)
		for _, s := range list {
			season := prior.Of(s)
			require.NotNil(t, season)
			assert.True(t, season.Many && season.Log && season.Shows())
			far := 0.0
			for k := range int64(365) {
				o := s.First + int64(n) + k
				far += math.Abs(math.Log(season.At(o))-wave(o)) / 365
				assert.Greater(t, season.Deviation(o), 0.0)
			}
			assert.Less(t, far, 0.05, "%d days", n)
		}
	}
}

// A season is found although some series have weeks without sales in the year that is left out.
func TestSeasonOfTheYearBesideWeeksWithoutSales(t *testing.T) {
	list := ofYear(8, 1100, 0.002, func(o int64) float64 { return 0.3 * math.Sin(2*math.Pi*float64(o)/daysOfYear) })
	for k := range 30 {
		list[3].Values[900+k] = 0
	}
	prior, err := young.LearnYear(context.Background(), list, 2)
	require.NoError(t, err)
	for _, i := range []int{2, 3} {
		assert.NotNil(t, prior.Of(list[i]), "series %d", i)
	}
}

// Where the level only wanders, or grows for a while and then no more, no season is taken for one; nor is it where the panel
// has one and what comes after it has another.
func TestNoSeasonOfTheYear(t *testing.T) {
	none := func(int64) float64 { return 0 }
	moving := ofYear(10, 1100, 0, none)
	for i, s := range moving {
		rnd := rand.New(rand.NewPCG(uint64(i), 4))
		level, move := 0.0, 0.0
		for k := range s.Values {
			move = 0.97*move + 0.002*rnd.NormFloat64()
			level += move
			s.Values[k] *= math.Exp(level)
		}
	}
	ended := ofYear(10, 1460, 0.002, func(o int64) float64 {
		if o > 18730 {
			return 0
		}
		return 0.3 * math.Sin(2*math.Pi*float64(o)/daysOfYear)
	})
	for name, list := range map[string][]young.Series{"wandering": ofYear(10, 1100, 0.01, none), "moving": moving, "ended": ended,
		"wandering for 16 months": ofYear(10, 500, 0.01, none), "wandering for 20 months": ofYear(10, 610, 0.01, none),
		"15 months": ofYear(10, 460, 0.002, func(o int64) float64 { return 0.3 * math.Sin(2*math.Pi*float64(o)/daysOfYear) })} {
		prior, err := young.LearnYear(context.Background(), list, 2)
		require.NoError(t, err)
		assert.Nil(t, prior, name)
	}
}

// Half a year tells nothing of the year, nor do values that nobody knows; what was told of long series is told of a short one.
func TestTooLittleOfAYear(t *testing.T) {
	none := func(list []young.Series) {
		prior, err := young.LearnYear(context.Background(), list, 1)
		require.NoError(t, err)
		assert.Nil(t, prior)
		assert.Nil(t, prior.Of(list[0]))
	}
	wave := func(o int64) float64 { return 0.3 * math.Sin(2*math.Pi*float64(o)/daysOfYear) }
	none(ofYear(3, 180, 0.01, wave))
	unknown := young.Series{Key: "x", Values: []float64{panel.Unknown, panel.Unknown}, First: 18000}
	none([]young.Series{unknown})
	list := ofYear(6, 1100, 0.002, wave)
	prior, err := young.LearnYear(context.Background(), list, 1)
	require.NoError(t, err)
	short := ofYear(7, 60, 0.002, wave)[6]
	season := prior.Of(short)
	require.NotNil(t, season)
	assert.InDelta(t, wave(18200), math.Log(season.At(18200)), 0.1)
	assert.Nil(t, prior.Of(unknown))
}

// What a driver does is no season's: a sale that lasted all of a month, beside short ones now and then, leaves the
// season as it was where the driver is told, and not where it is not.
func TestSeasonOfTheYearBesideADriver(t *testing.T) {
	wave := func(o int64) float64 { return 0.3 * math.Sin(2*math.Pi*float64(o)/daysOfYear) }
	list := ofYear(8, 800, 0.002, wave)
	for i := range list {
		sale := make([]float64, len(list[i].Values))
		for k := range sale {
			if k >= 120 && k < 165 || k%50 < 3 {
				sale[k] = 1
				list[i].Values[k] *= math.Exp(0.7)
			}
			if k%29 == i {
				list[i].Values[k] = panel.Unknown
			}
		}
		list[i].Drivers = [][]float64{sale}
	}
	far := func(told bool) (sum float64) {
		given := make([]young.Series, len(list))
		for i, s := range list {
			if given[i] = s; !told {
				given[i].Drivers = nil
			}
		}
		prior, err := young.LearnYear(context.Background(), given, 2)
		require.NoError(t, err)
		for _, s := range given {
			season := prior.Of(s)
			for k := range int64(365) {
				o, said := s.First+800+k, 0.0
				if season != nil {
					said = math.Log(season.At(o))
				}
				sum += math.Abs(said-wave(o)) / 365 / float64(len(given))
			}
		}
		return sum
	}
	beside, without := far(true), far(false)
	t.Logf("%.3f beside it, %.3f without", beside, without)
	assert.Less(t, beside, 0.05)
	assert.Less(t, beside, 0.7*without)
}
