package days

import (
	"context"
	"math"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// evenly is the standard deviation beside their own by which series count alike.
	evenly = 0.05
	// series' own factors differ by mostOwn of the common one at most, and likeAll feasts of series are held not to differ.
	mostOwn = 1.0
	likeAll = 4.0
	// surely is how likely a feast must be, and mostFeasts how many there are at most.
	surely     = 0.9
	mostFeasts = 60
	// leastVariance keeps what hardly moves from being believed beyond reason.
	leastVariance = 1e-6
)

// Feast is a place of the year at which all series are other than about it: the log of a factor, and its standard
// deviation.
type Feast struct {
	Kind            Kind
	Place           int
	Beta, Deviation float64
}

// Feasts are those of a panel.
type Feasts struct {
	cadence calendar.Cadence
	list    []Feast
	own     float64 // variance of series' factors next to Beta
	weekend *Weekend
}

// strayed is a series as it is next to its level and weekdays, and the variance that this usually has.
type strayed struct {
	first    int64
	values   []float64
	variance float64
}

// stray is nil of a series that tells nothing.
func stray(s Series, c calendar.Cadence) *strayed {
	out := &strayed{first: s.First, values: apartOf(s, c)}
	var sizes []float64
	for _, v := range out.values {
		if panel.Known(v) {
			sizes = append(sizes, math.Abs(v))
		}
	}
	if len(sizes) == 0 {
		return nil
	}
	out.variance = square(madScale * median(sizes))
	return out
}

func square(x float64) float64 { return x * x }

// LearnFeasts finds the feasts of a panel; nil for none, or of other cadences than days and weeks.
//
// The likeliest place of all is taken for one, what it does is taken out, and so on, while one is surely a feast: so that of
// two that came on the same days, the fourth and the last Thursday of a month, say, one alone is.
func LearnFeasts(ctx context.Context, list []Series, c calendar.Cadence, workers int) (*Feasts, error) {
	kinds := feastKinds(c)
	if len(kinds) == 0 || len(list) == 0 {
		return nil, nil
	}
	rests := make([]*strayed, len(list))
	if err := num.Each(ctx, workers, len(list), func(i int) { rests[i] = stray(list[i], c) }); err != nil {
		return nil, err
	}
	all := pool(rests)
	if all == nil {
		return nil, nil
	}
	all.happens(kinds[0], c)
	f := &Feasts{cadence: c}
	untouched := slices.Clone(all.values)
	f.find(all, kinds)
	if f.weekend = f.weekends(all.first, untouched); f.weekend != nil {
		copy(all.values, untouched)
		f.find(all, kinds)
	}
	if len(f.list) == 0 {
		return nil, nil
	}
	f.differ(rests)
	return f, nil
}

// find lists the feasts of the mean of all series, and takes them out of it.
func (f *Feasts) find(all *pooled, kinds []Kind) {
	f.list = nil
	places := all.places(kinds, f.cadence, f.weekend)
	for len(f.list) < mostFeasts {
		found := likeliest(places)
		if found == nil {
			break
		}
		f.list = append(f.list, Feast{Kind: found.kind, Place: found.place, Beta: found.mean,
			Deviation: math.Sqrt(found.variance + square(varies*found.mean))})
		all.without(found, places)
	}
}

// pooled is the mean of all series in each period, and the variance of that.
type pooled struct {
	first  int64
	values []cell
	usual  float64 // size of a mean where nothing happens
	once   float64 // share of periods in which something does that does not come again
}

// pool is nil where nothing is known.
func pool(rests []*strayed) *pooled {
	first, end := int64(math.MaxInt64), int64(math.MinInt64)
	for _, s := range rests {
		if s != nil {
			first, end = min(first, s.first), max(end, s.first+int64(len(s.values)))
		}
	}
	if end <= first {
		return nil
	}
	p := &pooled{first: first, values: make([]cell, end-first)}
	weight := make([]float64, len(p.values))
	for _, s := range rests {
		if s == nil {
			continue
		}
		w := 1 / (s.variance + square(evenly))
		for i, v := range s.values {
			if panel.Known(v) {
				at := &p.values[s.first-first+int64(i)]
				at.mean, at.variance = at.mean+w*v, at.variance+w*w*s.variance
				weight[s.first-first+int64(i)] += w
			}
		}
	}
	var means, own []float64
	for i, w := range weight {
		at := &p.values[i]
		*at = cell{mean: at.mean / w, variance: at.variance / (w * w)}
		if w > 0 {
			means, own = append(means, at.mean), append(own, at.variance)
		}
	}
	middle := median(means) // which is not nought where values are small counts
	for i := range means {
		means[i] = math.Abs(means[i] - middle)
	}
	p.usual = median(means) / tailMiddle
	common := max(0, square(p.usual)-median(own))
	for i := range p.values {
		p.values[i].mean -= middle
		p.values[i].variance += common + leastVariance
	}
	return p
}

const (
	// farOff is how many times its usual size a mean must be for something to have happened, and anew the share of that which
	// another year must have for it to have come again.
	farOff = 4.0
	anew   = 0.5
)

// happens finds the share of periods in which something happened that did not come again at the same place, by kind, of
// those that are no feasts of much of the world.
func (p *pooled) happens(k Kind, c calendar.Cadence) {
	at := map[int][]float64{}
	spots := spotsOf(k, c, p.first, len(p.values))
	for i, v := range p.values {
		if panel.Known(v.mean) {
			at[spots[i][0]] = append(at[spots[i][0]], v.mean)
		}
	}
	alone, known := 0.0, 0.0
	for place := range k.places() {
		if _, times := k.prior(place); times == 1 {
			continue
		}
		for i, v := range at[place] {
			known++
			again := slices.ContainsFunc(slices.Delete(slices.Clone(at[place]), i, i+1), func(w float64) bool { return w*v > anew*v*v })
			if math.Abs(v) > farOff*p.usual && !again {
				alone++
			}
		}
	}
	p.once = max(leastOnce, min(mostOnce, alone/max(1, known)))
}

// candidate is a place of the year, the periods that were at it, and what is believed of it.
type candidate struct {
	kind     Kind
	place    int
	at       []int     // of the pooled periods
	parts    []float64 // of its effect that these have
	logPrior float64
	taken    bool // for a feast
	belief
}

// places are those that were seen often enough to tell.
func (p *pooled) places(kinds []Kind, c calendar.Cadence, weekend *Weekend) (out []*candidate) {
	for _, k := range kinds {
		spots, at := spotsOf(k, c, p.first, len(p.values)), make([][]int, k.places())
		for i, two := range spots {
			for _, place := range two {
				if place >= 0 && panel.Known(p.values[i].mean) {
					at[place] = append(at[place], i)
				}
			}
		}
		for place, periods := range at {
			prior, times := k.prior(place)
			if len(periods) >= times {
				found := &candidate{kind: k, place: place, at: periods, logPrior: math.Log(prior / (1 - prior))}
				for _, i := range periods {
					found.parts = append(found.parts, weekend.part(k, c, p.first+int64(i)))
				}
				found.believe(p)
				out = append(out, found)
			}
		}
	}
	return out
}

func (c *candidate) believe(p *pooled) {
	years := make([]cell, len(c.at))
	for k, i := range c.at {
		years[k] = p.values[i]
		years[k].part = c.parts[k]
	}
	c.belief = believe(years, p.once)
}

// likeliest is the likeliest feast; nil where none is surely one.
func likeliest(places []*candidate) (best *candidate) {
	for _, c := range places {
		if !c.taken && (best == nil || c.odds+c.logPrior > best.odds+best.logPrior) {
			best = c
		}
	}
	if best == nil || best.odds+best.logPrior < math.Log(surely/(1-surely)) {
		return nil
	}
	return best
}

// without takes a feast out of the periods at it, and asks the places of these again.
func (p *pooled) without(found *candidate, places []*candidate) {
	found.taken = true
	for k, i := range found.at {
		p.values[i].mean -= found.parts[k] * found.mean
		p.values[i].variance += square(varies * found.parts[k] * found.mean)
	}
	for _, c := range places {
		if slices.ContainsFunc(c.at, func(i int) bool { return slices.Contains(found.at, i) }) {
			c.believe(p)
		}
	}
}

// spread is what a series strays by at each feast, in sum, in squares and how often, less what other feasts do; where most
// of a feast's effect is.
func (f *Feasts) spread(s *strayed) (sum, squares, times []float64) {
	n := len(f.list)
	sum, squares, times = make([]float64, n), make([]float64, n), make([]float64, n)
	on := f.on(s.first, len(s.values))
	for i, v := range s.values {
		if !panel.Known(v) || len(on[i]) == 0 {
			continue
		}
		part := func(k int) float64 { return f.weekend.part(f.list[k].Kind, f.cadence, s.first+int64(i)) }
		for _, k := range on[i] {
			v -= part(k) * f.list[k].Beta
		}
		for _, k := range on[i] {
			if part(k) < most {
				continue
			}
			own := v/part(k) + f.list[k].Beta
			sum[k], squares[k], times[k] = sum[k]+own, squares[k]+own*own, times[k]+1
		}
	}
	return sum, squares, times
}

// on are the feasts of each period.
func (f *Feasts) on(first int64, n int) [][]int {
	out := make([][]int, n)
	for _, kind := range feastKinds(f.cadence) {
		var at map[int]int
		for k, x := range f.list {
			if x.Kind == kind {
				if at == nil {
					at = map[int]int{}
				}
				at[x.Place] = k
			}
		}
		if at == nil {
			continue
		}
		for i, two := range spotsOf(kind, f.cadence, first, n) {
			for _, place := range two {
				if k, ok := at[place]; ok {
					out[i] = append(out[i], k)
				}
			}
		}
	}
	return out
}

// differ finds the variance of series' own factors next to that of all: of what they are beyond it in two years, the mean
// product, and in one, what their usual variance leaves.
func (f *Feasts) differ(rests []*strayed) {
	total, weight, series := 0.0, 0.0, 0
	for _, s := range rests {
		if s == nil {
			continue
		}
		series++
		sum, squares, times := f.spread(s)
		for k, n := range times {
			b := f.list[k].Beta
			if n == 0 {
				continue
			}
			// of v/b - 1
			first, second := sum[k]/b-n, squares[k]/(b*b)-2*sum[k]/b+n
			own := second - s.variance/(b*b) - square(varies)
			if n > 1 {
				own = (first*first - second) / (n * (n - 1))
			}
			w := b * b / (b*b + s.variance)
			total += w * max(-mostOwn, min(mostOwn, own))
			weight += w
		}
	}
	if series > 1 {
		f.own = max(0, total/(weight+likeAll))
	}
}

// Of is what feasts do to a series; nil where they do nothing.
func (f *Feasts) Of(s Series) *Effect {
	if f == nil {
		return nil
	}
	for _, v := range s.Values {
		if v < 0 {
			return nil
		}
	}
	e := &Effect{Kind: Yearly, Cadence: f.cadence, Feasts: slices.Clone(f.list), Weekend: f.weekend}
	var sum, times []float64
	rest := stray(s, f.cadence)
	if rest != nil {
		sum, _, times = f.spread(rest)
	}
	for k := range e.Feasts {
		x := &e.Feasts[k]
		may := f.own * square(x.Beta)
		if may > 0 && rest != nil && times[k] > 0 {
			share := may / (may + (rest.variance+square(varies*x.Beta))/times[k])
			x.Beta += share * (sum[k]/times[k] - x.Beta)
			may *= 1 - share
			e.Learnt += share
		}
		x.Deviation = math.Sqrt(square(x.Deviation) + may)
	}
	return e
}
