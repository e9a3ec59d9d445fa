package influence

import (
	"slices"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// fewestSeries is how many series must tell.
	fewestSeries = 3
	// mostSeries are looked at, of neighbours in whole groups.
	mostSeries = 2000
	// mostAttributes are combined in every way; of more, each alone, and all but one.
	mostAttributes = 4
	// mostTogether is how many series may be neighbours only because they are of one dataset.
	mostTogether = 60
)

// Neighbours gives the attributes that series must share for the drivers of the one to count for the other, by what is known up
// to an axis index: none at all where all series of the panel are neighbours, and nil where neighbours do not count.
// Only the chosen series must be foretold better.
//
// Source: of sales that move to what is cheaper beside them: Guadagni and Little, A logit model of brand choice calibrated
// on scanner data, Marketing Science 2 (1983).
func Neighbours(p *panel.Panel, chosen []int, f panel.Fillings, upTo int) (by []string) {
	if !slices.ContainsFunc(p.Drivers, func(d panel.Driver) bool { return d.KnownAhead }) || len(chosen) < fewestSeries {
		return nil
	}
	best := leastGain
	for _, candidate := range candidates(p) {
		part, places := some(p, chosen, candidate)
		if gain := worth(part, places, candidate, f, upTo); gain > best {
			by, best = candidate, gain
		}
	}
	return by
}

// candidates are the ways to be neighbours that differ, those by fewer attributes first.
func candidates(p *panel.Panel) (out [][]string) {
	seen := map[string]bool{}
	for _, set := range subsets(len(p.Attributes)) {
		by := make([]string, len(set))
		for k, a := range set {
			by[k] = p.Attributes[a].Name
		}
		groups := p.Grouped(by)
		if !worthTrying(groups, len(p.Series)) {
			continue
		}
		if key := keyOf(groups); !seen[key] {
			seen[key] = true
			out = append(out, by)
		}
	}
	return out
}

// subsets are those of some attributes: all proper ones of few, none, each alone and all but one of many.
func subsets(n int) (out [][]int) {
	for bits := range 1 << min(n, mostAttributes) {
		var set []int
		for a := range min(n, mostAttributes) {
			if bits>>a&1 == 1 {
				set = append(set, a)
			}
		}
		if len(set) < n {
			out = append(out, set)
		}
	}
	for a := mostAttributes; a < n; a++ {
		out = append(out, []int{a})
	}
	for a := 0; a < n && n > mostAttributes; a++ {
		var set []int
		for b := range n {
			if b != a {
				set = append(set, b)
			}
		}
		out = append(out, set)
	}
	slices.SortStableFunc(out, func(a, b []int) int { return len(a) - len(b) })
	return out
}

// worthTrying says that half of the series have neighbours, and that these are not simply all of many.
func worthTrying(groups [][]int, series int) bool {
	alone := 0
	for _, g := range groups {
		if len(g) == 1 {
			alone++
		}
	}
	return 2*alone <= series && (len(groups) > 1 || series <= mostTogether)
}

// keyOf tells groupings apart.
func keyOf(groups [][]int) string {
	key := make([]byte, 0, 4*len(groups))
	for _, g := range groups {
		for _, i := range g {
			key = append(key, byte(i), byte(i>>8), byte(i>>16), ',')
		}
		key = append(key, ';')
	}
	return string(key)
}

// some is the panel with as many whole groups as are looked at, spread evenly over them, and the places of the chosen
// series in it.
func some(p *panel.Panel, chosen []int, by []string) (*panel.Panel, []int) {
	groups := p.Grouped(by)
	every := (len(p.Series) + mostSeries - 1) / mostSeries
	var kept []int
	for k := 0; num.Thin(k, every) < len(groups); k++ {
		kept = append(kept, groups[num.Thin(k, every)]...)
	}
	slices.Sort(kept)
	wanted := make(map[int]bool, len(chosen))
	for _, i := range chosen {
		wanted[i] = true
	}
	var places []int
	for k, i := range kept {
		if wanted[i] {
			places = append(places, k)
		}
	}
	return p.Some(kept), places
}

// worth is the share of what own drivers leave that neighbours foretell; 0 where that may be chance.
func worth(p *panel.Panel, chosen []int, by []string, f panel.Fillings, upTo int) float64 {
	n := p.NeighboursBy(by, f, upTo)
	if n.Len() == 0 {
		return 0
	}
	plain := panel.NewView(p, chosen, 0, upTo).WithAhead(nil, 0).WithFillings(f)
	own := len(plain.Drivers())
	e := gather(plain.WithNeighbours(n), own, upTo)
	if e.series < fewestSeries {
		return 0
	}
	return e.believed(e.all())
}
