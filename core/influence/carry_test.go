package influence_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/influence"
	"paperkettle/core/panel"
)

func carried(p *panel.Panel) []panel.Carried {
	return influence.CarryOver(p, all(p), nil, nil, p.Length-1)
}

// stocked takes from what is sold a share of what a lower price brought so many weeks ago.
func stocked(p *panel.Panel, back int, share float64) {
	for i := range p.Series {
		s := &p.Series[i]
		for t := len(s.Values) - 1; t >= back; t-- {
			s.Values[t] *= math.Exp(share * 2.5 * math.Log(s.Drivers[0][t-back]/3))
		}
	}
}

func TestWhatDriversDidBeforeIsFound(t *testing.T) {
	for seed := range uint64(6) {
		p := shelf{shops: 5, kinds: 4, weeks: 100, together: seed%2 == 1}.panel(source(seed))
		back := 1 + int(seed)%3
		stocked(p, back, 0.4)
		assert.Equal(t, []panel.Carried{{Driver: "price", Back: back}}, carried(p), "seed %d", seed)
	}
	p := shelf{shops: 5, kinds: 4, weeks: 100}.panel(source(2))
	stocked(p, 1, 0.5)
	stocked(p, 2, 0.4)
	assert.Equal(t, []panel.Carried{{Driver: "price", Back: 1}, {Driver: "price", Back: 2}}, carried(p))
}

func TestNothingIsCarriedOverByChance(t *testing.T) {
	for seed := range uint64(80) {
		r := source(seed)
		s := shelf{shops: 1 + r.IntN(5), kinds: 1 + r.IntN(5), weeks: 50 + r.IntN(90), together: seed%2 == 1}
		assert.Empty(t, carried(s.panel(r)), "seed %d: %+v", seed, s)
	}
}

// What neighbours do is not taken for what was done before, nor the other way round.
func TestInfluencesAreToldApart(t *testing.T) {
	p := shelf{shops: 6, kinds: 5, weeks: 100, taken: 0.9}.panel(source(1))
	assert.Empty(t, influence.CarryOver(p, all(p), nil, p.NeighboursBy([]string{"shop"}, nil, p.Length-1), p.Length-1))
	q := shelf{shops: 6, kinds: 5, weeks: 100}.panel(source(1))
	stocked(q, 1, 0.5)
	assert.Nil(t, find(q))
}

func TestCarryOverIsFoundWithoutTheFuture(t *testing.T) {
	p := shelf{shops: 5, kinds: 4, weeks: 110}.panel(source(4))
	stocked(p, 1, 0.4)
	const origin = 80
	want := influence.CarryOver(p, all(p), nil, nil, origin)
	assert.Equal(t, []panel.Carried{{Driver: "price", Back: 1}}, want)
	r := rand.New(rand.NewPCG(1, 1))
	for i := range p.Series {
		for at := origin + 1; at < p.Length; at++ {
			p.Series[i].Values[at], p.Series[i].Drivers[0][at] = 1e4*r.Float64(), 3*r.Float64()
		}
	}
	assert.Equal(t, want, influence.CarryOver(p, all(p), nil, nil, origin))
}
