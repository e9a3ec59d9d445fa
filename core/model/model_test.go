package model_test

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// echo repeats the last value, except where a series' name asks for trouble.
type echo struct{}

type echoFit struct {
	key  string
	last float64
}

func (echo) Fit(_ context.Context, s panel.SeriesView, _ int, rnd func() *rand.Rand) (model.SeriesFit, error) {
	switch s.Key {
	case "refuses":
		return nil, errors.New("too short")
	case "panics":
		panic("glass")
	}
	return &echoFit{s.Key, s.Values[len(s.Values)-1] + 0*rnd().Float64()}, nil
}

func (f *echoFit) Forecast(_ panel.SeriesView, out forecast.Rows) error {
	for h := range out.Mean {
		out.Mean[h] = f.last
		for g := range out.At(h) {
			out.At(h)[g] = f.last
		}
	}
	switch f.key {
	case "unknown":
		out.Mean[0] = math.NaN()
	case "disordered":
		out.At(0)[3] = f.last + 1
	}
	return nil
}

func (f *echoFit) Advance(s panel.SeriesView) error {
	f.last = s.Values[len(s.Values)-1]
	return nil
}
func (f *echoFit) Describe() model.Description { return model.Description{Form: "echo"} }
func (f *echoFit) MarshalBinary() ([]byte, error) {
	return []byte(fmt.Sprint(f.key, " ", f.last)), nil
}

func readEcho(b []byte) (model.SeriesFit, error) {
	f := &echoFit{}
	_, err := fmt.Sscan(string(b), &f.key, &f.last)
	return f, err
}

func view(origin int, keys ...string) panel.View {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: 4}
	var all []int
	for i, k := range keys {
		p.Series = append(p.Series, panel.Series{Key: k, Values: []float64{float64(i), float64(10 + i), float64(20 + i), float64(30 + i)}})
		all = append(all, i)
	}
	return panel.NewView(p, all, 0, origin)
}

func env(workers int) model.Env {
	return model.Env{Horizon: 2, Workers: workers, Random: func(string) *rand.Rand { return rand.New(rand.NewPCG(1, 1)) }}
}

// One series' refusal, panic or nonsense is its own; the others are forecast, and
// written, read back and advanced.
func TestPerSeriesKeepsTroubleApart(t *testing.T) {
	ctx := context.Background()
	keys := []string{"good", "refuses", "panics", "unknown", "disordered", "fine"}
	for _, workers := range []int{1, 3} {
		trained, err := model.PerSeries(echo{}).Train(ctx, view(1, keys...), env(workers))
		require.NoError(t, err)
		b, err := model.Write(trained)
		require.NoError(t, err)
		again, err := model.ReadPerSeries(b, readEcho)
		require.NoError(t, err)
		for _, tr := range []model.Trained{trained, again} {
			res, err := tr.Forecast(ctx, view(1, keys...), 2)
			require.NoError(t, err)
			for i, want := range []string{"", "too short", "broke down on this series: glass", "not a finite number", "not finite and in order", ""} {
				if want == "" {
					require.NoError(t, res.Err[i])
					assert.Equal(t, []float64{float64(10 + i), float64(10 + i)}, res.Series[i].Mean)
				} else {
					assert.ErrorContains(t, res.Err[i], want)
				}
			}
			assert.Equal(t, "echo", tr.Describe(0).Form)
			assert.Contains(t, tr.Describe(1).Cautions, "too short")
			require.NoError(t, tr.Advance(ctx, view(3, keys...)))
			res, err = tr.Forecast(ctx, view(3, keys...), 1)
			require.NoError(t, err)
			assert.Equal(t, []float64{35}, res.Series[5].Mean)
			assert.ErrorContains(t, tr.Advance(ctx, view(3, "good")), "trained on 6 series and is advanced with 1")
		}
	}
	_, err := model.ReadPerSeries(&model.Written{Common: []byte("no model")}, readEcho)
	assert.ErrorContains(t, err, "reading a model")
}

func TestPerSeriesStopsWhenAsked(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := model.PerSeries(echo{}).Train(ctx, view(1, "good"), env(2))
	assert.ErrorIs(t, err, context.Canceled)
}

var low, high = -2.0, 5.0

var settings = []model.Setting{
	{Name: "length", Kind: model.Whole, Min: &low, Max: &high},
	{Name: "share", Kind: model.Amount, Default: 0.5},
	{Name: "form", Kind: model.Choice, Choices: []string{"flat", "bent"}, Default: "flat"},
	{Name: "robust", Kind: model.Switch, Default: false},
}

// Values come out with their Go types whether they were given as JSON, YAML or text.
func TestSettingsTakeTheirTypes(t *testing.T) {
	for _, given := range []model.Values{
		{"length": 3, "share": 0.25, "form": "bent", "robust": true},
		{"length": 3.0, "share": "0.25", "form": "bent", "robust": "true"},
		{"length": "3", "share": " 0.25 ", "form": " bent", "robust": "1"},
	} {
		got, err := model.Resolve(settings, given)
		require.NoError(t, err)
		assert.Equal(t, model.Values{"length": 3, "share": 0.25, "form": "bent", "robust": true}, got)
	}
	got, err := model.Resolve(settings, model.Values{"length": ""})
	require.NoError(t, err)
	assert.Equal(t, model.Values{"share": 0.5, "form": "flat", "robust": false}, got, "a setting without a default stays out")
	for text, given := range map[string]model.Values{
		"is out of range: from -2 to 5": {"length": 6}, "not a whole number": {"length": 1.5}, "not a number": {"share": "NaN"},
		"is not one of flat, bent": {"form": "round"}, "neither true nor false": {"robust": "maybe"},
		"this family has length, share, form, robust": {"depth": 1},
	} {
		_, err := model.Resolve(settings, given)
		assert.ErrorContains(t, err, text)
	}
	_, err = model.Resolve(nil, model.Values{"x": 1})
	assert.ErrorContains(t, err, "this family has none")
}

func TestWholeSettingsStayInRange(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := rapid.IntRange(-20, 20).Draw(t, "v")
		got, err := model.Resolve(settings, model.Values{"length": fmt.Sprint(v)})
		if v < -2 || v > 5 {
			require.Error(t, err)
			return
		}
		require.NoError(t, err)
		require.Equal(t, v, got.Int("length", 99))
		require.Equal(t, 99, got.Int("nothing", 99))
		require.Equal(t, "flat", got.Text("form", ""))
	})
}

// Odd values that follow each other are one stretch.
func TestOddValuesAreMerged(t *testing.T) {
	values := []float64{5, 90, 5, 80, 70, 5, 5, 60}
	assert.Equal(t, []model.Stretch{
		{From: 11, To: 11, Why: "90 is far from its neighbours"},
		{From: 13, To: 14, Why: "2 values from 70 to 80, each far from its neighbours"},
		{From: 17, To: 17, Why: "60 is far from its neighbours"},
	}, model.Odd(10, []int{1, 3, 4, 7}, values, "its neighbours"))
	assert.Empty(t, model.Odd(10, nil, values, "its neighbours"))
}

// A mix is told by its parts, the largest first, but for what hardly counts; a single part by its name.
func TestShares(t *testing.T) {
	assert.Equal(t, "b 60 %, a 35 %", model.Shares([]string{"a", "b", "c"}, []float64{0.7, 1.2, 0.1}))
	assert.Equal(t, "b", model.Shares([]string{"a", "b"}, []float64{0.05, 1.2}))
	assert.Empty(t, model.Shares(nil, nil))
}
