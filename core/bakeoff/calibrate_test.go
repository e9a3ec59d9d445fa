package bakeoff_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/num"
	"paperkettle/core/panel"
	"paperkettle/core/split"
)

// guess is a family that is off by 10 at each step, give or take, and says so: by 8 as all guesses of the
// same window are, and by 6 of its own.
type guess struct{}

type guessed struct {
	rolled
	common, own *rand.Rand
}

func (guess) Fit(_ context.Context, s panel.SeriesView, _ int, rnd func() *rand.Rand) (model.SeriesFit, error) {
	return guessed{common: num.Stream(uint64(len(s.Values)), s.Key), own: rnd()}, nil
}

func (g guessed) Forecast(_ panel.SeriesView, out forecast.Rows) error {
	for h := range out.Mean {
		out.Mean[h] = 100 + 8*g.common.NormFloat64() + 6*g.own.NormFloat64()
		for k, p := range forecast.Grid {
			out.At(h)[k] = out.Mean[h] + 10*num.NormalQuantile(p)
		}
	}
	return nil
}

// Errors that members do not share cancel out. Their intervals, averaged, hold far more
// than they promise; those of a blend are made narrower by what is past, and one member's alone stay as
// they are. What comes after an origin does not count.
func TestAveragedIntervalsHoldWhatTheyPromise(t *testing.T) {
	const series, horizon, windows = 30, 8, 10
	guessing := func(model.Values) (model.Model, error) { return model.PerSeries(guess{}), nil }
	cat := append(catalogue.Standard(), model.Family{Name: "guess", New: guessing})
	plan := bakeoff.Plan{Split: split.Spec{Horizon: horizon, Windows: windows}, Seed: 1, Contenders: []bakeoff.Contender{
		{Family: "naive"}, {Name: "one", Family: "guess"}, {Name: "two", Family: "guess"}, {Name: "three", Family: "guess"},
		{Name: "four", Family: "guess"},
		{Name: "mixed", Family: "blend", Settings: model.Values{"members": "one,two,three,four", "weigh": "mean"}},
		{Family: "best-per-series", Settings: model.Values{"members": "one,two"}}}}
	p := dailyPanel(series, 120)
	rnd := rand.New(rand.NewPCG(4, 4))
	for i := range p.Series {
		for k := range p.Series[i].Values {
			p.Series[i].Values[k] = 100 + 0.1*rnd.NormFloat64()
		}
	}
	widths := func(p *panel.Panel, contender, window int) (inside, wide float64) {
		e, err := bakeoff.Prepare(p, plan, cat)
		require.NoError(t, err)
		r := runAll(t, e, 2, e.Tasks())[bakeoff.Task{Contender: contender, Window: window}]
		size := forecast.PackedSize(horizon)
		for i := range series {
			rows := forecast.NewRows(horizon)
			require.NoError(t, rows.Unpack(r.Packed[i*size:(i+1)*size]))
			for h := range horizon {
				low, high := forecast.Interval(rows.At(h), 80)
				wide += (high - low) / series / horizon
				if y := p.Series[i].At(e.Windows[window].AssessFirst() + h); y >= low && y <= high {
					inside += 1.0 / series / horizon
				}
			}
		}
		return inside, wide
	}
	const blended, chosen, own = 5, 6, 2 * 1.2816 * 10
	first, wide := widths(p, blended, 0)
	assert.Greater(t, first, 0.82, "one window before the first tells little")
	last, narrow := widths(p, blended, windows-1)
	assert.InDelta(t, 0.8, last, 0.06)
	assert.InEpsilon(t, own*math.Sqrt(0.64+0.36/4), narrow, 0.05, "what the mean of four errs by")
	assert.Less(t, narrow, wide)
	_, wide = widths(p, chosen, windows-1)
	assert.InEpsilon(t, own, wide, 1e-4)

	for i := range p.Series { // the future of the middle window
		for k := 120 - 5*horizon; k < 120; k++ {
			p.Series[i].Values[k] = 1e4 * rnd.Float64()
		}
	}
	_, again := widths(p, blended, 4)
	calm := dailyPanel(series, 120)
	rnd = rand.New(rand.NewPCG(4, 4))
	for i := range calm.Series {
		for k := range calm.Series[i].Values {
			calm.Series[i].Values[k] = 100 + 0.1*rnd.NormFloat64()
		}
	}
	_, before := widths(calm, blended, 4)
	assert.Equal(t, before, again, "the origin of the fifth window has five windows after it")
}
