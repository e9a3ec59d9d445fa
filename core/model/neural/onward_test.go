package neural_test

import (
	"context"
	"errors"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/neural"
	"paperkettle/core/panel"
)

// from has a training go on from an earlier one.
func from(e model.Env, earlier model.Trained) model.Env {
	e.Earlier = func(context.Context, model.Env) (model.Trained, error) { return earlier, nil }
	return e
}

// afterAStop trains a model that is stopped once it has saved so often, and goes on from there.
func afterAStop(t *testing.T, family string, given model.Values, v panel.View, e model.Env, saves int) model.Trained {
	t.Helper()
	kept := &notes{stopAfter: saves}
	e.Checkpoint = kept
	m, _, err := neural.Families().New(family, given)
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(t.Context())
	kept.stop = cancel
	_, err = m.Train(ctx, v, e)
	require.ErrorIs(t, err, context.Canceled)
	kept.stop = func() {}
	trained, err := m.Train(t.Context(), v, e)
	require.NoError(t, err)
	return trained
}

// readBack is a model as it was written.
func readBack(t *testing.T, family string, given model.Values, trained model.Trained) model.Trained {
	t.Helper()
	w, err := model.Write(trained)
	require.NoError(t, err)
	_, f, err := neural.Families().New(family, given)
	require.NoError(t, err)
	again, err := f.Read(w)
	require.NoError(t, err)
	return again
}

// errorOf is the mean absolute error of forecasts of a panel's last values, in per cent.
func errorOf(p *panel.Panel, n int, rows []forecast.Rows) float64 {
	sum, count := 0.0, 0.0
	for i, r := range rows {
		for k, m := range r.Mean {
			sum += 100 * math.Abs(m/p.Series[i].Values[n+k]-1)
			count++
		}
	}
	return sum / count
}

// A network goes on from what it was two horizons before, in a few batches, and does as well as one
// that starts anew; the numbers are the same for any workers, after stops, and from what was written.
func TestGoingOn(t *testing.T) {
	const n, h, newer = 120, 7, 14
	p := shops(6, n+newer+h, 0.05)
	before, now := viewOf(p, n-1), viewOf(p, n+newer-1)
	for _, family := range families {
		given := small(model.Values{"passes": 8, "units": 8})
		first := train(t, family, given, before, env(h, 2))
		anew := train(t, family, given, now, env(h, 2))
		on := train(t, family, given, now, from(env(h, 1), first))
		rows := forecasts(t, on, now, h)

		d := on.Describe(0)
		assert.Contains(t, d.Why, "it went on from the network that had learnt up to 1989-06-29", family)
		assert.NotContains(t, anew.Describe(0).Why, "went on", family)
		assert.Less(t, errorOf(p, n+newer, rows), 1.1*errorOf(p, n+newer, forecasts(t, anew, now, h)), family)
		longest := func(d model.Description) int { return len(d.Learning[0].Values) * d.Learning[0].Every }
		assert.LessOrEqual(t, longest(d), longest(anew.Describe(0))/2, "%s: a few batches", family)

		assert.Equal(t, rows, forecasts(t, train(t, family, given, now, from(env(h, 3), first)), now, h), family)
		stopped := afterAStop(t, family, given, now, from(env(h, 2), first), 1)
		assert.Equal(t, rows, forecasts(t, stopped, now, h), "%s, after a stop", family)
		again := readBack(t, family, given, first)
		assert.Equal(t, rows, forecasts(t, train(t, family, given, now, from(env(h, 2), again)), now, h), "%s, as written", family)
	}
}

// What is held out to calibrate by was not learnt by the network that is gone on from: of noise that
// nobody can forecast, intervals hold as many values as they say.
func TestGoingOnKnowsNothingOfWhatIsHeldOut(t *testing.T) {
	const n, h = 90, 7
	p := shops(30, n+h, 0.4)
	before, now := viewOf(p, n-2), viewOf(p, n-1) // nearly the same values are held out
	given := small(model.Values{"passes": 40, "dropout": 0.0, "units": 48})
	first := train(t, "perceptron", given, before, env(h, 2))
	inside, count := 0.0, 0.0
	for i, r := range forecasts(t, train(t, "perceptron", given, now, from(env(h, 2), first)), now, h) {
		for k := range h {
			low, high := forecast.Interval(r.At(k), 80)
			if y := p.Series[i].Values[n+k]; low <= y && y <= high {
				inside++
			}
			count++
		}
	}
	assert.InDelta(t, 0.8, inside/count, 0.07)
}

// Where it can't go on, a network starts anew and says why; where it is told to start anew, it asks
// for nothing.
func TestStartingAnew(t *testing.T) {
	const n, h = 90, 7
	p := shops(6, n, 0.05)
	now := viewOf(p, n-1)
	plain := small(nil)
	anew := forecasts(t, train(t, "perceptron", plain, now, env(h, 2)), now, h)
	for why, c := range map[string]struct {
		given   model.Values
		earlier model.Trained
	}{
		"they forecast fewer steps":       {plain, train(t, "perceptron", plain, viewOf(p, n-8), env(h-2, 2))},
		"there are fewer or more of them": {plain, train(t, "perceptron", small(model.Values{"members": 2}), viewOf(p, n-8), env(h, 2))},
		"see more of it":                  {plain, train(t, "perceptron", small(model.Values{"window": 20}), viewOf(p, n-8), env(h, 2))},
		"they know other columns": {plain,
			train(t, "perceptron", small(model.Values{"features": []string{"month as levels"}}), viewOf(p, n-8), env(h, 2))},
	} {
		trained := train(t, "perceptron", c.given, now, from(env(h, 2), c.earlier))
		assert.Contains(t, trained.Describe(0).Why, "trained anew, and not from the networks before: ", why)
		assert.Contains(t, trained.Describe(0).Why, why)
		assert.Equal(t, anew, forecasts(t, trained, now, h), why)
	}
	for _, given := range []model.Values{{"anew": true}, {"together": []string{"none"}}} {
		e := env(h, 2)
		e.Earlier = func(context.Context, model.Env) (model.Trained, error) { return nil, errors.New("asked for") }
		train(t, "perceptron", small(given), now, e)
	}
	e := env(h, 2)
	e.Earlier = func(context.Context, model.Env) (model.Trained, error) { return nil, errors.New("the disk is gone") }
	m, _, err := neural.Families().New("perceptron", plain)
	require.NoError(t, err)
	_, err = m.Train(t.Context(), now, e)
	assert.ErrorContains(t, err, "the disk is gone")
	assert.Equal(t, anew, forecasts(t, train(t, "perceptron", plain, now, from(env(h, 2), model.Failed(8, errors.New("no")))), now, h))

	// Groups go on from their own, by name.
	apart := small(model.Values{"together": "kind"})
	first := train(t, "perceptron", apart, viewOf(p, n-8), env(h, 2))
	for i := range 2 {
		assert.Contains(t, train(t, "perceptron", apart, now, from(env(h, 2), first)).Describe(i).Why, "it went on")
	}
}

// A rate that stays until held-out windows gain no more learns as well, and goes on after stops.
func TestAPlateau(t *testing.T) {
	const n, h = 150, 7
	p := shops(8, n+h, 0.05)
	v := viewOf(p, n-1)
	given := small(model.Values{"passes": 15, "pace": "plateau"})
	rows := forecasts(t, train(t, "perceptron", given, v, env(h, 2)), v, h)
	cosine := forecasts(t, train(t, "perceptron", small(model.Values{"passes": 15}), v, env(h, 2)), v, h)
	assert.NotEqual(t, cosine, rows)
	assert.Less(t, errorOf(p, n, rows), 1.15*errorOf(p, n, cosine))

	assert.Equal(t, rows, forecasts(t, afterAStop(t, "perceptron", given, v, env(h, 2), 4), v, h))
}

// Who looks sees each network's losses grow look by look, to what the fit then tells.
func TestLossesAreShown(t *testing.T) {
	const n, h = 120, 7
	v := viewOf(shops(8, n, 0.05), n-1)
	e := env(h, 2)
	var shown [][]model.Curve
	e.Show = func(curves []model.Curve) { shown = append(shown, curves) }
	d := train(t, "perceptron", small(model.Values{"members": 2, "passes": 8}), v, e).Describe(0)
	require.Greater(t, len(shown), 4)
	last := map[string]model.Curve{}
	for _, curves := range shown {
		require.Len(t, curves, 2)
		for _, c := range curves {
			assert.Equal(t, len(last[c.Name].Values)+1, len(c.Values), c.Name)
			last[c.Name] = c
		}
	}
	require.Len(t, d.Learning, 4)
	for _, c := range d.Learning {
		assert.Equal(t, c, last[c.Name])
	}
}
