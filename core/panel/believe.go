package panel

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// A driver's value that lies far from all others is a slip of the pen, a price in cents or a -999 for "no
// value": none that effects were learnt from goes there, and an effect goes there without bound.
const (
	// fewestBelieved is how many values tell which others are like them, fewestStates how many different
	// ones.
	fewestBelieved = 12
	fewestStates   = 12
	// A driver that is always above zero and whose values are at most tightest times apart is one of
	// shares, such as a price: a value as many times beyond them as they are apart, and at least timesBeyond,
	// is not believed. Of others it is rangesBeyond times their range.
	tightest     = 10.0
	timesBeyond  = 6.0
	rangesBeyond = 10.0
	// mostSlips is the share of a driver's values that can be slips, at each end.
	mostSlips = 0.05
)

// Reach is the range in which values of a driver are believed.
type Reach struct{ low, high float64 }

// everywhere is of drivers that do not tell.
var everywhere = Reach{math.Inf(-1), math.Inf(1)}

// Believes says that a value lies in it; an unknown one is left to others.
func (r Reach) Believes(v float64) bool { return !(v < r.low || v > r.high) }

// ReachOf tells it by what was seen of a driver, unknown values among them.
func ReachOf(seen []float64) Reach {
	known := slices.DeleteFunc(slices.Clone(seen), func(v float64) bool { return !Known(v) })
	if len(known) < fewestBelieved {
		return everywhere
	}
	slices.Sort(known)
	slips := max(1, int(mostSlips*float64(len(known))))
	// What may be a slip at the one end says nothing of the other.
	low, high := slips, len(known)-1-slips
	for low > 0 && beyond(known[low:high+1]).Believes(known[low-1]) {
		low--
	}
	for high < len(known)-1 && beyond(known[low:high+1]).Believes(known[high+1]) {
		high++
	}
	return beyond(known[low : high+1])
}

// beyond is how far values may go beyond sorted ones.
func beyond(sorted []float64) Reach {
	low, high := sorted[0], sorted[len(sorted)-1]
	if low > 0 && high <= tightest*low {
		times := max(timesBeyond, high/low)
		r := Reach{low / times, high * times}
		if high <= 1 || counts(sorted) { // a share of nothing, none of what is counted
			r.low = 0
		}
		return r
	}
	if !manyStates(sorted) {
		return everywhere
	}
	return Reach{low - rangesBeyond*(high-low), high + rangesBeyond*(high-low)}
}

// manyStates says that sorted values are fewestStates or more different ones.
func manyStates(sorted []float64) bool {
	states := 1
	for i := 1; i < len(sorted) && states < fewestStates; i++ {
		if sorted[i] != sorted[i-1] {
			states++
		}
	}
	return states >= fewestStates
}

// counts says that values are small whole numbers.
func counts(sorted []float64) bool {
	if sorted[0] >= tightest {
		return false
	}
	return !slices.ContainsFunc(sorted, func(v float64) bool { return v != math.Trunc(v) })
}

// Reach is that of a driver's values, by the first n of them, under a rule: the one that refuses holes believes
// all.
func (f Filling) Reach(values []float64, n int) Reach {
	n = max(0, min(len(values), n))
	if f.Rule == FillRefuse || noSlips(values, n) {
		return everywhere
	}
	return ReachOf(values[:n])
}

// doubt makes unknown what is not believed of a driver's values, by the first n of them.
func (f Filling) doubt(values []float64, n int) {
	r := f.Reach(values, n)
	for i, v := range values {
		if !r.Believes(v) {
			values[i] = Unknown
		}
	}
}

// noSlips says, without sorting, that no value can be a slip: all are above zero and near to each other, or
// more of the first n than may be slips lie apart by a fifth of the whole range, ten times which is all of it.
// It may be wrong in saying no.
func noSlips(values []float64, n int) bool {
	low, high := math.Inf(1), math.Inf(-1)
	for _, v := range values {
		if Known(v) {
			low, high = min(low, v), max(high, v)
		}
	}
	if low > 0 && high < timesBeyond*low {
		return true
	}
	lower, upper := low+0.3*(high-low), low+0.5*(high-low)
	known, least, below, above := 0, 0, 0, 0
	for _, v := range values[:n] {
		if !Known(v) {
			continue
		}
		known++
		switch {
		case v == low:
			least++
			below++
		case v <= lower:
			below++
		case v >= upper:
			above++
		}
	}
	slips := max(1, int(mostSlips*float64(known)))
	// The lowest is believed too: others are as low, or not all above zero, or near to it.
	return below > slips && above > slips && (least > slips || lower <= 0 || lower <= timesBeyond*low)
}

// Slips counts what is not believed of a driver.
type Slips struct {
	Holes
	Value float64 // the first
	low   float64 // what others of its series were
	high  float64
}

// FindSlips counts the values of each driver that is known ahead that are not believed, over a span of axis indices, by what the
// panel shows of it up to a period.
func FindSlips(p *Panel, series []int, from, to, until int, f Fillings) []Slips {
	var out []Slips
	for d, driver := range p.Drivers {
		if !driver.KnownAhead {
			continue
		}
		h := Slips{Holes: Holes{Driver: driver.Name}}
		for _, s := range series {
			x := &p.Series[s]
			if d >= len(x.Drivers) {
				continue
			}
			values := x.Drivers[d]
			r, n := f[driver.Name].Reach(values, until+1-x.First), 0
			for i := max(from, x.First); i <= to && i-x.First < len(values); i++ {
				v := values[i-x.First]
				if r.Believes(v) {
					continue
				}
				if h.Values+n == 0 {
					h.At, h.Of, h.Value = i, s, v
					h.low, h.high = rangeWithin(values[:max(0, min(len(values), until+1-x.First))], r)
				}
				n++
			}
			if n > 0 {
				h.Values, h.Series = h.Values+n, h.Series+1
			}
		}
		if h.Values > 0 {
			out = append(out, h)
		}
	}
	return out
}

// AddSlips adds up what is not believed of the same driver among different series.
func AddSlips(list []Slips, more Slips) []Slips {
	k := slices.IndexFunc(list, func(x Slips) bool { return x.Driver == more.Driver })
	if k < 0 {
		return append(list, more)
	}
	list[k].Values, list[k].Series = list[k].Values+more.Values, list[k].Series+more.Series
	return list
}

// slips finds drivers with values that are not believed, by all before the end.
func slips(p *Panel) (out []Finding) {
	for d, info := range p.Drivers {
		f := Finding{Kind: "driver slips", Grade: "notable", Meaning: fmt.Sprintf("has values of the driver %s far from all its others, as a price in "+
			"cents, of nought, or a -999 are: they are taken for slips and filled as the plan's driver_gaps has it; correct them, or have "+
			"them believed by 'refuse' there", info.Name)}
		for i := range p.Series {
			s := &p.Series[i]
			if d >= len(s.Drivers) {
				continue
			}
			r := Filling{}.Reach(s.Drivers[d], p.Length-s.First)
			if slices.ContainsFunc(s.Drivers[d], func(v float64) bool { return !r.Believes(v) }) {
				f.Series = append(f.Series, i)
			}
		}
		out = append(out, f)
	}
	return out
}

// rangeWithin is the range of the values that are believed.
func rangeWithin(values []float64, r Reach) (low, high float64) {
	low, high = math.Inf(1), math.Inf(-1)
	for _, v := range values {
		if Known(v) && r.Believes(v) {
			low, high = min(low, v), max(high, v)
		}
	}
	return low, high
}

// Caution says what was not believed, and what was done.
func (s Slips) Caution(p *Panel, where string, f Fillings) string {
	if s.Values == 1 {
		where = strings.Replace(where, "periods", "period", 1)
	}
	return fmt.Sprintf("The driver %s is far from its other values in %d %s of %d series (%.4g in %s of %s, against %.4g to %.4g): taken for slips "+
		"and filled %s. Correct what is wrong, or have all values believed by 'refuse' in the plan's driver_gaps.",
		s.Driver, s.Values, where, s.Series, s.Value, p.Period(s.At), p.Series[s.Of].Key, s.low, s.high, f[s.Driver].words())
}
