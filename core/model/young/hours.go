package young

import (
	"context"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// leastWeeks must be seen of a series to tell what the days of its week have of their own, and no more than mostOfWeek
	// of the last are looked at.
	leastWeeks, mostOfWeek = 2, 26
	// farOff is beyond how many deviations from the median of its place a value counts no more than that, where so many
	// weeks are there to tell.
	farOff, fewestToClip = 2.0, 3
	// leastKnown is one of how many values must be known: a shop may be open for a few hours a day.
	leastKnown = 6
	// leastFactor bounds what a place is next to the season of the day, and its inverse.
	leastFactor = 0.1
)

// Week is what series within days (by the hour, say) tell of each other's week: by what factor the days of the week, and
// the hours of each, are above the season of the day. A series' own is held to the mean of all, and that to none, as far
// as weeks differ by more than chance has it.
//
// Source: Efron and Morris, Data analysis using Stein's estimator and its generalizations, Journal of the American
// Statistical Association 70 (1975), for the hold; Huber, Robust estimation of a location parameter, Annals of
// Mathematical Statistics 35 (1964), for the means of places.
type Week struct {
	places int     // of a day
	common profile // of all
	apart  spread  // of a series' own from it
}

// profile is what days and their places are above the season of the day, next to the level of a week.
type profile struct {
	days  []float64 // 7
	hours []float64 // of a week's places, beside the days
	base  []float64 // the season of the day, 1 in the mean
	noise spread    // of what it was found to be
}

// spread are variances, of days and of places.
type spread struct{ days, hours float64 }

// LearnWeek finds what is believed of the week of series with so many periods a day; nil where it tells nothing.
func LearnWeek(ctx context.Context, list []Series, places, workers int) (*Week, error) {
	looks := make([]*ratios, len(list))
	err := num.Each(ctx, workers, len(list), func(i int) { looks[i] = look(list[i], places) })
	looks = slices.DeleteFunc(looks, func(r *ratios) bool { return r == nil })
	if err != nil || len(looks) == 0 {
		return nil, err
	}
	w := &Week{places: places}
	w.common = meanOf(looks).profile()
	w.common.hold(w.common.signal(nil), nil)
	if len(looks) > 1 {
		w.apart = apart(looks, &w.common)
	}
	if w.common.nothing() && w.apart == (spread{}) {
		return nil, nil
	}
	return w, nil
}

// apart is how far series' own weeks are from the common one, beyond chance.
func apart(looks []*ratios, common *profile) (out spread) {
	n := float64(len(looks))
	for _, r := range looks {
		p := r.profile()
		own := p.signal(common)
		out.days, out.hours = out.days+own.days/n, out.hours+own.hours/n
	}
	return spread{max(0, out.days), max(0, out.hours)}
}

// Of is the week of a series, a factor; nil where too little is known of it, or it falls below zero.
func (w *Week) Of(s Series) *Season {
	if w == nil {
		return nil
	}
	r := look(s, w.places)
	if r == nil {
		return nil
	}
	p := r.profile()
	shares := p.hold(w.apart, &w.common)
	places := 7 * w.places
	out := &Season{Log: true, Many: true, Places: make([]float64, places), Deviations: make([]float64, places),
		Learnt: 6*shares.days + float64(places-w.places-6)*shares.hours}
	for k := range out.Places {
		base := max(p.base[k%w.places], 1e-3)
		factor := 1 + p.days[k/w.places] + p.hours[k]/base
		out.Places[k] = math.Log(max(leastFactor, min(1/leastFactor, factor)))
		out.Deviations[k] = min(0.5, math.Sqrt(shares.days*p.noise.days+shares.hours*p.noise.hours/(base*base)))
	}
	return out
}

// ratios are a series' values next to the level of the week around them, by whole weeks of their ordinals.
type ratios struct {
	places int
	first  int64 // week
	weeks  [][]float64
}

// look finds the ratios of the last weeks of a series; nil where it has seen too few, or is below zero.
func look(s Series, places int) *ratios {
	n, week := len(s.Values), 7*places
	if past := n - mostOfWeek*week; past > 0 {
		s.Values, s.First, n = s.Values[past:], s.First+int64(past), n-past
	}
	if n < leastWeeks*week || slices.ContainsFunc(s.Values, func(y float64) bool { return y < 0 }) {
		return nil
	}
	sums, counts := make([]float64, n+1), make([]int, n+1)
	for t, y := range s.Values {
		sums[t+1], counts[t+1] = sums[t], counts[t]
		if panel.Known(y) {
			sums[t+1], counts[t+1] = sums[t]+y, counts[t]+1
		}
	}
	weekOf := func(ordinal int64) int64 { return int64(math.Floor(float64(ordinal) / float64(week))) }
	r := &ratios{places: places, first: weekOf(s.First)}
	known := 0
	for t, y := range s.Values {
		from := max(0, min(n-week, t-week/2))
		count, sum := counts[from+week]-counts[from], sums[from+week]-sums[from]
		at := s.First + int64(t) - r.first*int64(week)
		for int64(len(r.weeks))*int64(week) <= at {
			r.weeks = append(r.weeks, slices.Repeat([]float64{panel.Unknown}, week))
		}
		if panel.Known(y) && leastKnown*count >= week && sum > 0 {
			r.weeks[at/int64(week)][at%int64(week)] = y * float64(count) / sum
			known++
		}
	}
	if leastKnown*known < n {
		return nil
	}
	r.clip()
	return r
}

// clip bounds what is far from the median of its place in the week, next to how far the values of its hour mostly are.
func (r *ratios) clip() {
	if len(r.weeks) < fewestToClip {
		return
	}
	for h := range r.places {
		middles, apart := make([]float64, 7), []float64{}
		for d := range middles {
			seen := slices.DeleteFunc(r.column(d*r.places+h), math.IsNaN)
			if len(seen) == 0 {
				continue
			}
			middles[d] = middleOf(seen)
			for _, v := range seen {
				apart = append(apart, math.Abs(v-middles[d]))
			}
		}
		if len(apart) == 0 {
			continue
		}
		n := float64(len(r.weeks))
		far := farOff * 1.4826 * middleOf(apart) * math.Sqrt(n/(n-1))
		for d, middle := range middles {
			for _, w := range r.weeks {
				if v := &w[d*r.places+h]; far > 0 && panel.Known(*v) {
					*v = max(middle-far, min(middle+far, *v))
				}
			}
		}
	}
}

// middleOf is the median of some numbers, which it brings into order.
func middleOf(x []float64) float64 {
	slices.Sort(x)
	return stat.Quantile(0.5, stat.LinInterp, x, nil)
}

// meanOf are the mean ratios of several series, week by week.
func meanOf(list []*ratios) *ratios {
	first, last := list[0].first, int64(math.MinInt64)
	for _, r := range list {
		first, last = min(first, r.first), max(last, r.first+int64(len(r.weeks)))
	}
	out := &ratios{places: list[0].places, first: first, weeks: make([][]float64, last-first)}
	for k := range out.weeks {
		out.weeks[k] = make([]float64, 7*out.places)
		for p := range out.weeks[k] {
			sum, count := 0.0, 0.0
			for _, r := range list {
				if at := int64(k) + first - r.first; at >= 0 && at < int64(len(r.weeks)) && panel.Known(r.weeks[at][p]) {
					sum, count = sum+r.weeks[at][p], count+1
				}
			}
			out.weeks[k][p] = sum / count // unknown where none is
		}
	}
	return out
}

// profile is the mean week, with how sure it is of itself: by how the weeks differ.
func (r *ratios) profile() profile {
	m := r.places
	p := profile{days: make([]float64, 7), hours: make([]float64, 7*m), base: make([]float64, m)}
	mean := make([]float64, 7*m)
	for k := range mean {
		mean[k] = num.KnownMean(r.column(k))
	}
	for h := range m {
		day := make([]float64, 7)
		for d := range day {
			day[d] = mean[d*m+h]
		}
		p.base[h] = num.KnownMean(day)
	}
	for d := range 7 {
		days := make([]float64, len(r.weeks))
		var hours [][]float64
		for w, week := range r.weeks {
			own, sum, usual := make([]float64, m), 0.0, 0.0
			for h, y := range week[d*m : (d+1)*m] {
				if panel.Known(y) {
					sum, usual = sum+y, usual+p.base[h]
				}
			}
			days[w] = sum/usual - 1 // unknown where nothing is
			for h := range own {
				own[h] = week[d*m+h] - p.base[h]*(1+days[w])
			}
			hours = append(hours, own)
		}
		var noise float64
		p.days[d], noise = meanAndNoise(days)
		p.noise.days += noise / 7
		for h := range m {
			column := make([]float64, len(hours))
			for w := range hours {
				column[w] = hours[w][h]
			}
			p.hours[d*m+h], noise = meanAndNoise(column)
			p.noise.hours += noise / float64(7*m)
		}
	}
	return p
}

func (r *ratios) column(k int) []float64 {
	out := make([]float64, len(r.weeks))
	for w := range out {
		out[w] = r.weeks[w][k]
	}
	return out
}

// meanAndNoise is the mean of what is known, and the variance of that mean; 0 and 0 where fewer than two are.
func meanAndNoise(x []float64) (mean, noise float64) {
	n := float64(panel.CountKnown(x))
	if n < 2 {
		return 0, 0
	}
	mean = num.KnownMean(x)
	for _, v := range x {
		if panel.Known(v) {
			noise += (v - mean) * (v - mean) / (n - 1) / n
		}
	}
	return mean, noise
}

// signal is by how much a profile's squares, apart from another's (nil for none), are more than noise.
func (p *profile) signal(from *profile) spread {
	var out spread
	for d, v := range p.days {
		if from != nil {
			v -= from.days[d]
		}
		out.days += v * v / 6
	}
	for k, v := range p.hours {
		if from != nil {
			v -= from.hours[k]
		}
		out.hours += v * v / float64(len(p.hours))
	}
	return spread{out.days - p.noise.days, out.hours - p.noise.hours}
}

// hold moves a profile towards another (nil for none) by how much of what is apart is noise, and gives the shares that stay.
func (p *profile) hold(signal spread, towards *profile) (stays spread) {
	share := func(signal, noise float64) float64 {
		if !(signal > 0) {
			return 0
		}
		return signal / (signal + noise)
	}
	stays = spread{share(signal.days, p.noise.days), share(signal.hours, p.noise.hours)}
	for d := range p.days {
		to := 0.0
		if towards != nil {
			to = towards.days[d]
		}
		p.days[d] = to + stays.days*(p.days[d]-to)
	}
	for k := range p.hours {
		to := 0.0
		if towards != nil {
			to = towards.hours[k]
		}
		p.hours[k] = to + stays.hours*(p.hours[k]-to)
	}
	return stays
}

// nothing says that a profile was held to none wholly.
func (p *profile) nothing() bool {
	is := func(v float64) bool { return v != 0 }
	return !slices.ContainsFunc(p.days, is) && !slices.ContainsFunc(p.hours, is)
}
