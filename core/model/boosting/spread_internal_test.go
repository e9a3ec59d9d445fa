package boosting

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// A history whose inner origins would lie seven days apart has origins on all days of the week.
func TestOriginsAreNotInStepWithTheWeek(t *testing.T) {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: 500} // 250 days for 36 origins
	var all []int
	for i := range 100 {
		p.Series, all = append(p.Series, panel.Series{Key: fmt.Sprint(i), Values: make([]float64, p.Length)}), append(all, i)
	}
	lay, err := Model{}.layout(panel.NewView(p, all, 0, p.Length-1), 28)
	require.NoError(t, err)
	require.Len(t, lay.Origins, mostOrigins-1)
	var seen [7]int
	for k, o := range lay.Origins {
		seen[o%7]++
		if k > 0 {
			assert.Greater(t, o, lay.Origins[k-1])
		}
	}
	for d, times := range seen {
		assert.NotZero(t, times, "day %d", d)
	}
}
