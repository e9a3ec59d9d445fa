package single

import (
	"fmt"
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// lowPart is the part of the median, or of that of its place in the shortest season where that is lower, below which
	// a value is next to nothing: a shop that is shut, or one in which hardly anybody is let. A quiet Sunday is none.
	// fewestPlaced is how many values of a place have a median of their own.
	lowPart      = 1.0 / 3
	fewestPlaced = 8
	// edgePause is how many values on either side of a pause's edges are compared, and jumpPause how much
	// the inner ones are of the outer ones at most: what fades and recovers is no pause.
	edgePause = 3
	jumpPause = 0.5
	// fewestAfter is how many values must follow: one may be a mistake.
	fewestAfter = 2
	// mostPause is the most of the known values that a pause is, and mostPauses how many there may be, or in a long
	// series one in rarePause values: what pauses again and again is how the series is.
	mostPause  = 0.25
	mostPauses = 3
	rarePause  = 180
	// luckyPause bounds how likely a run of low values is, somewhere in the series, if low ones came singly.
	luckyPause = 1e-3
	// recurs is the part of a pause's places that may be low a season away too, and partOfYear the part of a
	// season below which a pause need not be compared with one: a month of nothing in the only year known may
	// be a winter.
	recurs     = 0.25
	partOfYear = 1.0 / 12
)

// Pauses lists the places of stretches of next to nothing that began and ended of a sudden, came once, and are
// not known of the same place in other seasons: a shop that was shut for weeks. There what would have been sold
// was not counted, and a season or a level learnt from it would come back. One that has not ended is none, for it
// may be how things are now.
func Pauses(s panel.SeriesView) (places []int) {
	y := s.Values
	sorted := num.Known(y)
	slices.Sort(sorted)
	if len(sorted) < fewestOdd || sorted[0] < 0 || !(sorted[len(sorted)/2] > 0) {
		return nil
	}
	p := &pausing{y: y, known: len(sorted)}
	for _, period := range s.View().Cadence().Seasons() {
		if m := int(math.Round(period)); m > 1 && m < len(y) {
			p.seasons = append(p.seasons, m)
		}
	}
	p.setLow(sorted[len(sorted)/2])
	found := 0
	for _, r := range p.runs() {
		if !p.is(r) {
			continue
		}
		if found++; found > max(mostPauses, len(sorted)/rarePause) {
			return nil
		}
		for i := r.from; i < r.to; i++ {
			if panel.Known(y[i]) {
				places = append(places, i)
			}
		}
	}
	return places
}

// pausesOf are the stretches of pauses, given the places of their values.
func pausesOf(s panel.SeriesView, places []int) (out []model.Stretch) {
	for k := 0; k < len(places); {
		end := k + 1
		for end < len(places) && panel.CountKnown(s.Values[places[end-1]+1:places[end]]) == 0 {
			end++
		}
		low, high := s.Values[places[k]], s.Values[places[k]]
		for _, p := range places[k:end] {
			low, high = min(low, s.Values[p]), max(high, s.Values[p])
		}
		out = append(out, model.Stretch{From: s.First + places[k], To: s.First + places[end-1], Apart: true,
			Why: fmt.Sprintf("a pause, of %d values from %.6g to %.6g", end-k, low, high)})
		k = end
	}
	return out
}

// pausing is a series in which values up to low, at their place in the shortest season, are next to nothing.
type pausing struct {
	y           []float64
	low         []float64
	known, lows int
	seasons     []int
}

// setLow finds what is next to nothing, given the median of all, and counts it.
func (p *pausing) setLow(median float64) {
	p.low = []float64{lowPart * median}
	if len(p.seasons) > 0 {
		p.low = slices.Repeat(p.low, slices.Min(p.seasons))
	}
	for place := range p.low {
		var own []float64
		for i := place; i < len(p.y); i += len(p.low) {
			if panel.Known(p.y[i]) {
				own = append(own, p.y[i])
			}
		}
		if len(own) >= fewestPlaced {
			slices.Sort(own)
			p.low[place] = min(p.low[place], lowPart*own[len(own)/2])
		}
	}
	for i := range p.y {
		if p.isLow(i) {
			p.lows++
		}
	}
}

// isLow says that a value is known and next to nothing.
func (p *pausing) isLow(i int) bool { return p.y[i] <= p.low[i%len(p.low)] }

// closed says that nothing is usual at a place, which says neither that a run recurs nor that it does not.
func (p *pausing) closed(i int) bool { return len(p.low) > 1 && p.low[i%len(p.low)] == 0 }

// isHigh says that it is known and more than that.
func (p *pausing) isHigh(i int) bool { return p.y[i] > p.low[i%len(p.low)] }

// lowRun is a run of low values, the last of them before to; unknown ones between them do not count.
type lowRun struct{ from, to, count int }

// runs are those of two values or more.
func (p *pausing) runs() (out []lowRun) {
	for i := 0; i < len(p.y); i++ {
		if !p.isLow(i) {
			continue
		}
		r := lowRun{i, i + 1, 1}
		for k := i + 1; k < len(p.y) && !p.isHigh(k); k++ {
			if panel.Known(p.y[k]) {
				r.to, r.count = k+1, r.count+1
			}
		}
		if r.count > 1 {
			out = append(out, r)
		}
		i = r.to
	}
	return out
}

// is says whether a run of low values is a pause.
func (p *pausing) is(r lowRun) bool {
	if float64(r.count) > mostPause*float64(p.known) {
		return false
	}
	if p.byChance(r) {
		return false
	}
	within := min(edgePause, r.count)
	began := middle(p.y, r.from, 1, within) < jumpPause*middle(p.y, r.from-1, -1, edgePause)
	after := min(edgePause, max(fewestAfter, panel.CountKnown(p.y[r.to:])))
	ended := middle(p.y, r.to-1, -1, within) < jumpPause*middle(p.y, r.to, 1, after)
	if !began || !ended { // also where nothing follows yet
		return false
	}
	return !slices.ContainsFunc(p.seasons, func(season int) bool { return p.unlike(r, season) || p.recurs(r, season) })
}

// byChance says that a run as long may come by chance somewhere in a series whose low values come singly.
func (p *pausing) byChance(r lowRun) bool {
	share := float64(p.lows-r.count+1) / float64(p.known-r.count+2)
	return math.Log(float64(p.known))+float64(r.count)*math.Log(share) > math.Log(luckyPause)
}

// middle is the median of a number of known values from a place on, to one side; unknown where there are fewer.
func middle(y []float64, from, step, count int) float64 {
	var near []float64
	for i := from; i >= 0 && i < len(y) && len(near) < count; i += step {
		if panel.Known(y[i]) {
			near = append(near, y[i])
		}
	}
	if len(near) < count {
		return panel.Unknown
	}
	slices.Sort(near)
	return near[count/2]
}

// unlike says that a run is so long a part of a season that nothing tells whether it recurs.
func (p *pausing) unlike(r lowRun, season int) bool {
	compared, _ := p.beside(r, season)
	return float64(r.count) > partOfYear*float64(season) && 2*compared < r.count
}

// recurs says that a run is low a season before or after too.
func (p *pausing) recurs(r lowRun, season int) bool {
	compared, again := p.beside(r, season)
	return float64(again) > recurs*float64(compared)
}

// beside counts the places of a run that are known some seasons away, and those that are low there.
func (p *pausing) beside(r lowRun, season int) (compared, again int) {
	for i := r.from; i < r.to; i++ {
		if !panel.Known(p.y[i]) || p.closed(i) {
			continue
		}
		earlier, later := p.away(r, i, -season), p.away(r, i, season)
		if earlier >= 0 || later >= 0 {
			compared++
		}
		if earlier >= 0 && p.isLow(earlier) || later >= 0 && p.isLow(later) {
			again++
		}
	}
	return compared, again
}

// away is the place of the nearest known value a number of seasons from a place, outside of a run; -1 for none.
func (p *pausing) away(r lowRun, at, step int) int {
	i := at + step*((r.to-at+step-1)/step) // the first beyond the run
	if step < 0 {
		i = at + step*((at-r.from-step)/-step)
	}
	for ; i >= 0 && i < len(p.y); i += step {
		if panel.Known(p.y[i]) {
			return i
		}
	}
	return -1
}
