package service_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
)

// stalls are two daily series of twelve weeks: the pier sells nothing on Sundays, with rows of
// zero, the square is always open.
func stalls() string {
	var b strings.Builder
	b.WriteString("day,stall,cups\n")
	day := time.Date(2026, 1, 5, 0, 0, 0, 0, time.UTC) // a Monday
	for t := range 84 {
		n := 20 + t%7
		shut := n
		if t%7 == 6 {
			shut = 0
		}
		fmt.Fprintf(&b, "%s,pier,%d\n%s,square,%d\n", day.Format(time.DateOnly), shut, day.Format(time.DateOnly), n)
		day = day.AddDate(0, 0, 1)
	}
	return b.String()
}

// On a closed day nothing is forecast, scored or flagged, from the load to the actuals; the
// release says so, and its sums take zero.
func TestClosedDays(t *testing.T) {
	c, _ := start(t, t.TempDir())
	cols := api.LoadColumns{Time: "day", Measure: "cups", By: []string{"stall"}, Closed: []string{"sundae"}, File: "stalls.csv"}
	_, err := c.Load(ctx, "stalls", cols, strings.NewReader(stalls()))
	assert.ErrorContains(t, err, `closed "sundae": it is no rule`)
	cols.Closed = nil
	_, err = c.Load(ctx, "stalls", cols, strings.NewReader(stalls()))
	require.NoError(t, err)
	checks, err := c.Check(ctx, "stalls")
	require.NoError(t, err)
	proposed := ""
	for _, f := range checks {
		if f.Kind == "closed?" {
			proposed = f.Meaning
		}
	}
	assert.Contains(t, proposed, "sells nothing on any Sunday")

	report, err := c.SetClosed(ctx, "stalls", []string{"sunday"})
	require.NoError(t, err)
	assert.Equal(t, []api.ClosedLine{{Line: "sunday", Series: 1, Of: 2}}, report.Lines)
	assert.Equal(t, []any{2, []string{"sunday"}}, []any{report.Dataset.Revision, report.Dataset.Closed})

	b := run(t, c, api.Plan{Dataset: "stalls", Horizon: 7, Windows: 2, Contenders: contenders("naive", "seasonal-naive", "smoothing")})
	curves, err := c.Curves(ctx, b.ID, "pier")
	require.NoError(t, err)
	for _, curve := range curves.Curves {
		assert.Equal(t, []int{6}, curve.Closed, curve.Contender)
		assert.Equal(t, 0.0, curve.Forecast[6], curve.Contender)
	}
	st, err := c.Standings(ctx, b.ID, "mae", "")
	require.NoError(t, err)
	assert.Equal(t, 2*(7+6), st.Slices[0].Rows[0].Points)

	var page bytes.Buffer
	require.NoError(t, c.Report(ctx, b.ID, &page))
	assert.Contains(t, page.String(), "<svg")

	rel, err := c.Publish(ctx, api.PublishRequest{Bakeoff: b.ID, Contender: "seasonal-naive"}, "")
	require.NoError(t, err)
	_, err = c.Wait(ctx, rel.Job.ID, nil)
	require.NoError(t, err)
	rel, err = c.Release(ctx, rel.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, rel.ClosedPeriods)
	var out bytes.Buffer
	require.NoError(t, c.ExportRelease(ctx, rel.ID, &out))
	assert.Contains(t, out.String(), "pier,seasonal-naive,2026-03-29,7,2026-04-05,,0,0,0,0,0,closed\n")
	assert.Contains(t, out.String(), "square,seasonal-naive,2026-03-29,7,2026-04-05,,26,26,26,26,26,\n")

	// A sale on a closed day is kept, and neither scored nor flagged; the lines stay.
	arrived, err := c.LoadActuals(ctx, "stalls", api.LoadColumns{File: "more.csv"},
		strings.NewReader("day,stall,cups\n2026-04-04,pier,25\n2026-04-05,pier,99\n2026-04-05,square,26\n"))
	require.NoError(t, err)
	assert.Equal(t, []any{2, 0, []string{"sunday"}}, []any{arrived.Score.Points, arrived.Flags, arrived.Dataset.Closed})
	values, err := c.SeriesValues(ctx, "stalls", "pier")
	require.NoError(t, err)
	assert.Equal(t, 99.0, *values.Values[len(values.Values)-1])

	_, err = c.LoadEvents(ctx, "stalls", api.LoadColumns{File: "e.csv"}, 0, 0, strings.NewReader("event,date\nstocktaking,2026-04-08\n"))
	require.NoError(t, err)
	_, err = c.SetClosed(ctx, "stalls", []string{"sunday", "event stocktaking"})
	require.NoError(t, err)
	assert.ErrorContains(t, c.RemoveEvent(ctx, "stalls", "stocktaking"), `lift the line "event stocktaking" of stalls first`)
	report, err = c.SetClosed(ctx, "stalls", []string{})
	require.NoError(t, err)
	assert.Empty(t, report.Dataset.Closed)
}
