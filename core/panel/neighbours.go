package panel

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// Neighbours are series that have some attributes in common: those of a shop, say, which buyers choose among. What
// becomes of one of them is a matter of the drivers of the others too, so each is shown, for every driver that is known
// ahead, the mean over its neighbours.
//
// A driver whose values are all above zero, such as a price, is told as a ratio: each neighbour's to its own median, and
// their geometric mean. Any other is told by the plain mean. Values that are unknown or not believed tell nothing; where
// none does, the ratio is 1, and the mean is that of all periods.
type Neighbours struct {
	By      []string // the attributes; none: all series are neighbours
	columns []besideColumn
	group   []int     // of each series
	share   []float64 // of what its group sells
}

// besideColumn is a driver of the neighbours.
type besideColumn struct {
	driver int
	ratio  bool
	own    []besideOwn // of each series
	sums   [][]float64 // over each group, by axis index, by their shares
	told   [][]float64 // the shares of those that tell
	usual  []float64   // of each group
}

// besideOwn is what is needed of a series' own values.
type besideOwn struct {
	reach  Reach
	middle float64 // 1 unless it is told as a ratio
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
			if c := n.column(p, d, f[driver.Name], upTo); n.differ(p, &c) {
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
func (n *Neighbours) column(p *Panel, d int, f Filling, upTo int) besideColumn {
	groups := slices.Max(n.group) + 1
	c := besideColumn{driver: d, ratio: true, own: make([]besideOwn, len(p.Series)), sums: make([][]float64, groups),
		told: make([][]float64, groups), usual: make([]float64, groups)}
	length := p.Length
	for i := range p.Series {
		x := &p.Series[i]
		c.own[i] = besideOwn{everywhere, 1}
		if d >= len(x.Drivers) {
			continue
		}
		c.own[i].reach = f.Reach(x.Drivers[d], upTo+1-x.First)
		for _, v := range x.Drivers[d] {
			c.ratio = c.ratio && !(c.own[i].reach.Believes(v) && v <= 0)
		}
		length = max(length, x.First+len(x.Drivers[d]))
	}
	for g := range groups {
		c.sums[g], c.told[g] = make([]float64, length), make([]float64, length)
	}
	for i := range p.Series {
		x, g := &p.Series[i], n.group[i]
		if d >= len(x.Drivers) {
			continue
		}
		if c.ratio {
			c.own[i].middle = middleOf(x.Drivers[d], c.own[i].reach, upTo+1-x.First)
		}
		for t, v := range x.Drivers[d] {
			if v, ok := c.tells(i, v); ok {
				c.sums[g][x.First+t] += n.share[i] * v
				c.told[g][x.First+t] += n.share[i]
			}
		}
	}
	if !c.ratio {
		for g := range groups {
			c.usual[g] = meanTold(c.sums[g], c.told[g], upTo)
		}
	}
	return c
}

// middleOf is the median of the first n values that are believed, or of all where none is among them.
func middleOf(values []float64, r Reach, n int) float64 {
	seen := slices.DeleteFunc(slices.Clone(values[:max(0, min(n, len(values)))]), func(v float64) bool { return !r.Believes(v) })
	if CountKnown(seen) == 0 {
		seen = slices.DeleteFunc(slices.Clone(values), func(v float64) bool { return !r.Believes(v) })
	}
	return median(seen)
}

func meanTold(sums, told []float64, upTo int) float64 {
	sum, of := 0.0, 0.0
	for t := range sums[:min(len(sums), upTo+1)] {
		sum, of = sum+sums[t], of+told[t]
	}
	if of == 0 {
		return 0
	}
	return sum / of
}

// tells is what a value of series i says; false where it says nothing.
func (c *besideColumn) tells(i int, v float64) (float64, bool) {
	own := c.own[i]
	if !Known(v) || !own.reach.Believes(v) || !Known(own.middle) {
		return 0, false
	}
	if c.ratio {
		return math.Log(v / own.middle), true
	}
	return v, true
}

// sameShare is the share of periods from which on neighbours that have the same value have it in common.
const sameShare = 0.95

// nobody is the share below which nobody tells anything: sums are rounded.
const nobody = 1e-9

// without is the mean over the neighbours of series i at an axis index; false where none tells.
func (n *Neighbours) without(p *Panel, c *besideColumn, i, at int) (mean float64, ok bool) {
	x, g := &p.Series[i], n.group[i]
	if at < 0 || at >= len(c.sums[g]) {
		return 0, false
	}
	sum, of := c.sums[g][at], c.told[g][at]
	if j := at - x.First; c.driver < len(x.Drivers) && j >= 0 && j < len(x.Drivers[c.driver]) {
		if v, ok := c.tells(i, x.Drivers[c.driver][j]); ok {
			sum, of = sum-n.share[i]*v, of-n.share[i]
		}
	}
	return sum / of, of > nobody
}

// differ says that there are neighbours, and that they do not mostly have the same value of a driver.
func (n *Neighbours) differ(p *Panel, c *besideColumn) bool {
	apart, count := 0, 0
	for i := range p.Series {
		x := &p.Series[i]
		if c.driver >= len(x.Drivers) {
			continue
		}
		for t, v := range x.Drivers[c.driver] {
			own, ok := c.tells(i, v)
			mean, others := n.without(p, c, i, x.First+t)
			if !ok || !others {
				continue
			}
			if count++; math.Abs(mean-own) > 1e-6*(1+math.Abs(own)) {
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
