package single

import (
	"math"
	"slices"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// standsApart is how many times as large as any other change of a series the one must be that is a move
	// of its level, and leastMove the least that it is, as a log.
	standsApart = 2.0
	leastMove   = 0.1
	// beyondNoise is how many standard errors of a difference of medians it is at least, and roomFor how many
	// times the values compared on a side a series has at least: among few, one change always is the largest.
	beyondNoise = 5.0
	roomFor     = 14
	// fewestMoved is how many values on either side tell where it was.
	fewestMoved = 3
	// mostBend is how much of what a step explains a change of slope may explain instead.
	mostBend = 0.9
	// roundsOfPlaces is how many rounds of a season tell its places apart.
	roundsOfPlaces = 3
	// mostOfDriver is how much of its range a driver changes by at most where it is no reason for a move.
	mostOfDriver = 0.05
)

// madScale is what the median distance of normal values from their middle is multiplied by for their standard
// deviation.
const madScale = 1.4826

// reaches are how many values on either side of a change are compared: few, for what happened lately, and
// more, among which noise is less.
var reaches = []int{fewestLater, 15}

// moveOf is the place from which on logs lie on another level than before, and by how much, by one change at
// once that is larger by far than any other of the series; negative where there is none. At each place the median of the
// values from there on is compared with the median of those before, their places in the season taken out. What
// rose for a while has come back by a change as large, and what comes every year has come before: neither stands
// apart. The season is of the values' own indices.
func moveOf(logs []float64, places []int, season int) (at int, by float64) {
	z := withoutPlaces(logs, places, season)
	for _, reach := range reaches {
		if len(z) < roomFor*reach {
			break
		}
		changes, ahead := make([]float64, len(z)), medians(z, reach)
		best := -1
		for k := max(reach, fewestEarlier); k+reach <= len(z); k++ {
			changes[k] = math.Abs(ahead[k] - ahead[k-reach])
			if best < 0 || changes[k] > changes[best] {
				best = k
			}
		}
		other := 0.0
		for k, d := range changes {
			if k <= best-reach || k >= best+reach {
				other = max(other, d)
			}
		}
		// A median's standard error is sqrt(pi/2) times a mean's.
		if !(changes[best] > max(leastMove, standsApart*other)) || !(changes[best] > beyondNoise*noiseOf(z)*math.Sqrt(math.Pi/float64(reach))) {
			continue
		}
		at, by = stepNear(z, best, reach)
		if at > 0 && places[at]-places[at-1] <= fewestMoved && still(z[:at], z[at:], reach) {
			return at, by
		}
	}
	return -1, 0
}

// medians are those of as many values as reach from each place on.
func medians(z []float64, reach int) []float64 {
	out := make([]float64, len(z)-reach+1)
	sorted := ordered(slices.Sorted(slices.Values(z[:reach])))
	for k := range out {
		if out[k] = sorted.median(); k+reach < len(z) {
			sorted.replace(z[k], z[k+reach])
		}
	}
	return out
}

// noiseOf is the standard deviation of what values stray by from one to the next, as their middle tells.
func noiseOf(z []float64) float64 {
	steps := make([]float64, len(z)-1)
	for k := range steps {
		steps[k] = math.Abs(z[k+1] - z[k])
	}
	return median(steps) * madScale / math.Sqrt2
}

// still says that values moved little on either side of a place, next to the step there.
func still(before, after []float64, reach int) bool {
	_, ok := leap(before, after, min(reach, len(before)/2), max(1, min(reach, len(after)/2)))
	return ok
}

// stepNear is the place near another from which on logs lie higher or lower than before, and by how much, by
// least squares with one slope for both sides: what rises anyway is no part of a step. It is nought where a slope
// that changes fits nearly as well.
func stepNear(z []float64, near, reach int) (at int, by float64) {
	from, to := max(0, near-comparedJump), min(len(z), near+comparedJump)
	window := z[from:to]
	var step, bend float64 // how much of the squares they take away at most
	for k := max(fewestMoved, near-reach+1-from); k <= len(window)-fewestMoved && from+k < near+reach; k++ {
		size, gain := besideSlope(window, func(i int) float64 {
			if i < k {
				return 0
			}
			return 1
		})
		if gain > step {
			at, by, step = from+k, size, gain
		}
		_, gain = besideSlope(window, func(i int) float64 { return float64(max(0, i-k)) })
		bend = max(bend, gain)
	}
	if bend > mostBend*step {
		return 0, 0
	}
	return at, by
}

// besideSlope is the coefficient of a shape beside a mean and a slope, and by how much it lessens the squares.
func besideSlope(z []float64, shape func(i int) float64) (size, gain float64) {
	n := float64(len(z))
	sum, mean := 0.0, 0.0
	for i, v := range z {
		sum, mean = sum+shape(i)/n, mean+v/n
	}
	var tt, ts, ty, ss, sy float64
	for i, v := range z {
		t, s, y := float64(i)-(n-1)/2, shape(i)-sum, v-mean
		tt, ts, ty, ss, sy = tt+t*t, ts+t*s, ty+t*y, ss+s*s, sy+s*y
	}
	if ss -= ts * ts / tt; !(ss > 1e-9) {
		return 0, 0
	}
	size = (sy - ty*ts/tt) / ss
	return size, size * size * ss
}

// withoutPlaces takes out how far each place in the season lies from its round's mean, as a rule.
func withoutPlaces(logs []float64, places []int, season int) []float64 {
	if season < 2 || len(logs) < roundsOfPlaces*season {
		return logs
	}
	rounds := places[len(places)-1]/season + 1
	sums, counts := make([]float64, rounds), make([]float64, rounds)
	for k, i := range places {
		sums[i/season] += logs[k]
		counts[i/season]++
	}
	apart := make([][]float64, season)
	for k, i := range places {
		r := i / season
		apart[i%season] = append(apart[i%season], logs[k]-sums[r]/counts[r])
	}
	usual := make([]float64, season)
	for p, x := range apart {
		if len(x) > 0 {
			usual[p] = median(x)
		}
	}
	out := make([]float64, len(logs))
	for k, i := range places {
		out[k] = logs[k] - usual[i%season]
	}
	return out
}

// movedWith says that an event is on, or that a driver changed, where a level moved.
func movedWith(s panel.SeriesView, at int) bool {
	end := min(len(s.Values), at+fewestLater)
	for _, e := range s.Events() {
		for i := at; i < end; i++ {
			if e.Share(s.View().Cadence(), s.View().Ordinal(s.First+i), 0) > 0 {
				return true
			}
		}
	}
	for d := range s.View().Drivers() {
		values := s.Driver(d, len(s.Values))
		known := num.Known(values)
		if len(known) == 0 {
			continue
		}
		bound := mostOfDriver * (slices.Max(known) - slices.Min(known))
		for _, reach := range reaches {
			before, after := num.Known(values[max(0, at-reach):at]), num.Known(values[at:min(len(values), at+reach)])
			if len(before) > 0 && len(after) > 0 && math.Abs(median(after)-median(before)) > bound {
				return true
			}
		}
	}
	return false
}
