package panel

import (
	"fmt"
	"math"
)

// Finding is something in a panel that deserves a look, with the series concerned.
type Finding struct {
	Kind    string
	Grade   string // serious, notable or minor
	Meaning string
	Series  []int
}

// Check looks a panel over, the worst first. It changes nothing.
func Check(p *Panel) []Finding {
	season := p.Cadence.Season()
	late := max(2*season, p.Length/4)
	list := []struct {
		kind, grade, meaning string
		applies              func(s *Series, f facts) bool
	}{
		{"empty", "serious", "has no known value: it can't be forecast; leave it out or look for the missing rows", func(_ *Series, f facts) bool { return f.known == 0 }},
		{"very short", "serious", "has fewer than five known values: only the simplest forecast is possible, and its interval is a guess", func(_ *Series, f facts) bool { return f.known > 0 && f.known < 5 }},
		{"short for its season", "notable", fmt.Sprintf("spans fewer than two seasons of %s: a season can't be told from chance; add history or use a family without one", p.Cadence.Noun(season)),
			func(s *Series, f facts) bool { return season > 1 && f.known >= 5 && len(s.Values) < 2*season }},
		{"stopped", "notable", "has no value in the last season: if it is discontinued, leave it out; if data is missing, load it", func(s *Series, f facts) bool { return f.known > 0 && s.End() < p.Length-max(1, season-1) }},
		{"some below zero", "notable", "is below zero in a few periods and not in the rest: returns or corrections may be booked as sales", func(_ *Series, f facts) bool { return f.negative > 0 && f.negative*20 < f.known }},
		{"gaps", "notable", "has periods without a value between its first and last: if they mean zero, load with gaps as zero", func(s *Series, f facts) bool { return f.known > 0 && f.known < len(s.Values) }},
		{"constant", "notable", "never changes: any forecast repeats it, and scaled errors are unknown", func(_ *Series, f facts) bool { return f.known >= 5 && f.low == f.high }},
		{"mostly zero", "minor", "is zero in more than half of its periods: a family for intermittent demand may suit it, and percentage errors do not", func(_ *Series, f facts) bool { return f.known >= 5 && f.zeros*2 > f.known && f.low != f.high }},
		{"started late", "minor", "starts well after the dataset: early windows set it aside", func(s *Series, f facts) bool { return f.known > 0 && s.First >= late }},
		{"drivers end", "notable", "has a driver said to be known ahead that does not reach past the last period", func(s *Series, _ facts) bool { return driversEnd(p, s) }},
	}
	found := make([]Finding, len(list))
	for i := range p.Series {
		s := &p.Series[i]
		f := factsOf(s.Values)
		for j, c := range list {
			if c.applies(s, f) {
				found[j].Series = append(found[j].Series, i)
			}
		}
	}
	var out []Finding
	for _, grade := range []string{"serious", "notable", "minor"} {
		for j, c := range list {
			if c.grade == grade && len(found[j].Series) > 0 {
				out = append(out, Finding{c.kind, c.grade, c.meaning, found[j].Series})
			}
		}
	}
	return out
}

type facts struct {
	known, zeros, negative int
	low, high              float64
}

func factsOf(values []float64) facts {
	f := facts{low: math.Inf(1), high: math.Inf(-1)}
	for _, v := range values {
		if !Known(v) {
			continue
		}
		f.known++
		if v == 0 {
			f.zeros++
		}
		if v < 0 {
			f.negative++
		}
		f.low, f.high = min(f.low, v), max(f.high, v)
	}
	return f
}

func driversEnd(p *Panel, s *Series) bool {
	for d, info := range p.Drivers {
		if info.KnownAhead && s.End() == p.Length && (len(s.Drivers[d]) <= len(s.Values) || !Known(s.Drivers[d][len(s.Values)])) {
			return true
		}
	}
	return false
}
