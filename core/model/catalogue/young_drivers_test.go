package catalogue_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// promoted gives the series of a panel a price that is cut now and then, which does the same in all of them, and the truth
// what it does ahead.
func promoted(p *panel.Panel, truth [][]float64) {
	h := len(truth[0])
	p.Drivers = []panel.Driver{{Name: "price", KnownAhead: true}}
	for i := range p.Series {
		s, rnd := &p.Series[i], rand.New(rand.NewPCG(uint64(i), 43))
		n := len(s.Values)
		price := make([]float64, n+h)
		for k := range price {
			if price[k] = 3; rnd.Float64() < 0.25 {
				price[k] = 2.25
			}
			by := math.Pow(price[k]/3, -2)
			if k < n {
				s.Values[k] *= by
			} else {
				truth[i][k-n] *= by
			}
		}
		s.Drivers = [][]float64{price}
	}
}

// A season of which few rounds were seen is told beside what a price does, and what the price does beside the season: by
// months of a year and a half, and by weeks of little more than one.
func TestYoungSeasonsBesideDrivers(t *testing.T) {
	for _, c := range []struct {
		cadence calendar.Cadence
		period  float64
		h       int
		lengths []int
	}{
		{calendar.Cadence{Unit: calendar.Month}, 12, 6, []int{17, 17, 18, 18, 19, 20, 20, 21, 21, 22}},
		{calendar.Cadence{Unit: calendar.Week}, 52.18, 13, []int{64, 64, 66, 66, 68, 68, 70, 70, 72, 72}},
	} {
		p, truth := yearOf(c.cadence, c.period, 0.3, c.h, c.lengths...)
		promoted(p, truth)
		for _, family := range []string{"additive", "linear", "boosting", "pretrained"} {
			miss := missed(t, family, p, truth)
			t.Logf("%s, %s: %.3f", c.cadence.Noun(2), family, miss)
			assert.Less(t, miss, 0.07, "%s, %s", c.cadence.Noun(2), family)
		}
	}
}

// noisyYears are daily shops that have much the same year, each its week, and days that stray far: what one shop tells of
// its year is little, and what all do is much.
func noisyYears(h int, lengths ...int) (p *panel.Panel, truth [][]float64) {
	most := slices.Max(lengths)
	p = &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 20000 - int64(most), Length: most, Measure: "cups"}
	for i, n := range lengths {
		rnd := rand.New(rand.NewPCG(uint64(i), 44))
		level, size, after := math.Log(80), math.Exp(0.2*rnd.NormFloat64()), 0.0
		y, ahead := make([]float64, n), make([]float64, h)
		for k := range n + h {
			level += 0.006 * rnd.NormFloat64()
			x := 2 * math.Pi * float64(k-n+510) / 365.25
			v := level + size*(0.3*math.Sin(x)+0.1*math.Cos(2*x)+0.1*math.Sin(3*x)) + 0.15*math.Sin(2*math.Pi*float64(k)/7)
			if k < n {
				after = 0.4*after + 0.15*rnd.NormFloat64()
				y[k] = math.Exp(v + after)
			} else {
				ahead[k-n] = math.Exp(v)
			}
		}
		p.Series = append(p.Series, panel.Series{Key: string(rune('a' + i)), First: most - n, Values: y})
		truth = append(truth, ahead)
	}
	return p, truth
}

// The year of days of which little more than two were seen is told by all series together for what explains them too:
// closer than by each series alone, and beside a price.
func TestAYearOfDaysFromAll(t *testing.T) {
	t.Parallel()
	const n, h = 850, 28
	for _, beside := range []string{"nothing", "a price"} {
		p, truth := noisyYears(h, slices.Repeat([]int{n}, 16)...)
		if beside == "a price" {
			promoted(p, truth)
		}
		alone, v := trainOn(t, "additive", model.Values{"seasons": []string{"week", "year"}}, p, n-1, h)
		own, all := missedBy(t, alone, v, truth), missed(t, "additive", p, truth)
		t.Logf("beside %s: off by %.3f, by each series alone %.3f", beside, all, own)
		assert.Less(t, all, 0.8*own)
	}
}

// Of a year and five months of days all series together tell the year, where it comes again as it was; some that have seen
// many years tell theirs by themselves, and keep the others from nothing.
func TestAYearOfDaysAndALittleMore(t *testing.T) {
	t.Parallel()
	for _, long := range []int{0, 3} {
		p, truth := noisyYears(28, append(slices.Repeat([]int{1900}, long), slices.Repeat([]int{510}, 16)...)...)
		for _, family := range []string{"smoothing", "theta", "additive", "linear", "pretrained", "automatic"} {
			if long > 0 && family != "additive" && family != "linear" {
				continue
			}
			miss := missed(t, family, p, truth)
			t.Logf("%s, %d long: off by %.3f", family, long, miss)
			assert.Less(t, miss, 0.09, family)
		}
	}
}
