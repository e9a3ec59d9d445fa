package scenario_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
	"paperkettle/core/scenario"
)

func TestACaseTouchesWhatItNames(t *testing.T) {
	day := func(d int) int64 { return int64(d) * 86400 }
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 20000, Length: 4, Measure: "orders",
		Drivers:    []panel.Driver{{Name: "price", KnownAhead: true}},
		Attributes: []panel.Attribute{panel.NewAttribute("town", []string{"Quay", "Mill"})},
		Events:     []calendar.Event{{Name: "Fair", Occasions: []calendar.Occasion{{Start: day(20001), End: day(20002)}}}}}
	for _, key := range []string{"Quay", "Mill"} {
		p.Series = append(p.Series, panel.Series{Key: key, Values: []float64{1, 2, 3, 4}, Drivers: [][]float64{{2, 2, panel.Unknown, 2, 2, 2}}})
	}
	both := []int{0, 1}
	for line, want := range map[string][]bool{
		"price +10 % where town=Quay": {true, false},
		"price = 2":                   {false, false}, // what it is anyway
		"price = 3":                   {true, true},
		"event Fair on 2024-10-08":    {true, true},
	} {
		q, err := scenario.Apply(p, both, 2, scenario.Case{Name: "case", Changes: []string{line}})
		require.NoError(t, err, line)
		for i := range both {
			assert.Equal(t, want[i], scenario.Touches(p, q, i), "%s: %s", line, p.Series[i].Key)
		}
	}
}
