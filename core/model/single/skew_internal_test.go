package single

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/num"
)

// bursting are tallies of series whose errors are of mean 0 and variance 1 and bent by a skew, forecast by normal quantiles.
// Each window is off by a level of its own besides.
func bursting(series, windows int, skew float64, seed uint64) []Tally {
	rnd := rand.New(rand.NewPCG(seed, 2))
	list := make([]Tally, series)
	t := Trial{Horizon: 8, Stride: 8}
	for i := range list {
		for range windows {
			var h Heart
			var actual []float64
			off := 0.3 * rnd.NormFloat64()
			for range t.Horizon {
				actual = append(actual, off+bend(skew, rnd.NormFloat64()))
				h.Low, h.Middle, h.High, h.Mean = append(h.Low, -tenth), append(h.Middle, 0), append(h.High, tenth), append(h.Mean, 0)
			}
			t.Take(&list[i], h, actual)
		}
	}
	return list
}

// Bent quantiles keep mean and variance, and straightening undoes the bending.
func TestBendingKeepsTheMeanAndTheVariance(t *testing.T) {
	for _, skew := range []float64{-0.8, -0.3, 1e-9, 0.4, 0.9} {
		sum, squares, n := 0.0, 0.0, 200_000
		for k := range n {
			x := bend(skew, num.NormalQuantile((float64(k)+0.5)/float64(n)))
			sum, squares = sum+x, squares+x*x
		}
		assert.InDelta(t, 0, sum/float64(n), 1e-3, skew)
		assert.InDelta(t, 1, squares/float64(n), 0.01, skew)
	}
	rapid.Check(t, func(t *rapid.T) {
		skew, z := rapid.Float64Range(-mostSkew, mostSkew).Draw(t, "skew"), rapid.Float64Range(-3, 3).Draw(t, "z")
		assert.InDelta(t, z, straighten(skew, bend(skew, z)), 1e-6)
		assert.Less(t, bend(skew, z), bend(skew, z+0.01))
	})
	assert.Equal(t, -mostSize, straighten(0.5, -100), "below all that can be")
	assert.InDelta(t, -0.6, skewOf((bend(-0.6, tenth)+bend(-0.6, -tenth)-2*bend(-0.6, 0))/(bend(-0.6, tenth)-bend(-0.6, -tenth))), 1e-6)
}

// What leans to one side is found, as far as it leans or less, and points are the medians that come of it; what does not, in few
// series or in one window only, is not.
func TestASkewIsFound(t *testing.T) {
	for _, skew := range []float64{0.6, -0.6} {
		w := Pooled(bursting(60, 5, skew, 1))
		assert.InDelta(t, skew, w.Skew, 0.2)
		assert.Equal(t, 1.0, w.Point)
		assert.InDelta(t, 1, w.Near, 0.12)
		assert.Contains(t, w.Words(), "as errors of inner windows do")
	}
	assert.Zero(t, Pooled(bursting(7, 20, 0.6, 1)).Skew, "few series")
	assert.Zero(t, Pooled(bursting(60, 1, 0.6, 1)).Skew, "one window")
	found := 0
	for seed := range uint64(40) {
		if math.Abs(Pooled(bursting(20, 4, 0, seed)).Skew) > 0.05 {
			found++
		}
	}
	assert.LessOrEqual(t, found, 4, "of what does not lean")
}

// A series is measured against what all agree on: bent quantiles hold 80 and 95 % of errors that lean, on both sides alike.
func TestBentIntervalsHoldOnBothSides(t *testing.T) {
	list := bursting(80, 5, 0.7, 3)
	w := list[0].Toward(Pooled(list))
	require.Greater(t, w.Skew, 0.4)
	rows := forecast.NewRows(1)
	for g, p := range forecast.Grid {
		rows.Quantiles[g] = num.NormalQuantile(p)
	}
	Pooled(list).Stretch(rows, 0)
	require.NoError(t, rows.Check())
	rnd := rand.New(rand.NewPCG(9, 9))
	var below, above float64
	const n = 20_000
	low, high := forecast.Interval(rows.At(0), 80)
	for range n {
		switch y := 0.3*rnd.NormFloat64() + bend(0.7, rnd.NormFloat64()); {
		case y < low:
			below++
		case y > high:
			above++
		}
	}
	assert.InDelta(t, 0.1, below/n, 0.035)
	assert.InDelta(t, 0.1, above/n, 0.035)
	assert.Less(t, rows.Mean[0], 0.0, "a median")
}

// What series that were fitted alone agree on goes to those without room for inner windows too, not to those whose intervals are
// left as they are; widths stay each series' own, and points are means where squares rank them.
func TestWhatSeriesFittedAloneAgreeOn(t *testing.T) {
	widenings := func() (list []Widening) {
		for i, tally := range bursting(60, 5, 0.6, 1) {
			if i == 0 {
				for w := range tally.misses { // a series that is forecast badly
					for k := range tally.misses[w] {
						tally.misses[w][k].score *= 3
					}
				}
				tally = tally.bent(1e-9) // sizes anew, and no bend to speak of
			}
			w := tally.Widening()
			w.tally = &tally
			list = append(list, w)
		}
		return append(list, None.Learnt(3, 2), None)
	}
	list := widenings()
	Agree(list, model.AbsoluteErrors)
	for _, w := range list[:61] {
		assert.InDelta(t, 0.6, w.Skew, 0.2)
		assert.Equal(t, 1.0, w.Point)
	}
	assert.Greater(t, list[0].Near, 1.3*list[1].Near)
	assert.Equal(t, None.Learnt(3, 2).Near, list[60].Near)
	assert.Equal(t, None, list[61])
	list = widenings()
	Agree(list, model.SquaredErrors)
	assert.Zero(t, list[0].Point)
}
