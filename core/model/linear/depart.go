package linear

import (
	"context"
	"slices"
	"strings"

	"paperkettle/core/num"
)

// departures are the strengths by which series are held to what they share: the first lets
// none depart.
var departures = []float64{1e9, 10, 3, 1, 0.3, 0.1, 0.03, 0.01}

// depart lets each series have coefficients of its own, held to the shared ones as firmly as
// does best on the inner windows of all: where series are alike they share, where they are
// not each goes its way. The calendar is held by one strength, drivers and events by another:
// shops may have their own year, and the same customers. Several drivers, and several parts of the
// calendar, are then held by one each: customers may mind a price more in one shop than in another, and
// leaflets in all alike, and each shop may have its own week where all have the same year, or none: a few
// years of a level that wanders look like a year of the series' own.
//
// Source: shrinkage towards a common vector, as Lindley and Smith, Bayes estimates for the
// linear model, Journal of the Royal Statistical Society B 34 (1972).
func (p *Pool) depart(ctx context.Context, shared *search, workers int) error {
	own := make([]*departure, len(shared.list))
	err := num.Each(ctx, workers, len(own), func(i int) {
		s := *shared
		s.list = shared.list[i : i+1]
		s.read = func(x *series, at, step int, columns []float64) (float64, bool) {
			y, ok := shared.read(x, at, step, columns)
			return y - p.Outside.at(columns), ok
		}
		own[i] = newDeparture(s.sum(0))
	})
	if err != nil {
		return err
	}
	told := newTrials(own, workers)
	effects := make([]bool, len(p.Ahead.Columns))
	for k := range effects {
		effects[k] = p.Ahead.Columns[k].IsDriver() || p.Ahead.Columns[k].IsEvent()
	}
	// One after the other, each where it does best given the other.
	p.Departure, p.EffectDeparture = departures[0], departures[0]
	for range 2 {
		p.Departure, err = told.best(ctx, func(v float64) []float64 { return strengths(effects, v, p.EffectDeparture) })
		if err != nil {
			return err
		}
		p.EffectDeparture, err = told.best(ctx, func(v float64) []float64 { return strengths(effects, p.Departure, v) })
		if err != nil {
			return err
		}
	}
	held := strengths(effects, p.Departure, p.EffectDeparture)
	if err := p.departByPart(ctx, told, held); err != nil {
		return err
	}
	for i, d := range own {
		if d.whole.rows >= fewestRows {
			d.leave(&shared.list[i].outside, &p.Outside, held, len(own))
		}
	}
	return nil
}

// mostParts is how many drivers, or parts of the calendar, are at most held by a strength each.
const mostParts = 16

// departByPart finds for each of several drivers, and of several parts of the calendar, one after the other, the
// strength that does best given those of the rest.
func (p *Pool) departByPart(ctx context.Context, told *trials, held []float64) error {
	p.PartDepartures = nil
	parts := slices.Concat(p.partsOf(false), p.partsOf(true))
	if len(parts) == 0 {
		return nil
	}
	least, err := told.losses(ctx, held)
	if err != nil {
		return err
	}
	for range 2 {
		for _, x := range parts {
			if least, err = told.climb(ctx, held, x.columns, least); err != nil {
				return err
			}
		}
	}
	for _, x := range parts {
		p.PartDepartures = append(p.PartDepartures, PartDeparture{x.name, x.driver, held[x.columns[0]]})
	}
	return nil
}

// part is a driver, or a part of the calendar, with the places of its columns.
type part struct {
	name    string
	driver  bool
	columns []int
}

// partsOf are the drivers that are columns, or the parts of the calendar, in the order of their first; none where
// there is one alone, or too many.
func (p *Pool) partsOf(drivers bool) (out []part) {
	for k := range p.Ahead.Columns {
		c := &p.Ahead.Columns[k]
		if c.IsDriver() != drivers || c.IsEvent() {
			continue
		}
		name, _, _ := strings.Cut(c.Line, " as ") // "year as harmonics 4"
		if drivers {
			name = c.Name2
		}
		at := slices.IndexFunc(out, func(x part) bool { return x.name == name })
		if at < 0 {
			at, out = len(out), append(out, part{name: name, driver: drivers})
		}
		out[at].columns = append(out[at].columns, k)
	}
	if len(out) < 2 || len(out) > mostParts {
		return nil
	}
	return out
}

func strengths(effects []bool, calendar, effect float64) []float64 {
	out := make([]float64, len(effects))
	for k, is := range effects {
		out[k] = calendar
		if is {
			out[k] = effect
		}
	}
	return out
}

// departure is a series' products of what the shared coefficients leave.
type departure struct {
	whole   products
	windows []int
	g, c, s [folds][]float64
}

func newDeparture(sum products) *departure {
	d := &departure{whole: sum}
	for k := firstJudged; k < folds; k++ {
		if sum.train[k].n >= fewestRows && sum.judged[k].n >= 2 {
			d.windows = append(d.windows, k)
			d.g[k], d.c[k], d.s[k] = sum.train[k].standard()
		}
	}
	return d
}

// leave gives a series its coefficients.
func (d *departure) leave(mine, shared *Equation, held []float64, series int) {
	g, c, spread := d.whole.whole.standard()
	beta := make([]float64, len(c))
	ridgeEach(g, c, held, beta)
	own := make([]float64, len(c))
	used := 0.0
	for k := range beta {
		own[k] = shared.Beta[k]
		if spread[k] > 0 {
			beta[k] /= spread[k]
			own[k] += beta[k]
			used += 1 / (1 + held[k])
		} else {
			beta[k] = 0
		}
	}
	n := d.whole.whole.n
	cov := covariance(g, held, d.whole.whole.error(beta)/n, n, spread)
	for k := range cov { // what is shared is in doubt too
		cov[k] += shared.Cov[k]
	}
	mine.Beta, mine.Cov, mine.Used = own, cov, shared.Used+float64(series)*used
}
