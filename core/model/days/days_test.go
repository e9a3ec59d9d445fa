package days_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model/days"
	"paperkettle/core/panel"
)

var (
	daily   = calendar.Cadence{Unit: calendar.Day}
	monthly = calendar.Cadence{Unit: calendar.Month}
)

func start(c calendar.Cadence, year int) int64 {
	o, _ := c.Ordinal(time.Date(year, 1, 1, 0, 0, 0, 0, time.UTC).Unix())
	return o
}

// made is series of a wandering level and a season, whose logs have what days do and noise.
func made(c calendar.Cadence, count, n int, noise float64, seed uint64, day func(at time.Time, series int) float64) (out []days.Series) {
	rnd := rand.New(rand.NewPCG(seed, 1))
	first := start(c, 2021)
	for i := range count {
		var season [12]float64
		for k := range season {
			season[k] = 0.2 * rnd.NormFloat64()
		}
		y, level := make([]float64, n), 4+rnd.Float64()
		for t := range y {
			at := time.Unix(c.Start(first+int64(t)), 0).UTC()
			place := int(at.Month()) - 1
			switch c.Unit {
			case calendar.Day:
				place = int(at.Weekday())
			case calendar.Week:
				place = 0
			}
			level += noise / 10 * rnd.NormFloat64()
			y[t] = math.Exp(level + season[place] + day(at, i) + noise*rnd.NormFloat64())
		}
		out = append(out, days.Series{Values: y, First: first})
	}
	return out
}

func payday(at time.Time, _ int) float64 {
	switch at.Day() {
	case 1, 2, 15:
		return math.Log(1.6)
	}
	return 0
}

func learn(t *testing.T, list []days.Series, c calendar.Cadence) *days.Prior {
	p, err := days.Learn(context.Background(), list, c, 2)
	require.NoError(t, err)
	return p
}

// Days on which pay comes are found, in many series and in one, with values missing and mistakes among them, and the days
// of a month together change nothing.
func TestPaydaysComeBack(t *testing.T) {
	for _, count := range []int{1, 8} {
		list := made(daily, count, 900, 0.1, 3, payday)
		for i := range list {
			for k := 7; k < 900; k += 41 {
				list[i].Values[k] = panel.Unknown
			}
			list[i].Values[333] *= 20
		}
		p := learn(t, list, daily)
		require.NotNil(t, p)
		e := p.Of(list[0])
		sum := 0.0
		for k := range int64(365) {
			o := list[0].First + k
			at := time.Unix(daily.Start(o), 0).UTC()
			assert.InDelta(t, payday(at, 0)-3*math.Log(1.6)/30.4, e.At(o), 0.06, "%s, %d series", at, count)
			sum += e.At(o)
		}
		assert.InDelta(t, 0, sum/365, 0.005)
		assert.Contains(t, e.Words(), "% on day ")
		assert.Greater(t, e.Deviation(list[0].First), 0.001)
	}
}

// What happens so many days before a month ends is told from what happens on a day.
func TestTheEndOfAMonth(t *testing.T) {
	p := learn(t, made(daily, 3, 900, 0.1, 4, func(at time.Time, _ int) float64 {
		if at.AddDate(0, 0, 1).Day() == 1 {
			return 0.5
		}
		return 0
	}), daily)
	require.NotNil(t, p)
	e := p.Of(days.Series{Values: []float64{5, 6, 7}, First: start(daily, 2024)})
	assert.Equal(t, days.FromEnd, e.Kind)
	for _, last := range []time.Time{time.Date(2024, 2, 29, 0, 0, 0, 0, time.UTC), time.Date(2024, 4, 30, 0, 0, 0, 0, time.UTC)} {
		o, _ := daily.Ordinal(last.Unix())
		assert.InDelta(t, 0.5, e.At(o), 0.08)
		assert.InDelta(t, 0, e.At(o-1), 0.06)
	}
	assert.Contains(t, e.Words(), "the last day")
}

// A month with more working days sells more, and a series that goes the other way keeps to its own.
func TestWorkingDaysComeBack(t *testing.T) {
	working := func(at time.Time) (sum float64) {
		for d := at; d.Month() == at.Month(); d = d.AddDate(0, 0, 1) {
			if w := d.Weekday(); w == time.Saturday || w == time.Sunday {
				sum -= 2.5
			} else {
				sum++
			}
		}
		return sum
	}
	list := made(monthly, 12, 144, 0.04, 5, func(at time.Time, i int) float64 {
		if i == 11 {
			return -0.01 * working(at)
		}
		return 0.01 * working(at)
	})
	p := learn(t, list, monthly)
	require.NotNil(t, p)
	for i, want := range map[int]float64{0: 0.01, 11: -0.01} {
		e := p.Of(list[i])
		at, _ := monthly.Ordinal(time.Date(2025, 5, 1, 0, 0, 0, 0, time.UTC).Unix())
		for k := range int64(8) {
			for back := range int64(8) { // the same month of other years: the season is left to the family
				a, b := at+k, at+k-12*back
				da, db := time.Unix(monthly.Start(a), 0).UTC(), time.Unix(monthly.Start(b), 0).UTC()
				if da.Month() != time.February {
					assert.InDelta(t, want*(working(da)-working(db)), e.At(a)-e.At(b), 0.025, "series %d, %s against %s", i, da, db)
				}
			}
		}
	}
}

// Where days do nothing, hardly ever is something found, whether series have shocks in common or wander.
func TestNothingIsFoundWhereNothingIs(t *testing.T) {
	found := 0
	for seed := range uint64(30) {
		rnd := rand.New(rand.NewPCG(seed, 9))
		common := map[int64]float64{}
		last := 0.0
		shock := func(at time.Time, _ int) float64 {
			k := at.Unix()
			if _, ok := common[k]; !ok {
				last = 0.7*last + 0.05*rnd.NormFloat64()
				common[k] = last
			}
			return common[k]
		}
		for _, c := range []calendar.Cadence{daily, weekly, monthly} {
			n := 700
			switch c.Unit {
			case calendar.Week:
				n = 60 + 10*int(seed)
			case calendar.Month:
				n = 96
			}
			for _, count := range []int{1, 10} {
				if learn(t, made(c, count, n, 0.1, seed, shock), c) != nil {
					found++
				}
			}
		}
	}
	assert.LessOrEqual(t, found, 2, "of 120")
}

// Sales that are mostly nought tell of days too, and of none where there is nothing to tell.
func TestDaysOfRareSales(t *testing.T) {
	found := 0
	for seed := range uint64(20) {
		rnd := rand.New(rand.NewPCG(seed, 3))
		rare := func(more float64) (out []days.Series) {
			for range 8 {
				y := make([]float64, 730)
				for i := range y {
					p := 0.2
					if d := time.Unix(daily.Start(start(daily, 2021)+int64(i)), 0).UTC().Day(); d == 1 || d == 15 {
						p += more
					}
					if rnd.Float64() < p {
						y[i] = float64(1 + rnd.IntN(4))
					}
				}
				out = append(out, days.Series{Values: y, First: start(daily, 2021)})
			}
			return out
		}
		if learn(t, rare(0), daily) != nil {
			found++
		}
		p := learn(t, rare(0.6), daily)
		require.NotNil(t, p)
		assert.Greater(t, p.Of(rare(0.6)[0]).At(start(daily, 2022)), 0.7)
	}
	assert.LessOrEqual(t, found, 1, "of 20")
}

// What tells nothing is left alone: other cadences, short series, and what goes below zero.
func TestNothingToTell(t *testing.T) {
	assert.Nil(t, learn(t, made(daily, 3, 100, 0.1, 3, payday), daily))
	assert.Nil(t, learn(t, []days.Series{{Values: make([]float64, 700)}}, daily))
	assert.Nil(t, learn(t, nil, daily))
	assert.Nil(t, learn(t, made(daily, 3, 900, 0.1, 3, payday), calendar.Cadence{Unit: calendar.Quarter}))
	p := learn(t, made(daily, 3, 900, 0.1, 3, payday), daily)
	assert.Nil(t, p.Of(days.Series{Values: []float64{1, -1, 4}}))
	assert.Nil(t, (*days.Prior)(nil).Of(days.Series{Values: []float64{1}}))
}

// Weeks of the year of which each has its own are told by three years of many series, however weeks are counted, and by six of
// one, and as a series has them itself.
func TestWeeksOfTheYearComeBack(t *testing.T) {
	rnd := rand.New(rand.NewPCG(6, 6))
	var usual, other [54]float64
	for k := range usual {
		usual[k], other[k] = 0.2*rnd.NormFloat64(), 0.1*rnd.NormFloat64()
	}
	byNumber := func(at time.Time, series int) float64 {
		_, week := at.AddDate(0, 0, 3).ISOWeek()
		return usual[week] + float64(series%2)*other[week]
	}
	byChristmas := func(at time.Time, series int) float64 {
		from := on(at.AddDate(0, -6, 0).Year(), time.December, 25)
		weeks := int(math.Ceil(at.Sub(from).Hours() / 24 / 7))
		return usual[min(max(0, weeks+26), 52)] + float64(series%2)*other[min(max(0, weeks+26), 52)]
	}
	for name, week := range map[string]func(time.Time, int) float64{"by number": byNumber, "by Christmas": byChristmas} {
		for _, c := range []struct{ count, n int }{{20, 160}, {1, 320}} {
			list := made(weekly, c.count, c.n, 0.07, 3, week)
			p := learn(t, list, weekly)
			require.NotNil(t, p, "%s, %d series", name, c.count)
			for i := range min(2, c.count) {
				far, mean, e := 0.0, 0.0, p.Of(list[i])
				for k := range int64(52) {
					mean += week(time.Unix(weekly.Start(list[i].First+int64(c.n)+k), 0).UTC(), i) / 52
				}
				for k := range int64(52) {
					o := list[i].First + int64(c.n) + k
					far += math.Abs(e.At(o)+mean-week(time.Unix(weekly.Start(o), 0).UTC(), i)) / 52
					assert.Greater(t, e.Deviation(o), 0.0)
				}
				assert.Less(t, far, 0.07, "%s, series %d of %d: %s", name, i, c.count, e.Words())
				assert.Equal(t, "week of the year", e.Name())
				assert.Regexp(t, `^\+\d+ % .*week.*, -\d+ % .*week`, e.Words())
			}
		}
	}
}

// Two or three years of weeks that have nothing of their own are not drawn to each other: none is found in noise that differs
// from value to value.
func TestNoWeeksOfFewYears(t *testing.T) {
	for seed := range uint64(20) {
		rnd := rand.New(rand.NewPCG(seed, 8))
		for _, n := range []int{105, 130, 160} {
			list := made(weekly, 12, n, 0.03, seed, func(time.Time, int) float64 { return 0.15 * float64(rnd.IntN(2)) * rnd.NormFloat64() })
			assert.Nil(t, learn(t, list, weekly), "%d weeks, seed %d", n, seed)
			// Nor in sales that are twice as much now and then, next to which most are below the mean.
			list = made(weekly, 12, n, 0.05, seed, func(time.Time, int) float64 { return math.Ln2 * float64(rnd.IntN(4)/3) })
			assert.Nil(t, learn(t, list, weekly), "%d weeks, seed %d", n, seed)
		}
	}
}

// What it takes to learn of 400 daily series of three years.
func BenchmarkLearn(b *testing.B) {
	list := made(daily, 400, 1095, 0.1, 3, payday)
	for b.Loop() {
		_, err := days.Learn(context.Background(), list, daily, 2)
		require.NoError(b, err)
	}
}
