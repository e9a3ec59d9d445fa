package panel

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"math"
	"slices"
)

// Restated is a value that a merge replaced.
type Restated struct {
	Series string  `json:"series"`
	Period string  `json:"period"`
	Old    float64 `json:"old"`
	New    float64 `json:"new"`
}

// Changes says what a merge did. Restated lists the first hundred.
type Changes struct {
	NewSeries     int        `json:"new_series"`
	NewPeriods    int        `json:"new_periods" doc:"periods on the axis that the dataset did not have"`
	NewValues     int        `json:"new_values"`
	RestatedCount int        `json:"restated_count"`
	Restated      []Restated `json:"restated,omitempty" doc:"the first hundred"`
}

const restatedShown = 100

// Merge lays newer rows over a panel: known values of newer win. Both must have
// the same cadence, measure, attributes and drivers. Neither is changed.
func Merge(old, newer *Panel) (*Panel, Changes, error) {
	if err := sameShape(old, newer); err != nil {
		return nil, Changes{}, err
	}
	first := min(old.First, newer.First)
	last := max(old.Ordinal(old.Length-1), newer.Ordinal(newer.Length-1))
	out := *old
	out.First, out.Length = first, int(last-first+1)
	ch := Changes{NewPeriods: out.Length - old.Length}

	type pair struct{ old, new int }
	index := map[string]*pair{}
	for i, s := range old.Series {
		index[s.Key] = &pair{i, -1}
	}
	for i, s := range newer.Series {
		if p := index[s.Key]; p != nil {
			p.new = i
		} else {
			index[s.Key] = &pair{-1, i}
			ch.NewSeries++
		}
	}
	pairs := make([]*pair, 0, len(index))
	for _, p := range index {
		pairs = append(pairs, p)
	}
	labels := func(p *pair) []string {
		if p.old >= 0 {
			return old.Labels(p.old)
		}
		return newer.Labels(p.new)
	}
	slices.SortFunc(pairs, func(a, b *pair) int { return slices.Compare(labels(a), labels(b)) })

	out.Series = make([]Series, len(pairs))
	columns := make([][]string, len(old.Attributes))
	for i, pr := range pairs {
		for a, v := range labels(pr) {
			columns[a] = append(columns[a], v)
		}
		var a, b Series
		if pr.old >= 0 {
			a = old.Series[pr.old]
			a.First += int(old.First - first)
		}
		if pr.new >= 0 {
			b = newer.Series[pr.new]
			b.First += int(newer.First - first)
		}
		out.Series[i] = mergeSeries(&out, a, b, &ch)
	}
	out.Attributes = make([]Attribute, len(columns))
	for a := range columns {
		out.Attributes[a] = NewAttribute(old.Attributes[a].Name, columns[a])
	}
	return &out, ch, nil
}

func sameShape(old, newer *Panel) error {
	if !old.Cadence.Same(newer.Cadence) {
		return fmt.Errorf("the dataset is by %s, the file is by %s: give the dataset's cadence or load under another name", old.Cadence, newer.Cadence)
	}
	if old.Measure != newer.Measure {
		return fmt.Errorf("the dataset measures %q, the file %q", old.Measure, newer.Measure)
	}
	if len(old.Attributes) != len(newer.Attributes) {
		return fmt.Errorf("the dataset has %d attributes, the file %d", len(old.Attributes), len(newer.Attributes))
	}
	for i := range old.Attributes {
		if old.Attributes[i].Name != newer.Attributes[i].Name {
			return fmt.Errorf("the dataset's attribute %q is %q in the file: name the same columns in the same order", old.Attributes[i].Name,
				newer.Attributes[i].Name)
		}
	}
	if !slices.Equal(ownDrivers(old), ownDrivers(newer)) {
		return fmt.Errorf("the dataset's drivers and the file's differ: name the same driver columns, in the same order and the same ones known ahead")
	}
	return nil
}

// ownDrivers are those of the dataset's own table.
func ownDrivers(p *Panel) (out []Driver) {
	for _, d := range p.Drivers {
		if !d.Attached {
			out = append(out, d)
		}
	}
	return out
}

// Difference is what a later panel of a dataset has that an earlier one has not, and the other way
// round. Restated lists every changed value.
type Difference struct {
	Changes
	GoneValues            int
	NewSeries, GoneSeries []string
}

// Diff sets two panels of a dataset side by side, value by value.
func Diff(old, newer *Panel) (Difference, error) {
	var d Difference
	if !old.Cadence.Same(newer.Cadence) {
		return d, fmt.Errorf("one is by %s, the other by %s: their values can't be compared", old.Cadence, newer.Cadence)
	}
	first, last := min(old.First, newer.First), max(old.Ordinal(old.Length-1), newer.Ordinal(newer.Length-1))
	d.NewPeriods = int(last-first+1) - old.Length
	place := make(map[string]int, len(old.Series))
	for i := range old.Series {
		place[old.Series[i].Key] = i
	}
	for i := range newer.Series {
		now := &newer.Series[i]
		before := Series{}
		if j, ok := place[now.Key]; ok {
			before = old.Series[j]
			delete(place, now.Key)
		} else {
			d.NewSeries = append(d.NewSeries, now.Key)
		}
		for ord := first; ord <= last; ord++ {
			d.value(newer, now.Key, ord, before.At(int(ord-old.First)), now.At(int(ord-newer.First)))
		}
	}
	for i := range old.Series {
		if _, gone := place[old.Series[i].Key]; gone {
			d.GoneSeries = append(d.GoneSeries, old.Series[i].Key)
			d.GoneValues += CountKnown(old.Series[i].Values)
		}
	}
	d.Changes.NewSeries = len(d.NewSeries)
	return d, nil
}

func (d *Difference) value(p *Panel, key string, ord int64, before, now float64) {
	switch was, is := Known(before), Known(now); {
	case !was && is:
		d.NewValues++
	case was && !is:
		d.GoneValues++
	case was && is && before != now:
		d.RestatedCount++
		d.Restated = append(d.Restated, Restated{key, p.Cadence.Format(ord), before, now})
	}
}

func mergeSeries(p *Panel, a, b Series, ch *Changes) Series {
	out := Series{Key: a.Key + b.Key}
	if a.Key != "" && b.Key != "" {
		out.Key = a.Key
	}
	start, end := a.First, a.End()
	if len(a.Values) == 0 {
		start, end = b.First, b.End()
	} else if len(b.Values) > 0 {
		start, end = min(start, b.First), max(end, b.End())
	}
	out.First = start
	out.Values = unknowns(end - start)
	for i := range out.Values {
		x, y := a.At(start+i), b.At(start+i)
		switch {
		case !Known(y):
			out.Values[i] = x
		case !Known(x):
			ch.NewValues++
			out.Values[i] = y
		default:
			if x != y {
				ch.RestatedCount++
				if len(ch.Restated) < restatedShown {
					ch.Restated = append(ch.Restated, Restated{out.Key, p.Period(start + i), x, y})
				}
			}
			out.Values[i] = y
		}
	}
	own := 0 // the newer table has the own drivers alone
	for d, info := range p.Drivers {
		var older, newer []float64
		if d < len(a.Drivers) {
			older = a.Drivers[d]
		}
		if !info.Attached {
			if own < len(b.Drivers) {
				newer = b.Drivers[own]
			}
			own++
		}
		out.Drivers = append(out.Drivers, mergeDriver(start, a.First, b.First, older, newer))
	}
	return out
}

// mergeDriver lays newer values over older ones; each begins at its series' first.
func mergeDriver(start, firstOld, firstNew int, older, newer []float64) []float64 {
	at := func(values []float64, first, i int) float64 {
		if j := i - first; j >= 0 && j < len(values) {
			return values[j]
		}
		return Unknown
	}
	end := start
	if len(older) > 0 {
		end = max(end, firstOld+len(older))
	}
	if len(newer) > 0 {
		end = max(end, firstNew+len(newer))
	}
	out := unknowns(end - start)
	for i := range out {
		if out[i] = at(newer, firstNew, start+i); !Known(out[i]) {
			out[i] = at(older, firstOld, start+i)
		}
	}
	return out
}

// Hash is the SHA-256 of a panel's content in hex: the same values, names and
// axis give the same hash, in whatever order the rows came.
func Hash(p *Panel) string {
	h := sha256.New()
	fmt.Fprintf(h, "%s|%d|%d|%q|%v|", p.Cadence.Code(), p.First, p.Length, p.Measure, p.Drivers)
	if p.Floor != nil {
		fmt.Fprintf(h, "floor %v|", *p.Floor)
	}
	for _, a := range p.Attributes {
		fmt.Fprintf(h, "%q|", a.Name)
	}
	for _, e := range p.Events {
		fmt.Fprintf(h, "event %q %v %d %d %v|", e.Name, e.Where, e.Before, e.After, e.Occasions)
	}
	if len(p.Closed) > 0 {
		fmt.Fprintf(h, "closed %q|", p.Closed)
	}
	buf := make([]byte, 0, 1<<14)
	write := func(values []float64) {
		buf = binary.LittleEndian.AppendUint64(buf[:0], uint64(len(values)))
		for _, v := range values {
			bits := math.Float64bits(v)
			if !Known(v) {
				bits = math.Float64bits(Unknown)
			}
			buf = binary.LittleEndian.AppendUint64(buf, bits)
		}
		h.Write(buf)
	}
	for i, s := range p.Series {
		fmt.Fprintf(h, "%q|%d|", p.Labels(i), s.First)
		write(s.Values)
		for _, d := range s.Drivers {
			write(d)
		}
	}
	return hex.EncodeToString(h.Sum(nil))
}
