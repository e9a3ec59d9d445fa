package young

import (
	"context"
	"math"

	"gonum.org/v1/gonum/floats"

	"paperkettle/core/model/harmonic"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Series is one to learn from.
type Series struct {
	Key    string
	Values []float64
	First  int64 // ordinal of the first
	// Drivers are columns of what is done to it, known and at least as long as the values: what they do is no season's.
	Drivers [][]float64
}

// last is the series by its last rounds: those that are looked at.
func (s Series) last(m int) Series {
	past := len(s.Values)
	s.Values, s.First = recent(s.Values, s.First, m)
	past -= len(s.Values)
	drivers := make([][]float64, len(s.Drivers))
	for d, column := range s.Drivers {
		drivers[d] = column[past:]
	}
	s.Drivers = drivers
	return s
}

// Prior is what the series of a panel tell of each other's seasons.
type Prior struct {
	design       *design
	log          bool // series above zero are taken in logs
	logs, levels belief
}

// belief is how often each setting is right, and the sum of the seasons that were found, by series.
type belief struct {
	share []float64 // nil where no series tells
	sum   []float64 // of the season's coefficients
	own   map[string][]float64
	doubt []float64 // variance of the mean season at each place, for what all of the series have seen too little of
}

// Learn finds what is believed of the seasons of m periods (period, where that is no whole number) in some series, of
// long ones by their last rounds; nil where none has seen most of a round. Series have keys of their own.
func Learn(ctx context.Context, list []Series, m int, period float64, workers int) (*Prior, error) {
	return learn(ctx, list, newDesign(m, period), workers)
}

// learn is Learn by a design.
func learn(ctx context.Context, list []Series, by *design, workers int) (*Prior, error) {
	list = worth(list, by.m)
	if len(list) == 0 {
		return nil, nil
	}
	p := &Prior{design: by}
	levels, logs := make([]*seen, len(list)), make([]*seen, len(list))
	err := num.Each(ctx, workers, len(list), func(i int) {
		s := list[i]
		y, _ := inUnit(s.Values)
		levels[i] = p.design.look(y, s, nil)
		if y, ok := logsOf(s.Values); ok {
			logs[i] = p.design.look(y, s, nil)
		}
	})
	if err != nil {
		return nil, err
	}
	byLevel, err := p.levels.learn(ctx, list, levels, workers)
	if err != nil {
		return nil, err
	}
	byLog, err := p.logs.learn(ctx, list, logs, workers)
	if err != nil {
		return nil, err
	}
	logsLead := 0.0
	for i := range list {
		if byLog[i] != nil && byLevel[i] != nil {
			logsLead += together(byLog[i], p.logs.share) - together(byLevel[i], p.levels.share) + ratherLogs
		}
	}
	p.log = logsLead > 0
	return p, nil
}

// mostOfRound is the share of a round that some series must have seen: in less of it a rise is no more a season's than
// a slope's.
const mostOfRound = 0.75

// worth are the series that are learnt from, of long ones the last rounds; none where none has seen most of a round.
func worth(list []Series, m int) (out []Series) {
	most := false
	for _, s := range list {
		most = most || float64(len(s.Values)) >= mostOfRound*float64(m)
		if s = s.last(m); Short(s.Values, m) {
			out = append(out, s)
		}
	}
	if !most {
		return nil
	}
	return out
}

// learn finds how often settings are right, first of each series alone, then with what the others' seasons are, and gives
// the logs of the likelihoods of all settings for each series; nil for those that tell nothing.
func (b *belief) learn(ctx context.Context, list []Series, looks []*seen, workers int) ([][]float64, error) {
	logliks := make([][]float64, len(list))
	err := num.Each(ctx, workers, len(list), func(i int) {
		if looks[i] != nil {
			logliks[i] = looks[i].alone()
		}
	})
	if err != nil {
		return nil, err
	}
	share := often(logliks)
	seasons, variances := make([][]float64, len(list)), make([][]float64, len(list))
	err = num.Each(ctx, workers, len(list), func(i int) {
		if logliks[i] != nil {
			say := looks[i].say(weights(logliks[i], share), nil)
			seasons[i], variances[i] = looks[i].whole(say.mean), say.variance
		}
	})
	if err != nil {
		return nil, err
	}
	b.own = map[string][]float64{}
	for i, s := range seasons {
		if s == nil {
			continue
		}
		if b.sum == nil {
			b.sum = make([]float64, len(s))
		}
		floats.Add(b.sum, s)
		b.own[list[i].Key] = s
	}
	b.doubt = doubtOf(list, variances)
	err = num.Each(ctx, workers, len(list), func(i int) {
		if logliks[i] != nil {
			s := looks[i].beside(b.others(list[i].Key))
			s.goThrough(1 + len(sizes))
			logliks[i] = s.all(logliks[i])
		}
	})
	b.share = often(logliks)
	return logliks, err
}

// doubtOf is the variance of the series' mean season at each place. What a series errs in, where it has seen a place once
// or never, is what its level did meanwhile, and others' may have done the same: the mean errs as much as each of them.
// The more rounds were seen the less they err alike, and from three on they are held not to.
func doubtOf(list []Series, variances [][]float64) []float64 {
	var out []float64
	longest, n := 0, 0.0
	for i, v := range variances {
		if v == nil {
			continue
		}
		if out == nil {
			out = make([]float64, len(v))
		}
		floats.Add(out, v)
		longest, n = max(longest, len(list[i].Values)), n+1
	}
	if n > 0 {
		alike := max(0, min(1, 1.5-float64(longest)/float64(2*len(out))))
		floats.Scale(alike/n, out)
	}
	return out
}

// fewestOthers is how many other series make a season in which one may have a share.
const fewestOthers = 2

// others are the coefficients of the mean season of all series but one; nil where they are too few.
func (b *belief) others(key string) []float64 {
	own, in := b.own[key]
	n := len(b.own)
	if in {
		n--
	}
	if n < fewestOthers {
		return nil
	}
	out := make([]float64, len(b.sum))
	for k, v := range b.sum {
		if in {
			v -= own[k]
		}
		out[k] = v / float64(n)
	}
	return out
}

// often is the share of each setting among the series, by expectation and maximisation from even ones.
func often(logliks [][]float64) []float64 {
	var likely [][]float64
	for _, own := range logliks {
		if own != nil {
			likely = append(likely, relative(own))
		}
	}
	if len(likely) == 0 {
		return nil
	}
	settings := len(likely[0])
	var share []float64
	work := make([]float64, settings)
	for range steps {
		sum := make([]float64, settings)
		for _, own := range likely {
			floats.Add(sum, shared(work, own, share))
		}
		for k := range sum {
			sum[k] = (sum[k] + apriori/float64(settings)) / (float64(len(likely)) + apriori)
		}
		share = sum
	}
	return share
}

// relative are likelihoods next to the largest.
func relative(loglik []float64) []float64 {
	most, out := floats.Max(loglik), make([]float64, len(loglik))
	for k, l := range loglik {
		out[k] = math.Exp(l - most)
	}
	return out
}

// shared are likelihoods times the shares of their settings, as parts of their sum; share may be nil, for even ones.
func shared(out, likely, share []float64) []float64 {
	sum := 0.0
	for k, l := range likely {
		if share != nil {
			l *= share[k]
		}
		out[k] = l
		sum += l
	}
	floats.Scale(1/sum, out)
	return out
}

// weights are how likely each setting is, of a series.
func weights(loglik, share []float64) []float64 {
	return shared(make([]float64, len(loglik)), relative(loglik), share)
}

// together is the log of the likelihood of a series with settings as often as they are.
func together(loglik, share []float64) float64 {
	most := floats.Max(loglik)
	sum := 0.0
	for k, l := range loglik {
		sum += share[k] * math.Exp(l-most)
	}
	return most + math.Log(sum)
}

// Of is the season of a series; nil where it has seen more than a few rounds of a short one, or nothing tells.
func (p *Prior) Of(s Series) *Season {
	if p == nil || !Short(s.Values, p.design.m) {
		return nil
	}
	many := Long(s.Values, p.design.m)
	season := p.of(s.last(p.design.m))
	if season != nil {
		season.Many = many
	}
	return season
}

func (p *Prior) of(s Series) *Season {
	if p.log {
		if y, ok := logsOf(s.Values); ok {
			return p.logs.mix(p.design.look(y, s, p.logs.others(s.Key)), 1, true)
		}
	}
	if p.levels.share == nil {
		return nil
	}
	y, unit := inUnit(s.Values)
	return p.levels.mix(p.design.look(y, s, p.levels.others(s.Key)), unit, false)
}

// terms are coefficients as pairs, the left out sine as nought.
func (d *design) terms(mean []float64, unit float64) harmonic.Terms {
	coef := make([]float64, 0, len(mean)+1)
	for j, c := range mean {
		if j == len(mean)-1 && len(mean)%2 == 1 {
			coef = append(coef, 0)
		}
		coef = append(coef, unit*c)
	}
	return harmonic.Terms{Period: d.period, Coef: coef}
}

// logsOf are values as logs; false where one is not above zero.
func logsOf(values []float64) ([]float64, bool) {
	out := make([]float64, len(values))
	for i, v := range values {
		if panel.Known(v) && !(v > 0) {
			return nil, false
		}
		out[i] = math.Log(v)
	}
	return out, true
}

// inUnit are values next to their mean size, which it gives, so that the likelihoods of levels and of logs compare: the
// geometric mean where all are above zero.
func inUnit(values []float64) (out []float64, unit float64) {
	unit = num.MeanSize(values)
	if logs, ok := logsOf(values); ok {
		unit = math.Exp(num.KnownMean(logs))
	}
	out = make([]float64, len(values))
	for i, v := range values {
		out[i] = v / unit
	}
	return out, unit
}
