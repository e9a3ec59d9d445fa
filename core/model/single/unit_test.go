package single_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// view is a series of days, with a driver where one is given.
func view(values []float64, drivers ...[]float64) panel.SeriesView {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: len(values), Series: []panel.Series{{Key: "one", Values: values, Drivers: drivers}}}
	for range drivers {
		p.Drivers = append(p.Drivers, panel.Driver{Name: "price", KnownAhead: true})
	}
	return panel.NewView(p, []int{0}, 0, len(values)-1).Series(0)
}

// trade makes days with a week on them.
func trade(seed uint64, n int, noise float64) (y []float64) {
	rnd := rand.New(rand.NewPCG(seed, 17))
	for t := range n {
		y = append(y, 100*(1+0.5*math.Sin(2*math.Pi*float64(t)/7))*math.Exp(noise*rnd.NormFloat64()))
	}
	return y
}

// A change of unit is found where it was made, up or down, late or early, and is a power of ten where it was.
func TestAChangeOfUnitIsFound(t *testing.T) {
	for seed := range uint64(20) {
		for _, at := range []int{12, 100, 190} {
			for _, factor := range []float64{10, 0.01, 12, 1000} {
				y := trade(seed, 200, 0.1)
				for i := at; i < len(y); i++ {
					y[i] *= factor
				}
				u := single.UnitOf(view(y))
				if assert.Equal(t, at, u.At, "factor %g from %d on, seed %d", factor, at, seed) {
					assert.InEpsilon(t, factor, u.Factor, 0.12)
					assert.Zero(t, u.Shift)
				}
				if factor != 12 && at == 100 {
					assert.InEpsilon(t, factor, u.Factor, 1e-9)
				}
			}
		}
	}
}

// A level that moved while values stray as before is a shift.
func TestALevelThatMovedIsAShift(t *testing.T) {
	for _, moved := range []float64{90, -90} {
		rnd := rand.New(rand.NewPCG(1, 2))
		var y []float64
		for i := range 60 {
			y = append(y, 55-moved/2+moved*float64(i/30)+rnd.NormFloat64())
		}
		u := single.UnitOf(view(y))
		assert.Equal(t, 30, u.At)
		assert.Equal(t, 1.0, u.Factor)
		assert.InDelta(t, moved, u.Shift, 1.5)
		words := map[bool]string{true: "are higher by about ", false: "are lower by about "}[moved > 0]
		assert.Contains(t, u.Cautions(view(y))[0], words)
	}
}

// What grows, falls, comes now and then, starts small, or has a reason did not change its unit; neither did
// one value that is ten times as large, nor noise of any size.
func TestWhatIsNoChangeOfUnit(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 4))
	values := func(n int, f func(i int) float64) (y []float64) {
		for i := range n {
			y = append(y, f(i))
		}
		return y
	}
	for name, y := range map[string][]float64{
		"doubling": values(60, func(i int) float64 { return math.Pow(2, float64(i)) }),
		"growing":  values(120, func(i int) float64 { return 100 * math.Pow(1.1, float64(i)) }),
		"launched": values(80, func(i int) float64 { return float64(1+rnd.IntN(3)) * float64(1+20*(i/40)) }),
		"launched, some days unknown": values(80, func(i int) float64 {
			if i%9 == 4 {
				return math.NaN()
			}
			return float64(1+rnd.IntN(3)) * float64(1+20*(i/40))
		}),
		"now and then":   values(90, func(i int) float64 { return float64((i+1)%2) * (20 + rnd.Float64()) * math.Pow(10, float64(i/45)) }),
		"a late mistake": append(trade(1, 100, 0.1), 1500),
		"a season off":   values(140, func(i int) float64 { return 100 + 900*float64((i/70)%2)*float64(i%2) }),
		"below zero":     values(80, func(i int) float64 { return rnd.NormFloat64() * math.Pow(100, float64(i/40)) }),
		"short":          {1, 1, 1, 1, 1, 1, 100, 100, 100, 100, 100},
		"empty":          nil,
	} {
		assert.Zero(t, single.UnitOf(view(y)), name)
	}
	found := 0
	for seed := range uint64(2000) {
		rnd := rand.New(rand.NewPCG(seed, 5))
		y := values(60, func(int) float64 { return math.Exp(rnd.NormFloat64()) })
		if single.UnitOf(view(y)) != (single.Unit{}) {
			found++
		}
	}
	assert.Zero(t, found, "of logs of normal noise")

	y, price := trade(2, 100, 0.1), values(110, func(i int) float64 { return 9 - 6*float64(i/50) })
	for i := 50; i < 100; i++ {
		y[i] *= 10
	}
	assert.Zero(t, single.UnitOf(view(y, price)), "the price fell on the same day")
	assert.NotZero(t, single.UnitOf(view(y)))
}

// What is mended is as if it had always been in the present unit, mistakes of either time left out.
func TestMendingAChangeOfUnit(t *testing.T) {
	want, y := trade(3, 200, 0.05), trade(3, 200, 0.05)
	for i := range y {
		if i >= 150 {
			y[i] *= 10
		}
		want[i] *= 10
	}
	y[40], y[170] = 9000, 60000
	s, mended := single.Mend(view(y))
	assert.Equal(t, 150, mended.Unit.At)
	assert.Len(t, mended.Odd, 2)
	for i, v := range s.Values {
		if i == 40 || i == 170 {
			assert.True(t, math.IsNaN(v))
			continue
		}
		assert.InEpsilon(t, want[i], v, 1e-9, "day %d", i)
	}
	assert.Equal(t, 9000.0, y[40], "the series itself stays")
}
