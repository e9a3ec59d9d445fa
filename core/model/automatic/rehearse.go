package automatic

import (
	"context"
	"fmt"
	"math"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/feature"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// evidence is what the forms did on the inner windows.
type evidence struct {
	series int
	forms  []form
	why    string
	// own is, for each series and form, the log of its loss next to that of the series' usual
	// change; unknown where it failed, or was not asked.
	own [][]float64
	// pooled is the same for the kinds of series: the mean over those that were asked.
	pooled map[kind][]float64
	kinds  []kind
	grew   float64 // log of how many times as much is known in the end as before the inner windows
	rounds float64 // horizons that the inner windows span
	asked  int

	trial   single.Trial       // its Keep counts back from the end
	places  []int              // of the series asked
	actuals panel.View         // all series, without what looks like mistakes: by these forms are judged
	moved   map[int]bool       // the series that changed their unit or level, or have ended
	hearts  [][][]single.Heart // by form, series asked and window; none where a form failed
	// explainable says that there are drivers or events to be explained, and rest is what these leave of the
	// series asked, as known before the inner windows; nil where that is of no use.
	explainable bool
	rest        *outlook.Rest
	// young says that few rounds of the season were seen.
	young bool
	// freedom is how many weights were found by what all series show together.
	freedom float64
	// grown says that in the end all series together tell a season that none did before the inner windows.
	grown bool
	// unproved says that they are taken out although there are no inner windows to speak for that.
	unproved bool
}

// fewestExplained is from how many values on drivers and events are taken out without inner windows.
const fewestExplained = 8

// youngRounds is how many rounds of a season are few.
const youngRounds = 3

// kind parts series whose forms are likely to differ.
type kind struct{ sparse bool }

// sampled is how many series the forms are tried on.
var sampled = num.Budget{Values: 72_000, Least: 64, Most: 160}

// rehearse trains every form before the inner windows and advances it over them.
func rehearse(ctx context.Context, v panel.View, env model.Env, list []form) (*evidence, error) {
	e := &evidence{series: v.Len(), forms: list, own: make([][]float64, v.Len()), pooled: map[kind][]float64{}, kinds: make([]kind, v.Len())}
	for i := range e.own {
		e.own[i] = slices.Repeat([]float64{panel.Unknown}, len(list))
		values, _ := v.Values(i)
		e.kinds[i] = kind{sparse(values)}
	}
	e.explainable = outlook.Explainable(v)
	var err error
	if v, e.moved, err = inOneUnit(ctx, v, env.Workers); err != nil {
		return nil, err
	}
	t, places := inner(v, env.Horizon)
	if len(places) == 0 {
		e.why = "the histories are too short for inner windows: the forms are mixed as a rule has it"
		e.unproved = e.explainable && feature.SettingOf(v, env.Horizon).Length >= fewestExplained
		return e, nil
	}
	e.rounds, e.asked = float64(t.Horizon+(t.Windows-1)*t.Stride)/float64(env.Horizon), len(places)
	e.grew = grew(v, -t.Keep)
	e.why = "by the errors on " + windowWords(t, len(places), v.Cadence())
	e.young = feature.SettingOf(v, env.Horizon).Length < youngRounds*v.Cadence().Season()
	e.trial, e.places = t, places
	if e.actuals, err = withoutOdd(ctx, v, env.Workers); err != nil {
		return nil, err
	}
	some := v.Pick(places)
	if e.grown, err = single.Grown(ctx, some, v.Origin()+t.Keep, env.Workers); err != nil {
		return nil, err
	}
	e.hearts = make([][][]single.Heart, len(list))
	sums, err := e.askAll(ctx, some, env)
	if err != nil {
		return nil, err
	}
	for j, i := range places {
		for k := range list {
			if !e.suits(i, k) {
				continue
			}
			e.own[i][k] = sums[k][j].log(env.Judge)
		}
	}
	e.pool(places)
	return e, nil
}

// suits says that a form may take part in a series' mix: a plain one knows no season that others tell together.
func (e *evidence) suits(i, k int) bool {
	f := e.forms[k]
	return (!f.counts || e.kinds[i].sparse) && (!f.plain || !e.moved[i] && (!e.grown || f.counts))
}

// inner lays the inner windows for all series, by the one of middle length, and lists the
// series that reach back far enough, or some of them where they are many.
func inner(v panel.View, horizon int) (single.Trial, []int) {
	lengths := make([]int, v.Len())
	values := 0
	for i := range lengths {
		y, _ := v.Values(i)
		lengths[i] = len(y)
		values += len(y)
	}
	order := make([]int, v.Len())
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return lengths[a] - lengths[b] })
	if len(order) == 0 {
		return single.Trial{}, nil
	}
	middle := single.Input{SeriesView: v.Series(order[len(order)/2]), Horizon: horizon}
	t, ok := single.TrialOf(middle)
	if !ok {
		return t, nil
	}
	if !outlook.Explainable(v) { // else those that know them take no such season out
		t = pastRound(t, len(middle.Values), v.Cadence().Season())
	}
	tail := len(middle.Values) - t.Keep
	var places []int
	for _, i := range sampled.Of(v.Len(), values) {
		values, _ := v.Values(i)
		if keep := len(values) - tail; keep >= 2*single.Fewest && single.Tells(values[:keep]) && single.Ended(v.Series(i)) < 0 {
			places = append(places, i)
		}
	}
	return t.From(-tail), places
}

// grew is the log of how many times as much a history of middle length is as without so many of its last values.
func grew(v panel.View, last int) float64 {
	whole := v.MiddleLength()
	return math.Log(float64(whole) / float64(max(1, whole-last)))
}

// windowWords are the inner windows in words.
func windowWords(t single.Trial, series int, c calendar.Cadence) string {
	windows, of := "inner windows", ""
	if t.Windows == 1 {
		windows = "inner window"
	}
	if series > 1 {
		of = fmt.Sprintf(", of %d series", series)
	}
	return fmt.Sprintf("%d %s of %s%s", t.Windows, windows, c.Noun(t.Horizon), of)
}

// pastRound is the inner windows of a history of n values that lie past the first round of the season, where it has
// seen more than one: before that no form knows a season that most of them know in the end.
func pastRound(t single.Trial, n, season int) single.Trial {
	if n <= season || t.Keep >= season {
		return t
	}
	t.Horizon = min(t.Horizon, n-season)
	t.Windows = min(t.Windows, (n-season-t.Horizon)/t.Stride+1)
	t.Keep = n - t.Horizon - (t.Windows-1)*t.Stride
	return t
}

// withoutOdd is a view without what looks like mistakes: an error that no form could foresee makes all
// look alike.
func withoutOdd(ctx context.Context, v panel.View, workers int) (panel.View, error) {
	found := make([][]int, v.Len())
	err := num.Each(ctx, workers, v.Len(), func(i int) {
		s := v.Series(i)
		for _, k := range single.Odd(s) {
			found[i] = append(found[i], s.First+k)
		}
	})
	odd := map[int][]int{}
	for i, places := range found {
		if len(places) > 0 {
			odd[i] = places
		}
	}
	if err != nil || len(odd) == 0 {
		return v, err
	}
	return v.Without(odd), nil
}

// inOneUnit is a view in which series that changed their unit or level are as if they had always been so: what
// no form could foresee tells nothing of them, and all but the plain ones learn so in the end. It says which
// series those are, and which have ended.
func inOneUnit(ctx context.Context, v panel.View, workers int) (panel.View, map[int]bool, error) {
	units, ended := make([][]float64, v.Len()), make([]bool, v.Len())
	err := num.Each(ctx, workers, v.Len(), func(i int) {
		s, changed := single.InOneUnit(v.Series(i))
		if changed {
			units[i] = s.Values
		}
		ended[i] = single.Ended(s) > 0
	})
	values, moved := map[int][]float64{}, map[int]bool{}
	for i, y := range units {
		if y != nil {
			values[i] = y
		}
		if y != nil || ended[i] {
			moved[i] = true
		}
	}
	if err != nil || len(values) == 0 {
		return v, moved, err
	}
	return v.Instead(values), moved, nil
}

// loss sums up errors next to what is usual for the series.
type loss struct {
	abs, squared, n float64
	middle          float64 // of medians, absolute
	failed          bool
}

// log is the log of the mean error of the kind that ranks; where neither ranks, of the geometric
// mean of both: the one forgives far misses, the other counts little else.
func (l loss) log(by model.Judge) float64 {
	if l.failed || l.n == 0 {
		return panel.Unknown
	}
	absolute, squared := l.abs/l.n, math.Sqrt(l.squared/l.n)
	switch by {
	case model.AbsoluteErrors:
		absolute = min(absolute, l.middle/l.n) // points go to medians where that does better
		squared = absolute
	case model.SquaredErrors:
		absolute = squared
	}
	return math.Log(max(exact, math.Sqrt(absolute*squared)))
}

// exact is the error, next to the usual change, below which a forecast is taken for exact.
const exact = 1e-3

// try trains a form before the first inner window and forecasts them all.
func (e *evidence) try(ctx context.Context, v outlook.Rest, actuals panel.View, env model.Env, f *form) ([]loss, [][]single.Heart, error) {
	t := e.trial
	out, hearts := make([]loss, v.Len()), make([][]single.Heart, v.Len())
	env.Horizon = t.Horizon
	first := v.Origin() + t.Keep // t.Keep counts back from the end
	units := make([]float64, v.Len())
	for i := range units {
		values, _ := actuals.Before(first).Values(i)
		units[i] = usualChange(values, v.Cadence().Season())
	}
	var trained model.Trained
	for w := range t.Windows {
		seen := v.Before(first + w*t.Stride)
		var err error
		if w == 0 {
			if trained, err = f.model.Train(ctx, seen.View, env); err == nil {
				model.Coarsen(trained)
				if f.name == explains && e.explainable {
					r, err := outlook.RestOf(ctx, trained, v.View, 0, env.Workers)
					if err != nil {
						return nil, nil, err
					}
					e.rest = &r
				}
				// What additive chooses, its memory and its level, changes with how much there is.
				if s, ok := trained.(model.Settling); ok && s.Settled() != nil && f.name != "additive" && !e.grown && !single.TellsMore(v.View, first) {
					f.settled = s.Settled()
				}
			}
		} else {
			err = trained.Advance(ctx, seen.View)
		}
		if ctx.Err() != nil {
			return nil, nil, ctx.Err()
		}
		if err != nil {
			for i := range out {
				out[i].failed, hearts[i] = true, nil
			}
			return out, hearts, nil
		}
		res, err := seen.Forecast(ctx, trained, t.Horizon)
		if err != nil {
			return nil, nil, err
		}
		// Where few series tell, late windows weigh more: they are nearer to what is to be
		// forecast. Many series tell by their number.
		late := math.Pow(float64(1+w), 1/math.Sqrt(float64(v.Len())))
		for i := range out {
			if out[i].failed = out[i].failed || res.Err[i] != nil; !out[i].failed {
				out[i].take(actuals, i, seen.Origin()+1, res.Series[i], units[i], late)
				hearts[i] = append(hearts[i], single.HeartOf(res.Series[i]))
			}
		}
	}
	for i := range out {
		if out[i].failed {
			hearts[i] = nil
		}
		if e.asked < single.FewestPoints { // too few for medians to be published
			out[i].middle = math.Inf(1)
		}
	}
	return out, hearts, nil
}

// take adds the errors of a window's forecasts, in units.
func (l *loss) take(v panel.View, i, from int, rows forecast.Rows, unit, weight float64) {
	values, first := v.Values(i)
	for k, m := range rows.Mean {
		j := from + k - first
		if j < 0 || j >= len(values) {
			continue
		}
		if d := (values[j] - m) / unit; d == d {
			l.abs, l.squared, l.n = l.abs+weight*math.Abs(d), l.squared+weight*d*d, l.n+weight
			l.middle += weight * math.Abs(values[j]-rows.At(k)[forecast.Median]) / unit
		}
	}
}

// usualChange is what errors are counted in: the mean size where nothing ever changes.
func usualChange(values []float64, season int) float64 {
	if c := outlook.UsualChange(values, season); c > 0 {
		return c
	}
	return max(num.MeanSize(values), 1e-9)
}

// pool averages the evidence over the series of a kind. What fails is taken for three times
// as bad as the best.
func (e *evidence) pool(places []int) {
	counts := map[kind]float64{}
	for _, i := range places {
		best := lowestKnown(e.own[i])
		if !panel.Known(best) {
			continue
		}
		sums := e.pooled[e.kinds[i]]
		if sums == nil {
			sums = make([]float64, len(e.forms))
			e.pooled[e.kinds[i]] = sums
		}
		counts[e.kinds[i]]++
		for k, v := range e.own[i] {
			d := most
			if panel.Known(v) {
				d = min(most, v-best)
			}
			sums[k] += d
		}
	}
	for kind, sums := range e.pooled {
		for k := range sums {
			sums[k] /= counts[kind]
		}
	}
}

// most bounds the log of how much worse a form can be on one series than the best: a disaster
// on one tells no more than that.
const most = 1.1

func lowestKnown(x []float64) float64 {
	low := panel.Unknown
	for _, v := range x {
		if panel.Known(v) && !(v >= low) {
			low = v
		}
	}
	return low
}

// sparse says that demand comes now and then: on average less than every 1.32 periods,
// Syntetos, Boylan and Croston's bound (Journal of the Operational Research Society 56,
// 2005), and zeros are common.
func sparse(y []float64) bool {
	known, demand := 0, 0
	for _, v := range y {
		if v < 0 {
			return false
		}
		if panel.Known(v) {
			known++
			if v > 0 {
				demand++
			}
		}
	}
	return demand > 0 && float64(known) > 1.32*float64(demand)
}
