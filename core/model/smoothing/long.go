package smoothing

import (
	"math"

	"paperkettle/core/model/harmonic"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

func pairs(long []harmonic.Terms) (n int) {
	for i := range long {
		n += long[i].Pairs()
	}
	return n
}

// mostPairs bounds the harmonics of a season.
func mostPairs(period float64, n int) int {
	return max(0, min(10, int(period/2)-1, n/20))
}

// tryLong looks for seasons longer than the one with states, and keeps them where the
// criterion is lower.
func (s *State) tryLong(f *fitter, m Method, in single.Input, list []estimate, season int) {
	var long []harmonic.Terms
	y := append([]float64(nil), in.Values...)
	start := additive(list)
	for _, period := range in.Seasons() {
		if period <= float64(season)*1.01 || m.Season > 0 || float64(single.Span(y)) < 2*period {
			continue
		}
		terms := s.findLong(f, y, period, season, start)
		if terms == nil {
			continue
		}
		long = append(long, *terms)
		for i := range y {
			y[i] -= terms.At(s.Ordinal + int64(i))
		}
	}
	if len(long) == 0 {
		f.reset(in.Values, season, s.Scale)
		return
	}
	f.reset(y, season, s.Scale)
	positive := above(y, 1e-9*s.Scale)
	f.starts(positive)
	again := f.search(m.Allowed, positive, season)
	if len(again) == 0 {
		f.reset(in.Values, season, s.Scale)
		return
	}
	known := panel.CountKnown(y)
	for i := range again {
		again[i].count += 2 * pairs(long)
		again[i].aicc = criterion(again[i].loglik, again[i].count, known)
	}
	if again[0].aicc < list[0].aicc {
		s.take(again, season, long)
		return
	}
	f.reset(in.Values, season, s.Scale) // as it was
}

func additive(list []estimate) estimate {
	for _, e := range list {
		if !e.form.Positive() {
			return e
		}
	}
	return list[0]
}

// findLong fits harmonics of a period to a series with smoothed errors, by generalised
// least squares: what a form makes of the series and of each column are their
// innovations, on which the coefficients are ordinary least squares. It alternates with
// fitting the form.
func (s *State) findLong(f *fitter, y []float64, period float64, season int, start estimate) *harmonic.Terms {
	columns := harmonic.Columns(period, mostPairs(period, single.Span(y)), s.Ordinal, len(y))
	if season > 1 { // those that the short season has already
		columns = drop(columns, period, season)
	}
	coef := []float64(nil)
	e := start
	rest := append([]float64(nil), y...)
	for round := range 3 {
		f.reset(rest, season, s.Scale)
		if round > 0 {
			f.starts(false)
			var ok bool
			if e, ok = f.fit(e.form, e.x, enough(f.known)); !ok {
				return nil
			}
		}
		f.form, f.p = e.form, e.p
		if !f.tr.run(e.form, f.y, season, &e.p) {
			return nil
		}
		target := make([]float64, len(y))
		for i := range target {
			target[i] = f.tr.resid[i] * s.Scale
			if !panel.Known(y[i]) {
				target[i] = panel.Unknown
			}
		}
		filtered := make([][]float64, len(columns))
		for c := range columns {
			filtered[c] = innovations(e.form, &e.p, columns[c], y, season)
			for i := range target { // whole effect, not only the change since the last round
				if c < len(coef) {
					target[i] += coef[c] * filtered[c][i]
				}
			}
		}
		fewest := 0
		if round > 0 { // the number of pairs is settled
			fewest = len(coef)
			filtered, columns = filtered[:fewest], columns[:fewest]
		}
		if coef = harmonic.Regress(target, filtered, fewest); len(coef) == 0 {
			return nil
		}
		terms := harmonic.Terms{Period: period, Coef: coef}
		for i := range rest {
			rest[i] = y[i] - terms.At(s.Ordinal+int64(i))
		}
	}
	return &harmonic.Terms{Period: period, Coef: coef}
}

// drop cuts the columns before the first pair that repeats with the short season.
func drop(columns [][]float64, period float64, season int) [][]float64 {
	for k := range len(columns) / 2 {
		rounds := float64(k+1) * float64(season) / period
		if math.Abs(rounds-math.Round(rounds)) < 1e-9 && rounds > 0.5 {
			return columns[:2*k]
		}
	}
	return columns
}

// innovations passes a column through a form from states of zero.
func innovations(form Form, p *params, column, y []float64, m int) []float64 {
	out := make([]float64, len(column))
	var l, b float64
	season := make([]float64, m)
	for i, v := range column {
		q := l + p.Phi*b
		k := i % m
		mu := q
		if form.Season != 'N' {
			mu += season[k]
		}
		r := v - mu
		if !panel.Known(y[i]) {
			r = 0
		}
		out[i] = r
		l, b = q+p.Alpha*r, p.Phi*b+p.Beta*r
		if form.Season != 'N' {
			season[k] += p.Gamma * r
		}
	}
	return out
}

// longAt is what the harmonics add to the i-th value.
func (s *State) longAt(i int) (v float64) {
	for k := range s.Long {
		v += s.Long[k].At(s.Ordinal + int64(i))
	}
	return v
}
