package young

import (
	"context"
	"math"

	"paperkettle/core/model/harmonic"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// week is the periods of a daily series that are taken for one, and year how many of them are a round: of the year.
	week = 7
	year = 365.25
	// rounded is the number of whole weeks in a year, and mostWeeks how many are looked at: the last few rounds.
	rounded   = 52
	mostWeeks = mostRounds*rounded - 1
	// fewestDays must be known of a week.
	fewestDays = 4
)

// Year is what daily series tell of each other's season of the year, by the means of weeks: in which the days of the week
// come to the same, and what a day has of its own to a seventh.
type Year struct{ weeks *Prior }

// LearnYear finds what is believed of the season of the year of daily series; nil where none has seen most of one. Series
// have keys of their own.
func LearnYear(ctx context.Context, list []Series, workers int) (*Year, error) {
	weeks := make([]Series, len(list))
	err := num.Each(ctx, workers, len(list), func(i int) { weeks[i] = weeksOf(list[i]) })
	if err != nil {
		return nil, err
	}
	by := newDesign(rounded, year/week)
	if tells, err := foretold(ctx, weeks, by, workers); err != nil || !tells {
		return nil, err
	}
	p, err := learn(ctx, weeks, by, workers)
	if err != nil || p == nil {
		return nil, err
	}
	return &Year{p}, nil
}

// Of is the season of the year of a daily series, whose values may be zero only where it is a factor; nil for none.
func (y *Year) Of(s Series) *Season {
	if y == nil {
		return nil
	}
	w := weeksOf(s)
	season := y.weeks.Of(w)
	if season != nil {
		season.Terms, season.Many = byDay(season.Terms), true
	}
	return season
}

// byDay are the terms of the means of weeks as those of days: these lie three before the middle of their week, and a mean
// has less of what is quick.
func byDay(weeks harmonic.Terms) harmonic.Terms {
	out := harmonic.Terms{Period: year, Coef: make([]float64, len(weeks.Coef))}
	for k := 0; k+1 < len(out.Coef); k += 2 {
		half := math.Pi * float64(k/2+1) / year
		sin, cos := math.Sincos(2 * half * (week - 1) / 2)
		less := math.Sin(week*half) / (week * math.Sin(half))
		a, b := weeks.Coef[k]/less, weeks.Coef[k+1]/less
		out.Coef[k], out.Coef[k+1] = a*cos+b*sin, b*cos-a*sin
	}
	return out
}

// weeksOf are the means of the last weeks of a daily series, which begin where their ordinal divides by 7. Where some days
// of a week are unknown, the others are held against what is usual on theirs.
func weeksOf(s Series) Series {
	first := floorDiv(s.First)
	n := int(floorDiv(s.First+int64(len(s.Values))-1)-first) + 1
	out := Series{Key: s.Key, First: first, Values: make([]float64, max(0, n)), Drivers: weeksOfDrivers(s, first, n)}
	usual := usualDays(s)
	for k := range out.Values {
		sum, count := 0.0, 0
		for d := range int64(week) {
			if v := s.at((first+int64(k))*week + d); panel.Known(v) {
				sum, count = sum+v, count+1
			}
		}
		out.Values[k] = panel.Unknown
		switch {
		case count == week:
			out.Values[k] = sum / week
		case count >= fewestDays:
			out.Values[k] = s.partly(first+int64(k), usual)
		}
	}
	if past := len(out.Values) - mostWeeks; past > 0 {
		out.Values, out.First = out.Values[past:], out.First+int64(past)
		for d := range out.Drivers {
			out.Drivers[d] = out.Drivers[d][past:]
		}
	}
	return out
}

// weeksOfDrivers are the means of drivers over the days of each of n weeks on which the series is known; of a week without
// any, over all its days.
func weeksOfDrivers(s Series, first int64, n int) [][]float64 {
	out := make([][]float64, len(s.Drivers))
	for d, column := range s.Drivers {
		out[d] = make([]float64, max(0, n))
		for k := range out[d] {
			var sum, count, whole, days float64
			for day := range int64(week) {
				i := (first+int64(k))*week + day - s.First
				if i < 0 || i >= int64(len(column)) {
					continue
				}
				whole, days = whole+column[i], days+1
				if panel.Known(s.Values[i]) {
					sum, count = sum+column[i], count+1
				}
			}
			if count == 0 {
				sum, count = whole, max(1, days)
			}
			out[d][k] = sum / count
		}
	}
	return out
}

func floorDiv(ordinal int64) int64 { return int64(math.Floor(float64(ordinal) / week)) }

// at is the value at an ordinal.
func (s Series) at(ordinal int64) float64 {
	if i := ordinal - s.First; i >= 0 && i < int64(len(s.Values)) {
		return s.Values[i]
	}
	return panel.Unknown
}

// partly is the mean of a week of which some days are known, by what these usually are of a whole week's.
func (s Series) partly(at int64, usual [week]float64) float64 {
	sum, share := 0.0, 0.0
	for d := range int64(week) {
		if v := s.at(at*week + d); panel.Known(v) {
			sum, share = sum+v, share+usual[d]
		}
	}
	if !(share > 0) {
		return panel.Unknown
	}
	return sum / share
}

// usualDays is the mean of each day of a week next to the mean of all.
func usualDays(s Series) (out [week]float64) {
	var count [week]float64
	for i, v := range s.Values {
		if d := (s.First + int64(i)) - week*floorDiv(s.First+int64(i)); panel.Known(v) {
			out[d], count[d] = out[d]+v, count[d]+1
		}
	}
	total, days := 0.0, 0.0
	for d := range out {
		if count[d] > 0 {
			out[d] /= count[d]
			total, days = total+out[d], days+1
		}
	}
	for d := range out {
		out[d] *= days / total
	}
	return out
}
