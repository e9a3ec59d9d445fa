package scenario_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
	"paperkettle/core/scenario"
)

// weeks are two series of 20 weeks from Monday, 5 January 2026 on, with price and promotion
// known for six more, visits that are not known ahead, and a fair in a week ahead.
func weeks() *panel.Panel {
	c := calendar.Cadence{Unit: calendar.Week, WeekStart: time.Monday}
	first, _ := c.Ordinal(time.Date(2026, 1, 5, 0, 0, 0, 0, time.UTC).Unix())
	p := &panel.Panel{Cadence: c, First: first, Length: 20,
		Drivers:    []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "price tag", KnownAhead: true}, {Name: "visits"}},
		Attributes: []panel.Attribute{{Name: "town", Values: []string{"Quay", "Vale"}, Codes: []int32{0, 1}}}}
	for _, town := range []string{"Quay", "Vale"} {
		s := panel.Series{Key: town}
		var price, tag, visits []float64
		for i := range 26 {
			price, tag, visits = append(price, 10), append(tag, float64(i%2)), append(visits, 5)
			if i < 20 {
				s.Values = append(s.Values, 100)
			}
		}
		s.Drivers = [][]float64{price, tag, visits}
		p.Series = append(p.Series, s)
	}
	day := time.Date(2026, 6, 17, 0, 0, 0, 0, time.UTC).Unix()
	p.Events = []calendar.Event{{Name: "Fair", Occasions: []calendar.Occasion{calendar.DayOf(day, day)}}}
	return p
}

func ahead(p *panel.Panel, series, driver int) []float64 {
	return p.Series[series].Drivers[driver][20:]
}

// Lines do what they say, in the periods and the series that they name, and leave the panel
// that they are given as it was.
func TestLines(t *testing.T) {
	for line, want := range map[string][]float64{
		"price +10 %":                               {11, 11, 11, 11, 11, 11},
		"price −5%":                                 {9.5, 9.5, 9.5, 9.5, 9.5, 9.5},
		"price = 8 from 2026-06-08":                 {10, 10, 8, 8, 8, 8},
		"price * 2 from 2026-06-01 to 2026-06-15":   {10, 20, 20, 20, 10, 10},
		"price +0.5 in June":                        {10, 10.5, 10.5, 10.5, 10.5, 10.5},
		"price + 1 in week 23":                      {10, 11, 10, 10, 10, 10},
		"price -1 in step 6":                        {10, 10, 10, 10, 10, 9},
		"price = 7 in 2026-W24":                     {10, 10, 7, 10, 10, 10},
		"price = 7 in 2026-05":                      {7, 10, 10, 10, 10, 10},
		"no price in step 1 where town=Quay":        {0, 10, 10, 10, 10, 10},
		"price = 3 from 2026-06-22 where town=Quay": {10, 10, 10, 10, 3, 3},
	} {
		p := weeks()
		changed, err := scenario.Apply(p, []int{0, 1}, 6, scenario.Case{Changes: []string{line}})
		require.NoError(t, err, line)
		assert.InDeltaSlice(t, want, ahead(changed, 0, 0), 1e-9, line)
		assert.Equal(t, weeks().Series[0].Drivers, p.Series[0].Drivers, "as it was")
	}
	quay, err := scenario.Apply(weeks(), []int{0, 1}, 6,
		scenario.Case{Changes: []string{"price tag = 4 where town=Vale"},
			Values: []scenario.Value{{Series: "Quay", Period: "2026-06-01", Driver: "price", Value: 6},
				{Series: "Quay", Period: "step 3", Driver: "price", Value: 4}, {Period: "step 3", Driver: "price", Value: 7},
				{Period: "step 1", Driver: "price", Value: 5}}})
	require.NoError(t, err)
	assert.Equal(t, []float64{5, 6, 4, 10, 10, 10}, ahead(quay, 0, 0), "a series' own value goes before one for all")
	assert.Equal(t, []float64{5, 10, 7, 10, 10, 10}, ahead(quay, 1, 0))
	assert.Equal(t, []float64{4, 4, 4, 4, 4, 4}, ahead(quay, 1, 1), "the longest name that fits")

	without, err := scenario.Apply(weeks(), []int{0, 1}, 6,
		scenario.Case{Changes: []string{"no Fair", "event fair on 2026-06-03", "event Regatta on 2026-06-09 to 2026-06-10"}})
	require.NoError(t, err)
	require.Len(t, without.Events, 2)
	assert.Len(t, without.Events[0].Occasions, 1)
	assert.Equal(t, time.Date(2026, 6, 3, 0, 0, 0, 0, time.UTC).Unix(), without.Events[0].Occasions[0].Start)
	assert.Contains(t, scenario.Unseen(weeks(), without, "Fairs")[1], "Regatta, which training never saw")
}

// What makes no sense is refused with the case, the line and what to say instead.
func TestRefusedLines(t *testing.T) {
	for line, part := range map[string]string{
		"rent +5 %":                        "known ahead are price, price tag",
		"price":                            "is no change",
		"price +ten":                       "is no change",
		"visits +1":                        "not known ahead",
		"price +1 in 2025":                 "is no date",
		"price +1 in 2025-01":              "does not lie ahead",
		"price +1 in step 9":               "6 steps ahead",
		"price +1 from June to 2026-05-25": "comes after",
		"price +1 where shape=round":       "no attribute",
		"price +1 where town=Hill":         "no series has",
		"no Picnic":                        "neither a driver nor an event",
		"no Fair in step 1":                "nothing would change",
		"event Fair":                       "say when",
		"event Fair on 2026-01-10":         "before the forecast",
	} {
		_, err := scenario.Apply(weeks(), []int{0, 1}, 6, scenario.Case{Name: "odd", Changes: []string{line}})
		assert.ErrorContains(t, err, part, line)
		assert.ErrorContains(t, err, `case "odd", change 1`, line)
	}
}

// Drivers that nobody gave are refused with the list, or filled by a rule with a caution.
func TestComplete(t *testing.T) {
	p := weeks()
	p.Series[1].Drivers[0] = p.Series[1].Drivers[0][:22]
	p.Series[1].Drivers[0][21] = 14
	refuse := panel.Fillings{"price": {Rule: panel.FillRefuse}}
	_, _, err := scenario.Complete(p, []int{0, 1}, 6, "", refuse)
	assert.ErrorContains(t, err, "price of Vale")
	_, _, err = scenario.Complete(p, []int{0}, 6, "", refuse)
	assert.NoError(t, err, "only of the series that are forecast")
	filled, cautions, err := scenario.Complete(p, []int{0, 1}, 6, scenario.FillLast, refuse)
	require.NoError(t, err)
	assert.Equal(t, []float64{10, 14, 14, 14, 14, 14}, ahead(filled, 1, 0))
	assert.Contains(t, cautions[0], "1 of 2 series")
	assert.Len(t, p.Series[1].Drivers[0], 22, "as it was")
	filled, _, err = scenario.Complete(p, []int{0, 1}, 6, scenario.FillMean, nil)
	require.NoError(t, err)
	assert.Greater(t, ahead(filled, 1, 0)[5], 10.0)
	filled, cautions, err = scenario.Complete(p, []int{0, 1}, 6, "", panel.Fillings{"price": {Rule: panel.FillHold}})
	require.NoError(t, err)
	assert.Equal(t, []float64{10, 14, 14, 14, 14, 14}, ahead(filled, 1, 0))
	assert.Contains(t, cautions[0], "driver_gaps")
	assert.Error(t, scenario.CheckFill("guess"))
}

// A case far beyond what training saw is told, with how far.
func TestBeyond(t *testing.T) {
	p := weeks()
	for i := range 20 {
		p.Series[0].Drivers[0][i] = 9 + float64(i%3) // 9 to 11
	}
	dearer, err := scenario.Apply(p, []int{0, 1}, 6, scenario.Case{Changes: []string{"price = 13 where town=Quay"}})
	require.NoError(t, err)
	told := scenario.Beyond(p, dearer, []int{0, 1}, 6, "Dearer", nil)
	require.Len(t, told, 1)
	assert.Contains(t, told[0], "13 for Quay, where training saw 9 to 11, 100 % of that range beyond it")
	assert.Empty(t, scenario.Beyond(p, p, []int{0, 1}, 6, "base", nil))
}

// Differences rest on the same futures: what is common to both cancels.
func TestCompareOnTheSameFutures(t *testing.T) {
	const h, count = 4, 2000
	rnd := rand.New(rand.NewPCG(1, 1))
	base, moved := make([]float64, h*count), make([]float64, h*count)
	for i := range base {
		base[i] = 100 + 20*rnd.NormFloat64()
		moved[i] = 0.9*base[i] + 0.1*rnd.NormFloat64()
	}
	rows := func(mean float64) forecast.Rows {
		r := forecast.NewRows(h)
		for k := range h {
			r.Mean[k] = mean
			for g, p := range forecast.Grid {
				r.At(k)[g] = mean + 40*(p-0.5)
			}
		}
		return r
	}
	o := scenario.Compare(rows(90), rows(100), moved, base, []float64{80, 95})
	assert.Equal(t, []float64{-10, -10, -10, -10}, o.Change)
	assert.InDelta(t, -40, o.TotalChange.Value, 1e-9)
	assert.InDelta(t, 2*1.96*2*2, o.TotalChange.High[1]-o.TotalChange.Low[1], 0.6, "of the total's change")
	assert.InDelta(t, 2*1.96*18*2, o.Total.High[1]-o.Total.Low[1], 5, "of the total itself")
}

// Whatever line is written, it is understood or refused in a sentence, never a panic; what is understood
// changes nothing of the past, and leaves every driver ahead a number.
func FuzzChanges(f *testing.F) {
	for _, line := range []string{"price +10 %", "price = 8 from 2026-06-08 to 2026-06-15 where town=Quay", "no Fair",
		"event Fair on 2026-06-03", "price * 2 in week 23",
		"price −5% in June", "price tag lag 3", "visits = 1"} {
		f.Add(line)
	}
	before := weeks()
	f.Add("price %") // once broke down
	f.Fuzz(func(t *testing.T, line string) {
		p, err := scenario.Apply(before, []int{0, 1}, 6, scenario.Case{Changes: []string{line}})
		if err != nil {
			if len(err.Error()) < 10 {
				t.Fatalf("%q is refused with %q", line, err)
			}
			return
		}
		for i, s := range p.Series {
			for d, values := range s.Drivers {
				for k, v := range values {
					if was := before.Series[i].Drivers[d][k]; k < 20 && v != was {
						t.Fatalf("%q changes the past", line)
					}
					if v-v != 0 {
						t.Fatalf("%q makes %v", line, v)
					}
				}
			}
		}
	})
}

// A price in cents ahead is filled before a case is applied, so that its change rests on a price; a case that
// asks for one is told that it is not followed.
func TestSlipsAhead(t *testing.T) {
	p := weeks()
	for i := range 20 {
		p.Series[0].Drivers[0][i] = 9 + 0.5*float64(i%3) // 9 to 10
	}
	for i := 20; i < 26; i++ {
		p.Series[0].Drivers[0][i] = 1000
	}
	base, cautions, err := scenario.Complete(p, []int{0}, 6, "", panel.Fillings{"price": {Rule: panel.FillHold}})
	require.NoError(t, err)
	require.Len(t, cautions, 1)
	assert.Contains(t, cautions[0], "far from its other values in 6 periods ahead of 1 series (1000 in ")
	last := p.Series[0].Drivers[0][19]
	dearer, err := scenario.Apply(base, []int{0}, 6, scenario.Case{Changes: []string{"price +10 % where town=Quay"}})
	require.NoError(t, err)
	assert.InDelta(t, 1.1*last, ahead(dearer, 0, 0)[5], 1e-9)
	assert.Equal(t, 1000.0, p.Series[0].Drivers[0][22], "as it was")

	p.Series[0].Drivers[0][19] = 1000 // and it began in training
	held, _, err := scenario.Complete(p, []int{0}, 6, scenario.FillLast, nil)
	require.NoError(t, err)
	assert.Equal(t, p.Series[0].Drivers[0][18], ahead(held, 0, 0)[0], "the last one that is believed")
	p.Series[0].Drivers[0][19] = last

	absurd, err := scenario.Apply(base, []int{0}, 6, scenario.Case{Changes: []string{"price = 700 where town=Quay"}})
	require.NoError(t, err)
	told := scenario.Beyond(base, absurd, []int{0}, 6, "Absurd", nil)
	require.Len(t, told, 1, "and not that it is extrapolated")
	assert.Contains(t, told[0], `Case "Absurd": The driver price is far from its other values`)
	assert.Empty(t, scenario.Beyond(base, absurd, []int{0}, 6, "Absurd", panel.Fillings{"price": {Rule: panel.FillRefuse}})[1:])
	_, none, err := scenario.Complete(p, []int{0}, 6, "", panel.Fillings{"price": {Rule: panel.FillRefuse}})
	require.NoError(t, err)
	assert.Empty(t, none, "all is believed")
}
