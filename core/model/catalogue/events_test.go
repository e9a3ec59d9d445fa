package catalogue_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

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
