package boosting

import (
	"context"
	"math"
	"slices"

	"paperkettle/core/boost"
	"paperkettle/core/feature"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// rows are what trees learn from: one of each series, inner origin and step whose actual is
// known.
type rows struct {
	lay     *Layout
	columns [][]float32
	target  []float32 // the actual less the base's forecast, in units
	actual  []float64
	at      []int32 // axis index of the actual
	series  []int32
	step    []int32 // counted from 1
	unit    []float32
	hearts  []window
	starts  []start // where trees go on from what they forecast
	sources []look
	settled model.Model
	last    int // axis index of the last period
}

// look is a series without what looks like mistakes, and its features.
type look struct {
	series panel.SeriesView
	laid   *feature.Rows
	unit   single.Unit // that earlier values were counted in
}

// lookAt lays the features of a series out, and of periods ahead.
func (l *Layout) lookAt(s panel.SeriesView, horizon int) (look, error) {
	s, mended := single.Mend(s)
	laid, err := l.Recipe.Lay(s, s.Values, horizon, nil)
	return look{s, laid, mended.Unit}, err
}

// window is the base's forecast of a series from an origin whose steps are all held out.
type window struct {
	series, origin int
	heart          single.Heart
	steps          []int32
}

// overlap is how many rows there are for an actual.
func (r *rows) overlap() float64 {
	if r == nil || len(r.at) == 0 {
		return 1
	}
	seen := map[[2]int32]bool{}
	for i, at := range r.at {
		seen[[2]int32{r.series[i], at}] = true
	}
	return float64(len(r.at)) / float64(len(seen))
}

// told is about how many windows of a series, one after another, the rows are.
func (r *rows) told() float64 {
	if r.count() == 0 {
		return 0
	}
	return float64(r.count()) / r.overlap() / float64(r.lay.Horizon)
}

func (r *rows) count() int {
	if r == nil {
		return 0
	}
	return len(r.target)
}

// others are the columns besides the recipe's and the attributes.
func others(season int) []column {
	list := []column{
		{"step", "steps ahead", "step"},
		{"base", "the base's forecast, next to the recent level", "own past"},
		{"last", "the last value less the base's forecast", "own past"},
		{"last 4", "the mean of the last 4 values less the base's forecast", "own past"},
		{"spread", "how far the last values lie apart", "own past"},
		{"slope", "the mean of the last season less that of the one before", "own past"},
		{"zeros", "share of the last values that are zero", "own past"},
	}
	if season > 1 {
		list = append(list,
			column{"season last", "the last value of the step's place in the season less the base's forecast", "season"},
			column{"season median", "the median of the last 4 of them less the base's forecast", "season"},
			column{"season mean", "the mean of the last season less the base's forecast", "own past"})
	}
	return list
}

// writer fills the columns of one series at one origin.
type writer struct {
	lay    *Layout
	laid   *feature.Rows
	values []float64 // up to the origin
	level  float64
	unit   float64
	fixed  []float32 // codes of the attributes
	plain  []float64 // room for the recipe's columns
	means  []float64 // of the recipe's columns that are drivers: their usual value
	facts  [5]float64
}

// width is the number of columns.
func (l *Layout) width() int { return len(l.Recipe.Columns)*2 + len(l.Kinds) + len(l.Names) }

// newWriter prepares a series; laid are its rows over all of its values.
func (l *Layout) newWriter(s panel.SeriesView, laid *feature.Rows) *writer {
	w := &writer{lay: l, laid: laid, plain: make([]float64, len(l.Recipe.Columns)), means: make([]float64, len(l.Recipe.Columns)),
		fixed: make([]float32, len(l.Names))}
	for k, name := range l.Names {
		w.fixed[k] = float32(math.NaN())
		for j, a := range s.View().Attributes() {
			if code, ok := l.Codes[k][s.Labels[j]]; a == name && ok {
				w.fixed[k] = float32(code)
			}
		}
	}
	return w
}

// from sets the origin: values are those up to it.
func (w *writer) from(values []float64) {
	w.values = values
	season := max(w.lay.Season, 1)
	recent := num.Tail(values, max(8, min(2*season, 60)))
	w.level = num.KnownMean(recent)
	size := num.MeanSize(num.Tail(values, max(26, 2*season)))
	w.unit = max(size, 1e-9)
	last, before := num.KnownMean(num.Tail(values, season)), num.KnownMean(num.Tail(values[:max(0, len(values)-season)], season))
	if season == 1 {
		last, before = num.KnownMean(num.Tail(values, 4)), num.KnownMean(num.Tail(values[:max(0, len(values)-4)], 4))
	}
	w.facts = [5]float64{num.LastKnown(values), num.KnownMean(num.Tail(values, 4)), num.KnownSpread(recent) / w.unit, (last - before) / w.unit,
		num.ZeroShare(recent)}
	for k := range w.lay.Recipe.Columns { // what drivers have been of late
		if w.means[k] = math.NaN(); w.lay.Recipe.Columns[k].IsDriver() {
			sum, n := 0.0, 0.0
			for t := max(0, len(values)-max(8, season)); t < len(values); t++ {
				w.laid.FillAhead(t, w.plain)
				if v := w.plain[k]; v == v {
					sum, n = sum+v, n+1
				}
			}
			w.means[k] = sum / n
		}
	}
}

// fill puts the columns of a step, counted from 1, into x; base is the base's forecast of it.
func (w *writer) fill(step int, base float64, x []float32) {
	if w.lay.Signed {
		base = w.level
	}
	w.laid.FillPath(w.values, step, w.plain)
	at := 0
	put := func(v float64) {
		x[at] = float32(v)
		at++
	}
	for k, v := range w.plain {
		switch c := &w.lay.Recipe.Columns[k]; {
		case c.Level:
			v = (v - base) / w.unit
		case c.Known == feature.AtOrigin || c.Known == feature.BeforeStep: // on the measure's scale
			v /= w.unit
		}
		put(v)
	}
	for k, v := range w.plain { // drivers next to what they have been of late
		put(v - w.means[k])
	}
	put(float64(step))
	if put(math.NaN()); !w.lay.Signed {
		x[at-1] = float32((base - w.level) / w.unit)
	}
	put((w.facts[0] - base) / w.unit)
	put((w.facts[1] - base) / w.unit)
	for _, v := range w.facts[2:] {
		put(v)
	}
	if season := w.lay.Season; season > 1 {
		var near [4]float64
		n := 0
		for i := len(w.values) - 1 + step; i >= 0 && n < len(near); i -= season {
			if i < len(w.values) && panel.Known(w.values[i]) {
				near[n] = w.values[i]
				n++
			}
		}
		first, middle := math.NaN(), math.NaN()
		if n > 0 {
			first = near[0]
			slices.Sort(near[:n])
			middle = (near[(n-1)/2] + near[n/2]) / 2
		}
		put((first - base) / w.unit)
		put((middle - base) / w.unit)
		put((num.KnownMean(num.Tail(w.values, season)) - base) / w.unit)
	}
	for _, c := range w.fixed {
		x[at] = c
		at++
	}
}

func abs(x float64) float64 { return math.Abs(x) }

// collect has the base forecast from every inner origin, and gathers what it leaves.
func (m Model) collect(ctx context.Context, v panel.View, env model.Env, lay *Layout, base model.Model) (*rows, error) {
	r := &rows{lay: lay, columns: make([][]float32, lay.width()), last: v.Origin()}
	parts := make([]*rows, v.Len())
	for i := range parts {
		parts[i] = &rows{lay: lay, columns: make([][]float32, lay.width())}
	}
	looks := make([]look, v.Len())
	if err := num.Each(ctx, env.Workers, v.Len(), func(i int) {
		looks[i], _ = lay.lookAt(v.Series(i), lay.Horizon)
	}); err != nil {
		return nil, err
	}
	env.Horizon = lay.Horizon
	var trained model.Trained
	for k, o := range lay.Origins {
		seen := v.Before(o)
		var err error
		if slices.Contains(lay.Anew, o) {
			from := float64(k) / float64(len(lay.Origins))
			again := base
			if r.settled != nil {
				again = r.settled
			}
			if trained, err = again.Train(ctx, seen, env.Within(from, from+0.2, "")); err == nil {
				model.Coarsen(trained)
				if s, ok := trained.(model.Settling); ok && s.Settled() != nil {
					r.settled = s.Settled()
				}
			}
		} else {
			err = trained.Advance(ctx, seen)
		}
		if err != nil {
			return nil, err
		}
		res, err := trained.Forecast(ctx, seen, lay.Horizon)
		if err != nil {
			return nil, err
		}
		if err := num.Each(ctx, env.Workers, v.Len(), func(i int) {
			if res.Err[i] == nil && looks[i].laid != nil {
				parts[i].take(looks[i], i, o, res.Series[i])
			}
		}); err != nil {
			return nil, err
		}
	}
	for i, p := range parts {
		for k := range p.hearts {
			for j := range p.hearts[k].steps {
				p.hearts[k].steps[j] += int32(len(r.target))
			}
		}
		for k := range p.starts {
			p.starts[k].first += len(r.target)
		}
		for k := range r.columns {
			r.columns[k] = append(r.columns[k], p.columns[k]...)
		}
		r.target, r.actual, r.at, r.unit = append(r.target, p.target...), append(r.actual, p.actual...), append(r.at, p.at...), append(r.unit, p.unit...)
		r.series, r.step, r.hearts = append(r.series, p.series...), append(r.step, p.step...), append(r.hearts, p.hearts...)
		r.starts = append(r.starts, p.starts...)
		parts[i] = nil
	}
	if lay.Way == recursive {
		r.sources = looks
	}
	return r, nil
}

// take adds the rows of a series from an origin.
func (r *rows) take(from look, i, origin int, base forecast.Rows) {
	s := from.series
	n := origin - s.First + 1
	if n < single.Fewest || !single.Tells(s.Values[:n]) || n <= from.unit.At { // the base knew the unit before
		return
	}
	w := r.lay.newWriter(s, from.laid)
	w.from(s.Values[:n])
	if !panel.Known(w.level) {
		return
	}
	first := len(r.target)
	x := make([]float32, r.lay.width())
	win := window{series: i, origin: origin}
	for h, f := range base.Mean {
		at := n + h
		if at >= len(s.Values) {
			break
		}
		y := s.Values[at]
		if !panel.Known(y) || s.Closed(s.First+at) {
			continue
		}
		w.fill(h+1, f, x)
		for k, c := range x {
			r.columns[k] = append(r.columns[k], c)
		}
		win.steps = append(win.steps, int32(len(r.target)))
		r.target, r.actual = append(r.target, float32((y-f)/w.unit)), append(r.actual, y)
		r.at, r.series = append(r.at, int32(s.First+at)), append(r.series, int32(i))
		r.unit, r.step = append(r.unit, float32(w.unit)), append(r.step, int32(h+1))
	}
	if steps := len(r.target) - first; steps > 0 && r.lay.Way == recursive {
		r.starts = append(r.starts, start{i, origin, first, steps, slices.Clone(base.Mean)})
	}
	win.heart = single.HeartOf(base)
	if len(win.steps) == len(base.Mean) {
		r.hearts = append(r.hearts, win)
	}
}

// table is the columns of all rows.
func (r *rows) table() *boost.Table {
	t := &boost.Table{Columns: make([]boost.Column, len(r.columns))}
	names := r.lay.names()
	for k := range r.columns {
		c := boost.Column{Name: names[k], Values: r.columns[k]}
		if k < 2*len(r.lay.Signs) {
			c.Direction = r.lay.Signs[k%len(r.lay.Signs)]
		}
		if first := len(r.columns) - len(r.lay.Names); k >= first {
			c.Categories = len(r.lay.Codes[k-first])
		}
		t.Columns[k] = c
	}
	return t
}

func (l *Layout) names() (out []string) {
	for k := range l.Recipe.Columns {
		out = append(out, l.Recipe.Columns[k].Name)
	}
	for k := range l.Recipe.Columns {
		out = append(out, l.Recipe.Columns[k].Name+" next to before")
	}
	for _, c := range l.Kinds {
		out = append(out, c.Name)
	}
	return append(out, l.Names...)
}

// places are those of all rows.
func (r *rows) places() []int32 {
	out := make([]int32, r.count())
	for i := range out {
		out[i] = int32(i)
	}
	return out
}

// data are some of the rows, as trees learn from them.
func (r *rows) data(some []int32) boost.Data {
	all := boost.Data{Table: r.table(), Target: r.target}
	if len(some) == r.count() {
		return all
	}
	return all.Pick(some)
}

// row puts the columns of a row into x.
func (r *rows) row(i int32, x []float32) {
	for k := range x {
		x[k] = r.columns[k][i]
	}
}

// heldFrom is the axis index from which actuals are held out.
func (r *rows) heldFrom() int32 {
	span := r.last - r.lay.Early
	return int32(r.last - max(r.lay.Horizon, span/4) + 1)
}

// split parts the rows whose actuals are late from those that were known before these.
func (r *rows) split() (early, late []int32) {
	from := r.heldFrom()
	for i, at := range r.at {
		if at < from {
			early = append(early, int32(i))
		} else {
			late = append(late, int32(i))
		}
	}
	return early, late
}

// loss is what trees make small: squares near, and sizes beyond what errors usually are.
func (r *rows) loss(name string) boost.Loss {
	switch name {
	case "squared":
		return boost.Loss{Kind: boost.Squared}
	case "absolute":
		return boost.Loss{Kind: boost.Absolute}
	}
	sizes := make([]float32, 0, len(r.target))
	for _, v := range r.target {
		sizes = append(sizes, float32(math.Abs(float64(v))))
	}
	slices.Sort(sizes)
	at := 1e-6
	if len(sizes) > 0 {
		at = max(at, float64(sizes[len(sizes)*4/5]))
	}
	return boost.Loss{Kind: boost.Huber, At: at}
}
