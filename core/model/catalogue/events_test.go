package catalogue_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// Events that come in the same months each year say the same as the months: which of them it is
// can't be told, and need not be. Intervals are about as wide as without the events.
func TestEventsThatTheCalendarSaysToo(t *testing.T) {
	t.Parallel()
	const n, h = 41, 4 // the last step is the event's own month, December
	months := func(with bool) *panel.Panel {
		var values [][]float64
		for i := range 12 {
			rnd := rand.New(rand.NewPCG(uint64(i), 9))
			y := make([]float64, n)
			for k := range y {
				y[k] = 100 + 30*float64(k*7%12) + 2*rnd.NormFloat64()
			}
			values = append(values, y)
		}
		p := panelOf(monthly, values)
		p.First = 54 * 12 // a January
		if with {
			for name, month := range map[string]int{"Fair": 11, "Feast": 5, "Market": 8} {
				e := calendar.Event{Name: name}
				for year := range 5 {
					day := p.Cadence.Start(p.First+int64(12*year+month)) + 9*24*3600
					e.Occasions = append(e.Occasions, calendar.DayOf(day, day))
				}
				p.Events = append(p.Events, e)
			}
			slices.SortFunc(p.Events, func(a, b calendar.Event) int { return strings.Compare(a.Name, b.Name) })
		}
		return p
	}
	for _, family := range []string{"linear", "additive", "boosting"} {
		width := func(p *panel.Panel) (sum float64) {
			trained, v := trainOn(t, family, nil, p, n-1, h)
			for _, rows := range result(t, trained, v, h).Series {
				q := rows.At(h - 1)
				sum += q[len(q)-2] - q[1]
			}
			return sum
		}
		with, without := width(months(true)), width(months(false))
		assert.Less(t, with, 1.7*without, family)
		assert.Greater(t, with, 0.5*without, family)
	}
}

// fairs is eight series of days, and a fair that multiplies them by times whenever it comes; they are told of it.
// The last one lies ahead, and truth is what it brings to each series.
func fairs(n, h int, days []int, times float64) (p *panel.Panel, truth []float64) {
	rnd := rand.New(rand.NewPCG(5, 7))
	var values [][]float64
	for range 8 {
		level := 50 * math.Exp(.5*rnd.NormFloat64())
		y := make([]float64, n)
		for k := range n + h {
			level *= math.Exp(.004 * rnd.NormFloat64())
			x := level * math.Exp(.3*math.Sin(2*math.Pi*float64(k)/7))
			if slices.Contains(days, k) {
				x *= times
			}
			switch {
			case k < n:
				y[k] = x * math.Exp(.1*rnd.NormFloat64())
			case k == days[len(days)-1]:
				truth = append(truth, x)
			}
		}
		values = append(values, y)
	}
	p = panelOf(daily, values)
	p.First = 54 * 365
	fair := calendar.Event{Name: "Fair"}
	for _, k := range days {
		start := p.Cadence.Start(p.First + int64(k))
		fair.Occasions = append(fair.Occasions, calendar.DayOf(start, start))
	}
	p.Events = []calendar.Event{fair}
	return p, truth
}

// An event is expected as it was before by every form that knows of events, and by those that mix forms that
// know of none with such: all the same once it came once only, and where it never did anything.
func TestAnEventIsExpectedAsItWas(t *testing.T) {
	t.Parallel()
	const n, h = 400, 7
	often, once := []int{40, 105, 160, 227, 291, 350, n + 4}, []int{250, n + 4}
	for name, c := range map[string]struct {
		days  []int
		times float64
	}{"often": {often, .3}, "once": {once, .3}, "of no effect": {often, 1}, "shut": {often, 0}} {
		p, truth := fairs(n, h, c.days, c.times)
		for _, family := range []string{"additive", "linear", "boosting", "pretrained", "automatic"} {
			t.Run(name+" "+family, func(t *testing.T) {
				t.Parallel()
				trained, v := trainOn(t, family, nil, p, n-1, h)
				miss := 0.0
				for i, rows := range result(t, trained, v, h).Series {
					plain := rows.Mean[3] // of the day before
					miss += math.Abs(rows.Mean[4]-truth[i]) / plain / 8
				}
				assert.Less(t, miss, 0.1, "of the day before")
			})
		}
	}
}

// What was trained a month before the origin and advanced, in two steps, expects the event as well: what explains
// it to others, and a base that is shared, move on once, and with their owner.
func TestAnEventIsExpectedAfterAdvancing(t *testing.T) {
	t.Parallel()
	const n, h = 400, 7
	p, truth := fairs(n, h, []int{40, 105, 160, 227, 291, 350, n + 4}, .3)
	for _, family := range []string{"boosting", "automatic"} {
		trained, _ := trainOn(t, family, nil, p, n-29, h)
		for _, origin := range []int{n - 12, n - 1, n - 1} {
			require.NoError(t, trained.Advance(t.Context(), panel.NewView(p, all(p), 0, origin)))
		}
		v := panel.NewView(p, all(p), 0, n-1)
		once := result(t, trained, v, h)
		assert.Equal(t, once, result(t, trained, v, h), "forecasting changes nothing")
		miss := 0.0
		for i, rows := range once.Series {
			miss += math.Abs(rows.Mean[4]-truth[i]) / rows.Mean[3] / 8
		}
		assert.Less(t, miss, 0.1, family)
	}
}

// feasted is two series of days that a feast takes to what Sundays are, and leaves Sundays as they are; it falls on the same
// date each year. The next one is on the first day ahead, a Sunday; truth is what it brings. Where it does the same whatever
// the day, it halves them all.
func feasted(years int, same bool) (p *panel.Panel, truth []float64) {
	rnd := rand.New(rand.NewPCG(8, 7))
	c := calendar.Cadence{Unit: calendar.Day}
	ahead, _ := c.Ordinal(1_671_926_400) // Sunday, 25 December 2022
	n := 365*years + 40
	feast := calendar.Event{Name: "feast"}
	on := map[int64]bool{}
	for y := range years + 2 {
		start := time.Date(2022-y, time.December, 25, 0, 0, 0, 0, time.UTC).Unix()
		feast.Occasions = append(feast.Occasions, calendar.DayOf(start, start))
		ord, _ := c.Ordinal(start)
		on[ord] = true
	}
	feast.Tidy()
	p = &panel.Panel{Cadence: c, First: ahead - int64(n), Length: n, Events: []calendar.Event{feast}}
	for i := range 2 {
		level, y := 50*math.Exp(.5*rnd.NormFloat64()), make([]float64, n)
		for k := range n + 1 {
			level *= math.Exp(.003 * rnd.NormFloat64())
			ord := p.First + int64(k)
			x := level
			switch day := c.Weekday(ord); {
			case day == time.Sunday || on[ord] && !same:
				x *= .4
			case day == time.Saturday:
				x *= .7
			}
			if on[ord] && same {
				x *= .5
			}
			if k < n {
				y[k] = x * math.Exp(.05*rnd.NormFloat64())
			} else {
				truth = append(truth, x)
			}
		}
		p.Series = append(p.Series, panel.Series{Key: string(rune('a' + i)), Values: y})
	}
	return p, truth
}

// A feast that makes a working day a Sunday makes nothing more of a Sunday.
func TestAFeastOnASunday(t *testing.T) {
	for _, same := range []bool{false, true} {
		p, truth := feasted(7, same)
		for family, values := range map[string]map[string]any{"additive": nil, "linear": nil, "arima": {"events": true, "transform": "log"}} {
			trained, v := trainOn(t, family, values, p, p.Length-1, 7)
			miss := 0.0
			for i, r := range result(t, trained, v, 7).Series {
				miss += math.Log(r.Mean[0]/truth[i]) / float64(len(truth))
			}
			assert.InDelta(t, 0, miss, 0.15, "%s, the same whatever the day: %v", family, same)
		}
	}
}
