package pretrained

import (
	"cmp"
	"context"
	"math"
	"slices"

	"paperkettle/core/feature"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Model has the network forecast series as they are, or tunes it to them first.
type Model struct {
	Weights *Weights
	Explain bool    // drivers and events are explained first unless held-out windows lose by it
	Tune    bool    // it goes on learning from the series
	Within  float64 // minutes that this may take; 0 for as long as it needs
	Bounds  single.Bounds
	Plain   bool // held-out windows say no more than towards what to lean: the caller calibrates
}

// Bare is the model without what held-out windows tell of drivers and intervals.
func (m Model) Bare() model.Model {
	m.Plain, m.Explain, m.Tune = true, false, false
	return m
}

// held is how many periods at the end are held out.
func held(length, horizon int) int {
	if length < 4*horizon {
		return max(1, length/4)
	}
	return max(horizon, min(length/6, 4*horizon))
}

// window is a series and how many of its values an origin knows.
type window struct{ series, n int }

const (
	// fewestBefore is how many known values a window has before it.
	fewestBefore = 8
	mostHeld     = 1500
	mostOrigins  = 6 // held-out windows of a series
)

// Train looks at how the network does on held-out windows: with drivers and events explained first
// and without, and tuned where that is asked for.
func (m Model) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	if !v.Remembers() { // held-out windows are of the same series as what is forecast
		v = v.Remembering()
		defer v.Forget()
	}
	horizon := max(1, env.Horizon)
	t := &Trained{Series: v.Len(), Bounds: m.Bounds, Hash: m.Weights.Hash, Horizon: horizon, Widening: single.None, Ties: 0.5,
		workers: max(1, env.Workers), view: &v, networks: m.Weights.Networks}
	t.Longer = longer(v)
	out := held(feature.SettingOf(v, horizon).Length, horizon)
	if m.Plain {
		if err := t.tellTogether(ctx, v, out, env.Judge); err != nil {
			return nil, err
		}
		r, err := t.rehearsal(ctx, v, lastFew(out), t.early)
		if err != nil || !r.tell() {
			return t, err
		}
		far, err := t.leanFar(ctx, v, env.Judge)
		if err != nil {
			return nil, err
		}
		told, err := r.judge(ctx, t.workers, t.networks, env.Judge, far)
		if err != nil {
			return nil, err
		}
		t.leanAs(told)
		return t, nil
	}
	if m.Explain && outlook.Explainable(v) {
		if err := t.explain(ctx, v, out, env); err != nil {
			return nil, err
		}
	}
	if err := t.tellTogether(ctx, v, out, env.Judge); err != nil {
		return nil, err
	}
	r, err := t.rehearsal(ctx, v, lastFew(out), t.early)
	if err != nil {
		return nil, err
	}
	if m.Tune {
		if err := t.tune(ctx, m, v, r, env); err != nil {
			return nil, err
		}
	}
	var far Lean
	if t.Own == nil { // networks that were tuned have learnt from what came long ago
		if far, err = t.leanFar(ctx, v, env.Judge); err != nil {
			return nil, err
		}
	}
	told, err := r.judge(ctx, t.workers, t.networks, env.Judge, far)
	if err != nil {
		return nil, err
	}
	t.Loss, t.Judged = told.loss, len(r.windows)
	t.leanAs(told)
	if len(r.windows) > 0 {
		t.Widening, t.Ties = told.proof.Widening().RankedBy(env.Judge), told.proof.Ties()
	}
	t.early = before{}
	env.Tell(1, "")
	return t, nil
}

// leanAs leans as held-out windows have it, unless these saw series that are seen otherwise now.
func (t *Trained) leanAs(told *verdict) {
	if !t.Unproved {
		t.Lean = told.lean
	}
}

// longer is a season longer than the shortest, of whole shorter ones; 0 for none.
func longer(v panel.View) int {
	season := max(1, v.Cadence().Season())
	for _, period := range v.Cadence().Seasons() {
		if p := int(period); p > season {
			return p - p%season
		}
	}
	return 0
}

// explain has the additive regression explain drivers and events, and keeps that unless held-out
// windows are forecast worse with it.
func (t *Trained) explain(ctx context.Context, v panel.View, out int, env model.Env) error {
	whole, err := outlook.Explain(ctx, v, env.Piece(0, 0.5, "explaining drivers and events", "explained"))
	var early model.Trained
	if err == nil {
		before := env.Piece(0.5, 0.8, "explaining drivers and events", "explained before")
		early, err = outlook.Explain(ctx, v.Before(v.Origin()-out), before)
	}
	if err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		t.Cautions = append(t.Cautions, "drivers and events could not be explained first, and are left out: "+err.Error())
		return nil
	}
	with, err := t.judged(ctx, v, out, before{by: early}, env.Judge)
	if err != nil {
		return err
	}
	without, err := t.judged(ctx, v, out, before{}, env.Judge)
	if err != nil {
		return err
	}
	t.Gain = 1 - with.loss/without.loss
	if !(with.loss > without.loss*(1+outlook.Harm)) {
		t.now, t.early = before{by: whole}, before{by: early}
	}
	return nil
}

// judged is how the networks do where something is taken out of series before.
func (t *Trained) judged(ctx context.Context, v panel.View, out int, by before, judge model.Judge) (*verdict, error) {
	r, err := t.rehearsal(ctx, v, lastFew(out), by)
	if err != nil {
		return nil, err
	}
	return r.judge(ctx, t.workers, t.networks, judge, Lean{})
}

// rehearsal is windows whose futures are known.
type rehearsal struct {
	horizon int
	windows []window
	lessons []Lesson // a window each
	put     []*model.Outside
	actual  [][]float64 // what came, nothing taken out
	scale   []float64   // what an error is divided by
	keep    []int       // by series: values before what is held out
}

// stretch is what is held out at the end of series, and how often these are asked there.
type stretch struct {
	out     int  // periods
	origins int  // of a series, at most
	windows int  // of all, at most
	apart   bool // rather fewer series than origins
}

// lastFew is the stretch of the last few windows.
func lastFew(out int) stretch { return stretch{out: out, origins: mostOrigins, windows: mostHeld} }

// rehearsal holds out periods at the end of every series that is long enough; by is what is
// taken out of them before.
func (t *Trained) rehearsal(ctx context.Context, v panel.View, held stretch, by before) (*rehearsal, error) {
	r := &rehearsal{horizon: t.Horizon, keep: make([]int, v.Len())}
	out, each := held.out, held.origins
	some := num.Some(v.Len(), held.windows)
	if held.apart {
		some = num.Some(v.Len(), held.windows/each)
	}
	each = max(1, min(each, out-t.Horizon+1, held.windows/max(1, len(some))))
	own := make([]rehearsal, v.Len())
	err := num.Each(ctx, t.workers, v.Len(), func(i int) {
		s, _ := single.Mend(v.Series(i))
		r.keep[i] = len(s.Values) - out
		_, looked := slices.BinarySearch(some, i)
		if !looked || r.keep[i] < 1 || panel.CountKnown(s.Values[:r.keep[i]]) < fewestBefore || !single.Tells(s.Values[:r.keep[i]]) {
			return
		}
		if outside, err := by.of(v, s, i, 0); err == nil {
			own[i] = t.held(by, s, i, r.keep[i], out, each, outside)
		}
	})
	for i := range own {
		r.add(&own[i])
	}
	return r, err
}

// held are the windows of a series.
func (t *Trained) held(by before, s panel.SeriesView, i, keep, out, each int, outside *model.Outside) (r rehearsal) {
	z := outlook.Without(s.Values, outside)
	season, long := t.seasons(by, s, i)
	for k := range each {
		n := keep + k*max(1, (out-t.Horizon)/max(1, each-1))
		end := min(len(z), n+t.Horizon)
		if n >= end || panel.CountKnown(s.Values[n:end]) == 0 || !panel.Known(num.LastKnown(num.Tail(s.Values[:n], max(8, season)))) {
			continue
		}
		lesson := Lesson{Values: z[:end], Known: n, Season: season, Longer: long}
		seen, ok := glance(lesson.Values[:n], season, long)
		if !ok {
			continue
		}
		r.windows = append(r.windows, window{i, n})
		r.lessons = append(r.lessons, lesson)
		r.put = append(r.put, outside)
		r.actual = append(r.actual, s.Values[n:end])
		r.scale = append(r.scale, max(change(s.Values[max(0, n-Reach):n], 1), 0.05*seen.unit, 1e-12))
	}
	return r
}

// add adds the windows of a series.
func (r *rehearsal) add(own *rehearsal) {
	r.windows = append(r.windows, own.windows...)
	r.lessons = append(r.lessons, own.lessons...)
	r.put = append(r.put, own.put...)
	r.actual = append(r.actual, own.actual...)
	r.scale = append(r.scale, own.scale...)
}

// verdict is how networks did on the windows.
type verdict struct {
	proof  *outlook.Proof
	lean   Lean
	loss   float64         // mean pinball loss, in usual changes; unknown where there are no windows
	series map[int]float64 // the same of each series
	misses map[int]float64 // mean error of the mean forecasts of each series, of the kind that ranks
}

// answers are what networks and plain forecasts say of each window.
type answers struct {
	quantiles [][]float64
	plain     [][][anchors]float64
}

// ask has networks forecast the windows.
func (r *rehearsal) ask(ctx context.Context, workers int, n several) (answers, error) {
	said := answers{make([][]float64, len(r.windows)), make([][][anchors]float64, len(r.windows))}
	size := max(1, min(block, (len(r.windows)+workers-1)/max(1, workers))) // a single series keeps all busy too
	parts := (len(r.windows) + size - 1) / size
	err := num.Each(ctx, workers, parts, func(b int) {
		from, to := b*size, min(len(r.windows), (b+1)*size)
		list := make([]*sight, 0, to-from)
		for w := from; w < to; w++ {
			l := r.lessons[w]
			s, _ := look(l.Values[:l.Known], l.Season, l.Longer)
			list, said.plain[w] = append(list, s), s.plainly(r.horizon)
		}
		got, err := n.ahead(ctx, workers/parts, list, r.horizon)
		if err != nil && ctx.Err() == nil {
			panic(err) // a network's breakdown
		}
		copy(said.quantiles[from:to], got)
	})
	return said, cmp.Or(err, ctx.Err())
}

// judge has networks forecast the windows, leaning as these have it, or else as those far back do.
func (r *rehearsal) judge(ctx context.Context, workers int, n several, by model.Judge, far Lean) (*verdict, error) {
	out := &verdict{proof: outlook.NewProof(r.horizon, r.horizon), loss: math.NaN(), series: map[int]float64{}, misses: map[int]float64{}}
	if len(r.windows) == 0 {
		return out, nil
	}
	said, err := r.ask(ctx, workers, n)
	if err != nil {
		return nil, err
	}
	quantiles := said.quantiles
	if r.tell() {
		out.lean = cmp.Or(r.leant(said, by).lean(), far)
	}
	if out.lean.Share > 0 {
		for w := range quantiles {
			out.lean.moveTo(said.plain[w], quantiles[w])
		}
	}
	sum, count := 0.0, 0.0
	counts := map[int]float64{}
	grid := make([]float64, len(forecast.Grid))
	for w, at := range r.windows {
		actual := make([]float64, r.horizon)
		for h := range actual {
			if actual[h] = panel.Unknown; h >= len(r.actual[w]) {
				continue // the series ends here
			}
			actual[h] = r.actual[w][h]
			row := quantiles[w][h*wide : (h+1)*wide]
			if o := r.put[w]; o != nil {
				for j := range row {
					row[j] = o.Put(at.n+h, row[j])
				}
			}
			if !panel.Known(actual[h]) {
				continue
			}
			for j, p := range outlook.Probs {
				e := (actual[h] - row[j]) / r.scale[w]
				loss := outlook.Shares[j] * math.Min(100, math.Max(p*e, (p-1)*e))
				sum += loss
				out.series[at.series] += loss
			}
			e := math.Abs(actual[h]-outlook.OnGrid(row, grid, forecast.Grid[:])) / r.scale[w]
			if by == model.SquaredErrors {
				e *= e
			}
			out.misses[at.series] += math.Min(1e4, e)
			count++
			counts[at.series]++
		}
		out.proof.Take(at.series, quantiles[w], actual)
	}
	out.loss = sum / max(1, count)
	for i, n := range counts {
		out.series[i] /= n
		out.misses[i] /= n
	}
	return out, nil
}
