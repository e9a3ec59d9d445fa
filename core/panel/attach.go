package panel

import (
	"fmt"
	"slices"
	"strings"

	"paperkettle/core/calendar"
)

// Attached reports how a table of drivers matched a panel.
type Attached struct {
	Driver     string
	KnownAhead bool
	Matched    int      // series that found values
	Unmatched  []string // series that found none
	Covered    int      // periods of matched series, first to last value, with a driver value
	Periods    int      // all such periods
	AheadFrom  int      // the fewest and the most periods past the dataset's end that a
	AheadTo    int      // matched series has a value for
	Unused     []string // keys of the table that no series has
}

// Attach joins the series of a table to a panel as drivers, by time and by those
// attributes that the table has; never by position. The table's last attribute names
// the driver (MeasureAttribute of several measures), or its measure does where names
// has one entry. The table's cadence may be coarser: each period then takes the value
// of the coarser period in which it starts. Drivers of the same names are replaced.
// Neither panel is changed.
func Attach(p, table *Panel, names, knownAhead []string) (*Panel, []Attached, error) {
	j, err := newJoin(p, table, len(names) > 1)
	if err != nil {
		return nil, nil, err
	}
	out := *p
	out.Drivers = slices.Clone(p.Drivers)
	out.Series = slices.Clone(p.Series)
	for i := range out.Series {
		out.Series[i].Drivers = slices.Clone(p.Series[i].Drivers)
	}
	var reports []Attached
	for _, name := range names {
		info := Driver{Name: name, KnownAhead: slices.Contains(knownAhead, name), Attached: true}
		d := slices.IndexFunc(out.Drivers, func(x Driver) bool { return x.Name == name })
		switch {
		case d < 0:
			d = len(out.Drivers)
			out.Drivers = append(out.Drivers, info)
		case !out.Drivers[d].Attached:
			return nil, nil, fmt.Errorf("the dataset's own table has a driver %q: rename the column that is attached", name)
		default:
			out.Drivers[d] = info
		}
		reports = append(reports, j.attach(&out, d, info))
	}
	return &out, reports, nil
}

// join finds the table's series of a panel's series.
type join struct {
	p, table *Panel
	columns  []int // the panel's attributes that the table has, in the table's order
	several  bool
	index    map[string]int
}

func newJoin(p, table *Panel, several bool) (*join, error) {
	if table.Cadence.Unit == calendar.Number != (p.Cadence.Unit == calendar.Number) {
		return nil, fmt.Errorf("the dataset is by %s, the table by %s: they share no time", p.Cadence, table.Cadence)
	}
	if table.Cadence.Unit < p.Cadence.Unit {
		return nil, fmt.Errorf("the table is by %s, finer than the dataset's %s: aggregate it to %s first", table.Cadence, p.Cadence, p.Cadence)
	}
	if p.Cadence.Unit == calendar.Week && table.Cadence.Unit == calendar.Week && !p.Cadence.Same(table.Cadence) {
		return nil, fmt.Errorf("the table's weeks start on another day (%s) than the dataset's (%s)", table.Cadence, p.Cadence)
	}
	j := &join{p: p, table: table, several: several, index: map[string]int{}}
	attributes := table.Attributes
	if several {
		attributes = attributes[:len(attributes)-1]
	}
	for _, a := range attributes {
		at, err := p.AttributeIndex(a.Name)
		if err != nil {
			return nil, err
		}
		j.columns = append(j.columns, at)
	}
	for i := range table.Series {
		j.index[Key(table.Labels(i))] = i
	}
	return j, nil
}

// find gives the table's series of a panel's series and a driver, or -1.
func (j *join) find(series int, driver string) (key string, at int) {
	labels := make([]string, 0, len(j.columns)+1)
	for _, c := range j.columns {
		labels = append(labels, j.p.Label(c, series))
	}
	if j.several {
		labels = append(labels, driver)
	}
	key = Key(labels)
	if i, ok := j.index[key]; ok {
		return key, i
	}
	return key, -1
}

func (j *join) attach(out *Panel, d int, info Driver) Attached {
	r := Attached{Driver: info.Name, KnownAhead: info.KnownAhead, AheadFrom: -1}
	used := map[string]bool{}
	for i := range out.Series {
		s := &out.Series[i]
		for len(s.Drivers) <= d {
			s.Drivers = append(s.Drivers, nil)
		}
		s.Drivers[d] = nil
		key, at := j.find(i, info.Name)
		if at < 0 || len(j.table.Series[at].Values) == 0 {
			r.Unmatched = append(r.Unmatched, s.Key)
			continue
		}
		used[key] = true
		r.Matched++
		s.Drivers[d] = j.values(s, &j.table.Series[at], info.KnownAhead)
		r.Periods += len(s.Values)
		r.Covered += CountKnown(s.Drivers[d][:min(len(s.Values), len(s.Drivers[d]))])
		ahead := max(0, s.First+len(s.Drivers[d])-out.Length)
		if r.AheadFrom < 0 || ahead < r.AheadFrom {
			r.AheadFrom = ahead
		}
		r.AheadTo = max(r.AheadTo, ahead)
	}
	r.AheadFrom = max(r.AheadFrom, 0)
	for key, at := range j.index {
		if !used[key] && (!j.several || strings.HasSuffix(key, info.Name) && j.table.Label(len(j.table.Attributes)-1, at) == info.Name) {
			r.Unused = append(r.Unused, key)
		}
	}
	slices.Sort(r.Unused)
	return r
}

// values lays the table's series beside a panel's: from its first value to the last
// period that the table covers, or to the panel's end where the future is not known.
func (j *join) values(s, from *Series, ahead bool) []float64 {
	// The first second after the table's last period bounds what it covers.
	end := j.table.Cadence.Start(j.table.Ordinal(from.End()-1) + 1)
	last, exact := j.p.Cadence.Ordinal(end)
	if exact {
		last--
	}
	n := int(last-j.p.First) + 1 - s.First
	if !ahead {
		n = min(n, j.p.Length-s.First)
	}
	if n <= 0 {
		return nil
	}
	out := unknowns(n)
	for i := range out {
		ord, _ := j.table.Cadence.Ordinal(j.p.Cadence.Start(j.p.Ordinal(s.First + i)))
		out[i] = from.At(int(ord - j.table.First))
	}
	return out
}
