package influence

import (
	"slices"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// farthest is how many periods back are looked at.
	farthest = 3
	// leastMore is by how much what is foretold must grow for one more column.
	leastMore = 0.002
)

// CarryOver finds what drivers that are known ahead were some periods before that counts for what series do now, by what
// is known up to an axis index: one period of one driver after the other is taken, for as long as more is foretold by it.
// Neighbours, which may be nil, are known to count.
func CarryOver(p *panel.Panel, chosen []int, f panel.Fillings, n *panel.Neighbours, upTo int) []panel.Carried {
	var all []panel.Carried
	for _, d := range p.Drivers {
		for back := 1; back <= farthest && d.KnownAhead; back++ {
			all = append(all, panel.Carried{Driver: d.Name, Back: back})
		}
	}
	if len(all) == 0 {
		return nil
	}
	var some []int
	for _, k := range num.Some(len(chosen), mostSeries) {
		some = append(some, chosen[k])
	}
	plain := panel.NewView(p, some, 0, upTo).WithAhead(nil, 0).WithFillings(f).WithNeighbours(n)
	e := gather(plain.WithCarried(all), len(plain.Drivers()), upTo)
	if e.series < min(fewestSeries, len(chosen)) {
		return nil
	}
	taken := e.oneByOne()
	if len(taken) == 0 || e.believed(taken) == 0 {
		return nil
	}
	out := make([]panel.Carried, len(taken))
	for i, j := range taken {
		out[i] = all[j]
	}
	return out
}

// oneByOne takes the column that foretells most, then the one that does with it, and so on, for as long as the share of
// what is foretold grows in one stretch as in another: in a t test, at a level shared by all that are tried.
func (e *evidence) oneByOne() (taken []int) {
	tried := e.all()
	before := make([]float64, stretches)
	for {
		next, most, gains := -1, leastMore, []float64(nil)
		for _, j := range tried {
			if slices.Contains(taken, j) {
				continue
			}
			after := e.gains(append(slices.Clone(taken), j))
			if len(after) < stretches/2 {
				continue
			}
			if more := floats.SubTo(make([]float64, len(after)), after, before[:len(after)]); stat.Mean(more, nil) > most &&
				hardlyByChance(more, byChance/float64(len(tried))) {
				next, most, gains = j, stat.Mean(more, nil), after
			}
		}
		if next < 0 {
			slices.Sort(taken)
			return taken
		}
		taken, before = append(taken, next), gains
	}
}
