// Package synth makes up series for a forecaster to learn from: trends, seasons, events and noise of
// many kinds, put together at random, so that what it meets later is like something it has seen.
//
// A series depends on its seed and number alone.
package synth

import (
	"math/rand/v2"
)

// Series is a made-up series.
type Series struct {
	Values []float64 // of every period; NaN where unknown
	Season int       // that a forecaster is told of, in periods; 1 for none
	Longer int       // a longer season, of whole shorter ones; 0 for none
	Known  int       // periods before the origin; what comes after is to be forecast
}

// Ahead is how many periods a series has after its origin, and Most how many before it, at most.
const (
	Ahead = 96
	Most  = 1024
)

// Make makes up a series.
func Make(seed, number uint64) Series {
	d := &maker{rand.New(rand.NewPCG(seed, number))}
	k := &rhythms[d.pick(rhythmShares)]
	s := Series{Season: k.season, Longer: k.longer, Known: d.length(k)}
	n := s.Known + Ahead
	switch d.pick(kindShares) {
	case 0:
		s.Values = d.structure(k, n)
	case 1:
		s.Values = d.process(k, n)
	case 2:
		s.Values = d.curves(k, n)
	case 3:
		s.Values = d.sporadic(k, n)
	}
	d.spoil(s.Values, s.Known, k)
	d.tell(&s, k)
	return s
}

// kindShares are of how many series each kind is: parts put together, states that move at random,
// smooth random functions, and demand with many zeros.
var kindShares = []float64{0.58, 0.25, 0.09, 0.08}

// rhythm is a spacing of periods, by its seasons.
type rhythm struct {
	season, longer int
	periods        []float64 // of the seasons there may be, in truth
	chances        []float64 // that there are
	day            int       // periods of a day; 0 for a day or longer
	year           float64   // periods of a year
	from, to       float64   // of the length of a history
}

var rhythms = []rhythm{
	{96, 672, []float64{96, 672}, []float64{0.9, 0.6}, 96, 35064, 200, Most},
	{48, 336, []float64{48, 336}, []float64{0.9, 0.6}, 48, 17532, 100, Most},
	{24, 168, []float64{24, 168}, []float64{0.9, 0.7}, 24, 8766, 60, Most},
	{7, 364, []float64{7, 365.25, 30.44}, []float64{0.8, 0.6, 0.1}, 1, 365.25, 14, Most},
	{52, 0, []float64{52.18, 4.35}, []float64{0.7, 0.08}, 0, 52.18, 16, 400},
	{12, 0, []float64{12}, []float64{0.75}, 0, 12, 12, 400},
	{4, 0, []float64{4}, []float64{0.7}, 0, 4, 8, 160},
	{1, 0, nil, nil, 0, 1, 6, 80},
	{1, 0, nil, nil, 0, 1e9, 6, 500},
}

var rhythmShares = []float64{0.02, 0.03, 0.12, 0.3, 0.18, 0.22, 0.06, 0.03, 0.04}

// length draws how long a history is; some are very short.
func (d *maker) length(k *rhythm) int {
	if d.chance(0.04) {
		return 3 + d.IntN(12)
	}
	return int(d.between(k.from, k.to))
}

// tell now and then says nothing of the seasons, or something wrong.
func (d *maker) tell(s *Series, k *rhythm) {
	switch {
	case d.chance(0.03):
		s.Season, s.Longer = 1, 0
	case d.chance(0.02):
		s.Season, s.Longer = 2+d.IntN(30), 0
	case d.chance(0.15):
		s.Longer = 0
	}
	if s.Longer > 0 && s.Known < s.Longer*3/2 {
		s.Longer = 0
	}
}
