package catalogue_test

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// onDays are the families that leave it to all series together to tell what the calendar's days do.
var onDays = []string{"smoothing", "theta", "arima", "decomposition", "additive", "linear", "pretrained"}

// paid is daily series whose sales are half as large again on the days on which pay comes, and what would come after n
// values without noise.
func paid(series, n, h int) (p *panel.Panel, truth [][]float64) {
	rnd := rand.New(rand.NewPCG(7, 7))
	pay := func(t int) float64 {
		switch time.Unix(daily.Start(600+int64(t)), 0).UTC().Day() {
		case 1, 2, 15:
			return 1.5
		}
		return 1
	}
	return on(daily, series, n, h, func(int) float64 { return 0.05 * rnd.NormFloat64() }, func(t int) float64 {
		return pay(t) * (1 + 0.2*math.Sin(2*math.Pi*float64(t)/7))
	})
}

// working is monthly series that sell in proportion to working days.
func working(series, n, h int) (p *panel.Panel, truth [][]float64) {
	rnd := rand.New(rand.NewPCG(8, 7))
	return on(monthly, series, n, h, func(int) float64 { return 0.02 * rnd.NormFloat64() }, func(t int) float64 {
		count := 0.0
		at := time.Unix(monthly.Start(600+int64(t)), 0).UTC()
		for d := at; d.Month() == at.Month(); d = d.AddDate(0, 0, 1) {
			if w := d.Weekday(); w != time.Saturday && w != time.Sunday {
				count++
			}
		}
		return count / 21 * (1 + 0.3*math.Sin(2*math.Pi*float64(t)/12))
	})
}

// feasting is weekly series of which half as much again is sold in the week of Christmas, and a third less in the next.
func feasting(series, n, h int) (p *panel.Panel, truth [][]float64) {
	rnd := rand.New(rand.NewPCG(9, 7))
	return on(weekly, series, n, h, func(int) float64 { return 0.04 * rnd.NormFloat64() }, func(t int) float64 {
		switch at := time.Unix(weekly.Start(600+int64(t)), 0).UTC().AddDate(0, 0, 6); {
		case at.Month() == time.December && at.Day() >= 25:
			return 1.5
		case at.Month() == time.January && at.Day() < 7:
			return 0.67
		}
		return 1
	})
}

// numbered is weekly series of which each week of the year has its own.
func numbered(series, n, h int) (p *panel.Panel, truth [][]float64) {
	rnd := rand.New(rand.NewPCG(10, 7))
	return on(weekly, series, n, h, func(int) float64 { return 0.05 * rnd.NormFloat64() }, func(t int) float64 {
		_, week := time.Unix(weekly.Start(600+int64(t)), 0).UTC().AddDate(0, 0, 3).ISOWeek()
		return 1 + 0.3*math.Sin(float64(week*week))
	})
}

func on(c calendar.Cadence, series, n, h int, noise, shape func(t int) float64) (p *panel.Panel, truth [][]float64) {
	var values [][]float64
	for i := range series {
		y, ahead := make([]float64, n), make([]float64, h)
		for t := range n + h {
			v := 50 * float64(1+i) * shape(t)
			if t < n {
				y[t] = v * math.Exp(noise(t))
			} else {
				ahead[t-n] = v
			}
		}
		values, truth = append(values, y), append(truth, ahead)
	}
	return panelOf(c, values), truth
}

// Every such family forecasts far better what days do than without, says so, and has it as a part of its forecast; what is
// kept of it is read back and goes on.
func TestWhatDaysDoIsForecast(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		made         func(series, n, h int) (*panel.Panel, [][]float64)
		n, h         int
		part, leaves string
	}{{paid, 420, 31, "day of the month", "the day of the month leaves"}, {working, 132, 12, "weekdays of the month", "the weekdays of the month leave"},
		{feasting, 126, 8, "special weeks", "special weeks leave"}, {numbered, 160, 12, "week of the year", "the week of the year leaves"}} {
		p, truth := c.made(4, c.n, c.h)
		for _, family := range onDays {
			miss := func(settings model.Values) (sum float64) {
				for i, rows := range forecasts(t, family, settings, p, c.h) {
					for h, want := range truth[i] {
						sum += math.Abs(rows.Mean[h]/want - 1)
					}
				}
				return sum / float64(len(truth)*c.h)
			}
			with, without := miss(brief[family]), miss(model.Values{"days": false})
			most := 0.6
			if family == "pretrained" && c.part == "week of the year" { // which sees them a year before by itself
				most = 0.9
			}
			assert.Less(t, with, most*without, "%s, %s", family, c.part)

			trained, v := trainOn(t, family, nil, p, c.n-8, 6)
			d := trained.Describe(1)
			assert.Contains(t, d.Form, "of what "+c.leaves, family)
			if family != "pretrained" {
				part := d.Components[len(d.Components)-1]
				assert.Equal(t, c.part, part.Name, family)
				assert.True(t, part.Factor, family)
				assert.Len(t, part.Ahead, 6, family)
			}
			goesOn(t, family, trained, v, panel.NewView(p, all(p), 0, c.n-1))
		}
	}
}

// readBack is what is read of a fit that was written.
func readBack(t *testing.T, family string, trained model.Trained) model.Trained {
	t.Helper()
	f, err := whole().Find(family)
	require.NoError(t, err)
	b, err := model.Write(trained)
	require.NoError(t, err)
	read, err := f.Read(b)
	require.NoError(t, err)
	return read
}

// goesOn says that what is kept of a family's fit is read back, and goes on as the fit does.
func goesOn(t *testing.T, family string, trained model.Trained, v, late panel.View) {
	t.Helper()
	read := readBack(t, family, trained)
	for _, m := range []model.Trained{trained, read} {
		require.NoError(t, m.Advance(t.Context(), v))
		require.NoError(t, m.Advance(t.Context(), late))
	}
	assert.Equal(t, result(t, trained, late, 6), result(t, read, late, 6), family)
}

// The season of the year of daily series is told by all of them together, beside their weeks, and put back.
func TestSeasonOfTheYearIsForecast(t *testing.T) {
	t.Parallel()
	const n, h = 900, 28
	rnd := rand.New(rand.NewPCG(3, 7))
	p, truth := on(daily, 3, n, h, func(int) float64 { return 0.08 * rnd.NormFloat64() }, func(t int) float64 {
		return (1 + 0.3*math.Sin(2*math.Pi*float64(t)/365.25)) * (1 + 0.2*math.Sin(2*math.Pi*float64(t)/7))
	})
	for _, family := range []string{"smoothing", "theta", "decomposition", "pretrained"} {
		trained, v := trainOn(t, family, nil, p, n-1, h)
		d := trained.Describe(1)
		assert.Contains(t, d.Form, "of what a season of the year leaves", family)
		if family != "pretrained" {
			part := d.Components[len(d.Components)-1]
			assert.Equal(t, "year", part.Name, family)
			assert.Len(t, part.Ahead, h, family)
		}
		miss := 0.0
		for i, rows := range result(t, trained, v, h).Series {
			for k, mean := range rows.Mean {
				miss += math.Abs(mean/truth[i][k]-1) / h / float64(len(truth))
			}
		}
		assert.Less(t, miss, 0.04, family)
		early, before := trainOn(t, family, nil, p, n-20, 6)
		goesOn(t, family, early, before, v)
	}
	trained, _ := trainOn(t, "smoothing", model.Values{"length": 7}, p, n-1, h)
	assert.NotContains(t, trained.Describe(1).Form, "season of the year")
}

// After a day without sales that comes every year forecasts go on as before it, from the day itself and from the next.
func TestForecastsFromAFeastOn(t *testing.T) {
	t.Parallel()
	const h = 7
	rnd := rand.New(rand.NewPCG(4, 7))
	p, truth := on(daily, 4, 900, 300, func(int) float64 { return 0.05 * rnd.NormFloat64() }, func(t int) float64 {
		if at := time.Unix(daily.Start(600+int64(t)), 0).UTC(); at.Month() == time.December && at.Day() == 25 {
			return 0
		}
		return 1 + 0.2*math.Sin(2*math.Pi*float64(t)/7)
	})
	for i := range p.Series {
		p.Series[i].Values, truth[i] = append(p.Series[i].Values, truth[i]...)[:1000], nil
	}
	p.Length = 1000
	feast := 0
	for t := range 1000 { // the last of them
		if at := time.Unix(daily.Start(600+int64(t)), 0).UTC(); at.Month() == time.December && at.Day() == 25 {
			feast = t
		}
	}
	for _, family := range []string{"smoothing", "linear", "pretrained"} {
		for _, origin := range []int{feast - 3, feast, feast + 1} {
			trained, v := trainOn(t, family, nil, p, origin, h)
			for i, rows := range result(t, trained, v, h).Series {
				for k, mean := range rows.Mean {
					want := p.Series[i].Values[origin+1+k]
					assert.InDelta(t, want, mean, 0.2*50*float64(1+i), "%s from %d days after, step %d", family, origin-feast, k+1)
				}
			}
		}
	}
}

// A new series has the season of the others and what days do beside each other, and both are read back.
func TestDaysBesideASeasonOfFewRounds(t *testing.T) {
	t.Parallel()
	const n, h, young = 132, 12, 30
	p, truth := working(6, n, h)
	for _, i := range []int{1, 4} {
		for k := range n - young {
			p.Series[i].Values[k] = panel.Unknown
		}
	}
	for _, family := range []string{"smoothing", "additive", "pretrained"} {
		trained, v := trainOn(t, family, nil, p, n-1, h)
		d := trained.Describe(1)
		assert.Contains(t, d.Form, "of what the weekdays of the month leave", family)
		assert.Contains(t, d.Form, "of what a season of 12 leaves", family)
		miss := 0.0
		for k, mean := range result(t, trained, v, h).Series[1].Mean {
			miss += math.Abs(mean/truth[1][k]-1) / h
		}
		assert.Less(t, miss, 0.03, family)
		read := readBack(t, family, trained)
		require.NoError(t, read.Advance(t.Context(), v))
		assert.Equal(t, result(t, trained, v, h), result(t, read, v, h), family)
	}
}

// A driver that tells the days is left to say so itself, and events on them too.
func TestDaysThatADriverTellsAreLeftToIt(t *testing.T) {
	t.Parallel()
	p, _ := paid(4, 420, 31)
	pay := make([]float64, p.Length+31)
	event := calendar.Event{Name: "pay"}
	for t := range pay {
		start := daily.Start(600 + int64(t))
		switch time.Unix(start, 0).UTC().Day() {
		case 1, 2, 15:
			pay[t] = 1
			event.Occasions = append(event.Occasions, calendar.Occasion{Start: start, End: start + 86400})
		}
	}
	told := *p
	told.Events = []calendar.Event{event}
	trained, _ := trainOn(t, "additive", nil, &told, p.Length-1, 7)
	assert.NotContains(t, trained.Describe(0).Form, "of what the day of the month leaves")
	p.Drivers = []panel.Driver{{Name: "pay", KnownAhead: true}}
	for i := range p.Series {
		p.Series[i].Drivers = [][]float64{pay}
	}
	trained, _ = trainOn(t, "additive", nil, p, p.Length-1, 7)
	assert.NotContains(t, trained.Describe(0).Form, "of what the day of the month leaves")
}

// What drivers bring is found beside what days do, and counts alike in what is known of it.
func TestDriversBesideDays(t *testing.T) {
	t.Parallel()
	const h = 28
	p, _ := paid(4, 420, h)
	rnd := rand.New(rand.NewPCG(2, 2))
	p.Drivers = []panel.Driver{{Name: "price", KnownAhead: true}}
	for i := range p.Series {
		price := make([]float64, p.Length+h)
		for t := range price {
			if price[t] = 10 + rnd.Float64(); t < p.Length {
				p.Series[i].Values[t] *= math.Pow(price[t]/10, -2)
			}
		}
		p.Series[i].Drivers = [][]float64{price}
	}
	trained, v := trainOn(t, "additive", nil, p, p.Length-1, h)
	require.Contains(t, trained.Describe(0).Form, "of what the day of the month leaves")
	before := result(t, trained, v, h).Series[2].Mean
	outside, err := trained.(model.Outsider).Outside(v, 2, h)
	require.NoError(t, err)
	require.NotNil(t, outside)
	values, _ := v.Values(2)
	for _, at := range []int{100, 101, 115, 130} {
		taken := outside.Take(at, values[at])
		effect := math.Log(values[at] / taken)
		assert.InDelta(t, values[at], outside.Put(at, taken), 1e-9*values[at])
		rest := math.Log(values[at+1] / outside.Take(at+1, values[at+1]))
		price := p.Series[2].Drivers[0]
		assert.InDelta(t, -2*math.Log(price[at]/price[at+1]), effect-rest, 0.05)
	}
	for i := range p.Series {
		for t := p.Length; t < p.Length+h; t++ {
			p.Series[i].Drivers[0][t] *= 1.05
		}
	}
	after := result(t, trained, panel.NewView(p, all(p), 0, p.Length-1), h).Series[2].Mean
	for k := range before {
		assert.InDelta(t, math.Pow(1.05, -2), after[k]/before[k], 0.03)
	}
}
