package bakeoff

import (
	"math"
	"slices"

	"paperkettle/core/model/single"
)

// calibration is how a combining contender's intervals held on what is past, under the weights that it
// gives now: averaged intervals are wider than their members' errors ask for, for these cancel out.
//
// Source: Lichtendahl, Grushka-Cockayne and Winkler, Is it better to average probabilities or
// quantiles?, Management Science 59 (2013); Ranjan and Gneiting, Combining probability forecasts,
// Journal of the Royal Statistical Society B 72 (2010).
type calibration struct {
	h       *history
	trial   single.Trial
	tallies []single.Tally
	windows float64 // that tell, overlapping ones for less
}

// doubtWindows is how many windows tell as much as what the members' own intervals say: what all series
// show in one window happened once.
const doubtWindows = 2

// mostTelling is how many of the last windows are looked at.
const mostTelling = 12

func (h *history) calibration(origin int) *calibration {
	s := h.e.Plan.Split
	return &calibration{h: h, trial: single.Trial{Horizon: s.Horizon, Stride: max(1, s.Stride)}, windows: h.told(origin)}
}

// told is how many windows of the last ones an origin knows of: those that overlap, and those of which it
// knows the first steps alone, for less.
func (h *history) told(origin int) (n float64) {
	for i := max(0, len(h.windows)-mostTelling); i < len(h.windows); i++ {
		n += h.share(h.steps(&h.windows[i], origin))
	}
	return n
}

// share is what so many steps of a window tell, next to a whole one that overlaps no other.
func (h *history) share(steps int) float64 {
	s := h.e.Plan.Split
	out := float64(steps) / float64(s.Horizon)
	if s.Stride > 0 {
		out *= min(1, float64(s.Stride)/float64(s.Horizon))
	}
	return out
}

// averages says that more than one member has weight: one alone keeps its own intervals.
func averages(weights []float64) bool {
	n := 0
	for _, w := range weights {
		if w > 0 {
			n++
		}
	}
	return n > 1
}

// take takes what is past of a series at an origin, mixed by weights of the members. A window in which a
// member that has weight made no forecast tells nothing.
func (c *calibration) take(series, origin int, weights []float64) error {
	if !averages(weights) {
		return nil
	}
	var tally single.Tally
	total := 0.0
	for _, w := range weights {
		total += w
	}
	for i := max(0, len(c.h.windows)-mostTelling); i < len(c.h.windows); i++ {
		w := &c.h.windows[i]
		steps := c.h.steps(w, origin)
		if steps == 0 || total <= 0 {
			continue
		}
		var hearts []single.Heart
		var shares []float64
		for m, weight := range weights {
			if weight == 0 {
				continue
			}
			rows, err := w.got[m].rows(series, c.h.e.Plan.Split.Horizon)
			if err != nil {
				return err
			}
			if rows.Mean == nil {
				hearts = nil
				break
			}
			hearts, shares = append(hearts, single.HeartOf(rows)), append(shares, weight/total)
		}
		if hearts == nil {
			continue
		}
		actual := make([]float64, steps)
		for k := range actual {
			actual[k] = c.h.e.Panel.Series[series].At(w.AssessFirst() + k)
		}
		c.trial.Take(&tally, single.Mixed(hearts, shares), actual)
	}
	c.tallies = append(c.tallies, tally)
	return nil
}

// widening is what all series ask for together. Points are the members' own.
func (c *calibration) widening() single.Widening {
	if !slices.ContainsFunc(c.tallies, func(t single.Tally) bool { return t.Steps > 0 }) {
		return single.None
	}
	out := single.Pooled(c.tallies)
	out.Point = 0
	told := c.windows / (c.windows + doubtWindows)
	for _, f := range []*float64{&out.Near, &out.Far, &out.Tail} {
		*f = math.Pow(*f, told)
	}
	out.Skew *= told
	return out
}
