package additive

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// A level that slowly strays under noise that lingers is best taken for what it is over a few weeks: a steady one. Forecast
// from a fit that is half a year old it looks as if it wandered.
func TestALevelIsNotBlamedForBeingOld(t *testing.T) {
	var inputs []single.Input
	for i := range 8 {
		rnd := rand.New(rand.NewPCG(uint64(i), 5))
		y := make([]float64, 740)
		level, after := math.Log(60), 0.0
		for k := range y {
			level += 0.006 * rnd.NormFloat64()
			after = 0.4*after + 0.12*rnd.NormFloat64()
			y[k] = math.Exp(level + after + 0.2*math.Sin(2*math.Pi*float64(k)/7))
		}
		in := inputOf(calendar.Day, 28, y)
		in.Yearless = true
		require.True(t, goesStale(in))
		inputs = append(inputs, in)
	}
	chosen, err := Auto().choose(context.Background(), inputs, model.Env{Workers: 2})
	require.NoError(t, err)
	stale, anew, steadies := 0.0, 0.0, 0
	for i, in := range inputs {
		list := levels(Auto(), in)
		once, _ := trial(context.Background(), in, list, panel.Unknown, single.Tally{})
		stale += ratio(once, 1) / 8
		anew += ratio(trialAnew(context.Background(), in, list), 1) / 8
		if chosen[i].Level == steady {
			steadies++
		}
	}
	t.Logf("a steady level next to one that wanders: %.3f, and %.3f where it is fitted anew", stale, anew)
	assert.Less(t, anew, stale-0.02)
	assert.GreaterOrEqual(t, steadies, 6)
}

// Inner windows that reach no more than a few horizons are forecast from one fit.
func TestFewWindowsGoNotStale(t *testing.T) {
	y := make([]float64, 150)
	for k := range y {
		y[k] = 10 + math.Sin(float64(k))
	}
	assert.False(t, goesStale(inputOf(calendar.Month, 12, y)))
	assert.False(t, goesStale(inputOf(calendar.Month, 12, y[:8])), "no room for windows")
	assert.True(t, goesStale(inputOf(calendar.Month, 1, y)))
}

// A series of many years tells their season by itself, and one whose year was taken out has the week alone.
func TestWhoTellsTheYear(t *testing.T) {
	short, long := inputOf(calendar.Day, 28, make([]float64, 1800)), inputOf(calendar.Day, 28, make([]float64, 1830))
	assert.False(t, Auto().TellsYear(short))
	assert.True(t, Auto().TellsYear(long))
	assert.True(t, Auto().TakesYear(short.View()))
	assert.False(t, Method{Seasons: []wish{}}.TakesYear(short.View()), "seasons that were ruled out stay so")
	assert.False(t, Auto().TakesYear(inputOf(calendar.Month, 6, make([]float64, 60)).View()))

	assert.Nil(t, Auto().wishes(short))
	short.Yearless = true
	assert.Equal(t, []wish{{name: "week", pairs: -1}}, Auto().wishes(short))
}
