package service_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
)

// The checks of a dataset tell what families will not learn from as it is, once; an event that gives the cause
// of a pause takes it back.
func TestChecksTellWhatIsNotLearntFrom(t *testing.T) {
	var b strings.Builder
	b.WriteString("day,stall,cups\n")
	first := time.Date(2025, 1, 6, 0, 0, 0, 0, time.UTC) // a Monday
	for t := range 400 {
		day := first.AddDate(0, 0, t).Format(time.DateOnly)
		pier, square := 90+10*(t%7)+t%3, 90+10*(t%7)+t%3
		if t >= 200 && t < 225 {
			pier = 0
		}
		if t >= 320 {
			square = 0
		}
		fmt.Fprintf(&b, "%s,pier,%d\n%s,square,%d\n", day, pier, day, square)
	}
	c, _ := start(t, t.TempDir())
	columns := api.LoadColumns{Time: "day", Measure: "cups", By: []string{"stall"}, File: "stalls.csv"}
	_, err := c.Load(ctx, "stalls", columns, strings.NewReader(b.String()))
	require.NoError(t, err)
	kinds := func() map[string]api.Check {
		checks, err := c.Check(ctx, "stalls")
		require.NoError(t, err)
		out := map[string]api.Check{}
		for _, x := range checks {
			out[x.Kind] = x
		}
		return out
	}
	found := kinds()
	assert.Equal(t, []string{"pier"}, found["pause"].Example)
	assert.Contains(t, found["pause"].Meaning, "(of pier: 2025-07-25 to 2025-08-18, a pause, of 25 values from 0 to 0)")
	assert.Equal(t, []string{"square"}, found["ended"].Example)
	assert.NotContains(t, found, "level shift")
	assert.NotContains(t, found, "outliers")

	_, err = c.LoadEvents(ctx, "stalls", api.LoadColumns{File: "e.csv"}, 0, 24, strings.NewReader("event,date\nrefit,2025-07-25\n"))
	require.NoError(t, err)
	found = kinds()
	assert.NotContains(t, found, "pause")
	assert.Contains(t, found, "ended")
}
