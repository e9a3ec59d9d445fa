package panel

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// Neighbours are series that have some attributes in common: those of a shop, say, which buyers choose among. What
// becomes of one of them is a matter of the drivers of the others too, so each is shown, for every driver that is known
// ahead, the mean over its neighbours, who count for as much as they sell.
//
// A driver whose values are all above zero, such as a price, is told as a ratio: each neighbour's to its own median, and
// their geometric mean. Any other is told by the plain mean. Unknown values are filled as they are for the neighbour itself,
// but where it sold nothing, and tells nothing; where none tells, the ratio is 1, and the mean is that of all periods.
//
// Source: where buyers choose one of several by logit, what the price of one does to the share of another grows with the
// share of the one: McFadden, Conditional logit analysis of qualitative choice behavior, in Frontiers in Econometrics
// (1974).
type Neighbours struct {
	By      []string // the attributes; none: all series are neighbours
	columns []besideColumn
	group   []int     // of each series
	share   []float64 // of what its group sells
}

// besideColumn is a driver of the neighbours.
type besideColumn struct {
	driver  int
	ratio   bool
	own     [][]float64 // what each series tells, from its first period on
	sums    [][]float64 // over each group, by axis index, by their shares
	telling [][]float64 // the shares of those that tell
	usual   []float64   // of each group
}

// The words for neighbours that are no attributes: of all series, and of none.
const (
	AllNeighbours = "all"
	NoNeighbours  = "none"
)

// ParseNeighbours reads by which attributes, with commas between them, or all, or none, which gives nil.
func ParseNeighbours(p *Panel, text string) ([]string, error) {
	switch text {
	case "", NoNeighbours:
		return nil, nil
	case AllNeighbours:
		return []string{}, nil
	}
	by := strings.Split(text, ",")
	for i := range by {
		by[i] = strings.TrimSpace(by[i])
		if _, err := p.AttributeIndex(by[i]); err != nil {
			return nil, fmt.Errorf("neighbours by %q: %w; say attributes with commas between them, %s or %s", text, err, AllNeighbours, NoNeighbours)
		}
	}
	return by, nil
}

// NeighboursText is what ParseNeighbours reads.
func NeighboursText(by []string) string {
	switch {
	case by == nil:
		return NoNeighbours
	case len(by) == 0:
		return AllNeighbours
	}
	return strings.Join(by, ",")
}

// NeighboursBy finds the neighbours by some attributes, and what their drivers are next to what was usual up to an axis
// index. Drivers that neighbours have in common, such as the weather, tell nothing and are left out.
func (p *Panel) NeighboursBy(by []string, f Fillings, upTo int) *Neighbours {
	n := &Neighbours{By: by, group: p.groups(by)}
	n.share = p.shares(n.group, upTo)
	for d, driver := range p.Drivers {
		if driver.KnownAhead {
			if c := n.column(p, d, f, upTo); n.differ(p, &c) {
				n.columns = append(n.columns, c)
			}
		}
	}
	return n
}

// shares are of what each series sold in the mean, up to an axis index, in what its group did; the same for all of a group
// that sold nothing.
func (p *Panel) shares(group []int, upTo int) []float64 {
	out := make([]float64, len(group))
	sums, counts := make([]float64, len(group)), make([]float64, len(group)) // of groups, who are no more than series
	for i := range p.Series {
		x := &p.Series[i]
		sum, known := 0.0, 0.0
		for _, v := range x.Values[:max(0, min(len(x.Values), upTo+1-x.First))] {
			if Known(v) {
				sum, known = sum+v, known+1
			}
		}
		out[i] = max(0, sum/max(1, known))
		sums[group[i]] += out[i]
		counts[group[i]]++
	}
	for i, g := range group {
		if out[i] /= sums[g]; sums[g] == 0 {
			out[i] = 1 / counts[g]
		}
	}
	return out
}

// groups numbers the series by what they have in common, in the order of their first.
func (p *Panel) groups(by []string) []int {
	out, known := make([]int, len(p.Series)), map[string]int{}
	for i := range out {
		labels := make([]string, len(by))
		for k, name := range by {
			labels[k] = p.labelOf(name, i)
		}
		key := strings.Join(labels, "\x00")
		g, ok := known[key]
		if !ok {
			g = len(known)
			known[key] = g
		}
		out[i] = g
	}
	return out
}

// column tells a driver of all series, for their neighbours.
func (n *Neighbours) column(p *Panel, d int, f Fillings, upTo int) besideColumn {
	c := besideColumn{driver: d, own: make([][]float64, len(p.Series))}
	for i := range p.Series {
		c.own[i] = p.believable(i, d, f, upTo)
	}
	c.ratio = !slices.ContainsFunc(c.own, func(values []float64) bool {
		return slices.ContainsFunc(values, func(v float64) bool { return v <= 0 })
	})
	if c.ratio {
		for i, values := range c.own {
			toRatios(values, upTo+1-p.Series[i].First)
		}
	}
	n.add(p, &c)
	for g := range c.sums {
		if c.usual = append(c.usual, 0); !c.ratio {
			c.usual[g] = meanTold(c.sums[g], c.telling[g], upTo)
		}
	}
	return c
}

// add sums up what the series of each group tell.
func (n *Neighbours) add(p *Panel, c *besideColumn) {
	length := p.Length
	for i, values := range c.own {
		length = max(length, p.Series[i].First+len(values))
	}
	for range slices.Max(n.group) + 1 {
		c.sums, c.telling = append(c.sums, make([]float64, length)), append(c.telling, make([]float64, length))
	}
	for i, values := range c.own {
		g, first := n.group[i], p.Series[i].First
		for t, v := range values {
			if Known(v) {
				c.sums[g][first+t] += n.share[i] * v
				c.telling[g][first+t] += n.share[i]
			}
		}
	}
}

// believable are a driver's values of series i, from its first period on. Where something was sold, and after the last
// period, an unknown value or a slip is filled as it is for the series itself; where nothing was sold it is unknown.
func (p *Panel) believable(i, d int, f Fillings, upTo int) []float64 {
	x := &p.Series[i]
	if d >= len(x.Drivers) {
		return nil
	}
	out := slices.Clone(x.Drivers[d])
	f[p.Drivers[d].Name].doubt(out, max(0, upTo+1-x.First))
	s := View{p: p, series: []int{i}, origin: upTo, fillings: f}.Series(0)
	filled := s.Driver(d, max(0, x.First+len(out)-s.First))
	for t := range filled {
		if at := s.First + t; at >= x.End() || Known(x.At(at)) {
			out[at-x.First] = filled[t]
		}
	}
	return out
}

// toRatios makes logs of the ratios of values to their median, by the first n of them, or by all where none of those is
// known.
func toRatios(values []float64, n int) {
	middle := median(values[:max(0, min(n, len(values)))])
	if !Known(middle) {
		middle = median(values)
	}
	for t, v := range values {
		values[t] = math.Log(v / middle)
	}
}

func meanTold(sums, telling []float64, upTo int) float64 {
	sum, of := 0.0, 0.0
	for t := range sums[:min(len(sums), upTo+1)] {
		sum, of = sum+sums[t], of+telling[t]
	}
	if of == 0 {
		return 0
	}
	return sum / of
}

// sameShare is the share of periods from which on neighbours that have the same value have it in common.
const sameShare = 0.95

// nobody is the share below which nobody tells anything: sums are rounded.
const nobody = 1e-9

// without is the mean over the neighbours of series i at an axis index; false where none tells.
func (n *Neighbours) without(p *Panel, c *besideColumn, i, at int) (mean float64, ok bool) {
	g := n.group[i]
	if at < 0 || at >= len(c.sums[g]) {
		return 0, false
	}
	sum, of := c.sums[g][at], c.telling[g][at]
	if j := at - p.Series[i].First; j >= 0 && j < len(c.own[i]) && Known(c.own[i][j]) {
		sum, of = sum-n.share[i]*c.own[i][j], of-n.share[i]
	}
	return sum / of, of > nobody
}

// differ says that there are neighbours, and that they do not mostly have the same value of a driver.
func (n *Neighbours) differ(p *Panel, c *besideColumn) bool {
	apart, count := 0, 0
	for i, values := range c.own {
		for t, v := range values {
			mean, others := n.without(p, c, i, p.Series[i].First+t)
			if !others || !Known(v) {
				continue
			}
			if count++; math.Abs(mean-v) > 1e-6*(1+math.Abs(v)) {
				apart++
			}
		}
	}
	return count > 0 && float64(apart) > (1-sameShare)*float64(count)
}

// names are the drivers of the neighbours.
func (n *Neighbours) names(p *Panel) []Driver {
	if n == nil {
		return nil
	}
	out := make([]Driver, len(n.columns))
	for k, c := range n.columns {
		out[k] = Driver{Name: p.Drivers[c.driver].Name + " of neighbours", KnownAhead: true}
	}
	return out
}

// Of names the drivers that are told of neighbours.
func (n *Neighbours) Of(p *Panel) (out []string) {
	for _, c := range n.columns {
		out = append(out, p.Drivers[c.driver].Name)
	}
	return out
}

// Len is how many drivers of neighbours there are.
func (n *Neighbours) Len() int {
	if n == nil {
		return 0
	}
	return len(n.columns)
}

// values are those of a column for series i, from an axis index on.
func (n *Neighbours) values(p *Panel, k, i, from, count int) []float64 {
	c, out := &n.columns[k], make([]float64, count)
	for t := range out {
		mean, ok := n.without(p, c, i, from+t)
		if !ok {
			mean = c.usual[n.group[i]]
		}
		if out[t] = mean; c.ratio {
			out[t] = math.Exp(mean)
		}
	}
	return out
}

// WithNeighbours is the view with the drivers of neighbours beside each series' own, after those; nil for none.
func (v View) WithNeighbours(n *Neighbours) View {
	if n.Len() == 0 {
		return v
	}
	v = v.forgetting()
	v.neighbours = n
	return v
}

// Grouped lists the series that have some attributes in common, in the order of their first.
func (p *Panel) Grouped(by []string) (out [][]int) {
	for i, g := range p.groups(by) {
		if g == len(out) {
			out = append(out, nil)
		}
		out[g] = append(out[g], i)
	}
	return out
}

// Some is the panel with some of its series alone.
func (p *Panel) Some(series []int) *Panel {
	out := *p
	out.Series, out.Attributes, out.shut = make([]Series, len(series)), make([]Attribute, len(p.Attributes)), nil
	for a, attribute := range p.Attributes {
		codes := make([]int32, len(series))
		for k, i := range series {
			codes[k] = attribute.Codes[i]
		}
		out.Attributes[a] = Attribute{attribute.Name, attribute.Values, codes}
	}
	for k, i := range series {
		out.Series[k] = p.Series[i]
		if p.shut != nil {
			out.shut = append(out.shut, p.shut[i])
		}
	}
	return &out
}
