package panel_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// What is kept is found by a view's fingerprint: whatever the view shows is in it, and what it
// hides is not.
func TestFingerprints(t *testing.T) {
	const n, origin, ahead = 20, 15, 3
	made := func(change func(p *panel.Panel)) *panel.Panel {
		p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 20_000, Length: n,
			Drivers:    []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "visits"}},
			Attributes: []panel.Attribute{{Name: "shop", Values: []string{"Quay", "Vale"}, Codes: []int32{0, 1}}}}
		for i := range 2 {
			s := panel.Series{Key: string(rune('a' + i))}
			price, visits := []float64{}, []float64{}
			for k := range n {
				s.Values, price, visits = append(s.Values, float64(k*k%7+i)), append(price, float64(k%3)), append(visits, float64(k%5))
			}
			s.Drivers = [][]float64{price, visits}
			p.Series = append(p.Series, s)
		}
		if change != nil {
			change(p)
		}
		return p
	}
	view := func(p *panel.Panel) panel.View {
		return panel.NewView(p, []int{0, 1}, 0, origin).WithAhead(nil, ahead)
	}
	was := view(made(nil)).Fingerprint()
	assert.Equal(t, was, view(made(nil)).Fingerprint())
	assert.Equal(t, was, view(panel.Scramble(made(nil), origin, rand.New(rand.NewPCG(1, 2)))).Fingerprint(), "the future is hidden")

	day := int64(20_010 * 24 * 3600)
	for what, change := range map[string]func(p *panel.Panel){
		"a value":                   func(p *panel.Panel) { p.Series[1].Values[4]++ },
		"an unknown one":            func(p *panel.Panel) { p.Series[1].Values[4] = panel.Unknown },
		"a driver":                  func(p *panel.Panel) { p.Series[0].Drivers[0][2]++ },
		"a driver that is ahead":    func(p *panel.Panel) { p.Series[0].Drivers[0][origin+ahead]++ },
		"a driver's name":           func(p *panel.Panel) { p.Drivers[0].Name = "cost" },
		"whether it is known ahead": func(p *panel.Panel) { p.Drivers[1].KnownAhead = true },
		"a key":                     func(p *panel.Panel) { p.Series[0].Key = "z" },
		"an attribute":              func(p *panel.Panel) { p.Attributes[0].Codes[0] = 1 },
		"an event": func(p *panel.Panel) {
			p.Events = []calendar.Event{{Name: "Fair", Occasions: []calendar.Occasion{calendar.DayOf(day, day)}}}
		},
		"where the axis begins":      func(p *panel.Panel) { p.First++ },
		"the cadence":                func(p *panel.Panel) { p.Cadence.Unit = calendar.Week },
		"the floor of the measure":   func(p *panel.Panel) { p.Floor = new(float64) },
		"where a series begins":      func(p *panel.Panel) { p.Series[0].Values[0] = panel.Unknown },
		"what lies beyond the steps": nil,
	} {
		if change == nil {
			change = func(p *panel.Panel) { p.Series[0].Drivers[0][origin+ahead+1]++ }
			assert.Equal(t, was, view(made(change)).Fingerprint(), what)
			continue
		}
		assert.NotEqual(t, was, view(made(change)).Fingerprint(), what)
	}
	p := made(nil)
	assert.NotEqual(t, was, panel.NewView(p, []int{0}, 0, origin).WithAhead(nil, ahead).Fingerprint(), "fewer series")
	assert.NotEqual(t, was, panel.NewView(p, []int{1, 0}, 0, origin).WithAhead(nil, ahead).Fingerprint(), "another order")
	assert.NotEqual(t, was, panel.NewView(p, []int{0, 1}, 0, origin-1).WithAhead(nil, ahead).Fingerprint(), "another origin")
	assert.NotEqual(t, was, panel.NewView(p, []int{0, 1}, 0, origin).WithAhead(nil, ahead+1).Fingerprint(), "more steps")
	assert.NotEqual(t, was, view(p).WithFillings(panel.Fillings{"price": {Rule: panel.FillHold}}).Fingerprint(), "a rule for what is unknown")
	assert.NotEqual(t, was, panel.NewView(p, []int{0, 1}, 0, origin).WithAhead(map[string]panel.Ahead{"visits": panel.AheadLag},
		ahead).Fingerprint(), "a driver that is shown")
}
