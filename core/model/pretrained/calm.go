package pretrained

import (
	"math"
	"slices"

	"paperkettle/core/model/outlook"
	"paperkettle/core/panel"
)

// calm is a series whose season was taken out, smoothed.
type calm struct {
	index  []float64 // of the season's places: what a place adds, or multiplies
	times  bool
	smooth [outlook.Smoothers]outlook.Smoothed
	there  bool
}

// mostRounds is how many seasons the index of a place is taken from.
const mostRounds = 10

// leastShare is the least part of a mean that a place of the season may be, for the others to be told
// from it.
const leastShare = 0.1

// calmed takes out the season: the medians of how places differ from the season around them.
//
// Source: Kendall and Stuart, The Advanced Theory of Statistics 3 (1983), ratios to moving averages.
func (s *sight) calmed(times bool) (c calm) {
	n, m := len(s.z), s.season
	c.times = times
	if m < 2 || n < 2*m {
		return c
	}
	c.index = make([]float64, m)
	off := make([]float64, 0, mostRounds)
	sum, count := 0.0, 0.0
	for j := range m { // counted back from the last period
		off = off[:0]
		for i := n - 1 - j; i >= 0 && len(off) < mostRounds; i -= m {
			from := i - m/2
			if from < 0 || from+m > n || !panel.Known(s.z[i]) {
				continue
			}
			around := s.mean(from, from+m)
			if m%2 == 0 { // the period at either end counts half
				around = (around + s.mean(from+1, from+m+1)) / 2
			}
			switch {
			case !times:
				off = append(off, s.z[i]-around)
			case around > 0 && s.z[i] >= 0:
				off = append(off, s.z[i]/around)
			}
		}
		if c.index[j] = panel.Unknown; len(off) > 0 {
			slices.Sort(off)
			c.index[j] = (off[(len(off)-1)/2] + off[len(off)/2]) / 2
			sum, count = sum+c.index[j], count+1
		}
	}
	if count == 0 || times && sum <= 0 {
		return c
	}
	for j := range c.index {
		if times {
			c.index[j] = c.index[j] * count / sum
		} else {
			c.index[j] -= sum / count
		}
		if !panel.Known(c.index[j]) {
			c.index[j] = 0
			if times {
				c.index[j] = 1
			}
		}
	}
	if times && slices.Min(c.index) < leastShare {
		return c
	}
	out := make([]float64, n)
	for i := range out {
		if out[i] = s.z[i] - c.index[(n-1-i)%m]; times {
			out[i] = s.z[i] / c.index[(n-1-i)%m]
		}
	}
	for k := range c.smooth {
		c.smooth[k] = outlook.Smooth(out, 1, outlook.Rates[k])
	}
	c.there = true
	return c
}

// ahead is the forecast of a step after n of all periods, by one of the rates.
func (c *calm) ahead(n, all, step, k int) float64 {
	if !c.there {
		return math.NaN()
	}
	m := len(c.index)
	j := ((all-n-step)%m + m) % m // the place that many periods before the last one's
	if c.times {
		return c.smooth[k].Ahead(n, step) * c.index[j]
	}
	return c.smooth[k].Ahead(n, step) + c.index[j]
}
