package outlook

import (
	"math"
	"slices"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Smoothers is how many rates there are.
const Smoothers = 3

// Rate is how fast level, trend and season follow, and how much of the trend stays a step.
type Rate struct{ Level, Trend, Season, Damping float64 }

// Rates are those that plain forecasts are smoothed at.
var Rates = [Smoothers]Rate{{0.15, 0.01, 0.1, 0.98}, {0.4, 0.03, 0.2, 0.95}, {0.8, 0.3, 0, 0.9}}

// fewestSeasons is how many a series must show for one to be smoothed.
const fewestSeasons = 3

// Smoothed is the states of additive smoothing after every value.
//
// Source: Gardner and McKenzie, Forecasting trends in time series, Management Science 31 (1985).
type Smoothed struct {
	rate         Rate
	level, slope []float64
	season       []float64 // as last updated, at its period
	length       int       // of the season; 0 for none
	start        float64   // mean of the first season
	seen         int
}

// Smooth runs over a series; unknown values are taken as forecast.
func Smooth(z []float64, season int, r Rate) Smoothed {
	n := len(z)
	s := Smoothed{rate: r, level: make([]float64, n), slope: make([]float64, n)}
	if r.Season > 0 && season > 1 && n >= fewestSeasons*season {
		s.length, s.season = season, make([]float64, n)
	}
	s.start = num.KnownMean(z[:min(n, max(1, s.length))])
	s.run(z, 0)
	return s
}

// Clone is a copy that goes its own way.
func (s Smoothed) Clone() Smoothed {
	s.level, s.slope, s.season = slices.Clone(s.level), slices.Clone(s.slope), slices.Clone(s.season)
	return s
}

// Take goes on by a value.
func (s *Smoothed) Take(y float64) {
	t := len(s.level)
	if s.level, s.slope = append(s.level, 0), append(s.slope, 0); s.length > 0 {
		s.season = append(s.season, 0)
	}
	s.run([]float64{y}, t)
}

// run goes over values of which the first is the t-th; there is room for what comes of them.
func (s *Smoothed) run(z []float64, t int) {
	r, length := s.rate, s.length
	level, slope := math.NaN(), 0.0
	if t > 0 {
		level, slope = s.level[t-1], s.slope[t-1]
	}
	for _, y := range z {
		at := 0.0
		if length > 0 && t >= length {
			at = s.season[t-length]
		}
		switch {
		case !panel.Known(y):
			if level == level {
				level, slope = level+r.Damping*slope, r.Damping*slope
			}
		case level != level:
			if level = y; length > 0 && panel.Known(s.start) {
				level, at = s.start, y-s.start
			}
		case length > 0 && t < length: // the first season is learnt as it is
			at = y - level
		default:
			// Quick at first, as the mean of what was seen is.
			s.seen++
			gain := max(r.Level, 1/float64(s.seen+1))
			before := level
			level = gain*(y-at) + (1-gain)*(level+r.Damping*slope)
			slope = r.Trend*(level-before) + (1-r.Trend)*r.Damping*slope
			at = r.Season*(y-level) + (1-r.Season)*at
		}
		if s.level[t], s.slope[t] = level, slope; length > 0 {
			s.season[t] = at
		}
		t++
	}
}

// Ahead is the forecast of a step from where n values are known.
func (s *Smoothed) Ahead(n, step int) float64 {
	out := s.level[n-1]
	if d := s.rate.Damping; d < 1 {
		out += s.slope[n-1] * d * (1 - math.Pow(d, float64(step))) / (1 - d)
	}
	if s.length > 0 {
		if at := n - 1 + step - s.length*((step+s.length-1)/s.length); at >= 0 {
			out += s.season[at]
		}
	}
	return out
}
