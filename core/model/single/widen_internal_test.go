package single

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
)

// told is a tally of windows whose errors are normal, by times what the model took for their
// standard deviation, near and far.
func told(rnd *rand.Rand, windows int, near, far float64) Tally {
	t := Trial{Horizon: 8, Stride: 8, Windows: windows}
	var out Tally
	for range windows {
		h, actual := Heart{}, []float64{}
		for k := range t.Horizon {
			by := near
			if k >= 4 {
				by = far
			}
			h.Low, h.Middle, h.High = append(h.Low, -1.2816), append(h.Middle, 0), append(h.High, 1.2816)
			actual = append(actual, by*rnd.NormFloat64())
		}
		t.Take(&out, h, actual)
	}
	return out
}

// What is right stays as it is, what is too narrow is widened by about as much, near and far
// apart, and a little evidence moves little.
func TestWideningFindsTheFactor(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 1))
	right := told(rnd, 400, 1, 1).Widening()
	assert.InDelta(t, 1, right.Near, 0.06)
	assert.InDelta(t, 1, right.Far, 0.06)
	assert.InDelta(t, 1, right.Tail, 0.06)
	wrong := told(rnd, 400, 1.5, 2).Widening()
	assert.InDelta(t, 1.5, wrong.Near, 0.1)
	assert.InDelta(t, 2, wrong.Far, 0.15)
	wide := told(rnd, 400, 0.5, 0.5).Widening()
	assert.InDelta(t, leastWiden, wide.Near, 1e-9, "no narrower than that, whatever the windows say")
	assert.Less(t, told(rand.New(rand.NewPCG(3, 3)), 1, 2, 2).Widening().Near, 2.0)
	assert.Equal(t, Widening{Near: 1, Far: 1, Tail: 1}, Tally{}.Widening())
}

// What was learnt from little is wider by the variance that estimates have, and what was learnt from much, or
// by nothing that was counted, is not.
func TestLittleToLearnFromWidens(t *testing.T) {
	w := Widening{Near: 1.1, Far: 1.2, Tail: 1.3, Steps: 8}
	assert.InDelta(t, 1.1*math.Sqrt2, w.Learnt(4, 4).Near, 1e-12)
	assert.InDelta(t, 1.2*math.Sqrt2, w.Learnt(4, 4).Far, 1e-12)
	assert.Equal(t, 1.3, w.Learnt(4, 4).Tail)
	assert.InDelta(t, 1.2, w.Learnt(4000, 4).Far, 1e-3)
	assert.Equal(t, w, w.Learnt(0, 4))
	assert.InDelta(t, mostWiden, w.Learnt(1, 1000).Near, 0)
	assert.Contains(t, w.Learnt(4, 4).Words(), "intervals are 41 % wider")
	assert.Empty(t, w.Learnt(4000, 4).Words())
	rows := forecast.NewRows(1)
	for g := range rows.At(0) {
		rows.At(0)[g] = num.NormalQuantile(forecast.Grid[g])
	}
	None.Learnt(1, 3).Stretch(rows, 0)
	low, high := forecast.Interval(rows.At(0), 80)
	assert.InDelta(t, 2*2*1.2816, high-low, 1e-3, "also where no window told anything")
}

// Errors with rare far ones widen the tails and leave the middle.
func TestWideningOfTails(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 5))
	trial := Trial{Horizon: 8, Stride: 8}
	var tally Tally
	for range 500 {
		h, actual := Heart{}, []float64{}
		for range trial.Horizon {
			h.Low, h.Middle, h.High = append(h.Low, -1.2816), append(h.Middle, 0), append(h.High, 1.2816)
			e := rnd.NormFloat64()
			if rnd.IntN(12) == 0 {
				e *= 4
			}
			actual = append(actual, e)
		}
		trial.Take(&tally, h, actual)
	}
	w := tally.Widening()
	assert.Less(t, w.Near, 1.2)
	assert.Greater(t, w.Tail, 1.15)
}

// One series leans on what all say, and departs from it by its own evidence.
func TestWideningLeansOnOthers(t *testing.T) {
	rnd := rand.New(rand.NewPCG(2, 2))
	var all []Tally
	for range 50 {
		all = append(all, told(rnd, 8, 1.5, 1.5))
	}
	pooled := Pooled(all)
	assert.InDelta(t, 1.5, pooled.Near, 0.1)
	assert.Equal(t, pooled, Tally{}.Toward(pooled), "without windows of its own it takes theirs")
	own := told(rnd, 8, 1, 1).Toward(pooled)
	assert.Less(t, own.Near, pooled.Near)
	assert.Greater(t, own.Near, 0.9)
}

// Quantiles stay in order, medians where they are, and unknown periods before count as steps.
func TestStretchKeepsOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		factor := rapid.Float64Range(leastWiden, mostWiden)
		w := Widening{Near: factor.Draw(t, "near"), Far: factor.Draw(t, "far"), Tail: rapid.Float64Range(1, 1.6).Draw(t, "tail"),
			Steps: rapid.IntRange(1, 12).Draw(t, "steps")}
		rows, later := forecast.NewRows(9), forecast.NewRows(6)
		for h := range rows.Mean {
			for g, p := range forecast.Grid {
				rows.At(h)[g] = 10 + num.NormalQuantile(p)
			}
		}
		copy(later.Quantiles, rows.Quantiles)
		w.Stretch(rows, 0)
		w.Stretch(later, 3)
		for h := range rows.Mean {
			if err := rows.Check(); err != nil {
				t.Fatal(err)
			}
			if m := rows.At(h)[forecast.Median]; math.Abs(m-10) > 1e-12 {
				t.Fatalf("the median moved to %v", m)
			}
		}
		for i, q := range later.Quantiles {
			if q != rows.Quantiles[3*forecast.GridSize+i] {
				t.Fatal("three unknown periods are not three steps")
			}
		}
	})
}
