package influence_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/influence"
	"paperkettle/core/panel"
)

// shelf is a made-up panel: in each shop buyers choose one of some kinds, by logit; a share of what one kind gains is
// taken from its neighbours. Some promotions are of all shops. Weeks and shops have shocks in common.
type shelf struct {
	shops, kinds, weeks int
	taken               float64 // share of a gain that is taken from neighbours
	together            bool    // all promotions are of all shops
}

func (s shelf) panel(r *rand.Rand) *panel.Panel {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, Length: s.weeks, Measure: "units",
		Drivers:    []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "leaflet", KnownAhead: true}},
		Attributes: []panel.Attribute{{Name: "shop"}, {Name: "kind"}}}
	for shop := range s.shops {
		p.Attributes[0].Values = append(p.Attributes[0].Values, fmt.Sprint("shop ", shop))
	}
	for kind := range s.kinds {
		p.Attributes[1].Values = append(p.Attributes[1].Values, fmt.Sprint("kind ", kind))
	}
	everywhere := make([]bool, s.kinds*s.weeks)
	for i := range everywhere {
		everywhere[i] = r.Float64() < 0.2
	}
	common := noise(r, s.weeks, 0.1)
	for shop := range s.shops {
		own := noise(r, s.weeks, 0.1)
		wish, drivers := make([][]float64, s.kinds), make([][][]float64, s.kinds)
		for kind := range s.kinds {
			wish[kind], drivers[kind] = noise(r, s.weeks, 0.25), [][]float64{make([]float64, s.weeks), make([]float64, s.weeks)}
			for t := range s.weeks {
				on := everywhere[kind*s.weeks+t]
				if !s.together && r.Float64() < 0.3 {
					on = r.Float64() < 0.2
				}
				price := 1 + 0.02*r.NormFloat64()
				if on {
					price *= 0.6 + 0.3*r.Float64()
					drivers[kind][1][t] = 1
				}
				drivers[kind][0][t] = 3 * price
				wish[kind][t] += -2.5*math.Log(price) + 0.3*drivers[kind][1][t]
			}
		}
		for kind := range s.kinds {
			y := make([]float64, s.weeks)
			for t := range y {
				sum := 0.0
				for other := range s.kinds {
					sum += math.Exp(wish[other][t]) / float64(s.kinds)
				}
				y[t] = 300 * math.Exp(wish[kind][t]-s.taken*math.Log(sum)+common[t]+own[t])
			}
			p.Series = append(p.Series, panel.Series{Key: fmt.Sprintf("shop %d / kind %d", shop, kind), Values: y, Drivers: drivers[kind]})
			p.Attributes[0].Codes = append(p.Attributes[0].Codes, int32(shop))
			p.Attributes[1].Codes = append(p.Attributes[1].Codes, int32(kind))
		}
	}
	return p
}

func noise(r *rand.Rand, n int, size float64) []float64 {
	out := make([]float64, n)
	for t := range out {
		out[t] = size * r.NormFloat64()
	}
	return out
}

func find(p *panel.Panel) []string { return influence.Neighbours(p, all(p), nil, p.Length-1) }

func all(p *panel.Panel) []int {
	out := make([]int, len(p.Series))
	for i := range out {
		out[i] = i
	}
	return out
}

func source(seed uint64) *rand.Rand { return rand.New(rand.NewPCG(seed, 41)) }

func TestNeighboursOnAShelfAreFound(t *testing.T) {
	for seed := range uint64(8) {
		s := shelf{shops: 6, kinds: 5, weeks: 100, taken: 0.9, together: seed%2 == 1}
		p := s.panel(source(seed))
		assert.Equal(t, []string{"shop"}, find(p), "seed %d", seed)
		// Some of the series, of which neighbours are not chosen.
		assert.Equal(t, []string{"shop"}, influence.Neighbours(p, all(p)[:8], nil, p.Length-1), "seed %d", seed)
	}
}

func TestNeighboursThatDoNothingAreNotFound(t *testing.T) {
	for seed := range uint64(60) {
		r := source(seed)
		s := shelf{shops: 1 + r.IntN(8), kinds: 3 + r.IntN(6), weeks: 50 + r.IntN(90), together: seed%2 == 1}
		assert.Nil(t, find(s.panel(r)), "seed %d: %+v", seed, s)
	}
}

func TestAllAreNeighboursWhereNothingElseTells(t *testing.T) {
	p := shelf{shops: 1, kinds: 8, weeks: 150, taken: 1}.panel(source(3))
	p.Attributes = p.Attributes[1:]
	by := find(p)
	assert.NotNil(t, by)
	assert.Empty(t, by)
	assert.Equal(t, panel.AllNeighbours, panel.NeighboursText(by))
}

func TestNeighboursOfManySeriesAreFoundInSome(t *testing.T) {
	p := shelf{shops: 700, kinds: 4, weeks: 40, taken: 0.9}.panel(source(5))
	assert.Equal(t, []string{"shop"}, find(p))
}

// Whatever a panel holds, what is found of it can be shown, and is a number everywhere.
func TestInfluenceOfAnyPanel(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		number := rapid.SampledFrom([]float64{0, 1, 2, 3.5, 7, 1000, 1e-9, 1e12, -4, panel.Unknown})
		series, length := rapid.IntRange(1, 8).Draw(t, "series"), rapid.IntRange(1, 60).Draw(t, "length")
		p := &panel.Panel{Cadence: calendar.Cadence{Unit: rapid.SampledFrom([]calendar.Unit{calendar.Day, calendar.Week, calendar.Month}).Draw(t, "unit")},
			Length: length, Drivers: []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "leaflet", KnownAhead: rapid.Bool().Draw(t, "known")}}}
		for range rapid.IntRange(0, 3).Draw(t, "attributes") {
			p.Attributes = append(p.Attributes, panel.Attribute{Name: fmt.Sprint(len(p.Attributes)), Values: []string{"x", "y", "z"}})
		}
		for i := range series {
			first := rapid.IntRange(0, length-1).Draw(t, "first")
			s := panel.Series{Key: fmt.Sprint(i), First: first, Values: rapid.SliceOfN(number, 0, length-first).Draw(t, "values")}
			for range p.Drivers {
				s.Drivers = append(s.Drivers, rapid.SliceOfN(number, 0, length-first+4).Draw(t, "driver"))
			}
			p.Series = append(p.Series, s)
			for a := range p.Attributes {
				p.Attributes[a].Codes = append(p.Attributes[a].Codes, int32(rapid.IntRange(0, 2).Draw(t, "code")))
			}
		}
		upTo := rapid.IntRange(0, length-1).Draw(t, "origin")
		by := influence.Neighbours(p, all(p), nil, upTo)
		if by == nil {
			by = []string{}
		}
		n := p.NeighboursBy(by, nil, upTo)
		v := panel.NewView(p, all(p), 0, upTo).WithNeighbours(n).WithCarried(influence.CarryOver(p, all(p), nil, n, upTo))
		for i := range v.Len() {
			s := v.Series(i)
			for d := v.OwnDrivers(); d < v.OwnDrivers()+n.Len(); d++ {
				for _, x := range s.Driver(d, len(s.Values)+6) {
					require.False(t, math.IsNaN(x) || math.IsInf(x, 0), "%s of %s: %v", v.Drivers()[d].Name, s.Key, x)
				}
			}
		}
	})
}

func TestNeighboursNeedDriversKnownAhead(t *testing.T) {
	p := shelf{shops: 6, kinds: 5, weeks: 100, taken: 0.9}.panel(source(1))
	for d := range p.Drivers {
		p.Drivers[d].KnownAhead = false
	}
	assert.Nil(t, find(p))
}

// What comes after the origin tells nothing: neither sales, nor drivers.
func TestNeighboursAreFoundWithoutTheFuture(t *testing.T) {
	p := shelf{shops: 6, kinds: 5, weeks: 100, taken: 0.9}.panel(source(2))
	const origin = 70
	want := influence.Neighbours(p, all(p), nil, origin)
	r := source(9)
	for i := range p.Series {
		for at := origin + 1; at < p.Length; at++ {
			p.Series[i].Values[at] = 1000 * r.Float64()
			p.Series[i].Drivers[0][at] = 3 * r.Float64()
		}
	}
	assert.Equal(t, want, influence.Neighbours(p, all(p), nil, origin))
	assert.Equal(t, []string{"shop"}, want)
}
