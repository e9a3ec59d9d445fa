package days_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/model/days"
	"paperkettle/core/panel"
)

var weekly = calendar.Cadence{Unit: calendar.Week}

func feasts(t *testing.T, list []days.Series, c calendar.Cadence) *days.Feasts {
	f, err := days.LearnFeasts(context.Background(), list, c, 2)
	require.NoError(t, err)
	return f
}

func on(year int, month time.Month, day int) time.Time {
	return time.Date(year, month, day, 0, 0, 0, 0, time.UTC)
}

// feastDays are daily feasts of every kind: a date, a weekday of a month, and a day from Easter.
func feastDays(at time.Time, _ int) float64 {
	switch {
	case at.Month() == time.December && at.Day() == 25:
		return -2
	case at.Month() == time.May && at.Day() == 3:
		return -0.5
	case at.Month() == time.November && at.Weekday() == time.Thursday && at.Day() > 21 && at.Day() < 29:
		return 0.6
	case calendar.Easter(at.Year()).AddDate(0, 0, 39).Equal(at):
		return -0.7
	}
	return 0
}

// What comes once a year is found as what it is, in many series and in one, and nothing else is; ahead it is on the days on
// which it will be.
func TestFeastsComeBack(t *testing.T) {
	for _, count := range []int{1, 8} {
		list := made(daily, count, 1250, 0.08, 3, feastDays)
		for i := range list {
			for k := 9; k < 1250; k += 43 {
				list[i].Values[k] = panel.Unknown
			}
			list[i].Values[400] *= 30
		}
		f := feasts(t, list, daily)
		require.NotNil(t, f, "%d series", count)
		e := f.Of(list[0])
		assert.Len(t, e.Feasts, 4, e.Words())
		for _, want := range []string{"on 25 December", "on 3 May", "39 days after Easter Sunday"} {
			assert.Contains(t, e.Words(), want)
		}
		for year := 2025; year < 2028; year++ {
			first := start(daily, year)
			for k := range int64(365) {
				at := time.Unix(daily.Start(first+k), 0).UTC()
				assert.InDelta(t, feastDays(at, 0), e.At(first+k), 0.15, "%s", at)
				assert.Equal(t, feastDays(at, 0) != 0, e.Deviation(first+k) > 0, "%s", at)
			}
		}
	}
}

// Weeks are told by the feasts that are in them, although these are not the same weeks of every year.
func TestWeeksOfFeasts(t *testing.T) {
	holds := func(at, feast time.Time) bool { return !feast.Before(at) && feast.Before(at.AddDate(0, 0, 7)) }
	week := func(at time.Time, _ int) float64 {
		for year := at.Year(); year <= at.Year()+1; year++ {
			fourth := on(year, time.November, 22)
			for fourth.Weekday() != time.Thursday {
				fourth = fourth.AddDate(0, 0, 1)
			}
			switch {
			case holds(at, on(year, time.December, 25)):
				return 0.7
			case holds(at, on(year, time.December, 18)):
				return 0.4
			case holds(at, fourth):
				return 0.5
			case holds(at, calendar.Easter(year)):
				return -0.4
			}
		}
		return 0
	}
	list := made(weekly, 6, 170, 0.06, 5, func(time.Time, int) float64 { return 0 })
	for i := range list {
		for k := range list[i].Values {
			list[i].Values[k] *= math.Exp(week(time.Unix(weekly.Start(list[i].First+int64(k)), 0).UTC(), i))
		}
	}
	f := feasts(t, list, weekly)
	require.NotNil(t, f)
	e := f.Of(list[2])
	for k := range int64(52 * 4) {
		o := list[0].First + 170 + k
		at := time.Unix(weekly.Start(o), 0).UTC()
		assert.InDelta(t, week(at, 0), e.At(o), 0.15, "%s, %s", at, e.Words())
	}
}

// A feast that much of the world keeps is believed when it was seen once; of other days it takes two years, and what was
// there in one of them alone is none.
func TestFeastsSeenOnce(t *testing.T) {
	late := func(at time.Time, _ int) float64 {
		switch {
		case at.Month() == time.December && at.Day() == 25:
			return -1
		case at.Year() == 2022 && at.Month() == time.March && at.Day() == 9:
			return -1
		}
		return 0
	}
	for _, n := range []int{500, 1000} {
		e := feasts(t, made(daily, 5, n, 0.08, 7, late), daily).Of(made(daily, 5, n, 0.08, 7, late)[0])
		assert.Len(t, e.Feasts, 1, e.Words())
		assert.InDelta(t, -1, e.At(start(daily, 2026)-7), 0.25)
	}
}

// Where nothing comes every year, hardly ever anything is found: not of noise with shocks in common, of walks, nor of what
// happens at any time.
func TestNoFeastsOfChance(t *testing.T) {
	found, panels := 0, 0
	for _, c := range []calendar.Cadence{daily, weekly} {
		for seed := range uint64(15) {
			for _, count := range []int{1, 12} {
				rnd := rand.New(rand.NewPCG(seed, 5))
				n := 1100
				if c.Unit == calendar.Week {
					n = 160
				}
				shocks, happened := make([]float64, n), map[int64]float64{}
				for k := range shocks {
					if shocks[k] = 0.04 * rnd.NormFloat64(); rnd.Float64() < 0.015 {
						shocks[k] += 0.4 * rnd.NormFloat64()
					}
				}
				first := start(c, 2021)
				for k := range shocks {
					happened[c.Start(first+int64(k))] = shocks[k]
				}
				f := feasts(t, made(c, count, n, 0.1, seed, func(at time.Time, _ int) float64 { return happened[at.Unix()] }), c)
				if panels++; f != nil {
					found++
				}
			}
		}
	}
	assert.LessOrEqual(t, found, 4, "of %d", panels)
}

// A series of which a feast is as large again, or that has none, keeps its own.
func TestFeastsOfOneSeries(t *testing.T) {
	own := func(at time.Time, i int) float64 { return feastDays(at, i) * float64(i%3) / 2 * 1.5 }
	list := made(daily, 9, 1250, 0.06, 4, own)
	f := feasts(t, list, daily)
	require.NotNil(t, f)
	for i := range 3 {
		o := start(daily, 2026) - 7
		assert.InDelta(t, own(on(2025, time.December, 25), i), f.Of(list[i]).At(o), 0.3, "series %d", i)
	}
}

// The order of series, how many work on them and the unit they are counted in change nothing.
func TestFeastsAreTheSameInAnyOrder(t *testing.T) {
	list := made(daily, 7, 1100, 0.1, 6, feastDays)
	turned := make([]days.Series, len(list))
	for i, s := range list {
		v := make([]float64, len(s.Values))
		for k := range v {
			v[k] = 1000 * s.Values[k]
		}
		turned[len(list)-1-i] = days.Series{Values: v, First: s.First}
	}
	a, b := feasts(t, list, daily).Of(list[0]), feasts(t, turned, daily).Of(turned[6])
	require.Equal(t, len(a.Feasts), len(b.Feasts))
	for k := range a.Feasts {
		assert.Equal(t, a.Feasts[k].Place, b.Feasts[k].Place)
		assert.InDelta(t, a.Feasts[k].Beta, b.Feasts[k].Beta, 1e-9)
	}
}

// A day without sales at all is a feast too; a weekday without any is none, and series below zero have none.
func TestFeastsWithoutSales(t *testing.T) {
	list := made(daily, 4, 1250, 0.08, 8, func(time.Time, int) float64 { return 0 })
	for i := range list {
		for k := range list[i].Values {
			at := time.Unix(daily.Start(list[i].First+int64(k)), 0).UTC()
			if at.Month() == time.August && at.Day() == 15 || at.Weekday() == time.Sunday {
				list[i].Values[k] = 0
			}
		}
	}
	f := feasts(t, list, daily)
	require.NotNil(t, f)
	e := f.Of(list[1])
	assert.Len(t, e.Feasts, 1, e.Words())
	assert.Contains(t, e.Words(), "on 15 August")
	assert.Less(t, e.Feasts[0].Beta, -2.0)
	list[0].Values[3] = -1
	assert.Nil(t, f.Of(list[0]))
	var none *days.Feasts
	assert.Nil(t, none.Of(list[1]))
}

// Where a driver moves on a feast, it is the driver that tells it.
func TestFeastsThatADriverTells(t *testing.T) {
	list := made(daily, 5, 1250, 0.08, 3, feastDays)
	f := feasts(t, list, daily)
	driver := make([]days.Series, len(list))
	for i, s := range list {
		driver[i] = days.Series{Values: make([]float64, len(s.Values)), First: s.First}
		for k := range driver[i].Values {
			if at := time.Unix(daily.Start(s.First+int64(k)), 0).UTC(); at.Month() == time.May && at.Day() == 3 {
				driver[i].Values[k] = 1
			}
		}
	}
	left, err := f.But(context.Background(), driver, 2)
	require.NoError(t, err)
	assert.Len(t, left.Of(list[0]).Feasts, 3)
	assert.NotContains(t, left.Of(list[0]).Words(), "3 May")
	for i := range driver {
		for k := range driver[i].Values {
			driver[i].Values[k] = feastDays(time.Unix(daily.Start(list[i].First+int64(k)), 0).UTC(), 0)
		}
	}
	left, err = f.But(context.Background(), driver, 2)
	require.NoError(t, err)
	assert.Nil(t, left)
}

// No place is a feast twice, though others on the same days are asked again and again.
func TestNoFeastTwice(t *testing.T) {
	list := made(daily, 3, 1500, 0.05, 9, func(at time.Time, i int) float64 {
		if at.Month() == time.December && at.Day() > 12 || at.Month() == time.November && at.Day() > 20 {
			return 0.4 * math.Sin(float64(at.Day()*at.Day())) * (1 + 0.2*math.Cos(float64(at.Year())))
		}
		return feastDays(at, i)
	})
	f := feasts(t, list, daily)
	require.NotNil(t, f)
	seen := map[[2]any]bool{}
	for _, x := range f.Of(list[0]).Feasts {
		place := [2]any{x.Kind, x.Place}
		assert.False(t, seen[place], "%v", place)
		seen[place] = true
	}
	assert.Greater(t, len(seen), 10)
}

// Every day and every week has the places of the calendar, whatever was asked before.
func TestPlacesOfAYear(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		year := rapid.IntRange(1890, 2080).Draw(t, "year")
		day := rapid.IntRange(0, 364).Draw(t, "day")
		at := on(year, time.January, 1).AddDate(0, 0, day)
		o, _ := daily.Ordinal(at.Unix())
		e := days.Effect{Kind: days.Yearly, Cadence: daily, Feasts: []days.Feast{
			{Kind: days.Dates, Place: on(2000, at.Month(), at.Day()).YearDay() - 1, Beta: 1},
			{Kind: days.Weekdays, Place: ((int(at.Month())-1)*6+(at.Day()-1)/7)*7 + int(at.Weekday()), Beta: 10},
		}}
		require.Equal(t, 11.0, e.At(o))
		e.Feasts = e.Feasts[:1]
		require.Equal(t, 0.0, e.At(o+1))
		require.Equal(t, 1, count(&e, o-200, o+164))
	})
	words := map[string]bool{}
	for place := range 53 {
		e := days.Effect{Kind: days.Yearly, Cadence: weekly, Feasts: []days.Feast{{Kind: days.Weeks, Place: place, Beta: 1}}}
		assert.False(t, words[e.Words()], e.Words())
		words[e.Words()] = true
		from := start(weekly, 2021)
		assert.InDelta(t, 4, count(&e, from, from+208), 3, e.Words())
	}
}

func count(e *days.Effect, from, to int64) (n int) {
	for o := from; o < to; o++ {
		if e.At(o) != 0 {
			n++
		}
	}
	return n
}

func ExampleEffect_Words() {
	e := days.Effect{Kind: days.Yearly, Feasts: []days.Feast{{Kind: days.Dates, Place: 359, Beta: -2}, {Kind: days.FromEaster, Place: 50, Beta: 0.2}}}
	fmt.Println(e.Words())
	// Output: -86 % on 25 December, +22 % the day after Easter Sunday
}

// What is looked up for many periods at once is what each is worth, at places of both ways to count weekdays too.
func TestOverIsAt(t *testing.T) {
	list := made(daily, 3, 1250, 0.08, 3, feastDays)
	e := feasts(t, list, daily).Of(list[0])
	require.NotNil(t, e)
	e.Feasts = append(e.Feasts, days.Feast{Kind: days.Weekdays, Place: 33, Beta: 0.25}, days.Feast{Kind: days.Weekdays, Place: 40, Beta: 0.1})
	first := list[0].First - 700
	hit := 0
	for i, v := range e.Over(first, 3000) {
		require.Equal(t, e.At(first+int64(i)), v)
		if v != 0 {
			hit++
		}
	}
	assert.Greater(t, hit, 20)
	assert.Less(t, hit, 300)
}
