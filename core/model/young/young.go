// Package young tells the season of series that have seen few rounds of it, a year and a half of months, say. A
// place in the season is then known from one value or two, and no test of a single series can tell a season from a
// level that wanders: what is believed before comes from all series of a panel together.
//
// A series, in logs where all of them fit better so, is a level that wanders, a slope, a season and noise:
//
//	y(t) = l(t) + b t + s(t) + e(t),   l(t+1) = l(t) + w(t)
//
// with a season of harmonics, s(t) = sum over k of a(k) sin(2 pi k t / m) + c(k) cos(2 pi k t / m), whose coefficients
// are normal with a variance that falls with k. How far a level wanders, how large a season is, how smooth, and how
// steep slopes are, next to the noise, are settings on a grid. The likelihood of each, with level, slope, season and
// the size of the noise integrated out, weighs them; how often each is right in the panel is found by expectation
// and maximisation. A season is the mean of what all settings say, so that where nothing tells of one it is nought.
//
// Sources: Rasmussen and Williams, Gaussian Processes for Machine Learning (2006), chapters 2, 4 (the periodic
// covariance) and 5 (marginal likelihood); Harvey, Forecasting, Structural Time Series Models and the Kalman Filter
// (1989), section 3.4 (what cannot be told of the first level); Laird, Nonparametric maximum likelihood estimation of
// a mixing distribution, Journal of the American Statistical Association 73 (1978).
package young

import (
	"math"

	"paperkettle/core/model/days"
	"paperkettle/core/model/harmonic"
	"paperkettle/core/panel"
)

const (
	// mostRounds is how many rounds of a season make it one that families tell by themselves.
	mostRounds = 5
	// fewest is the number of known values below which a series is not looked at.
	fewest = 5
	// placesOfOwn is the longest season of which each place may have its own value, in part; of longer ones there
	// are pairsOfLong harmonics.
	placesOfOwn = 24
	pairsOfLong = 8
	// steps of expectation and maximisation are taken.
	steps = 20
	// ratherLogs is by how much, in the log of its likelihood, a series must speak for levels: most that stay above
	// zero have seasons in proportion to their level, and a short one hardly tells.
	ratherLogs = 1.0
	// apriori is how many series the settings count for that none has shown.
	apriori = 5.0
)

// Short says that a series has seen few rounds of a season of m periods, or that it is so long that they tell little of
// each of its places.
func Short(values []float64, m int) bool {
	return m > 2 && (m > placesOfOwn || len(values) < mostRounds*m) && panel.CountKnown(values) >= fewest
}

// Long says that a series has seen as many rounds as families would tell a shorter season by themselves from.
func Long(values []float64, m int) bool { return len(values) >= mostRounds*m }

// recent are the last rounds of a series: those that are looked at.
func recent(values []float64, first int64, m int) ([]float64, int64) {
	past := max(0, len(values)-(mostRounds*m-1))
	return values[past:], first + int64(past)
}

// Season is what a series is above its level, by a factor where Log: the logs of the factors are then Terms. Else
// they are in the series' own unit.
type Season struct {
	Terms harmonic.Terms
	Log   bool
	// Deviations are the standard deviations of the terms at the places of a round, the first of which is of an
	// ordinal that the period divides.
	Deviations []float64
	// Learnt is how many coefficients' worth the series itself told: by so many its values lie nearer to the season than
	// others would.
	Learnt float64
	// Share is how likely it is that there is a season at all.
	Share float64
	// Days are what the calendar's days do, in logs, in place of terms.
	Days *days.Effect
	// Places are what the places of a round do, the first of which is of an ordinal that their number divides, in place of
	// terms; nil for none.
	Places []float64
	// Many says that more than a few rounds may have been seen of it, which is too long to be told place by place.
	Many bool
}

// term is what the logs, or the values, have at an ordinal.
func (s *Season) term(ordinal int64) float64 {
	if s.Days != nil {
		return s.Days.At(ordinal)
	}
	if s.Places != nil {
		return s.Places[place(ordinal, len(s.Places))]
	}
	return s.Terms.At(ordinal)
}

// At is the season's value at an ordinal: a factor, or what it adds.
func (s *Season) At(ordinal int64) float64 { return s.value(s.term(ordinal)) }

// Shows says that the season is more than what is not known of it.
func (s *Season) Shows() bool {
	if s.Days != nil {
		return true
	}
	own, doubt := 0.0, 0.0
	for k, d := range s.Deviations {
		v := s.term(int64(k))
		own, doubt = own+v*v, doubt+d*d
	}
	return own > doubt
}

// Deviation is the standard deviation of the terms at an ordinal.
func (s *Season) Deviation(ordinal int64) float64 {
	if s.Days != nil {
		return s.Days.Deviation(ordinal)
	}
	m := len(s.Deviations)
	if s.Places != nil {
		return s.Deviations[place(ordinal, m)]
	}
	at := math.Mod(float64(ordinal), s.Terms.Period) / s.Terms.Period
	return s.Deviations[((int(math.Round(at*float64(m)))%m)+m)%m]
}

// place is that of an ordinal in a round of so many.
func place(ordinal int64, places int) int {
	m := int64(places)
	return int((ordinal%m + m) % m)
}

// Length is how many periods a round takes; 0 where days do something.
func (s *Season) Length() int {
	if s.Places != nil {
		return len(s.Places)
	}
	return int(s.Terms.Period)
}
