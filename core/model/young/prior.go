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
	Values []float64
	First  int64 // ordinal of the first
}

// Prior is how often each setting is right among the series of a panel.
type Prior struct {
	design *design
	log    bool      // series above zero are taken in logs
	logs   []float64 // weights of the settings in logs, and in levels
	levels []float64
}

// Learn finds what is believed of the seasons of m periods (period, where that is no whole number) in some series; nil
// where none has seen more than a round, or fewer than three.
func Learn(ctx context.Context, list []Series, m int, period float64, workers int) (*Prior, error) {
	var short []Series
	again := false
	for _, s := range list {
		if Short(s.Values, m) {
			short = append(short, s)
			again = again || len(s.Values) >= m+beyondRound
		}
	}
	if !again {
		return nil, nil
	}
	if n := len(short); n > mostLearnt { // evenly spread
		for k := range mostLearnt {
			short[k] = short[k*n/mostLearnt]
		}
		short = short[:mostLearnt]
	}
	p := &Prior{design: newDesign(m, period)}
	levels, logs := make([][]float64, len(short)), make([][]float64, len(short))
	err := num.Each(ctx, workers, len(short), func(i int) {
		y, _ := inUnit(short[i].Values)
		levels[i] = p.design.logliks(y, short[i].First)
		if y, ok := logsOf(short[i].Values); ok {
			logs[i] = p.design.logliks(y, short[i].First)
		}
	})
	if err != nil {
		return nil, err
	}
	p.levels = often(levels)
	p.logs = often(logs)
	byLog, byLevel := 0.0, 0.0
	for i := range short {
		if logs[i] != nil {
			byLog += together(logs[i], p.logs) + ratherLogs
			byLevel += together(levels[i], p.levels)
		}
	}
	p.log = byLog > byLevel
	return p, nil
}

// logliks are the logs of the likelihoods of all settings; nil where a series tells nothing.
func (d *design) logliks(values []float64, first int64) []float64 {
	return d.look(values, first).logliks()
}

func (s *seen) logliks() []float64 {
	out := make([]float64, len(s.d.list))
	for k, x := range s.d.list {
		if k == 0 || x.wander != s.d.list[k-1].wander {
			if s.filter(x.wander); !(s.yy > 0) {
				return nil
			}
		}
		out[k], _ = s.loglik(k)
	}
	return out
}

// often is the share of each setting among the series, by expectation and maximisation from even ones.
func often(logliks [][]float64) []float64 {
	var share []float64
	for range steps {
		var sum []float64
		n := 0.0
		for _, own := range logliks {
			if own == nil {
				continue
			}
			if sum == nil {
				sum = make([]float64, len(own))
			}
			n++
			for k, w := range weights(own, share) {
				sum[k] += w
			}
		}
		if sum == nil {
			return nil
		}
		for k := range sum {
			sum[k] = (sum[k] + apriori/float64(len(sum))) / (n + apriori)
		}
		share = sum
	}
	return share
}

// weights are how likely each setting is, of a series; share may be nil, for even ones.
func weights(loglik, share []float64) []float64 {
	most := math.Inf(-1)
	for _, l := range loglik {
		most = max(most, l)
	}
	out, sum := make([]float64, len(loglik)), 0.0
	for k, l := range loglik {
		out[k] = math.Exp(l - most)
		if share != nil {
			out[k] *= share[k]
		}
		sum += out[k]
	}
	for k := range out {
		out[k] /= sum
	}
	return out
}

// together is the log of the likelihood of a series with settings as often as they are.
func together(loglik, share []float64) float64 {
	most := math.Inf(-1)
	for _, l := range loglik {
		most = max(most, l)
	}
	sum := 0.0
	for k, l := range loglik {
		sum += share[k] * math.Exp(l-most)
	}
	return most + math.Log(sum)
}

// Of is the season of a series; nil where it has seen more than a few rounds, or nothing tells.
func (p *Prior) Of(values []float64, first int64) *Season {
	if p == nil || !Short(values, p.design.m) {
		return nil
	}
	if p.log {
		if y, ok := logsOf(values); ok {
			return p.design.mix(y, first, p.logs, 1, true)
		}
	}
	if p.levels == nil {
		return nil
	}
	y, unit := inUnit(values)
	return p.design.mix(y, first, p.levels, unit, false)
}

// mostlyLeft is the share of a setting from which on it counts.
const mostlyLeft = 1e-3

// mix is the season that all settings together say.
func (d *design) mix(y []float64, first int64, share []float64, unit float64, log bool) *Season {
	s := d.look(y, first)
	logliks := s.logliks()
	if logliks == nil {
		return nil
	}
	w := weights(logliks, share)
	rows := d.places()
	mean, variance := make([]float64, s.p), make([]float64, d.m)
	own, work := make([]float64, s.p), make([]float64, s.p)
	out := &Season{Log: log}
	wander := math.Inf(-1)
	for k, x := range d.list {
		if w[k] < mostlyLeft || x.size == 0 {
			continue
		}
		if x.wander != wander {
			wander = x.wander
			s.filter(wander)
		}
		out.Share += w[k]
		_, noise := s.loglik(k)
		s.coefficients(k, own)
		floats.AddScaled(mean, w[k], own)
		for place, row := range rows {
			at := floats.Dot(row, own)
			variance[place] += w[k] * (at*at + noise*s.variance(k, row, work))
		}
	}
	out.Terms = d.terms(mean[1:], unit)
	out.Deviations = make([]float64, d.m)
	for place, row := range rows {
		at := floats.Dot(row, mean)
		out.Deviations[place] = unit * math.Sqrt(max(0, variance[place]-at*at))
	}
	return out
}

// places are the rows of a season's places, with nothing for the slope.
func (d *design) places() [][]float64 {
	rows := make([][]float64, d.m)
	for place := range rows {
		rows[place] = make([]float64, d.coefficients()+1)
		d.season(int64(place), rows[place][1:])
	}
	return rows
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

// inUnit are values next to their mean size, which it gives, so that the likelihoods of levels and of logs compare: the geometric
// mean where all are above zero.
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
