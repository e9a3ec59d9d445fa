package baseline

import (
	"fmt"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// samePlace: the mean, or the median, of the known values among the last k periods that
// have the same place in a calendar cycle (weekday, month, time of day) as the period to be
// forecast. A place without one takes the mean of all the last k periods.
type samePlace struct {
	recent
	median bool
	by     calendar.Position
	place  func(int64) int
	start  int64
	places []placeMiddle
	held   []int16 // the place of each period in the ring, -1 where there is none
	known  []int16 // the places of the first periods, as far as they were asked for
	dirty  bool
	all    float64
}

type placeMiddle struct {
	value float64
	ok    bool
}

func newSamePlace(sp spec) (*samePlace, error) {
	place, n, err := sp.Cadence.Places(sp.By)
	if err != nil {
		return nil, err
	}
	r := &samePlace{recent: *newRecent(sp.Length), by: sp.By, median: sp.Family == "calendar-median", place: place, start: sp.Ordinal,
		places: make([]placeMiddle, n), held: make([]int16, sp.Length)}
	for i := range r.held {
		r.held[i] = -1
	}
	return r, nil
}

func (r *samePlace) push(y float64) {
	at := r.t % len(r.ring)
	leaving, joining := r.held[at], int(r.placesTo(r.t + 1)[r.t])
	r.held[at] = int16(joining)
	r.recent.push(y)
	// Only two places change: the one that gains a period and the one that loses it.
	r.refresh(joining)
	if leaving >= 0 && int(leaving) != joining {
		r.refresh(int(leaving))
	}
	r.dirty = true
}

// refresh recomputes a place's mean or median over the periods in the ring.
func (r *samePlace) refresh(p int) {
	sum, n := 0.0, 0
	if r.median {
		r.places[p] = r.middle(p)
		return
	}
	for at, y := range r.ring[:min(r.t, len(r.ring))] {
		if int(r.held[at]) == p && panel.Known(y) {
			sum += y
			n++
		}
	}
	r.places[p] = placeMiddle{sum / float64(n), n > 0}
}

// middle is the median of a place's values in the ring.
func (r *samePlace) middle(p int) placeMiddle {
	var list []float64
	for at, y := range r.ring[:min(r.t, len(r.ring))] {
		if int(r.held[at]) == p && panel.Known(y) {
			list = append(list, y)
		}
	}
	n := len(list)
	if n == 0 {
		return placeMiddle{}
	}
	slices.Sort(list)
	return placeMiddle{(list[(n-1)/2] + list[n/2]) / 2, true}
}

// placesTo gives the places of the first n periods: finding one is slow beside the
// rest, and each is needed at many origins.
func (r *samePlace) placesTo(n int) []int16 {
	for t := len(r.known); t < n; t++ {
		r.known = append(r.known, int16(r.place(r.start+int64(t))))
	}
	return r.known
}

func (r *samePlace) point(out []float64) readiness {
	if r.dirty {
		r.all, _ = r.mean()
		r.dirty = false
	}
	ready := fully
	ahead := r.placesTo(r.t + len(out))[r.t:]
	for h := range out {
		m := r.places[ahead[h]]
		switch {
		case m.ok:
			out[h] = m.value
		case panel.Known(r.all):
			out[h], ready = r.all, partly
		default:
			return r.last.fallBack(out)
		}
	}
	if r.t < len(r.ring) {
		return partly
	}
	return ready
}

func (r *samePlace) describe(d *model.Description) {
	d.Form = fmt.Sprintf("repeats the %s of the same %s over the last %d periods", map[bool]string{true: "median", false: "mean"}[r.median],
		r.by, len(r.ring))
	d.Parameters = []model.Parameter{{Name: "length", Value: float64(len(r.ring)), Meaning: "periods looked back on"}}
}

func (r *samePlace) shortfall() string {
	return fmt.Sprintf("the last %d periods do not hold every %s, or the history is shorter than them", len(r.ring), r.by)
}
