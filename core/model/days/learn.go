package days

import (
	"context"
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"

	"paperkettle/core/calendar"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	folds = 6
	// fewestMonths and fewestYears must have been seen, of daily and of monthly series.
	fewestMonths = 6
	fewestYears  = 4
	// fewestWeeks of a year must have been seen in two years. So many columns must be worth more.
	fewestWeeks  = 40
	leastOfWeeks = 0.05
	// leastNoise keeps some of what is left from being explained.
	leastNoise = 0.05
	// chance is how likely days are to foretell as well as they do where they tell nothing, and leastGain the share of what
	// is left of levels and seasons that they must foretell.
	chance    = 0.002
	leastGain = 0.01
)

// loose are the standard deviations that effects may have: of all series together, and of one next to those.
var (
	loose    = []float64{0.003, 0.01, 0.03, 0.1, 0.3}
	looseOwn = []float64{0.003, 0.01, 0.03, 0.1}
)

// sums are the products of columns with each other and with what is left, over the variance of that. Where periods are in
// one column alone, the products of different ones are nought and left out.
type sums struct {
	xx, xy []float64
	n      float64
}

func (k Kind) newSums() sums {
	p := k.size()
	if k.apart() {
		return sums{xx: make([]float64, p), xy: make([]float64, p)}
	}
	return sums{xx: make([]float64, p*p), xy: make([]float64, p)}
}

func (s *sums) add(x []float64, y float64) {
	p := len(x)
	s.n++
	for a, u := range x {
		s.xy[a] += u * y
		floats.AddScaled(s.xx[a*p:(a+1)*p], u, x)
	}
}

// addAt adds a value that is in one column alone.
func (s *sums) addAt(k int, y float64) {
	s.n++
	s.xy[k] += y
	s.xx[k]++
}

func (s *sums) plus(f float64, o *sums) {
	floats.AddScaled(s.xx, f, o.xx)
	floats.AddScaled(s.xy, f, o.xy)
	s.n += f * o.n
}

// times is what the columns' products make of coefficients.
func (s *sums) times(beta []float64) []float64 {
	p := len(beta)
	out := make([]float64, p)
	for a := range out {
		if len(s.xx) == p {
			out[a] = s.xx[a] * beta[a]
		} else {
			out[a] = floats.Dot(s.xx[a*p:(a+1)*p], beta)
		}
	}
	return out
}

// gain is by how much squares are smaller with coefficients than without.
func (s *sums) gain(beta []float64) float64 {
	return 2*floats.Dot(s.xy, beta) - floats.Dot(beta, s.times(beta))
}

// solve gives coefficients that are held towards others with a standard deviation, and their variances.
func (s *sums) solve(toward []float64, dev float64) (beta, variance []float64) {
	p := len(s.xy)
	beta, variance = slices.Clone(toward), make([]float64, p)
	if dev == 0 {
		return beta, variance
	}
	right := make([]float64, p)
	floats.SubTo(right, s.xy, s.times(toward))
	if len(s.xx) == p {
		for a := range beta {
			variance[a] = 1 / (s.xx[a] + 1/(dev*dev))
			beta[a] += variance[a] * right[a]
		}
		return beta, variance
	}
	m := mat.NewSymDense(p, nil)
	for a := range p {
		for b := a; b < p; b++ {
			m.SetSym(a, b, s.xx[a*p+b])
		}
		m.SetSym(a, a, s.xx[a*p+a]+1/(dev*dev))
	}
	var chol mat.Cholesky
	var move mat.VecDense
	var inverse mat.SymDense
	if !chol.Factorize(m) || chol.SolveVecTo(&move, mat.NewVecDense(p, right)) != nil || chol.InverseTo(&inverse) != nil {
		return beta, variance
	}
	for a := range p {
		beta[a] += move.AtVec(a)
		variance[a] = inverse.At(a, a)
	}
	return beta, variance
}

// seen is a series by blocks.
type seen struct {
	first  int // block
	blocks []sums
	whole  sums
}

// look sums a series up; nil where it tells nothing.
func (d *dates) look(s Series) *seen {
	rest := restOf(s, d)
	if len(rest) == 0 {
		return nil
	}
	days, blocks := d.days(s.First), d.blocks(s.First)
	spread := d.kind.clip(rest, days)
	if d.kind.weeks() { // a median is not the mean where values lie to one side, which is no week's
		floats.AddConst(-num.KnownMean(rest), rest)
	}
	if !(spread > 0) {
		return nil
	}
	out := &seen{whole: d.kind.newSums(), first: blocks[0]}
	rows := d.rows(s, rest)
	for i, v := range rest {
		if !panel.Known(v) {
			continue
		}
		at := blocks[i] - out.first
		for len(out.blocks) <= at {
			out.blocks = append(out.blocks, d.kind.newSums())
		}
		if d.kind.apart() {
			out.blocks[at].addAt(days[i], v)
		} else {
			out.blocks[at].add(rows[i], v)
		}
	}
	for b := range out.blocks {
		floats.Scale(1/(spread*spread), out.blocks[b].xy)
		floats.Scale(1/(spread*spread), out.blocks[b].xx)
		out.whole.plus(1, &out.blocks[b])
	}
	return out
}

// rows are the columns of months, less what is usual in their month of the year, as what is left of the series is.
func (d *dates) rows(s Series, rest []float64) [][]float64 {
	if d.kind.apart() {
		return nil
	}
	p, seasons := d.kind.size(), d.seasons(s.First)
	mean, count := make([]float64, year*p), [year]float64{}
	from := d.columns[s.First-d.first:]
	for i, v := range rest {
		if m := seasons[i]; panel.Known(v) {
			floats.Add(mean[m*p:(m+1)*p], from[i])
			count[m]++
		}
	}
	out := make([][]float64, len(rest))
	for i := range out {
		out[i] = slices.Clone(from[i])
		if m := seasons[i]; count[m] > 0 {
			floats.AddScaled(out[i], -1/count[m], mean[m*p:(m+1)*p])
		}
	}
	return out
}

// Prior is what the series of a panel tell of days together.
type Prior struct {
	kind     Kind
	cadence  calendar.Cadence
	beta     []float64
	variance []float64
	own      float64 // how far a series may be from that
	series   float64 // that told
	Gain     float64 // share of what is left of levels and seasons that is foretold
	noise    float64 // share of the variance that was taken for that of noise
}

// Learn finds what days do to the series of a panel; nil where they don't, or too little was seen.
func Learn(ctx context.Context, list []Series, c calendar.Cadence, workers int) (*Prior, error) {
	var best *Prior
	for _, kind := range kindsOf(c) {
		looks, dates := make([]*seen, len(list)), kind.dates(list, c)
		if err := num.Each(ctx, workers, len(list), func(i int) { looks[i] = dates.look(list[i]) }); err != nil {
			return nil, err
		}
		if p := kind.judge(looks, c); p != nil && (best == nil || p.Gain > best.Gain) {
			best = p
		}
	}
	return best, nil
}

// judge finds how loose effects may be by leaving blocks out, and whether they tell.
func (k Kind) judge(looks []*seen, c calendar.Cadence) *Prior {
	looks = slices.DeleteFunc(slices.Clone(looks), func(s *seen) bool { return s == nil })
	first, last := math.MaxInt, math.MinInt
	for _, s := range looks {
		first, last = min(first, s.first), max(last, s.first+len(s.blocks)-1)
	}
	if len(looks) == 0 {
		return nil
	}
	t := k.trial(looks, first, last-first+1)
	p := &Prior{kind: k, cadence: c, series: float64(len(looks))}
	dev, total := 0.0, 0.0
	for _, d := range loose {
		if g := floats.Sum(t.together(d)); g > total {
			dev, total = d, g
		}
	}
	if dev == 0 {
		return nil
	}
	gains := t.together(dev)
	for _, d := range looseOwn {
		own := t.apart(dev, d)
		if g := floats.Sum(own); g > total {
			p.own, total, gains = d, g, own
		}
	}
	rows := 0.0
	whole := k.newSums()
	for _, s := range looks {
		whole.plus(1, &s.whole)
		rows += s.whole.n
	}
	least := leastGain
	if k.weeks() {
		gains, least = t.byPlace(dev, p.own), leastOfWeeks
	}
	if p.Gain = total / rows; p.Gain < least || !k.tells(gains) {
		return nil
	}
	if p.noise = 1; k.weeks() { // whose effects were among it
		p.noise = max(leastNoise, 1-p.Gain)
	}
	p.beta, p.variance = whole.solve(make([]float64, k.size()), dev)
	k.center(p.beta, whole)
	return p
}

// tells says that gains of blocks, or of the weeks of a year, are more than chance.
func (k Kind) tells(gains []float64) bool {
	fewest := fewestMonths
	switch {
	case k.weeks():
		fewest = fewestWeeks
	case !k.apart():
		fewest = fewestYears
	}
	gains = slices.DeleteFunc(gains, func(g float64) bool { return g == 0 })
	n := float64(len(gains))
	if len(gains) < fewest {
		return false
	}
	mean, dev := stat.MeanStdDev(gains, nil)
	return mean > 0 && distuv.StudentsT{Mu: 0, Sigma: 1, Nu: n - 1}.Survival(mean/(dev/math.Sqrt(n))) < chance
}

// trial leaves blocks out: each fold has every few of them.
type trial struct {
	kind  Kind
	looks []*seen
	first int
	block []sums        // of all series
	rest  [folds][]sums // what is left of each series, and of all, without a fold
	all   [folds]sums
}

func (k Kind) trial(looks []*seen, first, blocks int) *trial {
	t := &trial{kind: k, looks: looks, first: first}
	for range blocks {
		t.block = append(t.block, k.newSums())
	}
	for f := range folds {
		t.all[f] = k.newSums()
	}
	for _, s := range looks {
		for f := range folds {
			rest := k.newSums()
			rest.plus(1, &s.whole)
			for b := range s.blocks {
				if (s.first+b-first)%folds == f {
					rest.plus(-1, &s.blocks[b])
				}
			}
			t.rest[f] = append(t.rest[f], rest)
			t.all[f].plus(1, &rest)
		}
		for b := range s.blocks {
			t.block[s.first+b-first].plus(1, &s.blocks[b])
		}
	}
	return t
}

// shared are the effects of all series without each fold.
func (t *trial) shared(dev float64) (out [folds][]float64) {
	for f := range out {
		out[f], _ = t.all[f].solve(make([]float64, t.kind.size()), dev)
	}
	return out
}

// together is by how much the squares of each block are smaller with effects of all series that were learnt without it.
func (t *trial) together(dev float64) []float64 {
	out, shared := make([]float64, len(t.block)), t.shared(dev)
	for b := range t.block {
		out[b] = t.block[b].gain(shared[b%folds])
	}
	return out
}

// byPlace is by how much the squares at each place are smaller with effects that were learnt without their block, where
// periods are in one column alone: of all series, or of each its own, held to those. Few years tell of many weeks.
func (t *trial) byPlace(dev, own float64) []float64 {
	out, shared := make([]float64, t.kind.size()), t.shared(dev)
	add := func(s *sums, beta []float64) {
		for k, b := range beta {
			out[k] += 2*b*s.xy[k] - b*b*s.xx[k]
		}
	}
	if own == 0 {
		for b := range t.block {
			add(&t.block[b], shared[b%folds])
		}
		return out
	}
	for i, s := range t.looks {
		for f := range folds {
			beta, _ := t.rest[f][i].solve(shared[f], own)
			for b := range s.blocks {
				if (s.first+b-t.first)%folds == f {
					add(&s.blocks[b], beta)
				}
			}
		}
	}
	return out
}

// apart is the same where each series has effects of its own, held to those.
func (t *trial) apart(dev, own float64) []float64 {
	out, shared := make([]float64, len(t.block)), t.shared(dev)
	for i, s := range t.looks {
		for f := range folds {
			beta, _ := t.rest[f][i].solve(shared[f], own)
			for b := range s.blocks {
				if at := s.first + b - t.first; at%folds == f {
					out[at] += s.blocks[b].gain(beta)
				}
			}
		}
	}
	return out
}

// Of is what days do to a series; nil where they do nothing.
func (p *Prior) Of(s Series) *Effect {
	if p == nil {
		return nil
	}
	for _, v := range s.Values {
		if v < 0 {
			return nil
		}
	}
	e := &Effect{Kind: p.kind, Cadence: p.cadence, Beta: slices.Clone(p.beta), Deviations: make([]float64, len(p.beta))}
	variance := make([]float64, len(p.beta))
	if look := p.look(s); look != nil {
		e.Beta, variance = look.whole.solve(p.beta, p.own)
		for _, v := range variance {
			e.Learnt += 1 - v/(p.own*p.own)
		}
		p.kind.center(e.Beta, look.whole)
	}
	for k := range variance {
		e.Deviations[k] = math.Sqrt(p.noise * (variance[k] + p.variance[k]))
	}
	e.Learnt += float64(len(p.beta)) / p.series
	return e
}

// look sums up a series that may differ from all; nil for none.
func (p *Prior) look(s Series) *seen {
	if p.own == 0 {
		return nil
	}
	return p.kind.dates([]Series{s}, p.cadence).look(s)
}

// center holds the days of a month together at nought, which is the level's.
func (k Kind) center(beta []float64, whole sums) {
	if !k.apart() {
		return
	}
	if total := floats.Sum(whole.xx); total > 0 {
		floats.AddConst(-floats.Dot(beta, whole.xx)/total, beta)
	}
}
