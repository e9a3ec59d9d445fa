package bakeoff_test

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/core/split"
)

// dice is a family that leans on its random stream and fails on a named series.
type dice struct{}

type rolled struct{ values []float64 }

func (dice) Fit(_ context.Context, s panel.SeriesView, _ int, rnd func() *rand.Rand) (model.SeriesFit, error) {
	if s.Key == "s00001" {
		return nil, errors.New("it will not do this one")
	}
	if s.Key == "s00002" {
		panic("broken")
	}
	r := rnd()
	return rolled{[]float64{r.NormFloat64(), s.Values[len(s.Values)-1]}}, nil
}

func (r rolled) Forecast(_ panel.SeriesView, out forecast.Rows) error {
	for h := range out.Mean {
		out.Mean[h] = r.values[0] + r.values[1]
		for g := range out.At(h) {
			out.At(h)[g] = out.Mean[h] + float64(g-forecast.Median)
		}
	}
	return nil
}
func (rolled) Advance(panel.SeriesView) error { return nil }
func (rolled) Describe() model.Description    { return model.Description{} }
func (rolled) MarshalBinary() ([]byte, error) { return nil, nil }

func withDice() model.Catalogue {
	return append(catalogue.Standard(), model.Family{Name: "dice", New: func(model.Values) (model.Model, error) { return model.PerSeries(dice{}), nil }})
}

// results are what tasks made, by task and window.
type results map[bakeoff.Task]*bakeoff.TaskResult

func (r results) stored(t bakeoff.Task) (*bakeoff.TaskResult, error) {
	if got, ok := r[t]; ok {
		return got, nil
	}
	return nil, fmt.Errorf("nothing is stored of %v", t)
}

// run gives all that a task makes.
func run(e *bakeoff.Engine, task bakeoff.Task, stored bakeoff.Stored) (list []*bakeoff.TaskResult, err error) {
	err = e.Run(context.Background(), task, bakeoff.Desk{Stored: stored, Hand: func(r *bakeoff.TaskResult) error {
		list = append(list, r)
		return nil
	}})
	return list, err
}

// runAll runs tasks in the given order, those that combine others after the rest.
func runAll(t testing.TB, e *bakeoff.Engine, workers int, order []bakeoff.Task) results {
	out := results{}
	for _, combining := range []bool{false, true} {
		var mu sync.Mutex
		var wg sync.WaitGroup
		work := make(chan bakeoff.Task)
		made := results{}
		for range workers {
			wg.Go(func() {
				for task := range work {
					list, err := run(e, task, out.stored)
					if err != nil {
						panic(err)
					}
					mu.Lock()
					for _, r := range list {
						made[bakeoff.Task{Window: r.Window, Contender: task.Contender, Shard: r.Shard}] = r
					}
					mu.Unlock()
				}
			})
		}
		for _, task := range order {
			if e.Combines(task) == combining {
				work <- task
			}
		}
		close(work)
		wg.Wait()
		for task, r := range made {
			out[task] = r
		}
	}
	return out
}

func standings(t testing.TB, e *bakeoff.Engine, got results, per string) *bakeoff.Standings {
	tally, err := bakeoff.NewTally(e, per)
	require.NoError(t, err)
	tasks := slices.Collect(maps.Keys(got))
	slices.SortFunc(tasks, func(a, b bakeoff.Task) int {
		return cmp.Or(cmp.Compare(a.Window, b.Window), cmp.Compare(a.Shard, b.Shard), cmp.Compare(a.Contender, b.Contender))
	})
	for _, task := range tasks {
		require.NoError(t, tally.Add(task, got[task]))
	}
	st, err := tally.Rank("")
	require.NoError(t, err)
	return st
}

// The same numbers, to the bit, for one worker or two and in any order.
func TestResultsDoNotDependOnWorkersOrOrder(t *testing.T) {
	p := dailyPanel(150, 120)
	plan := baselinePlan(14, 2)
	plan.Contenders = append(plan.Contenders, bakeoff.Contender{Family: "dice"})
	e, err := bakeoff.Prepare(p, plan, withDice())
	require.NoError(t, err)
	tasks := e.Tasks()
	one := runAll(t, e, 1, tasks)
	shuffled := append([]bakeoff.Task(nil), tasks...)
	rand.New(rand.NewPCG(3, 4)).Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
	two := runAll(t, e, 2, shuffled)
	require.Equal(t, one, two)

	plan.Seed++
	other, err := bakeoff.Prepare(p, plan, withDice())
	require.NoError(t, err)
	dice := bakeoff.Task{Contender: 6}
	again, err := run(other, dice, nil)
	require.NoError(t, err)
	assert.NotEqual(t, one[dice].Packed, again[0].Packed, "another seed, another stream")
}

// Contenders that learn from all series at once train on several workers, to the same bits,
// and none of them sees past its origin.
func TestWhatLearnsFromAllSeries(t *testing.T) {
	p := dailyPanel(30, 160)
	plan := bakeoff.Plan{Split: baselinePlan(7, 1).Split,
		Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "additive"}, {Family: "linear"}, {Family: "boosting"},
			{Family: "perceptron", Settings: model.Values{"passes": 1, "units": 8, "members": 1}},
			{Family: "recurrent", Settings: model.Values{"passes": 1, "units": 8, "members": 1, "steps": "recursive"}},
			{Name: "steps", Family: "linear", Settings: model.Values{"steps": "averaged", "intervals": "quantiles"}}}}
	all := func(p *panel.Panel, workers int) map[bakeoff.Task][]*bakeoff.TaskResult {
		e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
		require.NoError(t, err)
		e.Lineup.Workers = workers
		out := map[bakeoff.Task][]*bakeoff.TaskResult{}
		for _, task := range e.Tasks() {
			got, err := run(e, task, nil)
			require.NoError(t, err)
			out[task] = got
		}
		return out
	}
	one := all(p, 1)
	e, err := bakeoff.Prepare(p, plan, catalogue.Standard())
	require.NoError(t, err)
	wild := all(panel.Scramble(p, e.Windows[0].Origin, rand.New(rand.NewPCG(5, 6))), 2)
	for task, results := range all(p, 3) {
		assert.Equal(t, one[task], results, "%v", task)
		assert.Equal(t, one[task][0].Packed, wild[task][0].Packed, "%v reads the future", task)
	}
}

// everyKind adds contenders that combine others or are tuned.
func everyKind(plan bakeoff.Plan) bakeoff.Plan {
	for _, weigh := range []string{"mean", "median", "inverse-error", "stacked", "least-squares"} {
		plan.Contenders = append(plan.Contenders, bakeoff.Contender{Name: "blend by " + weigh, Family: "blend", Settings: model.Values{"weigh": weigh}})
	}
	return withTuned(bakeoff.Plan{Split: plan.Split, Seed: plan.Seed, Contenders: append(plan.Contenders, bakeoff.Contender{Family: "best-per-series"})})
}

func withTuned(plan bakeoff.Plan) bakeoff.Plan {
	for _, per := range []string{bakeoff.TuneAll, bakeoff.TuneSeries} {
		plan.Contenders = append(plan.Contenders, bakeoff.Contender{Name: "tuned for " + per, Family: "moving-average",
			Tune: &bakeoff.Tune{Settings: map[string][]any{"length": {1, 7, 21}}, Windows: 2, Per: per}})
	}
	return plan
}

// No contender sees past its origin, nor do choices, weights and searches: noise there
// changes no forecast, in any window, trained anew or advanced.
func TestNoContenderReadsTheFuture(t *testing.T) {
	p := dailyPanel(70, 160)
	for _, refit := range []split.Refit{0, split.Once} {
		plan := everyKind(baselinePlan(7, 3))
		plan.Split.Refit = refit
		e, err := bakeoff.Prepare(p, plan, withDice())
		require.NoError(t, err)
		honest := runAll(t, e, 2, e.Tasks())
		for w := range e.Windows {
			scrambled, err := bakeoff.Prepare(panel.Scramble(p, e.Windows[w].Origin, rand.New(rand.NewPCG(5, 6))), plan, withDice())
			require.NoError(t, err)
			again := runAll(t, scrambled, 2, scrambled.Tasks())
			for task, r := range again {
				if task.Window <= w {
					assert.Equal(t, honest[task].Packed, r.Packed, "%s in window %d, scrambled after %d", e.Plan.Contenders[task.Contender].Name, task.Window, w)
				} else if task.Contender == 0 {
					assert.NotEqual(t, honest[task].Packed, r.Packed, "the later windows did change")
				}
			}
		}
	}
}

// A series on which a contender fails or breaks down is filled with the naive, and
// its neighbours are untouched.
func TestAFailureIsFilledAndToldApart(t *testing.T) {
	p := dailyPanel(5, 100)
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 7}, Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "dice"}}}
	e, err := bakeoff.Prepare(p, plan, withDice())
	require.NoError(t, err)
	results := runAll(t, e, 1, e.Tasks())
	naive, diced := results[bakeoff.Task{}], results[bakeoff.Task{Contender: 1}]
	require.Len(t, diced.Filled, 2)
	assert.Equal(t, bakeoff.Filled{Series: "s00001", Reason: "it will not do this one"}, diced.Filled[0])
	assert.Contains(t, diced.Filled[1].Reason, "broke down")
	for i := range 5 {
		if i == 1 || i == 2 {
			assert.Equal(t, naive.Series[i], diced.Series[i])
		} else {
			assert.NotEqual(t, naive.Series[i], diced.Series[i])
		}
	}
	st := standings(t, e, results, "")
	for _, r := range st.Slices[0].Rows {
		assert.Equal(t, map[string]int{"naive": 0, "dice": 2}[r.Contender], r.Filled)
	}
}

func monthly(values ...float64) *panel.Panel {
	return &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Month}, First: 600, Length: len(values), Measure: "y",
		Series: []panel.Series{{Key: "all", Values: values}}}
}

// A monthly series 1..20 with a holdout of 4, by hand.
func TestOneToTwenty(t *testing.T) {
	var values []float64
	for i := range 20 {
		values = append(values, float64(i+1))
	}
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 4}, Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "drift"}}}
	e, err := bakeoff.Prepare(monthly(values...), plan, catalogue.Standard())
	require.NoError(t, err)
	results := runAll(t, e, 1, e.Tasks())
	rows := forecast.NewRows(4)
	require.NoError(t, rows.Unpack(results[bakeoff.Task{}].Packed))
	assert.Equal(t, []float64{16, 16, 16, 16}, rows.Mean)
	st := standings(t, e, results, "")
	assert.Equal(t, "naive", st.Baseline)
	value := func(r bakeoff.Standing, name string) float64 {
		for i, m := range st.Metrics {
			if m.Name == name {
				return r.Values[i]
			}
		}
		return math.NaN()
	}
	drift, naive := st.Slices[0].Rows[0], st.Slices[0].Rows[1]
	assert.Equal(t, []any{"drift", 1, 0.0, 1.0}, []any{drift.Contender, drift.Rank, value(drift, "mae"), drift.Skill})
	assert.Equal(t, []any{"naive", 2, 2.5, 2.5, 0.0}, []any{naive.Contender, naive.Rank, value(naive, "mae"), value(naive, "mase"), naive.Skill})
	assert.Equal(t, -2.5, value(naive, "bias"))
}

// The stored forecasts reproduce every figure of the standings.
func TestForecastsReproduceStandings(t *testing.T) {
	p := dailyPanel(70, 90)
	p.Series[3].Values[80] = math.NaN()
	e, err := bakeoff.Prepare(p, baselinePlan(7, 3), catalogue.Standard())
	require.NoError(t, err)
	results := runAll(t, e, 2, e.Tasks())
	st := standings(t, e, results, "")
	for c, contender := range e.Plan.Contenders {
		acc := score.NewAcc(2)
		for w, win := range e.Windows {
			for series := range p.Series {
				task, place, ok := e.Locate(w, c, series)
				require.True(t, ok)
				size := forecast.PackedSize(7)
				rows := forecast.NewRows(7)
				require.NoError(t, rows.Unpack(results[task].Packed[place*size:(place+1)*size]))
				scale := score.MakeScale(p.Series[series].Values[:win.Origin+1], 7)
				one := score.NewAcc(2)
				var abs []float64
				for h := range 7 {
					low80, high80 := forecast.Interval(rows.At(h), 80)
					low95, high95 := forecast.Interval(rows.At(h), 95)
					y := p.Series[series].At(win.Origin + 1 + h)
					one.Add(y, rows.Mean[h], scale, rows.At(h), e.Plan.Levels, []float64{low80, low95}, []float64{high80, high95})
					if panel.Known(y) {
						abs = append(abs, math.Abs(rows.Mean[h]-y))
					}
				}
				one.CloseSeries(scale)
				one.Abs = abs
				acc.Merge(&one)
			}
		}
		for _, row := range st.Slices[0].Rows {
			if row.Contender != contender.Name {
				continue
			}
			assert.Equal(t, 70*7*3-1, row.Points)
			for i, m := range st.Metrics {
				assert.InEpsilon(t, 1+row.Values[i], 1+m.Value(&acc), 1e-12, m.Name)
			}
		}
	}
}

// Cuts share out the points of the whole.
func TestCutsAddUp(t *testing.T) {
	e, err := bakeoff.Prepare(dailyPanel(10, 60), baselinePlan(7, 2), catalogue.Standard())
	require.NoError(t, err)
	results := runAll(t, e, 2, e.Tasks())
	for per, n := range map[string]int{"": 1, "step": 7, "window": 2, "series": 10, "item": 10, "weekday": 7, "month": 2, "demand": 1, "history": 1,
		"volume": 4, "item,step": 70, "window,weekday": 14, "volume,window": 8, "series,weekday": 70} {
		st := standings(t, e, results, per)
		require.Len(t, st.Slices, n, per)
		points := 0
		for _, s := range st.Slices {
			points += s.Rows[0].Points
		}
		assert.Equal(t, 140, points, per)
		whole := standings(t, e, results, "").Slices[0]
		for _, r := range whole.Rows { // the mean absolute error of the whole is that of its parts
			sum := 0.0
			for _, s := range st.Slices {
				i := slices.IndexFunc(s.Rows, func(x bakeoff.Standing) bool { return x.Contender == r.Contender })
				sum += s.Rows[i].Values[0] * float64(s.Rows[i].Points)
			}
			assert.InEpsilon(t, r.Values[0], sum/140, 1e-12, per)
		}
	}
	days := standings(t, e, results, "weekday")
	assert.Equal(t, []string{"Monday", "Sunday"}, []string{days.Slices[0].Name, days.Slices[6].Name})
	_, err = bakeoff.NewTally(e, "step,step")
	assert.ErrorContains(t, err, "crossed with itself")
	_, err = bakeoff.NewTally(e, "time-of-day")
	assert.Error(t, err)
	_, err = bakeoff.NewTally(e, "colour")
	assert.ErrorContains(t, err, "the dataset has item")
}

func TestSeriesThatCannotTakePartAreSetAside(t *testing.T) {
	p := dailyPanel(3, 60)
	p.Series[0] = panel.Series{Key: "s00000", First: 50, Values: p.Series[0].Values[50:]}
	p.Series[1].Values = p.Series[1].Values[:50]
	e, err := bakeoff.Prepare(p, baselinePlan(7, 2), catalogue.Standard())
	require.NoError(t, err)
	assert.Equal(t, [][]int{{1, 2}, {0, 2}}, e.Qualified)
	require.Len(t, e.SetAside, 2)
	assert.Equal(t, "has 0 known values up to the origin 2022-02-22, and training needs at least 2", e.SetAside[0].Reason)
	assert.Contains(t, e.SetAside[1].Reason, "to be assessed on")
}

func TestPlansThatCannotRun(t *testing.T) {
	p := dailyPanel(2, 30)
	good := baselinePlan(7, 1)
	cases := map[string]func(*bakeoff.Plan){
		"a horizon of 29 needs at least 31 periods, and the dataset has 30": func(p *bakeoff.Plan) { p.Split.Horizon = 29 },
		"at most 4 windows fit":                func(p *bakeoff.Plan) { p.Split.Windows = 5 },
		"the horizon must be at least 1":       func(p *bakeoff.Plan) { p.Split.Horizon = 0 },
		"two contenders are called \"naive\"":  func(p *bakeoff.Plan) { p.Contenders = append(p.Contenders, bakeoff.Contender{Family: "naive"}) },
		"no family is called \"oracle\"":       func(p *bakeoff.Plan) { p.Contenders[0].Family = "oracle" },
		"the baseline \"oracle\" is not among": func(p *bakeoff.Plan) { p.Baseline = "oracle" },
		"a series by day can't be sorted by time-of-day": func(p *bakeoff.Plan) {
			p.Contenders[5].Settings = model.Values{"by": "time-of-day"}
		},
		"no metric is called \"luck\"": func(p *bakeoff.Plan) { p.Metric = "luck" },
		"levels run from 50 to 99.9":   func(p *bakeoff.Plan) { p.Levels = []float64{101} },
		"no series has item \"x\"":     func(p *bakeoff.Plan) { p.Where = map[string]string{"item": "x"} },
		"there are no contenders":      func(p *bakeoff.Plan) { p.Contenders = nil },
		"the gap can't be below 0":     func(p *bakeoff.Plan) { p.Split.Gap = -1 },
		"write weights as":             func(p *bakeoff.Plan) { p.Weights = "size" },
		"no column \"size\"":           func(p *bakeoff.Plan) { p.Weights = "column:size" },
		"the fallback \"blend\"":       func(p *bakeoff.Plan) { p.Fallback = "blend" },
		"needs at least two members":   func(p *bakeoff.Plan) { p.Contenders = []bakeoff.Contender{{Family: "naive"}, {Family: "blend"}} },
		"its member \"oracle\" is not": func(p *bakeoff.Plan) {
			p.Contenders[5] = bakeoff.Contender{Family: "blend", Settings: model.Values{"members": "naive,oracle"}}
		},
		"tune: the setting length has no values": func(p *bakeoff.Plan) {
			p.Contenders[4].Tune = &bakeoff.Tune{Settings: map[string][]any{"length": {}}}
		},
		"tune: moving-average: no setting is called \"size\"": func(p *bakeoff.Plan) {
			p.Contenders[4].Tune = &bakeoff.Tune{Settings: map[string][]any{"size": {1}}}
		},
	}
	for want, spoil := range cases {
		plan := good
		plan.Contenders = append([]bakeoff.Contender(nil), good.Contenders...)
		spoil(&plan)
		_, err := bakeoff.Prepare(p, plan, catalogue.Standard())
		assert.ErrorContains(t, err, want)
		var field *bakeoff.FieldError
		assert.ErrorAs(t, err, &field, want)
	}
}

func ExampleEngine_Run() {
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 2}, Contenders: []bakeoff.Contender{{Family: "naive"}}}
	e, _ := bakeoff.Prepare(monthly(5, 6, 7, 8, 9, 10), plan, catalogue.Standard())
	_ = e.Run(context.Background(), e.Tasks()[0], bakeoff.Desk{Hand: func(res *bakeoff.TaskResult) error {
		rows := forecast.NewRows(2)
		err := rows.Unpack(res.Packed)
		fmt.Println(rows.Mean)
		return err
	}})
	// Output: [8 8]
}

// A search that is given a time tries one combination at least, and says what it had no time for.
func TestASearchWithinATime(t *testing.T) {
	plan := baselinePlan(7, 1)
	plan.Contenders = append(plan.Contenders, bakeoff.Contender{Name: "tuned", Family: "moving-average",
		Tune: &bakeoff.Tune{Settings: map[string][]any{"length": {1, 7, 21}}, Within: 0.5}})
	e, err := bakeoff.Prepare(dailyPanel(70, 160), plan, catalogue.Standard())
	require.NoError(t, err)
	now := time.Duration(0)
	e.Lineup.Clock = func() time.Duration { now += 20 * time.Second; return now }
	all := runAll(t, e, 1, e.Tasks())
	found := false
	for _, r := range all {
		if r.Tuned != nil {
			found = true
			require.Len(t, r.Tuned.Trials, 3)
			assert.NotNil(t, r.Tuned.Trials[0].Score)
			assert.Contains(t, r.Tuned.Trials[2].Problem, "not tried")
		}
	}
	assert.True(t, found)
}
