package days_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// onWeekends is what feasts of dates do that take working days to what Sundays are, and Saturdays half the way; one of a
// Monday, which is the same each year, beside them.
func onWeekends(saturday, sunday float64) func(at time.Time, _ int) float64 {
	return func(at time.Time, _ int) float64 {
		part := 1.0
		switch at.Weekday() {
		case time.Saturday:
			part = saturday
		case time.Sunday:
			part = sunday
		}
		switch at.Format("01-02") {
		case "12-25", "01-01":
			return -part
		case "05-03":
			return -0.6 * part
		}
		if at.Month() == time.September && at.Weekday() == time.Monday && at.Day() < 8 {
			return -0.8
		}
		return 0
	}
}

// What feasts do on weekends is told apart from what they do on working days, of all feasts of dates together, and is the
// same where it is.
func TestFeastsOnWeekends(t *testing.T) {
	for _, c := range []struct {
		saturday, sunday float64
		words            string
	}{
		{0.5, 0, "on Saturdays and 0 % on Sundays"},
		{1, 1, ""},
	} {
		does := onWeekends(c.saturday, c.sunday)
		list := made(daily, 6, 7*365, 0.06, 4, does)
		f := feasts(t, list, daily)
		require.NotNil(t, f)
		e := f.Of(list[0])
		assert.Len(t, e.Feasts, 4, e.Words())
		assert.Contains(t, e.Words(), c.words)
		assert.Equal(t, c.words == "", e.Weekend == nil, e.Words())
		for year := 2028; year < 2035; year++ { // every weekday
			first := start(daily, year)
			over := e.Over(first, 365)
			for k := range int64(365) {
				at := time.Unix(daily.Start(first+k), 0).UTC()
				assert.InDelta(t, does(at, 0), e.At(first+k), 0.12, "%s, %s", at, e.Words())
				assert.Equal(t, e.At(first+k), over[k], "%s", at)
			}
		}
	}
}
