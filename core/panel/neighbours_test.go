package panel_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// counter has three kinds in one shop, which sell 10, 30 and 60 a week, and one kind in another.
func counter() *panel.Panel {
	const n = 8
	flat := func(v float64) []float64 {
		out := make([]float64, n)
		for t := range out {
			out[t] = v
		}
		return out
	}
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, Length: n,
		Drivers:    []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "leaflet", KnownAhead: true}, {Name: "warmth", KnownAhead: true}, {Name: "visits"}},
		Attributes: []panel.Attribute{{Name: "shop", Values: []string{"Quay", "Mill"}, Codes: []int32{0, 0, 0, 1}}, {Name: "kind", Values: []string{"a", "b", "c"}, Codes: []int32{0, 1, 2, 0}}}}
	for i, sold := range []float64{10, 30, 60, 5} {
		price := 2 + float64(i)
		s := panel.Series{Key: panel.Key(p.Labels(i)), Values: flat(sold), Drivers: [][]float64{flat(price), flat(0), {1, 2, 3, 4, 5, 6, 7, 8}, flat(7)}}
		p.Series = append(p.Series, s)
	}
	p.Series[1].Drivers[0][3] /= 2 // the second is at half its price in the fourth week, and in a leaflet in the fifth
	p.Series[1].Drivers[1][4] = 1
	return p
}

func shownTo(p *panel.Panel, n *panel.Neighbours, series, driver, periods int) []float64 {
	return panel.NewView(p, []int{series}, 0, p.Length-1).WithNeighbours(n).Series(0).Driver(driver, periods)
}

func TestWhatNeighboursDoIsShown(t *testing.T) {
	p := counter()
	n := p.NeighboursBy([]string{"shop"}, nil, p.Length-1)
	v := panel.NewView(p, []int{0}, 0, p.Length-1).WithNeighbours(n)
	var names []string
	for _, d := range v.Drivers() {
		names = append(names, d.Name)
	}
	assert.Equal(t, []string{"price", "leaflet", "warmth", "visits", "price of neighbours", "leaflet of neighbours"}, names,
		"warmth is the same for all, and visits are not known ahead")
	assert.True(t, v.Drivers()[4].KnownAhead)

	// Of what the first one's neighbours sell, the second sells a third.
	assert.InDelta(t, math.Pow(0.5, 1./3), shownTo(p, n, 0, 4, 8)[3], 1e-9)
	assert.InDelta(t, math.Pow(0.5, 0.75), shownTo(p, n, 2, 4, 8)[3], 1e-9)
	assert.InDelta(t, 1./3, shownTo(p, n, 0, 5, 8)[4], 1e-9)
	for at, x := range shownTo(p, n, 1, 4, 8) {
		assert.InDelta(t, 1, x, 1e-9, "its own price is not its neighbours': period %d", at)
	}
	for _, x := range shownTo(p, n, 3, 4, 8) {
		assert.InDelta(t, 1, x, 1e-9, "no neighbour")
	}
	assert.Equal(t, p.Series[0].Drivers[2], shownTo(p, n, 0, 2, 8), "own drivers stay as they are")
}

func TestUnknownNeighbours(t *testing.T) {
	p := counter()
	p.Series[1].Drivers[1][6], p.Series[2].Drivers[1][6], p.Series[2].Drivers[0][3] = panel.Unknown, panel.Unknown, panel.Unknown
	n := p.NeighboursBy([]string{"shop"}, nil, p.Length-1)
	assert.InDelta(t, math.Pow(0.5, 1./3), shownTo(p, n, 0, 4, 8)[3], 1e-9, "filled as for themselves, where they sold something")
	assert.Zero(t, shownTo(p, n, 0, 5, 8)[6])

	// What sold nothing tells nothing.
	p.Series[2].Values[3], p.Series[1].Values[6], p.Series[2].Values[6] = panel.Unknown, panel.Unknown, panel.Unknown
	n = p.NeighboursBy([]string{"shop"}, nil, p.Length-1)
	assert.InDelta(t, 0.5, shownTo(p, n, 0, 4, 8)[3], 1e-9, "the one that tells")
	assert.InDelta(t, 30./710, shownTo(p, n, 0, 5, 8)[6], 1e-9, "where none tells, the mean of all periods and members")
	assert.InDelta(t, 1, shownTo(p, n, 0, 4, 20)[19], 1e-9, "nor after the last period")
}

func TestASlipOfANeighbourIsNotBelieved(t *testing.T) {
	p := counter()
	for i := range p.Series { // long enough to tell
		s := &p.Series[i]
		for d := range s.Drivers {
			for len(s.Drivers[d]) < 40 {
				s.Drivers[d] = append(s.Drivers[d], s.Drivers[d][len(s.Drivers[d])-8]*(1+0.001*float64(len(s.Drivers[d])%7)))
			}
		}
		for len(s.Values) < 40 {
			s.Values = append(s.Values, s.Values[0])
		}
	}
	p.Length = 40
	before := shownTo(p, p.NeighboursBy([]string{"shop"}, nil, 39), 0, 4, 40)
	p.Series[2].Drivers[0][20] *= 100
	after := shownTo(p, p.NeighboursBy([]string{"shop"}, nil, 39), 0, 4, 40)
	assert.InDelta(t, before[20], after[20], 0.05)
}

func TestNeighboursDoNotLookAhead(t *testing.T) {
	p := counter()
	const origin = 4
	before := shownTo(p, p.NeighboursBy([]string{"shop"}, nil, origin), 0, 4, 5)
	for i := range p.Series {
		for at := origin + 1; at < p.Length; at++ {
			p.Series[i].Values[at], p.Series[i].Drivers[0][at] = 9999, 0.01
		}
	}
	assert.Equal(t, before, shownTo(p, p.NeighboursBy([]string{"shop"}, nil, origin), 0, 4, 5))
}

func TestNeighboursAreNamed(t *testing.T) {
	p := counter()
	for text, want := range map[string][]string{"": nil, "none": nil, "all": {}, "shop": {"shop"}, "shop, kind": {"shop", "kind"}} {
		by, err := panel.ParseNeighbours(p, text)
		require.NoError(t, err)
		assert.Equal(t, want, by, text)
	}
	_, err := panel.ParseNeighbours(p, "shop,size")
	assert.EqualError(t, err, `neighbours by "shop,size": no attribute is called "size": the dataset has shop, kind; say attributes with commas between them, all or none`)
	assert.Equal(t, "shop,kind", panel.NeighboursText([]string{"shop", "kind"}))
	assert.Equal(t, "none", panel.NeighboursText(nil))
	assert.Equal(t, [][]int{{0, 3}, {1}, {2}}, p.Grouped([]string{"kind"}))
	some := p.Some([]int{1, 3})
	assert.Equal(t, []string{"Quay", "b"}, some.Labels(0))
	assert.Equal(t, []string{"Mill", "a"}, some.Labels(1))
	assert.Equal(t, p.Series[3].Key, some.Series[1].Key)
}
