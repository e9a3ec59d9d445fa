package arima

import (
	"context"
	"math"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// The bounds of a search for orders.
const (
	mostShort = 4 // of p and q
	mostLong  = 2 // of P and Q
	mostAll   = 6
	mostTried = 24 // orders
)

// search walks from the best of four usual models to better neighbours, until none is.
//
// Source: Hyndman and Khandakar, Automatic time series forecasting, Journal of Statistical
// Software 27 (2008), section 3.2.
func (f *fitter) search(ctx context.Context, d, sd, season, most int) (best estimate, tried []model.Candidate, ok bool) {
	type outcome struct {
		e  estimate
		ok bool
	}
	seen := map[Order]outcome{}
	// Ranking needs a tenth of a unit of log-likelihood, not more.
	quick := num.Stop{Steps: 30, Gain: 0.02 / float64(len(f.y))}
	try := func(o Order, from *estimate) bool {
		if o.P < 0 || o.Q < 0 || o.SP < 0 || o.SQ < 0 || o.P > mostShort || o.Q > mostShort || o.SP > mostLong || o.SQ > mostLong ||
			o.weights() > mostAll || season < 2 && o.SP+o.SQ > 0 || len(seen) >= most || ctx.Err() != nil {
			return false
		}
		if _, done := seen[o]; done {
			return false
		}
		e, fits := f.fit(o, near(o, from), quick)
		fits = fits && !math.IsInf(e.aicc, 0) && !e.onTheEdge()
		seen[o] = outcome{e, fits}
		if !fits {
			return false
		}
		tried = append(tried, model.Candidate{Form: o.String(), Value: e.aicc})
		if !ok || e.aicc < best.aicc-1e-9 {
			best, ok = e, true
			return true
		}
		return false
	}
	base := Order{D: d, SD: sd, Season: season, Constant: d+sd <= 1}
	long := 0
	if season > 1 {
		long = 1
	}
	for _, w := range [][4]int{{2, 2, long, long}, {0, 0, 0, 0}, {1, 0, long, 0}, {0, 1, 0, long}} {
		o := base
		o.P, o.Q, o.SP, o.SQ = w[0], w[1], w[2], w[3]
		try(o, nil)
	}
	if d+sd == 1 {
		o := base
		o.Constant = false
		try(o, nil)
	}
	if !ok {
		return best, tried, false
	}
	for better := true; better; {
		better = false
		from := best
		for _, step := range steps {
			o := from.o
			o.P, o.Q, o.SP, o.SQ = o.P+step[0], o.Q+step[1], o.SP+step[2], o.SQ+step[3]
			if try(o, &from) {
				better = true
				break
			}
		}
		if !better && d+sd == 1 { // without any difference there must be a mean: zero is no special level
			o := from.o
			o.Constant = !o.Constant
			better = try(o, &from)
		}
	}
	final, fits := f.fit(best.o, best.x, num.Stop{Steps: 100, Gain: 1e-4 / float64(len(f.y))})
	if fits {
		best = final
	}
	return best, tried, true
}

// steps lead from an order to its neighbours.
var steps = [][4]int{
	{0, 0, 1, 0}, {0, 0, -1, 0}, {0, 0, 0, 1}, {0, 0, 0, -1}, {0, 0, 1, 1}, {0, 0, -1, -1}, {0, 0, -1, 1}, {0, 0, 1, -1},
	{1, 0, 0, 0}, {-1, 0, 0, 0}, {0, 1, 0, 0}, {0, -1, 0, 0}, {1, 1, 0, 0}, {-1, -1, 0, 0}, {-1, 1, 0, 0}, {1, -1, 0, 0},
}

// near starts an order from the weights that it shares with one that is done.
func near(o Order, from *estimate) []float64 {
	if from == nil {
		return nil
	}
	x := make([]float64, 0, o.weights())
	at := 0
	for _, part := range [4][2]int{{o.P, from.o.P}, {o.Q, from.o.Q}, {o.SP, from.o.SP}, {o.SQ, from.o.SQ}} {
		for i := range part[0] {
			v := 0.0
			if i < part[1] {
				v = max(-2, min(2, from.x[at+i]))
			}
			x = append(x, v)
		}
		at += part[1]
	}
	return x
}

// onTheEdge says that the autoregression has a root almost on the unit circle: it says no
// more than that the series should have been differenced again.
func (e *estimate) onTheEdge() bool {
	for i, v := range e.x {
		moving := i >= e.o.P && i < e.o.P+e.o.Q || i >= e.o.P+e.o.Q+e.o.SP
		if !moving && math.Abs(squash(v)) > 0.99 {
			return true
		}
	}
	return false
}

// persistent says that the autoregression returns slowly.
func (e *estimate) persistent() bool {
	for i, v := range e.x[:e.o.P] {
		if i == 0 && squash(v) > 0.9 {
			return true
		}
	}
	return false
}

// differences finds how often a series is to be differenced: over the season where the
// season is strong, and then until it is level by a unit-root test.
func differences(y []float64, season int) (d, sd int) {
	if season > 1 && len(y) >= 3*season {
		if _, strength := panel.Strengths(y, season); strength > seasonalFrom {
			sd = 1
			y = difference(y, Order{SD: 1, Season: season})
		}
	}
	for d+sd < 2 && d < 2 && wanders(y) {
		d++
		y = difference(y, Order{D: 1})
	}
	return d, sd
}

// seasonalFrom is the strength from which a season is differenced: Wang, Smith and
// Hyndman, Data Mining and Knowledge Discovery 13 (2006), and practice since.
const seasonalFrom = 0.64

// wanders tests that a series stays around a level, and says that it does not at five per
// cent.
//
// Source: Kwiatkowski, Phillips, Schmidt and Shin, Testing the null hypothesis of
// stationarity against the alternative of a unit root, Journal of Econometrics 54 (1992),
// with their table's 0.463.
func wanders(y []float64) bool {
	var e []float64
	mean := 0.0
	for _, v := range y {
		if panel.Known(v) {
			e = append(e, v)
			mean += v
		}
	}
	n := float64(len(e))
	if n < 10 {
		return false
	}
	mean /= n
	sum, partial := 0.0, 0.0
	for i := range e {
		e[i] -= mean
		partial += e[i]
		sum += partial * partial
	}
	lags := int(4 * math.Pow(n/100, 0.25))
	variance := 0.0
	for k := 0; k <= lags; k++ {
		c := 0.0
		for i := k; i < len(e); i++ {
			c += e[i] * e[i-k]
		}
		if k > 0 {
			c *= 2 * (1 - float64(k)/float64(lags+1))
		}
		variance += c / n
	}
	return variance > 0 && sum/(n*n*variance) > 0.463
}

// SteadierInLogs says that a series, moved above zero where it is not, prefers logs but for what events bring: a day
// at a tenth of its level is further off in logs than the level ever is, and yet no reason against them.
func SteadierInLogs(in single.Input) bool {
	usual, shift := in.Values, single.LogScale(in.Values).Shift
	if events := in.Events(); shift > 0 || len(events) > 0 {
		usual = slices.Clone(usual)
		for i := range usual {
			usual[i] += shift
		}
		for _, e := range events {
			leaveOut(usual, e, in)
		}
	}
	return PrefersLogs(usual, in.Cadence().Season())
}

// leaveOut makes unknown what an event may move, by what is told of it.
func leaveOut(values []float64, e *calendar.Event, in single.Input) {
	c := in.Cadence()
	if c.Unit == calendar.Number { // which knows no days
		return
	}
	const day = 24 * 3600
	first := in.View().Ordinal(in.First)
	for _, o := range e.Occasions {
		from, _ := c.Ordinal(o.Start - int64(e.Before)*day)
		to, _ := c.Ordinal(o.End - 1 + int64(e.After)*day)
		for ord := max(from, first); ord <= to && ord-first < int64(len(values)); ord++ {
			values[ord-first] = panel.Unknown
		}
	}
}

// PrefersLogs compares the likelihood of a random walk, over the season too, on the logs
// and on the level, each on the level's scale.
//
// Source: Granger and Newbold, Forecasting Economic Time Series (1977), section 9.2.
func PrefersLogs(y []float64, season int) bool {
	for _, v := range y {
		if panel.Known(v) && !(v > 0) {
			return false
		}
	}
	o := Order{D: 1}
	if season > 1 && len(y) >= 3*season {
		o.SD, o.Season = 1, season
	}
	logs := make([]float64, len(y))
	for i, v := range y {
		logs[i] = math.Log(v)
	}
	level, inLogs := difference(y, o), difference(logs, o)
	var n, a, b, jacobian float64
	for i := range level {
		if panel.Known(level[i]) {
			n++
			a += level[i] * level[i]
			b += inLogs[i] * inLogs[i]
			jacobian += logs[i+o.lost()]
		}
	}
	return n > 5 && a > 0 && b > 0 && 0.5*n*math.Log(a/b)-jacobian > 1
}
