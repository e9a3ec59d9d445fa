package single_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/model/single"
)

// A level that moves by less than a unit does is found in the period in which it moved.
func TestAMoveOfTheLevelIsFound(t *testing.T) {
	for _, after := range []int{5, 30, 120} {
		for _, factor := range []float64{1.6, 0.5} {
			found, right, off := 0, 0, 0.0
			for seed := range uint64(100) {
				y := trade(seed, 300, 0.08)
				for i := len(y) - after; i < len(y); i++ {
					y[i] *= factor
				}
				if u := single.UnitOf(view(y)); u.At > 0 {
					found++
					if u.At == len(y)-after {
						right++
					}
					if u.Shift == 0 {
						off = max(off, math.Abs(math.Log(u.Factor/factor)))
					}
				}
			}
			t.Logf("%g times as much, %d days ago: found %d of 100, %d on the day, at most %.2f off", factor, after, found, right, off)
			assert.GreaterOrEqual(t, found, 60)
			assert.GreaterOrEqual(t, right, found*95/100)
			assert.Less(t, off, 0.25)
		}
	}
}

// What wanders, grows, is falling, came back, has a reason, or lies apart by years of nothing known did not move at once.
func TestWhatIsNoMove(t *testing.T) {
	grow := func(f func(i int, rnd *rand.Rand) float64) (found int) {
		for seed := range uint64(300) {
			y, rnd := trade(seed, 200, 0.05), rand.New(rand.NewPCG(seed, 3))
			for i := range y {
				y[i] *= math.Exp(f(i, rnd))
			}
			if single.UnitOf(view(y)).At > 0 {
				found++
			}
		}
		return found
	}
	level := 0.0
	for name, f := range map[string]func(i int, rnd *rand.Rand) float64{
		"as it is": func(int, *rand.Rand) float64 { return 0 },
		"noise":    func(_ int, rnd *rand.Rand) float64 { return rnd.NormFloat64() },
		"wanders": func(i int, rnd *rand.Rand) float64 {
			if level += 0.03 * rnd.NormFloat64(); i == 0 {
				level = 0
			}
			return level
		},
		"grows":     func(i int, _ *rand.Rand) float64 { return 0.01 * float64(i) },
		"slumps":    func(i int, _ *rand.Rand) float64 { return -0.05 * float64(max(i-185, 0)) },
		"came back": func(i int, _ *rand.Rand) float64 { return 0.4 * float64(i/60%3%2) },
		"twice":     func(i int, _ *rand.Rand) float64 { return 0.4 * float64(i/60) },
		"heavy tail": func(_ int, rnd *rand.Rand) float64 {
			return 0.1 * rnd.NormFloat64() / max(0.2, math.Abs(rnd.NormFloat64()))
		},
	} {
		found := grow(f)
		t.Logf("%-10s %d of 300", name, found)
		assert.LessOrEqual(t, found, 6, name)
	}
	y := trade(1, 200, 0.05)
	price := make([]float64, 220)
	for i := range price {
		if price[i] = 5 + 0.1*float64(i%9); i >= 120 {
			price[i] -= 0.5
		}
	}
	for i := 120; i < 200; i++ {
		y[i] *= 1.4
	}
	assert.Zero(t, single.UnitOf(view(y, price)), "the price fell on the same day")
	assert.Equal(t, 120, single.UnitOf(view(y)).At)
	for i := 40; i < 120; i++ {
		y[i] = math.NaN()
	}
	assert.Zero(t, single.UnitOf(view(y)), "nothing is known of the time in which it moved")
}
