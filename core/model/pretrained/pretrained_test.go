package pretrained_test

import (
	"bytes"
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/pretrained"
	"paperkettle/core/num"
	"paperkettle/core/num/net"
	"paperkettle/core/panel"
	"paperkettle/core/synth"
)

var tiny = pretrained.Shape{Units: 16, Blocks: 1, Told: 8, Decoder: 16}

// network is one whose weights are as they are drawn: it mixes plain forecasts by how they did.
func network(t testing.TB) *pretrained.Weights {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, pretrained.New(tiny, rand.New(rand.NewPCG(1, 1))).Write(&b, net.Half, nil))
	w, err := pretrained.ReadWeights(b.Bytes())
	require.NoError(t, err)
	return w
}

// shop is daily sales with weeks, of several series.
func shop(series, n int, scale float64) *panel.Panel {
	rnd := rand.New(rand.NewPCG(3, 4))
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: n}
	for i := range series {
		y := make([]float64, n)
		for t := range y {
			y[t] = scale * (100 + float64(10*i) + 20*math.Sin(2*math.Pi*float64(t)/7) + 5*rnd.NormFloat64())
		}
		p.Series = append(p.Series, panel.Series{Key: string(rune('a' + i)), Values: y})
	}
	return p
}

func places(n int) []int {
	all := make([]int, n)
	for i := range all {
		all[i] = i
	}
	return all
}

func view(p *panel.Panel) panel.View { return panel.NewView(p, places(len(p.Series)), 0, p.Length-1) }

func env(horizon, workers int) model.Env {
	return model.Env{Horizon: horizon, Workers: workers, Random: func(s string) *rand.Rand { return num.Stream(1, s) }}
}

func made(t testing.TB, w *pretrained.Weights, settings model.Values) model.Model {
	t.Helper()
	m, _, err := pretrained.Families(w).New("pretrained", settings)
	require.NoError(t, err)
	return m
}

func forecastOf(t testing.TB, m model.Model, p *panel.Panel, horizon, workers int) ([]forecast.Rows, model.Trained) {
	t.Helper()
	v := view(p)
	trained, err := m.Train(context.Background(), v, env(horizon, workers))
	require.NoError(t, err)
	res, err := trained.Forecast(context.Background(), v, horizon)
	require.NoError(t, err)
	for i, err := range res.Err {
		require.NoError(t, err, "series %d", i)
		require.NoError(t, res.Series[i].Check())
	}
	return res.Series, trained
}

func TestForecastsDependOnNoNumberOfWorkers(t *testing.T) {
	w := network(t)
	want, _ := forecastOf(t, made(t, w, nil), shop(20, 120, 1), 14, 1)
	for _, workers := range []int{2, 3} {
		got, _ := forecastOf(t, made(t, w, nil), shop(20, 120, 1), 14, workers)
		assert.Equal(t, want, got)
	}
}

func TestForecastsFollowTheScale(t *testing.T) {
	w := network(t)
	want, _ := forecastOf(t, made(t, w, nil), shop(4, 120, 1), 14, 1)
	got, _ := forecastOf(t, made(t, w, nil), shop(4, 120, 4096), 14, 1)
	for i := range want {
		for h := range want[i].Mean {
			assert.InEpsilon(t, 4096*want[i].Mean[h], got[i].Mean[h], 1e-9)
		}
	}
}

func TestForecastsBeyondTheFarthestStepGoOnAndWiden(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 6))
	p := shop(2, 400, 1)
	for i := range p.Series { // walks, whose doubt grows
		level := 1000.0
		for t := range p.Series[i].Values {
			level += rnd.NormFloat64()
			p.Series[i].Values[t] = level
		}
	}
	rows, _ := forecastOf(t, made(t, network(t), nil), p, 250, 2)
	for _, r := range rows {
		low, high := forecast.Interval(r.At(95), 80)
		farLow, farHigh := forecast.Interval(r.At(249), 80)
		assert.GreaterOrEqual(t, farHigh-farLow, (high-low)*0.999)
	}
}

func TestReadBackForecastsTheSame(t *testing.T) {
	w := network(t)
	p := shop(22, 150, 1)
	for _, settings := range []model.Values{nil, {"tune": true}} {
		want, trained := forecastOf(t, made(t, w, settings), p, 7, 2)
		parts, err := model.Write(trained.(model.Parts))
		require.NoError(t, err)
		f, err := pretrained.Families(w).Find("pretrained")
		require.NoError(t, err)
		read, err := f.Read(parts)
		require.NoError(t, err)
		v := view(p)
		require.NoError(t, read.Advance(context.Background(), v))
		got, err := read.Forecast(context.Background(), v, 7)
		require.NoError(t, err)
		assert.Equal(t, want, got.Series)

		other := pretrained.New(tiny, rand.New(rand.NewPCG(2, 2)))
		var b bytes.Buffer
		require.NoError(t, other.Write(&b, net.Half, nil))
		x, err := pretrained.ReadWeights(b.Bytes())
		require.NoError(t, err)
		g, _ := pretrained.Families(x).Find("pretrained")
		_, err = g.Read(parts)
		assert.ErrorContains(t, err, "it was made with the weights")
	}
}

func TestTuningLowersTheLossOrSaysThatItDoesNot(t *testing.T) {
	w := network(t)
	_, few := forecastOf(t, made(t, w, model.Values{"tune": true}), shop(5, 150, 1), 7, 2)
	d := few.(interface{ Describe(int) model.Description }).Describe(0)
	assert.Contains(t, d.Cautions, "5 series are too few to tune the network to, which takes 20: it forecasts as it was trained")

	_, many := forecastOf(t, made(t, w, model.Values{"tune": true}), shop(24, 200, 1), 7, 2)
	d = many.(interface{ Describe(int) model.Description }).Describe(0)
	require.NotEmpty(t, d.Learning, "an untrained network has much to learn")
	curve := d.Learning[0].Values
	assert.Less(t, slices.Min(curve), 0.95*curve[0])
}

func TestOddSeries(t *testing.T) {
	nan := math.NaN()
	series := map[string][]float64{
		"one":      {5},
		"two":      {5, 7},
		"five":     {5, 7, 6, 8, 9},
		"constant": slices.Repeat([]float64{3}, 50),
		"zeros":    make([]float64, 50),
		"huge":     {1e15, 2e15, 1e15, 3e15, 1e15, 2e15, 2e15},
		"tiny":     {1e-12, 2e-12, 1e-12, 3e-12, 1e-12, 2e-12, 2e-12},
		"sparse":   append(append([]float64{4}, slices.Repeat([]float64{nan}, 40)...), 5),
		"late":     append(slices.Repeat([]float64{nan}, 40), 1, 2, 3, 4, 5, 6),
		"unknown":  slices.Repeat([]float64{nan}, 30),
	}
	for name, y := range series {
		p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Month}, Length: len(y), Series: []panel.Series{{Key: name, Values: y}}}
		v := view(p)
		trained, err := made(t, network(t), nil).Train(context.Background(), v, env(6, 1))
		require.NoError(t, err, name)
		res, err := trained.Forecast(context.Background(), v, 6)
		require.NoError(t, err, name)
		if res.Err[0] != nil {
			assert.Contains(t, []string{"one", "unknown"}, name, "%v", res.Err[0])
			continue
		}
		require.NoError(t, res.Series[0].Check(), name)
		for _, m := range res.Series[0].Mean {
			assert.False(t, math.IsNaN(m) || math.IsInf(m, 0), name)
		}
		trained.(interface{ Describe(int) model.Description }).Describe(0)
	}
}

func TestWeightsThatAreCutOrAlteredAreRefused(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, pretrained.New(tiny, rand.New(rand.NewPCG(1, 1))).Write(&b, net.Half, nil))
	whole := b.Bytes()
	for name, bad := range map[string][]byte{
		"empty": nil, "cut": whole[:len(whole)/2], "longer": append(slices.Clone(whole), 0),
		"other shape": bytes.Replace(whole, []byte(`\"Units\":16`), []byte(`\"Units\":32`), 1),
		"no shape":    bytes.Replace(whole, []byte("shape"), []byte("shope"), 1),
		"huge shape":  bytes.Replace(whole, []byte(`\"Units\":16`), []byte(`\"Units\":9999`), 1),
	} {
		_, err := pretrained.ReadWeights(bad)
		assert.ErrorContains(t, err, "reading the weights of the pretrained network", name)
	}
}

func lesson(i int) pretrained.Lesson {
	s := synth.Make(9, uint64(i))
	return pretrained.Lesson{Values: s.Values, Known: s.Known, Season: s.Season, Longer: s.Longer}
}

// A short training is the same to the byte, whatever the number of workers, and after a stop.
func TestTrainingIsTheSame(t *testing.T) {
	train := func(workers, stop int) []byte {
		n := pretrained.New(tiny, rand.New(rand.NewPCG(1, 1)))
		s := net.Settings{Rate: 1e-3, Steps: 12, Warm: 2, Decay: 0.02, Clip: 1, Average: 0.9, Seed: 7}
		l := pretrained.NewLearner(n, s)
		for l.Steps() < 12 {
			if l.Steps() == stop {
				kept, err := l.MarshalBinary()
				require.NoError(t, err)
				n = pretrained.New(tiny, nil)
				l = pretrained.NewLearner(n, s)
				require.NoError(t, l.UnmarshalBinary(kept))
				stop = -1
			}
			first := l.Steps() * 16
			_, err := l.Learn(context.Background(), workers, 16, func(i int) pretrained.Lesson { return lesson(first + i) })
			require.NoError(t, err)
		}
		require.NoError(t, l.Settle())
		var b bytes.Buffer
		require.NoError(t, n.Write(&b, net.Half, nil))
		return b.Bytes()
	}
	want := train(1, -1)
	assert.Equal(t, want, train(2, -1))
	assert.Equal(t, want, train(3, 5))
}

func TestTrainingLowersTheLossOnSeriesHeldOut(t *testing.T) {
	n := pretrained.New(tiny, rand.New(rand.NewPCG(1, 1)))
	var judged []pretrained.Lesson
	for i := range 200 {
		judged = append(judged, lesson(1e6+i))
	}
	before, err := n.Check(context.Background(), 2, judged)
	require.NoError(t, err)
	l := pretrained.NewLearner(n, net.Settings{Rate: 2e-3, Steps: 120, Warm: 10, Decay: 0.02, Clip: 1, Average: 0.95, Seed: 7})
	for l.Steps() < 120 {
		first := l.Steps() * 32
		_, err := l.Learn(context.Background(), 2, 32, func(i int) pretrained.Lesson { return lesson(first + i) })
		require.NoError(t, err)
	}
	require.NoError(t, l.Settle())
	after, err := n.Check(context.Background(), 2, judged)
	require.NoError(t, err)
	assert.Less(t, after, 0.97*before)
}

// What comes after the origin changes nothing, tuned or not.
func TestTheFutureIsNotSeen(t *testing.T) {
	w, p := network(t), shop(24, 160, 1)
	const origin = 139
	for _, settings := range []model.Values{nil, {"tune": true}} {
		var got [2][]forecast.Rows
		for k, x := range []*panel.Panel{p, panel.Scramble(p, origin, rand.New(rand.NewPCG(5, 6)))} {
			v := panel.NewView(x, places(24), 0, origin)
			trained, err := made(t, w, settings).Train(context.Background(), v, env(7, 2))
			require.NoError(t, err)
			res, err := trained.Forecast(context.Background(), v, 7)
			require.NoError(t, err)
			got[k] = res.Series
		}
		assert.Equal(t, got[0], got[1])
	}
}

// Drivers are explained first, and are of no effect where they are noise.
func TestDriversAreExplainedFirst(t *testing.T) {
	for _, effect := range []float64{40, 0} {
		p := shop(12, 200, 1)
		p.Drivers = []panel.Driver{{Name: "promotion", KnownAhead: true}}
		rnd := rand.New(rand.NewPCG(8, 9))
		for i := range p.Series {
			driver := make([]float64, 207)
			for d := range driver {
				if rnd.Float64() < 0.2 {
					driver[d] = 1
				}
				if d < 200 {
					p.Series[i].Values[d] += effect * driver[d]
				}
			}
			driver[203] = 1
			p.Series[i].Drivers = [][]float64{driver}
		}
		rows, trained := forecastOf(t, made(t, network(t), nil), p, 7, 2)
		d := trained.(interface{ Describe(int) model.Description }).Describe(0)
		brought := rows[0].Mean[3] - (rows[0].Mean[2]+rows[0].Mean[4])/2
		if effect > 0 {
			assert.Contains(t, d.Form, "taken out before")
			assert.Contains(t, d.Why, "lowered the loss")
			assert.Greater(t, brought, 10.0, "the promotion is in the forecast")
			continue
		}
		assert.NotContains(t, d.Why, "lowered the loss")
		plain, _ := forecastOf(t, made(t, network(t), model.Values{"explain": false}), p, 7, 2)
		assert.InDelta(t, plain[0].Mean[3]-(plain[0].Mean[2]+plain[0].Mean[4])/2, brought, 2, "of a series of about 100")
	}
}
