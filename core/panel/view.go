package panel

import (
	"maps"
	"math/rand/v2"
	"slices"

	"paperkettle/core/calendar"
)

// View is what a model may see: some series of a panel, from a first period up to
// the origin. Nothing behind it reaches past the origin but the drivers that are
// known ahead, so a model can't read the future by mistake.
type View struct {
	p            *Panel
	series       []int
	from, origin int
	shown        []shownDriver // nil: all, as they are
	reach        int
	fillings     Fillings          // of drivers' unknown values
	instead      map[int][]float64 // values of series in place of the panel's, by their place in it
	memory       *memory           // nil for none
	neighbours   *Neighbours       // nil where their drivers are not shown
	carried      []Carried
}

// NewView shows the given series on axis indices from..origin (both included).
func NewView(p *Panel, series []int, from, origin int) View {
	return View{p: p, series: series, from: max(from, 0), origin: min(origin, p.Length-1)}
}

// Len is the number of series.
func (v View) Len() int { return len(v.series) }

// Origin is the axis index of the last visible period.
func (v View) Origin() int { return v.origin }

// Believed says that every value is to be learnt from as it was loaded.
func (v View) Believed() bool { return v.p.believed }

// From is the axis index of the first visible period.
func (v View) From() int { return v.from }

// Cadence is the panel's cadence.
func (v View) Cadence() calendar.Cadence { return v.p.Cadence }

// Ordinal turns an axis index into a period; it works past the origin too.
func (v View) Ordinal(i int) int64 { return v.p.Ordinal(i) }

// Attributes lists the attributes' names.
func (v View) Attributes() []string {
	out := make([]string, len(v.p.Attributes))
	for i, a := range v.p.Attributes {
		out[i] = a.Name
	}
	return out
}

// SeriesView is one series of a view.
type SeriesView struct {
	Key    string
	Labels []string // attribute values, in the order of View.Attributes
	// First is the axis index of Values[0]; the last value is at the origin.
	// Values is NaN where unknown and must not be written to.
	First   int
	Values  []float64
	v       View
	at      int // in the panel
	drivers [][]float64
	offset  int  // of First in drivers
	copied  bool // Values were filled up, anew for each caller
}

// Series gives the i-th series of the view. A series that ended before the
// origin is filled up to it with unknown periods, so that the last value always
// stands at the origin. Leading unknown periods are cut.
func (v View) Series(i int) SeriesView {
	s := &v.p.Series[v.series[i]]
	values, first := v.Values(i)
	return SeriesView{Key: s.Key, Labels: v.p.Labels(v.series[i]), First: first, Values: values, v: v, at: v.series[i], drivers: s.Drivers,
		offset: first - s.First, copied: s.End() <= v.origin}
}

// Like is the series as another view of the same panel holds it, with its own values.
func (s SeriesView) Like(other SeriesView) SeriesView {
	s.v = other.v
	return s
}

// Values are those of the i-th series alone, as Series gives them, and the axis index of
// the first.
func (v View) Values(i int) (values []float64, first int) {
	s := &v.p.Series[v.series[i]]
	from := max(v.from, s.First)
	to := min(v.origin+1, s.End())
	for from < to && !Known(s.At(from)) {
		from++
	}
	if from >= to {
		return nil, v.origin + 1
	}
	values = s.Values
	if own, ok := v.instead[v.series[i]]; ok {
		values = own
	}
	values = values[from-s.First : to-s.First : to-s.First]
	if missing := v.origin + 1 - to; missing > 0 {
		values = append(make([]float64, 0, len(values)+missing), values...)
		for range missing {
			values = append(values, Unknown)
		}
	}
	return values, from
}

// Events lists what concerns the series, past and ahead.
func (s SeriesView) Events() []*calendar.Event {
	var out []*calendar.Event
	for i := range s.v.p.Events {
		e := &s.v.p.Events[i]
		if e.Holds(s.label) {
			out = append(out, e)
		}
	}
	return out
}

func (s SeriesView) label(attribute string) string {
	for i, a := range s.v.p.Attributes {
		if a.Name == attribute {
			return s.Labels[i]
		}
	}
	return ""
}

// Before is the same series seen from an earlier origin.
func (s SeriesView) Before(origin int) SeriesView {
	s.v = s.v.Before(origin)
	s.Values = s.Values[:max(0, min(len(s.Values), s.v.origin-s.First+1))]
	return s
}

// View is the view that the series belongs to.
func (s SeriesView) View() View { return s.v }

// CountKnown is the number of known values.
func CountKnown(values []float64) (n int) {
	for _, v := range values {
		if Known(v) {
			n++
		}
	}
	return n
}

// Scramble returns a copy of a panel in which everything a model at the origin may not see
// is replaced by noise: for tests that catch a model that reads the future.
func Scramble(p *Panel, origin int, rnd *rand.Rand) *Panel {
	q := *p
	q.Series = make([]Series, len(p.Series))
	for i, s := range p.Series {
		s.Values = append([]float64(nil), s.Values...)
		for j := range s.Values {
			if s.First+j > origin {
				s.Values[j] = rnd.NormFloat64() * 1e6
			}
		}
		drivers := make([][]float64, len(s.Drivers))
		for d := range drivers {
			drivers[d] = append([]float64(nil), s.Drivers[d]...)
			for j := range drivers[d] {
				if s.First+j > origin && !p.Drivers[d].KnownAhead {
					drivers[d][j] = rnd.NormFloat64() * 1e6
				}
			}
		}
		s.Drivers = drivers
		q.Series[i] = s
	}
	return &q
}

// MiddleLength is how many values the history of middle length has.
func (v View) MiddleLength() int {
	lengths := make([]int, v.Len())
	for i := range lengths {
		values, _ := v.Values(i)
		lengths[i] = len(values)
	}
	slices.Sort(lengths)
	return lengths[len(lengths)/2]
}

// Pick is the view of some of its series, by their places.
func (v View) Pick(places []int) View {
	series := make([]int, len(places))
	for i, p := range places {
		series[i] = v.series[p]
	}
	v.series = series
	return v
}

// Without is the view with some values unknown: odd lists, by the place of a series in the view, axis
// indices of periods that it has.
func (v View) Without(odd map[int][]int) View {
	values := make(map[int][]float64, len(odd))
	for i, periods := range odd {
		own, first := v.Values(i)
		values[i] = slices.Clone(own)
		for _, at := range periods {
			if at >= first && at-first < len(own) {
				values[i][at-first] = Unknown
			}
		}
	}
	return v.Instead(values)
}

// Instead is the view with other values of some series: values lists them by the place of a series in the
// view, for the periods that Values gives.
func (v View) Instead(values map[int][]float64) View {
	instead := maps.Clone(v.instead)
	if instead == nil {
		instead = make(map[int][]float64, len(values))
	}
	for i, own := range values {
		s := &v.p.Series[v.series[i]]
		all := slices.Clone(s.Values)
		if before, ok := v.instead[v.series[i]]; ok {
			copy(all, before)
		}
		if _, first := v.Values(i); first < s.End() {
			copy(all[first-s.First:], own)
		}
		instead[v.series[i]] = all
	}
	v.instead = instead
	return v
}

// Before is the same view from an earlier origin.
func (v View) Before(origin int) View {
	v.origin = min(v.origin, origin)
	return v
}

// Only is the view of its i-th series alone.
func (v View) Only(i int) View {
	v.series = v.series[i : i+1]
	return v
}

// Last is the same series from its n-th last value on.
func (s SeriesView) Last(n int) SeriesView {
	if cut := len(s.Values) - n; cut > 0 {
		s.Values, s.First, s.offset = s.Values[cut:], s.First+cut, s.offset+cut
	}
	return s
}

// Closed says whether the period at an axis index, past or ahead, is closed.
func (s SeriesView) Closed(i int) bool { return s.v.p.IsClosed(s.at, i) }
