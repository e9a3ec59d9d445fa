package pretrained

import (
	"math"
	"slices"

	"paperkettle/core/model/outlook"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Reach is of how many of the last values a network takes notice.
const Reach = 1024

// sight is a series as the network sees it from an origin.
type sight struct {
	z              []float64 // the last values, drivers and events taken out where that is done
	season, longer int       // 1 and 0 for none
	whole          int       // periods of whole seasons that tell the level
	level          float64   // mean of the last of them
	unit           float64   // usual change
	spread         float64   // mean size of what lies around the level
	sums, counts   []float64 // of known values before each period
	changes        [3]float64
	smooth         [outlook.Smoothers]outlook.Smoothed
	calm           [2]calm
	now            origin
	evidence       [2][anchors]float32
	known          []step // ahead of now, once they were looked up
}

// step is what is known of a step ahead: values of its place in the season and in the longer one, the latest first, how
// many there are, and the plain forecasts.
type step struct {
	own    [near]float64
	long   [far]float64
	counts [2]int
	plain  [anchors]float64
	looked bool
}

// look looks back from an origin; ok is false where nothing is known.
func look(values []float64, season, longer int) (s *sight, ok bool) {
	if s, ok = glance(values, season, longer); !ok {
		return s, false
	}
	n := len(s.z)
	for k := range s.smooth {
		s.smooth[k] = outlook.Smooth(s.z, s.season, outlook.Rates[k])
	}
	for k := range s.calm {
		s.calm[k] = s.calmed(k == 1)
	}
	s.now = s.from(n)
	s.prove()
	return s, true
}

// glance is a look at the level and the unit alone.
func glance(values []float64, season, longer int) (s *sight, ok bool) {
	s = &sight{z: num.Tail(values, Reach), season: max(1, season), longer: longer}
	n := len(s.z)
	s.whole = 8
	if s.season > 1 {
		s.whole = s.season * ((13 + s.season) / s.season)
	}
	s.sums, s.counts = make([]float64, n+1), make([]float64, n+1)
	for t, y := range s.z {
		s.sums[t+1], s.counts[t+1] = s.sums[t], s.counts[t]
		if panel.Known(y) {
			s.sums[t+1], s.counts[t+1] = s.sums[t]+y, s.counts[t]+1
		}
	}
	if s.counts[n] == 0 {
		return s, false
	}
	s.level = s.levelAt(n)
	s.measure()
	return s, true
}

// plainly are the plain forecasts of some steps.
func (s *sight) plainly(steps int) [][anchors]float64 {
	out := make([][anchors]float64, steps)
	s.known = slices.Grow(s.known, steps)
	for h := range out {
		out[h] = s.step(h + 1).plain
	}
	return out
}

// step is what is known of a step, counted from 1.
func (s *sight) step(h int) *step {
	for len(s.known) < h {
		s.known = append(s.known, step{})
	}
	x := &s.known[h-1]
	if !x.looked {
		var own, long places
		s.now.back(h, s.season, &own)
		s.now.back(h, s.longer, &long)
		copy(x.own[:], own.known())
		copy(x.long[:], long.known())
		x.counts = [2]int{own.count, long.count}
		x.plain = s.now.plain(h, &own, &long)
		x.looked = true
	}
	return x
}

// mean is that of the known values of some periods; unknown where there are none.
func (s *sight) mean(from, to int) float64 {
	from, to = max(0, from), max(0, min(to, len(s.z)))
	if from >= to || s.counts[to] == s.counts[from] {
		return panel.Unknown
	}
	return (s.sums[to] - s.sums[from]) / (s.counts[to] - s.counts[from])
}

// levelAt is the mean of the last whole seasons before a period, or of more where nothing is known.
func (s *sight) levelAt(n int) float64 {
	for back := s.whole; ; back *= 2 {
		if m := s.mean(n-back, n); panel.Known(m) || back > n {
			return m
		}
	}
}

// measure finds the unit: the usual change over a period or a season, whichever is less.
func (s *sight) measure() {
	recent := num.Tail(s.z, max(32, 4*s.season))
	for {
		size := num.MeanSize(recent)
		for k, lag := range []int{1, s.season, max(1, s.longer)} {
			s.changes[k] = change(recent, lag)
			if k == 2 && s.longer > 0 {
				s.changes[k] = change(s.z, lag)
			}
		}
		s.unit = outlook.UsualChange(recent, s.season)
		s.spread = 0
		count := 0.0
		for _, y := range recent {
			if panel.Known(y) {
				s.spread, count = s.spread+math.Abs(y-s.level), count+1
			}
		}
		s.spread /= max(1, count)
		if s.unit == 0 {
			s.unit = s.spread
		}
		if s.unit > 0 || len(recent) == len(s.z) {
			s.unit = max(s.unit, 2e-3*size, 1e-12)
			s.spread = max(s.spread, s.unit)
			return
		}
		recent = num.Tail(s.z, 4*len(recent))
	}
}

// change is the mean absolute change over a lag; 0 where none is known.
func change(z []float64, lag int) float64 {
	sum, n := 0.0, 0.0
	for i := lag; i < len(z); i++ {
		if d := z[i] - z[i-lag]; d == d {
			sum, n = sum+math.Abs(d), n+1
		}
	}
	return sum / max(1, n)
}

// in is a value in units above the level.
func (s *sight) in(y float64) float64 { return (y - s.level) / s.unit }

// Sizes of what is seen.
const (
	ones    = 64 // last values, one by one
	blocks  = 40 // means of stretches of whole seasons
	uneven  = 12 // how far values lie from a stretch's mean
	facts   = 15
	anchors = 25 + 3*outlook.Smoothers
	near    = 6 // values of a step's place in the season, and
	far     = 3 // in the longer one
	where   = 6 // numbers that say where a step is
)

const (
	pastWidth = 2*ones + 2*blocks + uneven + facts + 2*anchors
	// The plain forecasts stand first, then how they did, then they are bent.
	stepWidth = 3*anchors + near + far + where
)

// fillPast writes what is seen of the past.
func (s *sight) fillPast(out []float32) {
	n := len(s.z)
	for k := range ones {
		if i := n - 1 - k; i >= 0 && panel.Known(s.z[i]) {
			out[2*k], out[2*k+1] = outlook.Bent(s.in(s.z[i])), 1
		}
	}
	out = out[2*ones:]
	for k := range blocks {
		from, to := n-(k+1)*s.whole, n-k*s.whole
		if m := s.mean(from, to); panel.Known(m) {
			out[2*k], out[2*k+1] = outlook.Bent(s.in(m)), 1
			if k < uneven {
				out[2*blocks+k] = float32(math.Log(1e-3 + s.around(from, to, m)/s.unit))
			}
		}
	}
	s.fillFacts(out[2*blocks+uneven:])
	for k, e := range s.evidence {
		copy(out[2*blocks+uneven+facts+k*anchors:], e[:])
	}
}

// around is how far known values lie from a mean.
func (s *sight) around(from, to int, mean float64) float64 {
	sum, n := 0.0, 0.0
	for _, y := range s.z[max(0, from):to] {
		if panel.Known(y) {
			sum, n = sum+math.Abs(y-mean), n+1
		}
	}
	return sum / max(1, n)
}

func (s *sight) fillFacts(out []float32) {
	n := len(s.z)
	recent := num.Tail(s.z, max(32, 4*s.season))
	size := num.MeanSize(recent)
	negative := float32(0)
	if slices.ContainsFunc(recent, func(y float64) bool { return y < 0 }) {
		negative = 1
	}
	few, many := counts(recent, size)
	log := func(x float64) float32 { return float32(math.Log(max(x, 1e-4))) }
	copy(out, []float32{
		log(size/s.unit) / 3, log(s.spread/s.unit) / 2, float32(num.ZeroShare(recent)), outlook.Bent(s.in(s.now.last)),
		outlook.Bent(s.now.slope / s.unit), log(float64(n))/2 - 2, log(float64(s.season)) / 3, log(float64(max(1, s.longer))) / 5,
		log(s.changes[0] / s.unit), log(s.changes[1] / s.unit), log(s.changes[2] / s.unit),
		float32(s.counts[n] / float64(n)), few, negative, few * log(many) / 5,
	})
}

// mostCounted is how many times the least difference values may be to be looked at as counts.
const mostCounted = 1000

// counts says whether known values are few multiples of the least difference between any of them, and
// how many these are on average: a series of counts, whatever it is counted in.
func counts(values []float64, size float64) (few float32, many float64) {
	sorted := make([]float64, 0, len(values)+1)
	for _, y := range values {
		if panel.Known(y) {
			sorted = append(sorted, y)
		}
	}
	sorted = append(sorted, 0)
	slices.Sort(sorted)
	step := math.Inf(1)
	for i := 1; i < len(sorted); i++ {
		if d := sorted[i] - sorted[i-1]; d > 0 {
			step = min(step, d)
		}
	}
	if math.IsInf(step, 1) || size > mostCounted*step {
		return 0, 1
	}
	for _, y := range sorted {
		if q := y / step; math.Abs(q-math.Round(q)) > 1e-6 {
			return 0, 1
		}
	}
	return 1, max(0.1, size/step)
}
