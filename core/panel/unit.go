package panel

import (
	"fmt"
	"math"
	"slices"
)

// A driver that is a hundred or a thousand times as large, or as small, from one period on and for good is in another
// unit since then: a price in cents, a share in per cent. Its later values are read as the earlier ones were.
const (
	// fewestBefore and fewestAfter are how many values on either side tell.
	fewestBefore, fewestAfter = 6, 3
	// halfway is by how many times at most the middles of both sides differ once they are in one unit, and
	// atOnce the neighbours of the change.
	halfway, atOnce = 2.0, 3.0
	// wider is by how many times at most all values lie wider apart, in one unit, than those of a side.
	wider = 2.0
)

var units = []float64{100, 1000, 0.01, 0.001}

// unitChange finds the place from which values are in another unit for good, and by how much they are larger since; the
// end and 1 where there is none. Zeros are zeros in every unit.
func unitChange(values []float64) (at int, factor float64) {
	n, low, high := 0, math.Inf(1), 0.0
	for _, v := range values {
		if v < 0 {
			return len(values), 1
		}
		if v > 0 {
			n, low, high = n+1, min(low, v), max(high, v)
		}
	}
	if n < fewestBefore+fewestAfter || high*atOnce < 100*low { // too few, or no change as large
		return len(values), 1
	}
	places, known := make([]int, 0, n), make([]float64, 0, n)
	for i, v := range values {
		if v > 0 {
			places, known = append(places, i), append(known, v)
		}
	}
	for k := fewestBefore; k <= n-fewestAfter; k++ {
		for _, by := range units {
			if ratio := known[k] / known[k-1] / by; ratio > 1/atOnce && ratio < atOnce && inUnits(known[:k], known[k:], by) {
				return places[k], by
			}
		}
	}
	return len(values), 1
}

// inUnits says that values after others are the same kind of values once they are divided by a factor, and not before.
func inUnits(before, after []float64, by float64) bool {
	if by > 1 && slices.Min(after) <= slices.Max(before) || by < 1 && slices.Max(after) >= slices.Min(before) {
		return false
	}
	if ratio := median(after) / median(before) / by; ratio > halfway || ratio < 1/halfway {
		return false
	}
	low, high := min(slices.Min(before), slices.Min(after)/by), max(slices.Max(before), slices.Max(after)/by)
	apart := max(slices.Max(before)/slices.Min(before), slices.Max(after)/slices.Min(after))
	return high/low <= wider*apart
}

// UnitChange is a driver that is in another unit from a period on, in some series.
type UnitChange struct {
	Driver string
	Series []int
	At     []int     // of each the axis index of the first
	By     []float64 // how many times as large its values are since then
	place  int       // of the driver
}

// UnitChanges finds them among the drivers whose rule believes not all values.
func (p *Panel) UnitChanges(f Fillings) (out []UnitChange) {
	for d, driver := range p.Drivers {
		if f[driver.Name].Rule == FillRefuse {
			continue
		}
		c := UnitChange{Driver: driver.Name, place: d}
		for i := range p.Series {
			s := &p.Series[i]
			if d >= len(s.Drivers) {
				continue
			}
			if at, by := unitChange(s.Drivers[d]); by != 1 {
				c.Series, c.At, c.By = append(c.Series, i), append(c.At, s.First+at), append(c.By, by)
			}
		}
		if len(c.Series) > 0 {
			out = append(out, c)
		}
	}
	return out
}

// WithUnits is the panel with the drivers of some changes in the unit that they had first. Nothing of the panel itself
// changes.
func (p *Panel) WithUnits(changes []UnitChange) *Panel {
	if len(changes) == 0 {
		return p
	}
	out := *p
	out.Series = slices.Clone(p.Series)
	for _, c := range changes {
		for k, i := range c.Series {
			s := &out.Series[i]
			s.Drivers = slices.Clone(s.Drivers)
			values := slices.Clone(s.Drivers[c.place])
			for t := c.At[k] - s.First; t < len(values); t++ {
				values[t] /= c.By[k]
			}
			s.Drivers[c.place] = values
		}
	}
	return &out
}

// UnitCautions say, of some series, what changed and how it is read.
func (p *Panel) UnitCautions(changes []UnitChange, series []int) (out []string) {
	among := make(map[int]bool, len(series))
	for _, i := range series {
		among[i] = true
	}
	for _, c := range changes {
		first, n := -1, 0
		for k, i := range c.Series {
			if !among[i] {
				continue
			}
			if n++; first < 0 {
				first = k
			}
		}
		if n > 0 {
			out = append(out, fmt.Sprintf("The driver %s is %s in %d series, in %s from %s on: taken for another unit, and read in the earlier one, "+
				"in which scenarios have to give it too. Load it in one unit, or have all values believed by 'refuse' in the plan's driver_gaps.",
				c.Driver, c.size(first), n, p.Series[c.Series[first]].Key, p.Period(c.At[first])))
		}
	}
	return out
}

// size says by how much a series' driver is larger or smaller.
func (c *UnitChange) size(k int) string {
	if c.By[k] < 1 {
		return fmt.Sprintf("%g times smaller", math.Round(1/c.By[k]))
	}
	return fmt.Sprintf("%g times as large", c.By[k])
}

// unitChanges finds drivers that are in another unit from a period on.
func unitChanges(p *Panel) (out []Finding) {
	for _, c := range p.UnitChanges(nil) {
		out = append(out, Finding{Kind: "driver unit", Grade: "notable", Series: c.Series, Meaning: fmt.Sprintf("has the driver %s %s "+
			"from a period on and for good, as of another unit (the first in %s): it is read in the earlier one; load it in one unit, or have all "+
			"values believed by 'refuse' in the plan's driver_gaps", c.Driver, c.size(0), p.Period(c.At[0]))})
	}
	return out
}
