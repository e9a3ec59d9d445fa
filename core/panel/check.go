package panel

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"paperkettle/core/calendar"
	"paperkettle/core/num"
)

// Finding is something in a panel that deserves a look, with the series concerned.
type Finding struct {
	Kind    string
	Grade   string // serious, notable or minor
	Meaning string // what a series does, why it matters and what can be done
	Series  []int
	Instead []string // kinds of findings that say less exactly what this one says of the same series
}

// rule is one check of a series.
type rule struct {
	kind, grade, meaning string
	applies              func(s *Series, f *facts) bool
}

// Survey is what a look over a whole panel tells.
type Survey struct {
	Findings []Finding // the worst first
	// Of each series, the strength of its trend and its season (see strengths) and its
	// class of demand.
	Trend, Season []float64
	Demand        []string
}

// Add puts more findings to those of a survey, in the place of any that they say more exactly.
func (s *Survey) Add(more []Finding) {
	all := slices.Clone(s.Findings)
	for _, f := range more {
		for j, old := range all {
			if slices.Contains(f.Instead, old.Kind) {
				all[j].Series = slices.DeleteFunc(slices.Clone(old.Series), func(i int) bool {
					_, told := slices.BinarySearch(f.Series, i)
					return told
				})
			}
		}
	}
	s.Findings = byGrade(append(all, more...))
}

// Look surveys a panel on some workers. It changes nothing.
func Look(p *Panel, workers int) Survey {
	p = p.WithClosed(p.Length - 1)
	all := allFacts(p, workers)
	out := Survey{Findings: findings(p, all)}
	for i := range all {
		f := &all[i]
		out.Trend, out.Season = append(out.Trend, f.trend), append(out.Season, f.season)
		out.Demand = append(out.Demand, f.class().String())
	}
	return out
}

func findings(p *Panel, all []facts) []Finding {
	rules := rulesFor(p)
	found := make([]Finding, len(rules))
	middle := middleScale(all)
	for i := range p.Series {
		f := &all[i]
		f.farScale = f.known > 0 && f.mean != 0 && math.Abs(math.Log10(math.Abs(f.mean))-middle) > 3
		for j, r := range rules {
			if r.applies(&p.Series[i], f) {
				found[j].Series = append(found[j].Series, i)
			}
		}
	}
	for j, r := range rules {
		found[j].Kind, found[j].Grade, found[j].Meaning = r.kind, r.grade, r.meaning
	}
	nameSeasons(found, all)
	found = append(found, gaps(p)...)
	found = append(found, shutDoors(p)...)
	found = append(found, leaks(p)...)
	found = append(found, slips(p)...)
	found = append(found, unitChanges(p)...)
	found = append(found, spellings(p)...)
	return byGrade(found)
}

// byGrade are the findings that concern any series, the worst first.
func byGrade(found []Finding) []Finding {
	var out []Finding
	for _, grade := range []string{"serious", "notable", "minor"} {
		for _, f := range found {
			if f.Grade == grade && len(f.Series) > 0 {
				out = append(out, f)
			}
		}
	}
	return out
}

// nameSeasons says how long the cycles are that the calendar does not know.
func nameSeasons(found []Finding, all []facts) {
	for j := range found {
		if found[j].Kind != ownSeason {
			continue
		}
		var lengths []string
		for _, i := range found[j].Series {
			if text := strconv.Itoa(all[i].own); !slices.Contains(lengths, text) {
				lengths = append(lengths, text)
			}
		}
		found[j].Meaning = "follows a cycle of " + strings.Join(lengths[:min(5, len(lengths))], ", ") + " periods, " + found[j].Meaning
	}
}

const ownSeason = "own season"

func rulesFor(p *Panel) []rule {
	season := p.Cadence.Season()
	reach := driversReach(p)
	late := max(2*season, p.Length/4)
	return []rule{
		{"empty", "serious", "has no known value: it can't be forecast; leave it out or look for the missing rows",
			func(_ *Series, f *facts) bool { return f.known == 0 }},
		{"very short", "serious", "has fewer than five known values: families that fit each series alone repeat the last one, and their " +
			"interval is a guess; boosting and automatic go by its likes",
			func(_ *Series, f *facts) bool { return f.known > 0 && f.known < 5 }},
		{"short for its season", "notable", fmt.Sprintf("spans fewer than two seasons of %s: what it is like in each is told from all series "+
			"together, and is unsure; add history if there is any", p.Cadence.Noun(season)),
			func(s *Series, f *facts) bool { return season > 1 && f.known >= 5 && len(s.Values) < 2*season }},
		{"stopped", "notable", "has no value in the last season: if it is discontinued, leave it out; if data is missing, load it",
			func(s *Series, f *facts) bool { return f.known > 0 && s.End() < p.Length-max(1, season-1) }},
		{ownSeason, "notable", "which the calendar does not know: families with a season take it up by themselves, and a name for its cause, as " +
			"an event or a driver, would say where it is from", func(s *Series, f *facts) bool { return f.own > 0 }},
		{"level shift", "notable", "moved to another level and stayed there: a mean over both levels misleads; find out why, and train on the " +
			"part since", func(_ *Series, f *facts) bool { return f.shifted }},
		{"outliers", "notable", "has single values far from their neighbours, by more than eight robust deviations: correct them if they are " +
			"errors, or give their cause as an event", func(_ *Series, f *facts) bool { return f.outliers > 0 }},
		{"some below zero", "notable", "is below zero in a few periods and not in the rest: returns or corrections may be booked as sales",
			func(_ *Series, f *facts) bool { return f.negative > 0 && f.negative*20 < f.known }},
		{"far scale", "notable", "is a thousand times larger or smaller than the series in the middle: its unit may differ, and unweighted " +
			"errors are ruled by the large ones", func(_ *Series, f *facts) bool { return f.farScale }},
		{"constant", "notable", "never changes: any forecast repeats it, and scaled errors are unknown",
			func(_ *Series, f *facts) bool { return f.known >= 5 && f.low == f.high }},
		{"drivers end", "notable", "has a driver said to be known ahead that does not reach past the last period, ends earlier than in other " +
			"series, or has gaps there: a forecast takes what the plan's driver_gaps says in its place; load the values if there are " +
			"any", func(s *Series, _ *facts) bool { return driversEnd(p, s, reach) }},
		{"last period low", "serious", fmt.Sprintf("is far lower in its last %s than its level and its season let expect: it may be only partly "+
			"over; load up to the one before, or the whole", p.Cadence.Unit.Word()), func(s *Series, f *facts) bool { return f.half && s.End() == p.Length }},
		{"lumpy demand", "minor", "has demand in few periods and of very uneven size (lumpy): no method forecasts it well; aim at the interval",
			func(_ *Series, f *facts) bool { return f.class() == lumpy }},
		{"intermittent demand", "minor", "has demand in few periods, of even size (intermittent): a family for intermittent demand may suit it, " +
			"and percentage errors do not", func(_ *Series, f *facts) bool { return f.class() == intermittent }},
		{"erratic demand", "minor", "has demand in most periods but of very uneven size (erratic): expect wide intervals",
			func(_ *Series, f *facts) bool { return f.class() == erratic }},
		{"started late", "minor", "starts well after the dataset: early windows set it aside",
			func(s *Series, f *facts) bool { return f.known > 0 && s.First >= late }},
	}
}

type facts struct {
	known, zeros, negative int
	low, high, mean        float64
	sizes                  float64 // number, mean and squared deviations of the values that are not zero
	sizeMean, sizeM2       float64
	outliers               int
	shifted, farScale      bool
	trend, season          float64
	half                   bool // the last value looks like that of a part of its period
	own                    int  // length of a season that the calendar does not know
}

func factsOf(values []float64) facts {
	f := facts{low: math.Inf(1), high: math.Inf(-1)}
	for _, v := range values {
		if !Known(v) {
			continue
		}
		f.known++
		f.mean += (v - f.mean) / float64(f.known)
		f.low, f.high = min(f.low, v), max(f.high, v)
		if v < 0 {
			f.negative++
		}
		if v == 0 {
			f.zeros++
			continue
		}
		f.sizes++
		d := v - f.sizeMean
		f.sizeMean += d / f.sizes
		f.sizeM2 += d * (v - f.sizeMean)
	}
	return f
}

// halfOver says whether the last value is far below what the season of the last cycles, at the
// level of the last one, lets expect: less than three quarters of it, and lower than any value
// has been below its own expectation.
func halfOver(values []float64, season int, f facts) bool {
	n := len(values)
	if season < 2 || f.low < 0 || f.zeros > 0 || n < 2*season+fewestRatios || !Known(values[n-1]) {
		return false
	}
	ratio := func(t int) float64 { // of a value over that of a season before, as far as the level has moved since
		was, is := 0.0, 0.0
		for k := 1; k < season; k++ {
			was, is = was+values[t-season-k], is+values[t-k]
		}
		return values[t] / values[t-season] * was / is // unknown where any of them is
	}
	last := ratio(n - 1)
	if !Known(last) || last > 0.75 {
		return false
	}
	lowest, seen := math.Inf(1), 0
	for t := 2*season - 1; t < n-1; t++ {
		if r := ratio(t); Known(r) {
			lowest, seen = min(lowest, r), seen+1
		}
	}
	return seen >= fewestRatios && last < 0.9*lowest
}

// fewestRatios are the earlier values that the last one is held against at the least.
const fewestRatios = 3

type demandClass int

const (
	smooth demandClass = iota
	erratic
	intermittent
	lumpy
)

func (c demandClass) String() string {
	return [...]string{"smooth", "erratic", "intermittent", "lumpy"}[c]
}

// DemandOf names the class of demand of a series: smooth, erratic, intermittent or
// lumpy.
func DemandOf(values []float64) string {
	f := factsOf(values)
	return f.class().String()
}

// class sorts demand by the mean distance between periods with demand (cut at 1.32)
// and the squared coefficient of variation of its size (cut at 0.49).
//
// Source: Syntetos, Boylan and Croston, On the categorization of demand patterns,
// Journal of the Operational Research Society 56 (2005).
func (f *facts) class() demandClass {
	if f.known < 5 || f.sizes < 2 || f.low < 0 || f.low == f.high {
		return smooth
	}
	rare := float64(f.known)/f.sizes >= 1.32
	uneven := f.sizeM2/(f.sizes-1) >= 0.49*f.sizeMean*f.sizeMean
	switch {
	case rare && uneven:
		return lumpy
	case rare:
		return intermittent
	case uneven:
		return erratic
	}
	return smooth
}

// allFacts looks at every series once.
func allFacts(p *Panel, workers int) []facts {
	out := make([]facts, len(p.Series))
	err := num.EachWith(context.Background(), workers, len(p.Series), func() *scratch { return &scratch{} }, func(work *scratch, i int) {
		values := p.Series[i].Values
		f := factsOf(values)
		f.outliers = work.outliers(values, p.Cadence.Season())
		f.shifted = work.shifted(values, p.Cadence.Season())
		f.trend, f.season = work.strengths(values, p.Cadence.Season())
		f.half = halfOver(values, p.Cadence.Season(), f)
		f.own = FindSeason(values, p.Cadence.Season())
		out[i] = f
	})
	if err != nil { // a fault of the program's own: nothing is made up in its place
		panic(err)
	}
	return out
}

// middleScale is the median of the series' sizes, as a power of ten.
func middleScale(all []facts) float64 {
	var scales []float64
	for _, f := range all {
		if f.known > 0 && f.mean != 0 {
			scales = append(scales, math.Log10(math.Abs(f.mean)))
		}
	}
	if len(scales) == 0 {
		return 0
	}
	slices.Sort(scales)
	return scales[len(scales)/2]
}

// driversReach is how many periods past the panel's end each driver that is known
// ahead reaches, at the most.
func driversReach(p *Panel) []int {
	out := make([]int, len(p.Drivers))
	for i := range p.Series {
		s := &p.Series[i]
		for d, info := range p.Drivers {
			if info.KnownAhead {
				out[d] = max(out[d], s.First+len(s.Drivers[d])-p.Length)
			}
		}
	}
	return out
}

// driversEnd says whether a driver known ahead leaves a period ahead without a value.
func driversEnd(p *Panel, s *Series, reach []int) bool {
	for d, info := range p.Drivers {
		if !info.KnownAhead || s.End() < p.Length {
			continue
		}
		for t := len(s.Values); t < len(s.Values)+max(1, reach[d]); t++ {
			if t >= len(s.Drivers[d]) || !Known(s.Drivers[d][t]) {
				return true
			}
		}
	}
	return false
}

// gaps are periods without a value between a series' first and last that are not closed.
func gaps(p *Panel) []Finding {
	f := Finding{Kind: "gaps", Grade: "notable", Meaning: "has periods without a value between its first and last: if they mean zero, load " +
		"with gaps as zero; if nothing could happen there, say which periods are closed"}
	for i := range p.Series {
		s := &p.Series[i]
		if !slices.Contains(p.Closed, ClosedGaps) && hasGap(p, i, s) {
			f.Series = append(f.Series, i)
		}
	}
	return []Finding{f}
}

func hasGap(p *Panel, i int, s *Series) bool {
	for k := range s.Values {
		if !Known(s.Values[k]) && !p.IsClosed(i, s.First+k) {
			return CountKnown(s.Values) > 0
		}
	}
	return false
}

// shutDoors proposes what may be closed: days of the week, or months, on which series never
// sell anything.
func shutDoors(p *Panel) []Finding {
	by := map[string][]int{}
	var lines []string
	for i := range p.Series {
		for _, line := range p.ClosedPlaces(i) {
			at := by[line]
			if at == nil {
				lines = append(lines, line)
			}
			if n := len(at); n == 0 || at[n-1] != i {
				by[line] = append(at, i)
			}
		}
	}
	slices.SortFunc(lines, func(a, b string) int { return placeOrder(a) - placeOrder(b) })
	var out []Finding
	for _, line := range lines {
		var when string
		switch {
		case line == ClosedGaps:
			when = "at the same hours of every week"
		case p.Cadence.Unit < calendar.Month:
			when = "on any " + strings.ToUpper(line[:1]) + line[1:]
		default:
			when = "in any " + strings.ToUpper(line[:1]) + line[1:]
		}
		out = append(out, Finding{Kind: "closed?", Grade: "notable", Series: by[line],
			Meaning: fmt.Sprintf("sells nothing %s: if it is shut then, say so with the line %q of the dataset's closed periods, and nothing is "+
				"learnt from them, forecast or flagged there", when, line)})
	}
	return out
}
