package bakeoff_test

import (
	"bytes"
	"context"
	"math"
	"math/rand/v2"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
	"paperkettle/core/split"
)

func meansOf(t *testing.T, r *bakeoff.TaskResult, place, horizon int) []float64 {
	rows := forecast.NewRows(horizon)
	size := forecast.PackedSize(horizon)
	require.NoError(t, rows.Unpack(r.Packed[place*size:(place+1)*size]))
	return rows.Mean
}

// One step at a time over a long stretch: advancing a rule gives the forecasts that
// training it anew gives, for a small part of the work.
func TestAdvancingFollowsTheSeries(t *testing.T) {
	p := dailyPanel(3, 200)
	run := func(refit split.Refit) (*bakeoff.Engine, results) {
		plan := bakeoff.Plan{Split: split.Spec{Horizon: 1, Windows: 120, Refit: refit},
			Contenders: []bakeoff.Contender{{Family: "seasonal-naive"}, {Family: "moving-average"}, {Family: "blend"}}}
		e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
		require.NoError(t, err)
		return e, runAll(t, e, 2, e.Tasks())
	}
	_, anew := run(0)
	for _, refit := range []split.Refit{split.Once, 25} {
		e, advanced := run(refit)
		require.Len(t, advanced, len(anew))
		for task, r := range anew {
			assert.Equal(t, meansOf(t, r, 0, 1), meansOf(t, advanced[task], 0, 1), "%v", task)
		}
		own := 0
		for _, task := range e.Tasks() {
			if !e.Combines(task) {
				own++
			}
		}
		assert.Equal(t, map[split.Refit]int{split.Once: 2, 25: 10}[refit], own)
	}
}

func TestAGapIsForecastAndNotAssessed(t *testing.T) {
	values := make([]float64, 20)
	for i := range values {
		values[i] = float64(i + 1)
	}
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 2, Gap: 3}, Contenders: []bakeoff.Contender{{Family: "drift"}, {Family: "naive"}}}
	e, err := bakeoff.Prepare(monthly(values...), plan, catalogue.Standard())
	require.NoError(t, err)
	got := runAll(t, e, 1, e.Tasks())
	assert.Equal(t, []float64{19, 20}, meansOf(t, got[bakeoff.Task{}], 0, 2))
	assert.Equal(t, []float64{15, 15}, meansOf(t, got[bakeoff.Task{Contender: 1}], 0, 2))
	assert.Equal(t, []float64{-4, -5}, got[bakeoff.Task{Contender: 1}].Errors)
}

func TestWhatFailsCanBeLeftOut(t *testing.T) {
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 7}, Fallback: bakeoff.LeaveOut,
		Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "dice"}, {Family: "mean"},
			{Family: "blend", Settings: model.Values{"weigh": "mean", "take": "all"}}}}
	e, err := bakeoff.Prepare(dailyPanel(5, 100), plan, withDice())
	require.NoError(t, err)
	got := runAll(t, e, 1, e.Tasks())
	diced := got[bakeoff.Task{Contender: 1}]
	assert.True(t, diced.Filled[0].LeftOut)
	absent := forecast.NewRows(7)
	assert.ErrorIs(t, absent.Unpack(diced.Packed[forecast.PackedSize(7):2*forecast.PackedSize(7)]), forecast.ErrAbsent)
	points := map[string]int{}
	for _, r := range standings(t, e, got, "").Slices[0].Rows {
		points[r.Contender] = r.Points
	}
	assert.Equal(t, map[string]int{"naive": 35, "dice": 21, "mean": 35, "blend": 35}, points)
	naive, mean := meansOf(t, got[bakeoff.Task{}], 1, 7), meansOf(t, got[bakeoff.Task{Contender: 2}], 1, 7)
	assert.InDelta(t, (naive[0]+mean[0])/2, meansOf(t, got[bakeoff.Task{Contender: 3}], 1, 7)[0], 1e-6, "a blend goes on without a member that failed")
}

// Two kinds of series, each with its own best contender: what chooses per series finds
// it after one window, and hindsight is no worse than the honest choice.
func TestChoosingPerSeries(t *testing.T) {
	p := &panel.Panel{Cadence: dailyPanel(1, 2).Cadence, First: 19000, Length: 140}
	for i := range 40 {
		rnd := rand.New(rand.NewPCG(9, uint64(i)))
		s := panel.Series{Key: string(rune('A'+i%26)) + string(rune('a'+i/26))}
		level := 100.0
		for d := range 140 {
			if i%2 == 0 { // a random walk: the naive is best
				level += 6 * rnd.NormFloat64()
				s.Values = append(s.Values, level)
			} else { // noise around a level: the mean is best
				s.Values = append(s.Values, 100+6*rnd.NormFloat64()+0*float64(d))
			}
		}
		p.Series = append(p.Series, s)
	}
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 7, Windows: 8}, Metric: "mae",
		Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "mean"}, {Family: "best-per-series"},
			{Name: "least squares", Family: "blend", Settings: model.Values{"weigh": "least-squares", "members": "naive,mean"}},
			{Name: "inverse", Family: "blend", Settings: model.Values{"weigh": "inverse-error"}},
			{Name: "stacked", Family: "blend", Settings: model.Values{"weigh": "stacked"}}}}
	e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
	require.NoError(t, err)
	got := runAll(t, e, 2, e.Tasks())
	first := got[bakeoff.Task{Contender: 2}]
	informed := 0
	for i := range p.Series {
		if best := got[bakeoff.Task{Contender: i % 2}]; meansOf(t, first, i, 7)[0] == meansOf(t, best, i, 7)[0] {
			informed++
		}
	}
	assert.Greater(t, informed, 24, "the first window is chosen by one that lies before it")
	st := standings(t, e, got, "")
	mae := map[string]float64{}
	for _, r := range st.Slices[0].Rows {
		mae[r.Contender] = r.Values[0]
	}
	assert.Less(t, mae["best-per-series"], 0.97*min(mae["naive"], mae["mean"]))
	assert.Less(t, mae["least squares"], min(mae["naive"], mae["mean"]))
	assert.Less(t, mae["inverse"], mae["least squares"], "weights by errors are steadier than those that are fitted")
	assert.Less(t, st.Hindsight, mae["best-per-series"], "hindsight flatters")
	last := got[bakeoff.Task{Window: 7, Contender: 2}]
	right := 0
	for i := range p.Series {
		best := got[bakeoff.Task{Window: 7, Contender: i % 2}]
		if meansOf(t, last, i, 7)[0] == meansOf(t, best, i, 7)[0] {
			right++
		}
	}
	assert.Greater(t, right, 32)
}

// Contenders that are the same but for noise can't be told apart; one that is plainly
// worse can.
func TestLuckIsToldFromSkill(t *testing.T) {
	p := dailyPanel(60, 120)
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 7, Windows: 2}, Weights: "volume:28",
		Contenders: []bakeoff.Contender{{Family: "naive"}, {Name: "four weeks", Family: "calendar-mean"},
			{Name: "five weeks", Family: "calendar-mean", Settings: model.Values{"length": 35}}, {Family: "mean"}}}
	e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
	require.NoError(t, err)
	st := standings(t, e, runAll(t, e, 2, e.Tasks()), "")
	rows := st.Slices[0].Rows
	like := map[string]bool{}
	for _, r := range rows {
		like[r.Contender] = r.Over.LikeLeader
		assert.LessOrEqual(t, r.Over.Behind.Low, r.Over.Behind.High)
		assert.InDelta(t, r.Values[0], r.Over.Weighted[0], 0.2*r.Values[0], "weights are nearly even here")
		assert.InDelta(t, r.Values[9], r.Over.Mean, 0.2, "mase")
	}
	assert.Equal(t, map[string]bool{"four weeks": true, "five weeks": true, "naive": false, "mean": false}, like)
	assert.Greater(t, rows[0].Over.Beats, 0.9)
	assert.InDelta(t, 0.6055, st.CriticalDistance, 1e-3, "2.569 sqrt(4 5 / (6 60))")
	for _, r := range rows {
		if r.Contender == "mean" { // the fit within the training part looks no worse
			assert.InDelta(t, r.Values[0], r.Over.Train[0], 0.15*r.Values[0])
		}
	}
	plan.Split.Windows = 8
	one, err := bakeoff.Prepare(&panel.Panel{Cadence: p.Cadence, First: p.First, Length: p.Length, Series: p.Series[:1]}, plan, catalogue.Standard())
	require.NoError(t, err)
	rows = standings(t, one, runAll(t, one, 1, one.Tasks()), "").Slices[0].Rows
	for _, r := range rows[1:] {
		assert.False(t, math.IsNaN(r.Over.P), "a single series is tested window by window")
	}
}

// A search on inner windows finds the length that the series were made with, reports
// every try, and says which setting mattered.
func TestTuningFindsWhatWorks(t *testing.T) {
	p := dailyPanel(30, 200) // a weekly pattern: means over whole weeks are best
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 7, Windows: 2}, Contenders: []bakeoff.Contender{{Family: "naive"},
		{Name: "tuned", Family: "calendar-mean", Tune: &bakeoff.Tune{Settings: map[string][]any{"length": {7, 28, 70},
			"by": {"weekday", "month"}}, Windows: 2}},
		{Name: "each", Family: "calendar-mean", Tune: &bakeoff.Tune{Settings: map[string][]any{"length": {7, 14, 28, 70}}, Per: bakeoff.TuneSeries}},
		{Name: "drawn", Family: "moving-average", Tune: &bakeoff.Tune{Settings: map[string][]any{"length": {1, 2, 3, 4, 5, 6, 7, 8, 9, 10}},
			Search: "random", Tries: 4}}}}
	e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
	require.NoError(t, err)
	got := runAll(t, e, 2, e.Tasks())
	report := got[bakeoff.Task{Contender: 1}].Tuned
	require.Len(t, report.Trials, 6)
	chosen := 0
	for _, trial := range report.Trials {
		require.NotNil(t, trial.Score)
		if trial.Chosen > 0 {
			chosen++
			assert.Equal(t, 30, trial.Chosen)
			assert.Equal(t, model.Values{"by": "weekday", "length": 70}, trial.Settings)
		}
	}
	assert.Equal(t, 1, chosen, "one choice for all")
	assert.Equal(t, "by", report.Matter[0].Setting)
	assert.Greater(t, report.Matter[0].Share, 0.8)
	each := 0
	for _, trial := range got[bakeoff.Task{Contender: 2}].Tuned.Trials {
		each += trial.Chosen
	}
	assert.Equal(t, 30, each)
	assert.Len(t, got[bakeoff.Task{Contender: 3}].Tuned.Trials, 4)
	leader := standings(t, e, got, "").Slices[0].Rows[0]
	assert.Equal(t, "tuned", leader.Contender)
}

// follower forecasts the sum of what it is shown of the drivers.
type follower struct{}

type followed struct{}

func (follower) Fit(context.Context, panel.SeriesView, int, func() *rand.Rand) (model.SeriesFit, error) {
	return followed{}, nil
}

func (followed) Forecast(s panel.SeriesView, out forecast.Rows) error {
	n := len(s.Values)
	clear(out.Mean)
	for d := range s.View().Drivers() {
		for h, v := range s.Driver(d, n+len(out.Mean))[n:] {
			out.Mean[h] += v
		}
	}
	for h, m := range out.Mean {
		for g := range out.At(h) {
			out.At(h)[g] = m
		}
	}
	return nil
}
func (followed) Advance(panel.SeriesView) error { return nil }
func (followed) Describe() model.Description    { return model.Description{} }
func (followed) MarshalBinary() ([]byte, error) { return nil, nil }

// A driver that is not known ahead is dropped, lagged or forecast as the plan says, and its
// later values change nothing.
func TestDriversThatAreNotKnownAhead(t *testing.T) {
	p := dailyPanel(1, 40)
	p.Drivers = []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "visits"}}
	price, visits := make([]float64, 40), make([]float64, 40)
	for i := range visits {
		price[i], visits[i] = 1000, float64(i)
	}
	p.Series[0].Drivers = [][]float64{price, visits}
	cat := append(catalogue.Standard(), model.Family{Name: "follower",
		New: func(model.Values) (model.Model, error) { return model.PerSeries(follower{}), nil }})
	for rule, want := range map[panel.Ahead][]float64{
		"":                  {1000, 1000, 1000},
		panel.AheadDrop:     {1000, 1000, 1000},
		panel.AheadLag:      {1032, 1033, 1034}, // five before: a gap of two and three steps
		panel.AheadForecast: {1030, 1031, 1032}, // a week before; the origin is day 34
	} {
		plan := bakeoff.Plan{Split: split.Spec{Horizon: 3, Gap: 2}, Contenders: []bakeoff.Contender{{Family: "follower"}},
			Ahead: map[string]panel.Ahead{"visits": rule}}
		if rule == "" {
			plan.Ahead = nil
		}
		for _, seen := range []*panel.Panel{p, panel.Scramble(p, 34, rand.New(rand.NewPCG(5, 6)))} {
			e, err := bakeoff.Prepare(seen, plan, cat)
			require.NoError(t, err)
			assert.Equal(t, want, meansOf(t, runAll(t, e, 1, e.Tasks())[bakeoff.Task{}], 0, 3), rule)
		}
	}
	for name, rule := range map[string]panel.Ahead{"price": "lag", "visits": "guess", "weather": "drop"} {
		_, err := bakeoff.Prepare(p, bakeoff.Plan{Split: split.Spec{Horizon: 3}, Contenders: []bakeoff.Contender{{Family: "naive"}},
			Ahead: map[string]panel.Ahead{name: rule}}, cat)
		assert.ErrorContains(t, err, name)
	}
}

// The families that fit curves see no more than those that repeat: noise after an origin
// changes nothing up to it, and one worker gives what two give.
func TestFittedFamiliesReadNoFuture(t *testing.T) {
	p := dailyPanel(4, 130)
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 7, Windows: 2}, Seed: 5}
	for _, f := range []string{"naive", "smoothing", "theta", "arima", "intermittent", "decomposition", "automatic", "additive"} {
		plan.Contenders = append(plan.Contenders, bakeoff.Contender{Family: f})
	}
	plan.Contenders = append(plan.Contenders, bakeoff.Contender{Name: "together", Family: "smoothing",
		Settings: model.Values{"together": "all", "errors": "multiplicative"}})
	for _, refit := range []split.Refit{0, split.Once} {
		plan.Split.Refit = refit
		e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
		require.NoError(t, err)
		honest := runAll(t, e, 2, e.Tasks())
		for task, r := range runAll(t, e, 1, e.Tasks()) {
			assert.Equal(t, honest[task].Packed, r.Packed, e.Plan.Contenders[task.Contender].Name)
			assert.Empty(t, r.Filled, e.Plan.Contenders[task.Contender].Name)
		}
		for w := range e.Windows {
			scrambled, err := bakeoff.Prepare(panel.Scramble(p, e.Windows[w].Origin, rand.New(rand.NewPCG(5, 6))), plan, catalogue.Standard())
			require.NoError(t, err)
			for task, r := range runAll(t, scrambled, 2, scrambled.Tasks()) {
				if task.Window <= w {
					assert.Equal(t, honest[task].Packed, r.Packed, "%s in window %d, scrambled after %d", e.Plan.Contenders[task.Contender].Name, task.Window, w)
				}
			}
		}
	}
}

// No contender reads the future, combiners, tuned ones and those with lagged drivers included:
// noise after an origin changes no forecast made at or before it, at strides of one, below, at
// and above the horizon, with a gap.
func TestNothingReadsTheFuture(t *testing.T) {
	p := dailyPanel(6, 120)
	p.Drivers = []panel.Driver{{Name: "visits"}}
	for i := range p.Series {
		visits := make([]float64, 120)
		for k := range visits {
			visits[k] = float64(10 + (k*7+i)%13)
		}
		p.Series[i].Drivers = [][]float64{visits}
	}
	plan := bakeoff.Plan{Seed: 5, Ahead: map[string]panel.Ahead{"visits": panel.AheadLag}, Contenders: []bakeoff.Contender{
		{Family: "naive"}, {Family: "mean"}, {Family: "calendar-median"},
		{Family: "linear", Settings: model.Values{"steps": "direct", "memory": 500, "scale": "level"}},
		{Name: "tuned", Family: "calendar-mean", Tune: &bakeoff.Tune{Settings: map[string][]any{"length": {14, 28}}}},
		{Family: "best-per-series"}, {Family: "blend"},
		{Name: "fitted blend", Family: "blend", Settings: model.Values{"weigh": "least-squares", "members": "naive,mean,linear"}},
	}}
	for _, c := range []split.Spec{{Horizon: 7, Windows: 6, Stride: 1}, {Horizon: 7, Windows: 5, Stride: 2},
		{Horizon: 7, Windows: 3, Stride: 7}, {Horizon: 5, Windows: 3, Stride: 9}, {Horizon: 5, Windows: 4, Stride: 3, Gap: 2}} {
		plan.Split = c
		e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
		require.NoError(t, err)
		honest := runAll(t, e, 2, e.Tasks())
		for w := range e.Windows {
			scrambled, err := bakeoff.Prepare(panel.Scramble(p, e.Windows[w].Origin, rand.New(rand.NewPCG(5, 6))), plan, catalogue.Standard())
			require.NoError(t, err)
			for task, r := range runAll(t, scrambled, 2, scrambled.Tasks()) {
				if task.Window <= w {
					assert.True(t, bytes.Equal(honest[task].Packed, r.Packed), "%s at stride %d, gap %d, in window %d, scrambled after %d",
						e.Plan.Contenders[task.Contender].Name, c.Stride, c.Gap, task.Window, w)
				}
			}
		}
	}
}

// Which closed lines hold is told before the first origin: what is sold later on closed days
// changes neither the forecasts of a window nor which of its steps are closed.
func TestClosedDaysReadNoFuture(t *testing.T) {
	const n = 120
	p := dailyPanel(6, n)
	sunday, _, err := p.Cadence.Places(calendar.ByWeekday)
	require.NoError(t, err)
	for i := range 3 {
		values := append([]float64(nil), p.Series[i].Values...)
		for k := range values {
			if sunday(p.Ordinal(p.Series[i].First+k)) == 6 {
				values[k] = []float64{0, panel.Unknown}[i%2]
			}
		}
		p.Series[i].Values = values
	}
	for _, lines := range [][]string{{"sunday"}, {"gaps"}} {
		p.Closed = lines
		plan := bakeoff.Plan{Seed: 5, Split: split.Spec{Horizon: 7, Windows: 4, Stride: 5},
			Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "calendar-median"}, {Family: "smoothing"}, {Family: "blend"}}}
		e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
		require.NoError(t, err)
		honest := runAll(t, e, 2, e.Tasks())
		closed := 0
		for place := range 6 {
			rows := forecast.NewRows(7)
			require.NoError(t, rows.Unpack(honest[bakeoff.Task{}].Packed[place*forecast.PackedSize(7):(place+1)*forecast.PackedSize(7)]))
			for h := range rows.Mean {
				if rows.IsClosed(h) {
					closed++
				}
			}
		}
		assert.Equal(t, 3, closed, "one Sunday of each of three series, by %s", lines)
		for w := range e.Windows {
			scrambled, err := bakeoff.Prepare(panel.Scramble(p, e.Windows[w].Origin, rand.New(rand.NewPCG(5, 6))), plan, catalogue.Standard())
			require.NoError(t, err)
			for task, r := range runAll(t, scrambled, 2, scrambled.Tasks()) {
				if task.Window <= w {
					assert.True(t, bytes.Equal(honest[task].Packed, r.Packed), "%s by %s in window %d, scrambled after %d",
						e.Plan.Contenders[task.Contender].Name, lines, task.Window, w)
				}
			}
		}
	}
}

// A contender that learns from all series learns from those that are not assessed too: whether
// there are actuals after the origin changes no forecast.
func TestWhatIsAssessedChangesNoForecast(t *testing.T) {
	p, q := dailyPanel(8, 120), dailyPanel(8, 120)
	for i := 4; i < 8; i++ { // half of them end at the origin
		q.Series[i].Values = q.Series[i].Values[:113]
	}
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 7},
		Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "linear", Settings: model.Values{"steps": "direct", "memory": 500}}}}
	var means [2][]float64
	for k, x := range []*panel.Panel{p, q} {
		e, err := bakeoff.Prepare(x, plan, catalogue.Standard())
		require.NoError(t, err)
		means[k] = meansOf(t, runAll(t, e, 1, e.Tasks())[bakeoff.Task{Contender: 1}], 2, 7)
	}
	assert.Equal(t, means[0], means[1])
}

// counter is a mean that learns from all series, and counts how often it is trained.
type counter struct {
	model.Model
	trained *atomic.Int32
}

func (c counter) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	c.trained.Add(1)
	return c.Model.Train(ctx, v, env)
}

// A member that learns from all series is trained once for the window before the first,
// however many shards a blend has; and each shard's series get what they would alone.
func TestAPooledMemberRehearsesOnce(t *testing.T) {
	var trained atomic.Int32
	cat := append(catalogue.Standard(), model.Family{Name: "counted", AcrossSeries: true, New: func(model.Values) (model.Model, error) {
		m, _, err := catalogue.Standard().New("mean", nil)
		return counter{m, &trained}, err
	}})
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 7, Windows: 2},
		Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "counted"}, {Family: "blend"}}}
	p := dailyPanel(150, 90)
	e, err := bakeoff.Prepare(p, plan, cat)
	require.NoError(t, err)
	got := runAll(t, e, 2, e.Tasks())
	assert.EqualValues(t, 3, trained.Load(), "two windows, and the one before")
	plan.Contenders[1] = bakeoff.Contender{Name: "counted", Family: "mean"}
	plain, err := bakeoff.Prepare(p, plan, cat)
	require.NoError(t, err)
	want := runAll(t, plain, 2, plain.Tasks())
	for shard := range 3 {
		for w := range 2 {
			task := bakeoff.Task{Window: w, Contender: 2, Shard: shard}
			assert.Equal(t, want[task].Packed, got[task].Packed)
		}
	}
}

// A plan may rank by the weighted values of a metric: who is better on the heavy series leads then.
func TestWeightedValuesCanRank(t *testing.T) {
	p := dailyPanel(20, 60)
	for i := range p.Series {
		for k := range p.Series[i].Values {
			v := &p.Series[i].Values[k]
			if *v = 10 + float64(k%7); i == 0 {
				*v = 1000 + 10*float64(k) // the heavy one has a trend and no week
			}
		}
	}
	plan := baselinePlan(7, 2)
	plan.Contenders = []bakeoff.Contender{{Family: "seasonal-naive"}, {Family: "drift"}}
	plan.Baseline, plan.Weights, plan.Metric, plan.ScaleLag = "seasonal-naive", "volume:28", "weighted mase", 1
	leaders := map[string]string{}
	for _, metric := range []string{"", "mase"} {
		e, err := bakeoff.Prepare(p, plan, withDice())
		require.NoError(t, err)
		tally, err := bakeoff.NewTally(e, "")
		require.NoError(t, err)
		require.NoError(t, tally.By(metric))
		got := runAll(t, e, 1, e.Tasks())
		for _, task := range e.Tasks() {
			r, err := got.stored(task)
			require.NoError(t, err)
			require.NoError(t, tally.Add(task, r))
		}
		st, err := tally.Rank(metric)
		require.NoError(t, err)
		leaders[metric] = st.Slices[0].Rows[0].Contender
		assert.Equal(t, metric == "", st.Weighted)
		assert.Equal(t, "mase", st.Metric)
	}
	assert.Equal(t, map[string]string{"": "drift", "mase": "seasonal-naive"}, leaders)
	plan.Weights = ""
	_, err := bakeoff.Prepare(p, plan, withDice())
	assert.ErrorContains(t, err, "no weights to rank by")
}
