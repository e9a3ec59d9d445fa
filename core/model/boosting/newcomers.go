package boosting

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/stat"

	"paperkettle/core/boost"
	"paperkettle/core/feature"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Newcomers forecasts series that have hardly any values of their own from their likes: trees that
// know attributes, calendar, drivers, events and age, and nothing of a series' past, say what a series
// like it sells, and its own few values say how much more or less than that. How far that is off is
// told by series that the trees had not seen.
//
// Source: what a series' own values say against what its likes do: best linear prediction, Robinson,
// That BLUP is a good thing, Statistical Science 6 (1991).
type Newcomers struct {
	Places []int          // among the forest's
	Recipe feature.Recipe // columns that are known ahead
	Names  []string       // of the attributes that are columns
	Codes  []map[string]int
	Trees  *boost.Model // of the log of the value and Shift
	Shift  float64
	Oldest float64 // the age above which all are alike, in periods
	Likes  int     // series that the trees learnt from
	// Ageless says that series began too nearly together for age to be told from time.
	Ageless bool
	// Between is the variance of what series like it differ by, Within that of a series' values around
	// its own level, both of logs.
	Between, Within float64
}

const (
	// fewestLikes is how many series must have a past, and mostLikeRows bounds the rows learnt from.
	fewestLikes  = 8
	mostLikeRows = 60_000
	likeFolds    = 5
)

// isNew says that a series has too few values for a model of its own.
func isNew(values []float64) bool { return panel.CountKnown(values) < single.Fewest }

// welcome makes the trees for a group's newcomers; nil where it has none, or nobody to compare them with.
func welcome(ctx context.Context, v panel.View, env model.Env, lay *Layout) (*Newcomers, error) {
	n := &Newcomers{Names: lay.Names, Codes: lay.Codes}
	var old []int
	for i := range v.Len() {
		values, _ := v.Values(i)
		switch {
		case isNew(values):
			n.Places = append(n.Places, i)
		case slices.ContainsFunc(values, func(y float64) bool { return y < 0 }):
			return nil, nil // there is no telling by shares
		default:
			old = append(old, i)
		}
	}
	if len(n.Places) == 0 || len(old) < fewestLikes {
		return nil, nil
	}
	n.Recipe, _ = lay.Recipe.Split()
	n.Likes, n.Oldest = len(old), float64(2*max(12, lay.Season))
	n.Ageless = n.together(v, old, lay.Season)
	rows, err := n.rows(v, old)
	if err != nil || len(rows.target) < 2*len(old) {
		return nil, err
	}
	if err := n.learn(ctx, rows, env); err != nil {
		return nil, err
	}
	n.meet(v)
	return n, nil
}

// asMany is how many newcomers the variance between series with a past counts for beside that of the newcomers.
const asMany = 4

// meet makes the variance between series larger where newcomers differ more from their likes than those with a past do:
// a line of goods that nobody sold before has no likes.
func (n *Newcomers) meet(v panel.View) {
	sum, met := asMany*n.Between, float64(asMany)
	for _, j := range n.Places {
		s := v.Series(j)
		fill, err := n.filler(s, 0)
		if err != nil {
			continue
		}
		if mean, known := n.apart(s, fill); known > 0 {
			sum += mean*mean - n.Within/float64(known)
			met++
		}
	}
	n.Between = math.Max(n.Between, sum/met)
}

// Welcome forecasts the newcomers of a view, group by group, and trains nothing for the others.
func (m Model) Welcome(ctx context.Context, v panel.View, env model.Env) (model.Result, error) {
	out := model.Result{Series: make([]forecast.Rows, v.Len()), Err: make([]error, v.Len())}
	groups, err := single.Places(v, m.By)
	if err != nil {
		return out, err
	}
	for _, places := range groups {
		err := model.Guard(func() error { return m.welcomeGroup(ctx, v, places, env, &out) })
		if ctx.Err() != nil {
			return out, ctx.Err()
		}
		for _, i := range places {
			if values, _ := v.Values(i); err != nil && isNew(values) { // a group that fails fails alone
				out.Err[i] = err
			}
		}
	}
	return out, nil
}

func (m Model) welcomeGroup(ctx context.Context, v panel.View, places []int, env model.Env, out *model.Result) error {
	own := v.Pick(places)
	lay, err := m.layout(own, env.Horizon)
	if err != nil {
		return err
	}
	n, err := welcome(ctx, own, env, lay)
	if err != nil {
		return err
	}
	for j, i := range places {
		switch values, _ := own.Values(j); {
		case n.has(j):
			out.Err[i] = model.Guard(func() (err error) {
				out.Series[i], err = n.forecast(own.Series(j), env.Horizon)
				return err
			})
			if out.Err[i] == nil {
				m.Bounds.Keep(out.Series[i])
			}
		case isNew(values):
			out.Err[i] = errNobody
		}
	}
	return nil
}

var errNobody = fmt.Errorf("there are not enough series with a past, %d at least and none below zero, to tell what one without is like", fewestLikes)

// apartBy is the share of a season that beginnings must differ by, as a standard deviation, for age to be told from time.
const apartBy = 1.0 / 6

// together says that the series whose young days are among what is learnt from began so nearly together that what age does
// cannot be told from what a time of the year, or what came over all, did.
func (n *Newcomers) together(v panel.View, old []int, season int) bool {
	var began []float64
	for _, i := range old {
		if s := v.Series(i); len(s.Values)-n.span() < int(n.Oldest) {
			began = append(began, float64(s.First))
		}
	}
	return len(began) < fewestLikes || stat.PopStdDev(began, nil) < apartBy*float64(season)
}

// likes are rows of series with a past.
type likes struct {
	columns [][]float32
	target  []float32
	series  []int32 // places among the old ones
}

// span is how many of the last values of a series are learnt from.
func (n *Newcomers) span() int { return max(60, int(n.Oldest)) }

func (n *Newcomers) width() int { return len(n.Recipe.Columns) + len(n.Names) + 1 }

// rows are the values of the last two seasons of series with a past.
func (n *Newcomers) rows(v panel.View, old []int) (*likes, error) {
	span := n.span()
	stride := 1 + len(old)*span/mostLikeRows
	n.Shift = shiftOf(v, old, span)
	out := &likes{columns: make([][]float32, n.width())}
	x := make([]float32, n.width())
	for k, i := range old {
		s := v.Series(i)
		fill, err := n.filler(s, 0)
		if err != nil {
			return nil, err
		}
		for t := max(0, len(s.Values)-span) + k%stride; t < len(s.Values); t += stride {
			if y := s.Values[t]; panel.Known(y) && !s.Closed(s.First+t) {
				fill(t, x)
				for c, value := range x {
					out.columns[c] = append(out.columns[c], value)
				}
				out.target, out.series = append(out.target, float32(math.Log(y+n.Shift))), append(out.series, int32(k))
			}
		}
	}
	return out, nil
}

// shiftOf is what is added before logs are taken: nothing where no zero is near.
func shiftOf(v panel.View, old []int, span int) float64 {
	var sizes []float64
	zero := false
	for _, i := range old {
		values, _ := v.Values(i)
		for _, y := range num.Tail(values, span) {
			zero = zero || y == 0
			if y > 0 {
				sizes = append(sizes, y)
			}
		}
	}
	if !zero || len(sizes) == 0 {
		return 0
	}
	slices.Sort(sizes)
	return sizes[len(sizes)/10] / 2
}

// filler gives what puts the columns of a series' period, counted from its first value, into a row.
func (n *Newcomers) filler(s panel.SeriesView, horizon int) (func(t int, x []float32), error) {
	laid, err := n.Recipe.Lay(s, s.Values, horizon, nil)
	if err != nil {
		return nil, err
	}
	w := (&Layout{Recipe: n.Recipe, Names: n.Names, Codes: n.Codes}).newWriter(s, laid)
	plain := make([]float64, len(n.Recipe.Columns))
	return func(t int, x []float32) {
		laid.FillAhead(t, plain)
		for k, value := range plain {
			x[k] = float32(value)
		}
		copy(x[len(plain):], w.fixed)
		if x[len(x)-1] = float32(math.Min(float64(t), n.Oldest)); n.Ageless {
			x[len(x)-1] = 0
		}
	}, nil
}

// learn grows the trees, and finds by series left out in turn how far they are off.
func (n *Newcomers) learn(ctx context.Context, r *likes, env model.Env) error {
	var means, squares, counts = make([]float64, n.Likes), make([]float64, n.Likes), make([]float64, n.Likes)
	x, out := make([]float32, n.width()), make([]float64, 1)
	// By lot: by place, all series of an attribute might be left out at once.
	folds := rand.New(rand.NewPCG(1, uint64(n.Likes))).Perm(n.Likes)
	for fold := range likeFolds {
		var kept []int32
		for i, s := range r.series {
			if folds[s]%likeFolds != fold {
				kept = append(kept, int32(i))
			}
		}
		trees, err := n.grow(ctx, r, kept, env)
		if err != nil {
			return err
		}
		for i, s := range r.series {
			if folds[s]%likeFolds == fold {
				for c := range x {
					x[c] = r.columns[c][i]
				}
				trees.Predict(x, out)
				e := float64(r.target[i]) - out[0]
				means[s], squares[s], counts[s] = means[s]+e, squares[s]+e*e, counts[s]+1
			}
		}
	}
	told := 0.0
	for s, c := range counts {
		if c >= 2 {
			mean := means[s] / c
			n.Between += mean * mean
			n.Within += (squares[s] - c*mean*mean) / (c - 1)
			told++
		}
	}
	n.Between, n.Within = math.Max(n.Between/told, 1e-6), math.Max(n.Within/told, 1e-6)
	var err error
	everyRow := make([]int32, len(r.target))
	for i := range everyRow {
		everyRow[i] = int32(i)
	}
	n.Trees, err = n.grow(ctx, r, everyRow, env)
	return err
}

func (n *Newcomers) data(r *likes) boost.Data {
	t := &boost.Table{Columns: make([]boost.Column, n.width())}
	for k := range t.Columns {
		c := boost.Column{Values: r.columns[k]}
		switch j := k - len(n.Recipe.Columns); {
		case j < 0:
			c.Name = n.Recipe.Columns[k].Name
		case j < len(n.Names):
			c.Name, c.Categories = n.Names[j], len(n.Codes[j])
		default:
			c.Name = "age"
		}
		t.Columns[k] = c
	}
	return boost.Data{Table: t, Target: r.target}
}

// has says whether a series, by its place in the group, is a newcomer.
func (n *Newcomers) has(j int) bool {
	if n == nil {
		return false
	}
	_, found := slices.BinarySearch(n.Places, j)
	return found
}

// apart is by how much more or less than its likes a series has sold so far, in the mean of logs, of how many values.
func (n *Newcomers) apart(s panel.SeriesView, fill func(t int, x []float32)) (mean float64, known int) {
	x, out, sum := make([]float32, n.width()), make([]float64, 1), 0.0
	for t, y := range s.Values {
		if !panel.Known(y) || y+n.Shift <= 0 || s.Closed(s.First+t) {
			continue
		}
		fill(t, x)
		n.Trees.Predict(x, out)
		sum += math.Log(y+n.Shift) - out[0]
		known++
	}
	return sum / float64(max(1, known)), known
}

// own is by how much more or less than its likes a series has sold so far, as a log, as far as that is
// believed; what is still in doubt of it, as a variance; and how many values told.
func (n *Newcomers) own(s panel.SeriesView, fill func(t int, x []float32)) (move, doubt float64, known int) {
	mean, known := n.apart(s, fill)
	if known == 0 {
		return 0, n.Between, 0
	}
	share := n.Between / (n.Between + n.Within/float64(known))
	return share * mean, n.Between * (1 - share), known
}

// mostOver bounds what the mean is above the median.
const mostOver = 3

// forecast says what series like it sell, moved by its own few values.
func (n *Newcomers) forecast(s panel.SeriesView, horizon int) (forecast.Rows, error) {
	rows := forecast.NewRows(horizon)
	fill, err := n.filler(s, horizon)
	if err != nil {
		return rows, err
	}
	move, doubt, _ := n.own(s, fill)
	variance := doubt + n.Within
	wide := math.Sqrt(variance)
	x, out := make([]float32, n.width()), make([]float64, 1)
	for h := range rows.Mean {
		fill(len(s.Values)+h, x)
		n.Trees.Predict(x, out)
		middle := out[0] + move
		rows.Mean[h] = math.Max(0, math.Exp(middle)*math.Min(mostOver, math.Exp(variance/2))-n.Shift)
		for g, t := range forecast.Student(n.Likes - 1) {
			rows.At(h)[g] = math.Max(0, math.Exp(middle+wide*t)-n.Shift)
		}
	}
	return rows, rows.Check()
}

// newcomerTies is how far the steps of a newcomer's futures go together: what is not known of it is
// above all its level.
const newcomerTies = 0.9

// paths draws futures of a newcomer.
func (n *Newcomers) paths(s panel.SeriesView, horizon, count, j int) ([]float64, error) {
	rows, err := n.forecast(s, horizon)
	if err != nil {
		return nil, err
	}
	return rows.Paths(count, newcomerTies, rand.New(rand.NewPCG(7, uint64(j)))), nil
}

// describe tells what a newcomer's forecast rests on.
func (n *Newcomers) describe(d *model.Description, s panel.SeriesView) {
	d.To, d.Known = s.First+len(s.Values)-1, panel.CountKnown(s.Values)
	d.From = min(s.First, d.To)
	d.Form = fmt.Sprintf("what series like it sell: %d trees on attributes, calendar, drivers, events and age, learnt from %d series",
		len(n.Trees.Trees), n.Likes)
	d.Why = "it has too few values for a model of its own"
	caution := "it has no value of its own yet"
	if fill, err := n.filler(s, 0); err == nil {
		if move, _, known := n.own(s, fill); known > 0 {
			caution = fmt.Sprintf("only %d of its own values are known; they move the forecast by %+.0f %%", known, 100*(math.Exp(move)-1))
		}
	}
	d.Cautions = append(d.Cautions, fmt.Sprintf("%s: series like it lie between %.0f and %.0f %% of what their likes sell (80 %%)",
		caution, 100*math.Exp(-1.2816*math.Sqrt(n.Between)), 100*math.Exp(1.2816*math.Sqrt(n.Between))))
}
