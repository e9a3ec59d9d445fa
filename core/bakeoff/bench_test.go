package bakeoff_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
	"paperkettle/core/split"
)

// dailyPanel makes weekly-seasonal noisy series.
func dailyPanel(series, length int) *panel.Panel {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 19000, Length: length, Measure: "orders"}
	names := make([]string, series)
	for i := range series {
		rnd := rand.New(rand.NewPCG(7, uint64(i)))
		values := make([]float64, length)
		for t := range values {
			values[t] = float64(int(50 + 10*float64(t%7) + 8*rnd.NormFloat64()))
		}
		names[i] = fmt.Sprintf("s%05d", i)
		p.Series = append(p.Series, panel.Series{Key: names[i], Values: values})
	}
	p.Attributes = []panel.Attribute{panel.NewAttribute("item", names)}
	return p
}

func baselinePlan(horizon, windows int) bakeoff.Plan {
	plan := bakeoff.Plan{Split: split.Spec{Horizon: horizon, Windows: windows}, Seed: 1}
	for _, f := range []string{"naive", "seasonal-naive", "drift", "mean", "moving-average", "calendar-mean"} {
		plan.Contenders = append(plan.Contenders, bakeoff.Contender{Family: f})
	}
	return plan
}

// BenchmarkEngine runs the six baselines over 2,000 daily series of three years, six
// windows of 28 days, on two workers.
func BenchmarkEngine(b *testing.B) {
	p := dailyPanel(2000, 1095)
	for b.Loop() {
		e, err := bakeoff.Prepare(p, baselinePlan(28, 6), catalogue.Standard())
		require.NoError(b, err)
		work := make(chan bakeoff.Task)
		var wg sync.WaitGroup
		for range 2 {
			wg.Go(func() {
				for t := range work {
					_, err := run(e, t, nil)
					if err != nil {
						panic(err)
					}
				}
			})
		}
		for _, t := range e.Tasks() {
			work <- t
		}
		close(work)
		wg.Wait()
	}
}

// BenchmarkOverhead sets the engine against calling the models directly, in turns, on
// one worker: the ratio is what scoring, packing and bookkeeping cost.
func BenchmarkOverhead(b *testing.B) {
	p := dailyPanel(256, 1095)
	e, err := bakeoff.Prepare(p, baselinePlan(28, 2), catalogue.Standard())
	require.NoError(b, err)
	var models []model.Model
	for _, c := range e.Plan.Contenders {
		m, _, err := catalogue.Standard().New(c.Family, c.Settings)
		require.NoError(b, err)
		models = append(models, m)
	}
	random := func(string) *rand.Rand { return nil }
	took := [2]map[bakeoff.Task][]float64{{}, {}} // seconds
	turn := 0
	for b.Loop() {
		for _, t := range e.Tasks() {
			w := e.Windows[t.Window]
			ways := [2]func() error{
				func() error {
					_, err := run(e, t, nil)
					return err
				},
				func() error {
					_, _, err := bakeoff.Forecast(context.Background(), models[t.Contender], panel.NewView(p, e.Shard(t), w.TrainFirst, w.Origin),
						model.Env{Horizon: 28, Workers: 1, Random: random})
					return err
				},
			}
			for i := range ways { // whoever comes second finds the series in the cache: they take turns
				way := (turn + i) % 2
				begin := time.Now()
				require.NoError(b, ways[way]())
				took[way][t] = append(took[way][t], time.Since(begin).Seconds())
			}
			turn++
		}
		turn++ // so that each task sees both orders, whatever their number
	}
	engine, direct := 0.0, 0.0
	for t, alone := range took[1] { // both of a turn meet the same machine: their ratio holds where times do not
		ratios := make([]float64, len(alone))
		for i := range alone {
			ratios[i] = took[0][t][i] / alone[i]
		}
		least := slices.Min(alone)
		slices.Sort(ratios)
		engine += ratios[len(ratios)/2] * least
		direct += least
	}
	b.ReportMetric(engine/direct, "engine/direct")
}

// BenchmarkAdvance takes each family through one-step windows that it was trained before once, and tells
// what an advance with its forecast costs on 3,000 values next to 1,500: what is as dear however long
// the history is has a ratio of one.
func BenchmarkAdvance(b *testing.B) {
	for _, family := range []string{"smoothing", "theta", "arima", "decomposition", "additive", "linear", "intermittent", "seasonal-naive"} {
		b.Run(family, func(b *testing.B) {
			least := map[[2]int]time.Duration{}
			for b.Loop() {
				for _, length := range []int{1500, 3000} {
					for _, windows := range []int{50, 300} {
						plan := bakeoff.Plan{Split: split.Spec{Horizon: 1, Windows: windows, Refit: split.Once}, Seed: 1,
							Contenders: []bakeoff.Contender{{Family: family}}}
						e, err := bakeoff.Prepare(dailyPanel(1, length), plan, catalogue.Standard())
						require.NoError(b, err)
						begin := time.Now()
						for _, t := range e.Tasks() {
							_, err := run(e, t, nil)
							require.NoError(b, err)
						}
						took := time.Since(begin)
						if before, ok := least[[2]int{length, windows}]; !ok || took < before {
							least[[2]int{length, windows}] = took
						}
					}
				}
			}
			each := func(length int) float64 {
				return float64(least[[2]int{length, 300}]-least[[2]int{length, 50}]) / 250e3
			}
			b.ReportMetric(each(3000), "us/advance")
			b.ReportMetric(each(3000)/each(1500), "of-half-length")
		})
	}
}
