// Package days tells what the calendar's days do to series beyond their seasons: to daily ones what the day of the month
// does, for pay comes on some days and bills on others, and to monthly ones of how many working days, or of how many
// Saturdays, a month happens to consist. Both are factors that a series' season cannot hold, since they move about in it.
//
// What a series is next to its level and season is regressed, in logs, on the days. All series of a panel tell of the
// effects together, and of each as far as it differs; how much is believed of either is found by leaving months, or
// years, out. There are none unless what was left out is foretold better with them, by more than chance would have it.
//
// Source: Young, Estimating trading-day variation in monthly economic time series, Bureau of the Census technical paper
// 12 (1965); Bell and Hillmer, Modeling time series with calendar variation, Journal of the American Statistical
// Association 78 (1983); effects held towards those of all: Efron and Morris, Journal of the American Statistical
// Association 70 (1975).
package days

import (
	"fmt"
	"math"
	"time"

	"gonum.org/v1/gonum/floats"

	"paperkettle/core/calendar"
)

// Kind is what days are told apart by.
type Kind string

// The kinds: of daily series, of monthly ones, and of weekly ones, whose weeks are counted from that of
// Christmas, or by their numbers (ISO 8601).
const (
	FromStart Kind = "day of the month"
	FromEnd   Kind = "day of the month, the last nine by how many are left"
	Working   Kind = "working days of the month"
	Each      Kind = "weekdays of the month"
	OfYear    Kind = "week of the year"
	ByNumber  Kind = "week of the year, by its number"
)

// kindsOf are those of a cadence; none where days do not tell.
func kindsOf(c calendar.Cadence) []Kind {
	switch c.Unit {
	case calendar.Day:
		return []Kind{FromStart, FromEnd}
	case calendar.Month:
		return []Kind{Working, Each}
	case calendar.Week:
		return []Kind{OfYear, ByNumber}
	}
	return nil
}

const (
	places   = 31 // days of a month
	lastDays = 9  // that are counted from its end
	week     = 7
)

// size is how many columns a kind has.
func (k Kind) size() int {
	switch k {
	case Working:
		return 1
	case Each:
		return week
	case OfYear, ByNumber:
		return Weeks.places()
	}
	return places
}

// apart says that each period is in one column alone.
func (k Kind) apart() bool { return k == FromStart || k == FromEnd || k.weeks() }

// weeks says that it tells weeks of the year apart.
func (k Kind) weeks() bool { return k == OfYear || k == ByNumber }

// place is the column that a day, or a week from it on, is in.
func (k Kind) place(at time.Time) int {
	switch k {
	case ByNumber:
		_, number := next(at, time.Thursday).ISOWeek()
		return number - 1
	case OfYear:
		return min(max(0, nearest(at, christmas)+weeksBefore), 2*weeksBefore)
	}
	if k == FromEnd && at.Day() > places-3-lastDays {
		if left := lengthOf(at) - at.Day(); left < lastDays {
			return places - 1 - left
		}
	}
	return at.Day() - 1
}

func lengthOf(month time.Time) int {
	return time.Date(month.Year(), month.Month()+1, 0, 0, 0, 0, 0, time.UTC).Day()
}

// fill puts the columns of a month: how many days of a kind it has beyond the usual number for its length.
func (k Kind) fill(at time.Time, x []float64) {
	clear(x)
	length := lengthOf(at)
	usual := float64(length) / week
	if at.Month() == time.February {
		usual = 28.25 / week
	}
	for d := range week {
		count := 4.0
		if (d-int(at.Weekday())+week)%week < length-28 {
			count = 5
		}
		switch {
		case k == Each:
			x[d] = count - usual
		case time.Weekday(d) == time.Saturday || time.Weekday(d) == time.Sunday:
			x[0] -= 2.5 * (count - usual)
		default:
			x[0] += count - usual
		}
	}
}

// Effect is what days do to a series: the log of a factor for each column, and its standard deviation.
type Effect struct {
	Kind       Kind
	Cadence    calendar.Cadence
	Beta       []float64
	Deviations []float64
	// Learnt is how many coefficients' worth the series itself told.
	Learnt float64
	// Feasts are those of Yearly, in place of columns.
	Feasts []Feast
	// Weekend is how much of them Saturdays and Sundays have; nil for all.
	Weekend *Weekend
}

func dateOf(c calendar.Cadence, ordinal int64) time.Time { return time.Unix(c.Start(ordinal), 0).UTC() }

// Over are the logs of the factors of n periods from an ordinal on.
func (e *Effect) Over(first int64, n int) []float64 {
	out := make([]float64, n)
	if e.Kind == Yearly {
		e.eachFeast(first, n, func(i int, f Feast) { out[i] += e.Weekend.part(f.Kind, e.Cadence, first+int64(i)) * f.Beta })
		return out
	}
	for i := range out {
		out[i] = e.at(first + int64(i))
	}
	return out
}

// At is the log of a period's factor.
func (e *Effect) At(ordinal int64) (sum float64) {
	if e.Kind == Yearly {
		e.atFeasts(ordinal, func(f Feast) { sum += e.Weekend.part(f.Kind, e.Cadence, ordinal) * f.Beta })
		return sum
	}
	return e.at(ordinal)
}

// at is that of kinds with columns.
func (e *Effect) at(ordinal int64) float64 {
	at := dateOf(e.Cadence, ordinal)
	if e.Kind.apart() {
		return e.Beta[e.Kind.place(at)]
	}
	var x [week]float64
	e.Kind.fill(at, x[:])
	return floats.Dot(x[:len(e.Beta)], e.Beta)
}

// Deviation is that of the log.
func (e *Effect) Deviation(ordinal int64) (dev float64) {
	if e.Kind == Yearly {
		e.atFeasts(ordinal, func(f Feast) { dev = math.Hypot(dev, f.deviation(e.Weekend.part(f.Kind, e.Cadence, ordinal))) })
		return dev
	}
	at := dateOf(e.Cadence, ordinal)
	if e.Kind.apart() {
		return e.Deviations[e.Kind.place(at)]
	}
	var x [week]float64
	e.Kind.fill(at, x[:])
	sum := 0.0
	for k, d := range e.Deviations {
		sum += x[k] * x[k] * d * d
	}
	return math.Sqrt(sum)
}

// Name is what a part of a forecast is called that is the effect's.
func (e *Effect) Name() string {
	switch {
	case e.Kind == Yearly && e.Cadence.Unit == calendar.Week:
		return "special weeks"
	case e.Kind == Yearly:
		return "special days"
	case e.Kind.weeks():
		return "week of the year"
	case e.Kind.apart():
		return "day of the month"
	}
	return "weekdays of the month"
}

// Leaves says that something is left when the effect is taken out.
func (e *Effect) Leaves() string {
	switch {
	case e.Kind == Yearly:
		return e.Name() + " leave"
	case e.Kind.apart():
		return "the " + e.Name() + " leaves"
	}
	return "the " + e.Name() + " leave"
}

// Words say what was found.
func (e *Effect) Words() string {
	if e.Kind == Yearly {
		return e.feastWords()
	}
	if e.Kind == Working {
		return fmt.Sprintf("a month with a working day more in place of a day off has %+.1f %%", percent(3.5*e.Beta[0]))
	}
	best, worst := floats.MaxIdx(e.Beta), floats.MinIdx(e.Beta)
	if e.Kind == Each {
		return fmt.Sprintf("a month with a %s more in place of a %s has %+.1f %%", time.Weekday(best), time.Weekday(worst),
			percent(e.Beta[best]-e.Beta[worst]))
	}
	return fmt.Sprintf("%+.0f %% %s, %+.0f %% %s", percent(e.Beta[best]), e.place(best), percent(e.Beta[worst]), e.place(worst))
}

func percent(log float64) float64 { return 100 * math.Expm1(log) }

func (e *Effect) place(k int) string {
	switch e.Kind {
	case OfYear:
		return Weeks.on(k)
	case ByNumber:
		return fmt.Sprintf("in week %d", k+1)
	}
	if left := places - 1 - k; e.Kind == FromEnd && left < lastDays {
		switch left {
		case 0:
			return "on the last day"
		case 1:
			return "on the last day but one"
		}
		return fmt.Sprintf("on the last day but %d", left)
	}
	return fmt.Sprintf("on day %d", k+1)
}
