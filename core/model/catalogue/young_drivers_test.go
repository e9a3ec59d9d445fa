package catalogue_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/calendar"
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
