package neural_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/neural"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

func env(horizon, workers int) model.Env {
	return model.Env{Horizon: horizon, Workers: workers, Random: func(s string) *rand.Rand { return num.Stream(1, s) }}
}

// shops are daily sales of shops of two kinds, whose weeks differ, and which grow or shrink.
func shops(series, n int, noise float64) *panel.Panel {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 7000, Length: n}
	kinds := make([]string, series)
	for i := range series {
		rnd := rand.New(rand.NewPCG(3, uint64(i)))
		y := make([]float64, n)
		level := 50 + 100*rnd.Float64()
		kinds[i] = []string{"quay", "market"}[i%2]
		for t := range y {
			level *= math.Exp(0.005 * rnd.NormFloat64())
			y[t] = level * (1 + 0.3*math.Sin(2*math.Pi*float64(t+3*(i%2))/7) + noise*rnd.NormFloat64())
		}
		p.Series = append(p.Series, panel.Series{Key: fmt.Sprint("shop ", i), Values: y})
	}
	p.Attributes = []panel.Attribute{panel.NewAttribute("kind", kinds)}
	return p
}

func viewOf(p *panel.Panel, origin int) panel.View {
	all := make([]int, len(p.Series))
	for i := range all {
		all[i] = i
	}
	return panel.NewView(p, all, 0, origin)
}

func train(t testing.TB, family string, given model.Values, v panel.View, e model.Env) model.Trained {
	t.Helper()
	m, _, err := neural.Families().New(family, given)
	require.NoError(t, err)
	trained, err := m.Train(t.Context(), v, e)
	require.NoError(t, err)
	return trained
}

func forecasts(t testing.TB, trained model.Trained, v panel.View, h int) []forecast.Rows {
	t.Helper()
	res, err := trained.Forecast(t.Context(), v, h)
	require.NoError(t, err)
	for _, err := range res.Err {
		require.NoError(t, err)
	}
	return res.Series
}

var families = []string{"perceptron", "recurrent"}

// small is a short training.
func small(more model.Values) model.Values {
	out := model.Values{"passes": 4, "units": 16, "members": 1}
	for k, v := range more {
		out[k] = v
	}
	return out
}

// A sine without noise is continued for many periods, fed back from its own forecasts.
func TestASineGoesOn(t *testing.T) {
	const n, h = 670, 300
	y := make([]float64, n+h)
	for i := range y {
		y[i] = 10 + 4*math.Sin(2*math.Pi*float64(i)/20)
	}
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Number}, Length: n, Series: []panel.Series{{Key: "sine", Values: y[:n]}}}
	v := viewOf(p, n-1)
	trained := train(t, "recurrent", model.Values{"steps": "recursive", "members": 1}, v, env(h, 2))
	sum := 0.0
	for k, m := range forecasts(t, trained, v, h)[0].Mean {
		sum += (m - y[n+k]) * (m - y[n+k])
	}
	assert.Less(t, math.Sqrt(sum/h), 0.03*4)
}

// What is forecast of noisy weeks is nearly what an oracle would, and the intervals hold.
func TestWeeksWithNoise(t *testing.T) {
	const n, h, noise = 200, 14, 0.05
	p := shops(12, n+h, noise)
	v := viewOf(p, n-1)
	for _, family := range families {
		rows := forecasts(t, train(t, family, model.Values{"members": 1, "passes": 12}, v, env(h, 2)), v, h)
		sum, oracle, inside := 0.0, 0.0, 0.0
		for i, r := range rows {
			y := p.Series[i].Values
			level := 0.0 // as an oracle of the season would estimate it
			for t := n - 7; t < n; t++ {
				level += y[t] / 7
			}
			for k, m := range r.Mean {
				sum += math.Abs(m - y[n+k])
				oracle += math.Abs(level*(1+0.3*math.Sin(2*math.Pi*float64(n+k+3*(i%2))/7)) - y[n+k])
				if low, high := forecast.Interval(r.At(k), 80); low <= y[n+k] && y[n+k] <= high {
					inside++
				}
			}
		}
		assert.Less(t, sum/oracle, 1.15, family)
		assert.InDelta(t, 0.8, inside/float64(len(rows)*h), 0.1, family)
	}
}

// The same numbers for any number of workers, and after a stop at any look.
func TestNetworksAreTheSame(t *testing.T) {
	const n, h = 120, 7
	v := viewOf(shops(8, n, 0.05), n-1)
	for _, family := range families {
		given := model.Values{"passes": 7, "units": 8, "members": 2}
		one := forecasts(t, train(t, family, given, v, env(h, 1)), v, h)
		assert.Equal(t, one, forecasts(t, train(t, family, given, v, env(h, 3)), v, h), family)

		kept := &notes{stopAfter: 2}
		stopped := env(h, 2)
		stopped.Checkpoint = kept
		m, _, err := neural.Families().New(family, given)
		require.NoError(t, err)
		for range 5 {
			ctx, cancel := context.WithCancel(t.Context())
			kept.stop, kept.saved = cancel, 0
			trained, err := m.Train(ctx, v, stopped)
			if cancel(); err != nil {
				require.ErrorIs(t, err, context.Canceled)
				continue
			}
			assert.Equal(t, one, forecasts(t, trained, v, h), "%s, after stops", family)
		}
		assert.Greater(t, kept.loads, 1)
	}
}

// notes is a checkpoint that stops the training after some were saved.
type notes struct {
	last      []byte
	saved     int
	loads     int
	stopAfter int
	stop      func()
}

func (n *notes) Load() ([]byte, error) {
	n.loads++
	return n.last, nil
}

func (n *notes) Save(b []byte) error {
	n.last = slices.Clone(b)
	if n.saved++; n.saved == n.stopAfter {
		n.stop()
	}
	return nil
}

// A series that doubles is forecast where it is, and one that is a thousand times as large alike.
func TestLevelsOutsideThePast(t *testing.T) {
	const n, h = 150, 7
	p := shops(8, n, 0.02)
	for t := n - 30; t < n; t++ {
		p.Series[0].Values[t] *= 2
	}
	p.Series[2].Values = slices.Clone(p.Series[1].Values)
	for t := range p.Series[2].Values {
		p.Series[2].Values[t] *= 1024
	}
	v := viewOf(p, n-1)
	for _, family := range families {
		rows := forecasts(t, train(t, family, small(model.Values{"passes": 20, "together": "all"}), v, env(h, 2)), v, h)
		week, ahead := 0.0, 0.0
		for k := range h {
			week += p.Series[0].Values[n-h+k]
			ahead += rows[0].Mean[k]
		}
		assert.InEpsilon(t, week, ahead, 0.1, family)
		for k, m := range rows[1].Mean {
			assert.InEpsilon(t, 1024*m, rows[2].Mean[k], 0.2, "%s: of another kind, and else alike", family)
		}
	}
}

// Drivers known ahead move the forecast by about what they moved the past, and a scenario follows.
func TestDriversMoveTheForecast(t *testing.T) {
	const n, h = 150, 8
	p := shops(12, n, 0.02)
	p.Drivers = []panel.Driver{{Name: "promotion", KnownAhead: true}}
	for i := range p.Series {
		rnd := rand.New(rand.NewPCG(9, uint64(i)))
		x := make([]float64, n+h)
		for t := range x {
			if rnd.IntN(5) == 0 {
				x[t] = 1
			}
			if t < n {
				p.Series[i].Values[t] *= 1 + 0.4*x[t]
			}
		}
		for k := range h {
			x[n+k] = float64(k % 2)
		}
		p.Series[i].Drivers = [][]float64{x}
	}
	v := viewOf(p, n-1)
	for _, family := range families {
		for i := range p.Series {
			for k := range h {
				p.Series[i].Drivers[0][n+k] = float64(k % 2)
			}
		}
		trained := train(t, family, small(nil), v, env(h, 2))
		on := forecasts(t, trained, v, h)
		for i := range p.Series {
			for k := range h {
				p.Series[i].Drivers[0][n+k] = 1 - float64(k%2)
			}
		}
		off := forecasts(t, trained, v, h)
		ratio := 0.0
		for i := range on {
			for k := range h {
				r := math.Log(on[i].Mean[k] / off[i].Mean[k])
				if k%2 == 0 {
					r = -r
				}
				ratio += r / float64(len(on)*h)
			}
		}
		assert.InDelta(t, 0.4, math.Exp(ratio)-1, 0.06, family)
		worths := trained.Describe(0).Worths
		require.NotEmpty(t, worths, family)
	}
}

// Without time a network gives what plain forecasts say, at once, and says so.
func TestWithin(t *testing.T) {
	const n, h = 150, 7
	v := viewOf(shops(8, n, 0.05), n-1)
	e := env(h, 2)
	now := time.Duration(0)
	e.Clock = func() time.Duration { now += 100 * time.Millisecond; return now }
	trained := train(t, "perceptron", model.Values{"within": 0.01}, v, e)
	forecasts(t, trained, v, h)
	assert.Contains(t, fmt.Sprint(trained.Describe(0).Cautions), "the time given was up")
	// Cut short in its training, and done with what comes after it before the time is up.
	part := train(t, "perceptron", small(model.Values{"within": 0.5, "passes": 60}), v, e)
	assert.Contains(t, fmt.Sprint(part.Describe(0).Cautions), "the time given was up")
	long := train(t, "perceptron", small(model.Values{"within": 60}), v, e)
	assert.NotContains(t, fmt.Sprint(long.Describe(0).Cautions), "the time given was up")
	assert.Equal(t, forecasts(t, train(t, "perceptron", small(nil), v, env(h, 2)), v, h), forecasts(t, long, v, h),
		"a time that suffices changes nothing")
}

// Explaining drivers takes no more than its part of the time: the network then sees them alone, and says so; after
// a stop it goes on with what it had.
func TestExplainingWithin(t *testing.T) {
	const n, h = 100, 5
	p := shops(6, n, 0.02)
	p.Drivers = []panel.Driver{{Name: "promotion", KnownAhead: true}}
	for i := range p.Series {
		rnd := rand.New(rand.NewPCG(9, uint64(i)))
		x := make([]float64, n+h)
		for t := range x {
			x[t] = float64(rnd.IntN(2))
		}
		p.Series[i].Drivers = [][]float64{x}
	}
	v := viewOf(p, n-1)
	ticking := func(e model.Env, tick time.Duration) model.Env {
		now := time.Duration(0)
		var mu sync.Mutex
		e.Clock = func() time.Duration { mu.Lock(); defer mu.Unlock(); now += tick; return now }
		return e
	}
	const unexplained = "no time to explain drivers and events first"
	hasty := train(t, "perceptron", small(model.Values{"within": 1}), v, ticking(env(h, 2), 10*time.Second))
	forecasts(t, hasty, v, h)
	assert.Contains(t, fmt.Sprint(hasty.Describe(0).Cautions), unexplained)
	plenty := train(t, "perceptron", small(model.Values{"within": 600}), v, ticking(env(h, 2), time.Millisecond))
	assert.NotContains(t, fmt.Sprint(plenty.Describe(0).Cautions), unexplained)
	want := forecasts(t, train(t, "perceptron", small(nil), v, env(h, 2)), v, h)
	assert.Equal(t, want, forecasts(t, plenty, v, h), "a time that suffices changes nothing")

	// Explained before a stop, it is explained after it, however little time is left by then.
	kept := &notes{stopAfter: 2}
	e := env(h, 2)
	e.Checkpoint = kept
	m, _, err := neural.Families().New("perceptron", small(model.Values{"within": 600, "passes": 40}))
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(t.Context())
	kept.stop = cancel
	_, err = m.Train(ctx, v, ticking(e, time.Millisecond))
	require.ErrorIs(t, err, context.Canceled)
	kept.stop = func() {}
	after, err := m.Train(t.Context(), v, ticking(e, time.Hour))
	require.NoError(t, err)
	assert.NotContains(t, fmt.Sprint(after.Describe(0).Cautions), unexplained)
	assert.Contains(t, fmt.Sprint(after.Describe(0).Cautions), "the time given was up")
}

// Each group, or each series, has a network of its own where that is asked for; a group that can't
// have one fails alone, and says why.
func TestGroupsAndTooLittle(t *testing.T) {
	const n, h = 80, 4
	p := shops(6, n, 0.05)
	p.Series[5].Values = p.Series[5].Values[:4]
	p.Series[5].First = n - 4
	v := viewOf(p, n-1)
	res, err := train(t, "perceptron", small(model.Values{"together": "none"}), v, env(h, 2)).Forecast(t.Context(), v, h)
	require.NoError(t, err)
	assert.NoError(t, res.Err[0])
	assert.ErrorContains(t, res.Err[5], "no window to learn from")
	trained := train(t, "perceptron", small(model.Values{"together": "kind"}), v, env(h, 2))
	res, err = trained.Forecast(t.Context(), v, h)
	require.NoError(t, err)
	assert.NoError(t, res.Err[0])
	assert.Contains(t, fmt.Sprint(trained.Describe(0).Cautions), "few for a network")
	err = neural.Families().CheckData("perceptron", model.Values{"features": []string{"day of week", "lag 1 to 4"}}, v, h)
	assert.ErrorContains(t, err, "networks see the past by themselves")
	assert.NoError(t, neural.Families().CheckData("perceptron", model.Values{"features": []string{"day of week"}}, v, h))
	_, _, err = neural.Families().New("recurrent", model.Values{"cell": "clouds"})
	assert.ErrorContains(t, err, "clouds")
}

// A series of which there is hardly anything to learn is forecast by the mix of plain forecasts that a network
// starts from, and says so: nearly as well as the best of them, and not narrower than its errors.
func TestHardlyAnythingToLearn(t *testing.T) {
	const h = 4
	for _, family := range []string{"perceptron", "recurrent"} {
		for n := 7; n <= 16; n += 3 {
			p := shops(1, n+h, 0)
			rnd := rand.New(rand.NewPCG(uint64(n), 1))
			level := 50.0
			for i := range p.Series[0].Values {
				level += rnd.NormFloat64()
				p.Series[0].Values[i] = level
			}
			v := viewOf(p, n-1)
			trained := train(t, family, nil, v, env(h, 2))
			assert.Contains(t, fmt.Sprint(trained.Describe(0).Cautions), "too few for a network to learn from", "%d values", n)
			r := forecasts(t, trained, v, h)[0]
			last := p.Series[0].Values[n-1]
			for k, m := range r.Mean {
				assert.InDelta(t, last, m, 3, "%s of %d values, step %d", family, n, k+1)
				low, high := forecast.Interval(r.At(k), 80)
				assert.Greater(t, high-low, 0.5, "%s of %d values, step %d", family, n, k+1)
			}
		}
	}
}

// Paths go together over the steps as errors did: their totals are wider than if each step went
// its own way.
func TestPathsOfNetworks(t *testing.T) {
	const n, h, count = 120, 7, 400
	v := viewOf(shops(4, n, 0.05), n-1)
	trained := train(t, "perceptron", small(nil), v, env(h, 2))
	rows := forecasts(t, trained, v, h)
	require.NoError(t, trained.(model.Pather).Paths(t.Context(), v, h, count, func(i int, paths []float64, err error) {
		require.NoError(t, err)
		inside := 0
		for k := range count {
			low, high := forecast.Interval(rows[i].At(3), 80)
			if x := paths[k*h+3]; low <= x && x <= high {
				inside++
			}
		}
		assert.InDelta(t, 0.8, float64(inside)/count, 0.07)
	}))
}

// Series that end before others are forecast from where they end, beside those that do not, also
// where the network goes on from its own forecasts; one without values fails alone.
func TestSeriesThatEndBefore(t *testing.T) {
	const n, h = 150, 7
	p := shops(6, n, 0.05)
	for i, quiet := range []int{0, 3, 34, 60} {
		for t := n - quiet; t < n; t++ {
			p.Series[i].Values[t] = panel.Unknown
		}
	}
	for t := range p.Series[5].Values {
		p.Series[5].Values[t] = panel.Unknown
	}
	v := viewOf(p, n-1)
	for _, given := range []model.Values{small(nil), small(model.Values{"steps": "recursive"})} {
		family := "perceptron"
		if given["steps"] != nil {
			family = "recurrent"
		}
		res, err := train(t, family, given, v, env(h, 2)).Forecast(t.Context(), v, h)
		require.NoError(t, err)
		for i := range 5 {
			require.NoError(t, res.Err[i])
			require.NoError(t, res.Series[i].Check())
		}
		assert.ErrorContains(t, res.Err[5], "no value is known")
	}
}

// Where nothing is to be learnt, a network forecasts about as well as the mean, and its intervals hold.
func TestNoiseIsNotLearnt(t *testing.T) {
	const n, h = 150, 14
	p := shops(10, n+h, 0)
	for i := range p.Series {
		rnd := rand.New(rand.NewPCG(77, uint64(i)))
		for t := range p.Series[i].Values {
			p.Series[i].Values[t] = 100 + 10*rnd.NormFloat64()
		}
	}
	v := viewOf(p, n-1)
	for _, family := range families {
		own, means, inside := 0.0, 0.0, 0.0
		for i, r := range forecasts(t, train(t, family, small(model.Values{"passes": 15}), v, env(h, 2)), v, h) {
			y := p.Series[i].Values
			mean := num.KnownMean(y[:n])
			for k, m := range r.Mean {
				own, means = own+math.Abs(m-y[n+k]), means+math.Abs(mean-y[n+k])
				if low, high := forecast.Interval(r.At(k), 80); low <= y[n+k] && y[n+k] <= high {
					inside++
				}
			}
		}
		assert.InDelta(t, 1, own/means, 0.08, family)
		assert.InDelta(t, 0.8, inside/(10*h), 0.1, family)
	}
}
