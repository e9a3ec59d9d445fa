package days

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"paperkettle/core/calendar"
)

// Yearly is the kind of effects of what comes once a year: feasts, sales and holidays that nobody named.
const Yearly Kind = "feasts"

// The kinds of places of a year: of days, and of weeks.
const (
	Dates          Kind = "date"
	Weekdays       Kind = "weekday of a month"
	FromEaster     Kind = "day from Easter"
	Weeks          Kind = "week from Christmas"
	WeeksEaster    Kind = "week from Easter"
	WeeksMondays   Kind = "week of a Monday of a month"
	WeeksThursdays Kind = "week of a Thursday of a month"
)

const (
	allDates    = 366
	weeksBefore = 26 // and after the week of Christmas
	nths        = 6  // the first to the fifth, and the last
	// beforeEaster and afterEaster are the days, and weeksOfEaster the weeks on either side, that move with Easter.
	beforeEaster  = 49
	afterEaster   = 60
	weeksOfEaster = 2
)

// feastKinds are those of a cadence; none where feasts do not tell.
func feastKinds(c calendar.Cadence) []Kind {
	switch c.Unit {
	case calendar.Day:
		return []Kind{Dates, Weekdays, FromEaster}
	case calendar.Week:
		return []Kind{Weeks, WeeksEaster, WeeksMondays, WeeksThursdays}
	}
	return nil
}

// places is how many a kind has.
func (k Kind) places() int {
	switch k {
	case Dates:
		return allDates
	case Weekdays:
		return year * nths * week
	case FromEaster:
		return beforeEaster + afterEaster + 1
	case Weeks:
		return 2*weeksBefore + 1
	case WeeksEaster:
		return 2*weeksOfEaster + 1
	}
	return year * nths
}

// spots are the places that the period from a day on is at, -1 for none: two where a weekday is the last of its month.
func (k Kind) spots(at time.Time) (places [2]int) {
	places = [2]int{-1, -1}
	switch k {
	case Dates:
		places[0] = placeOfDate(at.Month(), at.Day())
	case Weekdays:
		for i, nth := range nthsOf(at) {
			if places[i] = -1; nth >= 0 {
				places[i] = nth*week + int(at.Weekday())
			}
		}
	case FromEaster:
		if d := between(calendar.Easter(at.Year()), at); d >= -beforeEaster && d <= afterEaster {
			places[0] = d + beforeEaster
		}
	case Weeks:
		places[0] = OfYear.place(at)
	case WeeksEaster:
		if w := nearest(at, calendar.Easter); abs(w) <= weeksOfEaster {
			places[0] = w + weeksOfEaster
		}
	case WeeksMondays:
		return nthsOf(next(at, time.Monday))
	case WeeksThursdays:
		return nthsOf(next(at, time.Thursday))
	}
	return places
}

func christmas(year int) time.Time { return time.Date(year, time.December, 25, 0, 0, 0, 0, time.UTC) }

func placeOfDate(month time.Month, day int) int {
	return time.Date(2000, month, day, 0, 0, 0, 0, time.UTC).YearDay() - 1
}

// nthsOf says which of its weekday a day is in its month, and whether the last, counted through the year.
func nthsOf(at time.Time) [2]int {
	month := (int(at.Month()) - 1) * nths
	out := [2]int{month + (at.Day()-1)/week, -1}
	if at.Day() > lengthOf(at)-week {
		out[1] = month + nths - 1
	}
	return out
}

// next is the first day from one on that is a weekday.
func next(at time.Time, on time.Weekday) time.Time {
	return at.AddDate(0, 0, (int(on)-int(at.Weekday())+week)%week)
}

func between(from, to time.Time) int { return int(math.Round(to.Sub(from).Hours() / 24)) }

// nearest is how many weeks a week, from a day on, is after the nearest one that holds a feast.
func nearest(at time.Time, feast func(year int) time.Time) int {
	weeks := math.MaxInt
	for y := at.Year() - 1; y <= at.Year()+1; y++ {
		if w := int(math.Ceil(float64(between(feast(y), at)) / week)); abs(w) < abs(weeks) {
			weeks = w
		}
	}
	return weeks
}

func abs(n int) int { return max(n, -n) }

// prior is how likely a place is a feast, and in how many years it must have been seen to be one. The feasts that much of
// the world keeps are believed when they were seen once.
func (k Kind) prior(place int) (share float64, times int) {
	const oftenKept, kept, seldom, rare, hardly = 0.5, 0.3, 0.03, 0.01, 0.003
	switch k {
	case Dates:
		switch place {
		case placeOfDate(time.December, 24), placeOfDate(time.December, 25), placeOfDate(time.December, 26),
			placeOfDate(time.December, 31), placeOfDate(time.January, 1):
			return oftenKept, 1
		}
		return rare, 2
	case FromEaster:
		if d := place - beforeEaster; d >= -2 && d <= 1 {
			return kept, 1
		}
		return hardly, 2
	case Weeks:
		switch w := place - weeksBefore; {
		case w == 0 || w == 1:
			return oftenKept, 1
		case w == -1 || w == -2:
			return kept, 1
		}
		return seldom, 2
	case WeeksEaster:
		if w := place - weeksOfEaster; w == 0 || w == -1 {
			return kept, 1
		}
		return seldom, 2
	case WeeksThursdays: // and the Friday after it
		if place == fourthOfNovember {
			return kept, 1
		}
	case Weekdays:
		if place == fourthOfNovember*week+int(time.Thursday) || place == fourthOfNovember*week+int(time.Friday) {
			return kept, 1
		}
	}
	return hardly, 2
}

const fourthOfNovember = (int(time.November)-1)*nths + 3

// on is what a place is called, in a sentence.
func (k Kind) on(place int) string {
	switch k {
	case Dates:
		return "on " + time.Date(2000, 1, 1+place, 0, 0, 0, 0, time.UTC).Format("2 January")
	case Weekdays:
		return "on " + nthName(place/week, time.Weekday(place%week))
	case FromEaster:
		return away(place-beforeEaster, "day", "on Easter Sunday", "Easter Sunday")
	case Weeks:
		return away(place-weeksBefore, "week", "in the week of 25 December", "that of 25 December")
	case WeeksEaster:
		return away(place-weeksOfEaster, "week", "in the week of Easter Sunday", "that of Easter Sunday")
	case WeeksMondays:
		return "in the week of " + nthName(place, time.Monday)
	}
	return "in the week of " + nthName(place, time.Thursday)
}

func nthName(nth int, day time.Weekday) string {
	name := [nths]string{"first", "second", "third", "fourth", "fifth", "last"}[nth%nths]
	return fmt.Sprintf("the %s %s of %s", name, day, time.Month(nth/nths+1))
}

func away(n int, unit, on, from string) string {
	side := "after"
	if n < 0 {
		side = "before"
	}
	switch abs(n) {
	case 0:
		return on
	case 1:
		return fmt.Sprintf("the %s %s %s", unit, side, from)
	}
	return fmt.Sprintf("%d %ss %s %s", abs(n), unit, side, from)
}

// spotTables are the places of periods, which are looked up for every value of every series.
var spotTables sync.Map

type spotsBy struct {
	kind    Kind
	cadence calendar.Cadence
}

// spotTable is some periods' places.
type spotTable struct {
	first int64
	at    [][2]int
}

var noSpots = &spotTable{}

// ahead is how many more periods on either side are looked up than were asked for.
const ahead = 400

// spotsOf are the places of n periods from an ordinal on. They are not written.
func spotsOf(k Kind, c calendar.Cadence, first int64, n int) [][2]int {
	by := spotsBy{k, c}
	table := noSpots
	if known, ok := spotTables.Load(by); ok {
		table = known.(*spotTable)
	}
	if end := table.first + int64(len(table.at)); len(table.at) == 0 || first < table.first || first+int64(n) > end {
		from, to := first-ahead, first+int64(n)+ahead
		if len(table.at) > 0 {
			from, to = min(from, table.first), max(to, end)
		}
		table = &spotTable{first: from}
		for o := from; o < to; o++ {
			table.at = append(table.at, k.spots(dateOf(c, o)))
		}
		spotTables.Store(by, table)
	}
	from := first - table.first
	return table.at[from : from+int64(n)]
}

// eachFeast calls f for the feasts that each of n periods from an ordinal on is at. What holds a feast is looked up once: a
// long series has thousands of periods, of which a few dozen are at any.
func (e *Effect) eachFeast(first int64, n int, f func(i int, x Feast)) {
	for _, kind := range feastKinds(e.Cadence) {
		held := make([]bool, kind.places())
		for _, x := range e.Feasts {
			if x.Kind == kind {
				held[x.Place] = true
			}
		}
		for i, two := range spotsOf(kind, e.Cadence, first, n) {
			if two[0] >= 0 && held[two[0]] || two[1] >= 0 && held[two[1]] {
				e.holding(kind, two, func(x Feast) { f(i, x) })
			}
		}
	}
}

// atFeasts calls f for the feasts that one period is at.
func (e *Effect) atFeasts(ordinal int64, f func(Feast)) {
	for _, kind := range feastKinds(e.Cadence) {
		e.holding(kind, spotsOf(kind, e.Cadence, ordinal, 1)[0], f)
	}
}

// holding calls f for the feasts of a kind at places of a period.
func (e *Effect) holding(kind Kind, two [2]int, f func(Feast)) {
	for _, x := range e.Feasts {
		if x.Kind == kind && (x.Place == two[0] || x.Place == two[1]) {
			f(x)
		}
	}
}

// mostWords is how many feasts are said.
const mostWords = 4

// feastWords say the largest effects.
func (e *Effect) feastWords() string {
	list := slices.Clone(e.Feasts)
	slices.SortStableFunc(list, func(a, b Feast) int { return cmp.Compare(math.Abs(b.Beta), math.Abs(a.Beta)) })
	var words []string
	for _, f := range list[:min(len(list), mostWords)] {
		words = append(words, fmt.Sprintf("%+.0f %% %s", percent(f.Beta), f.Kind.on(f.Place)))
	}
	if more := len(list) - mostWords; more > 0 {
		words = append(words, fmt.Sprintf("and %d more", more))
	}
	return strings.Join(words, ", ") + e.Weekend.words()
}
