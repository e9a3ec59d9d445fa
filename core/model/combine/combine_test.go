package combine_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/combine"
)

func flat(v float64) forecast.Rows {
	r := forecast.NewRows(1)
	r.Mean[0] = v
	for g := range r.Quantiles {
		r.Quantiles[g] = v + float64(g-forecast.Median)
	}
	return r
}

func blend(t *testing.T, weigh string, past model.Past, values ...float64) (float64, []float64) {
	c, err := combine.Families().NewCombiner("blend", model.Values{"weigh": weigh})
	require.NoError(t, err)
	var members []forecast.Rows
	for _, v := range values {
		members = append(members, flat(v))
	}
	rows, weights, err := c.Combine(members, past)
	require.NoError(t, err)
	require.NoError(t, rows.Check())
	return rows.Mean[0], weights
}

func TestWeighingByHand(t *testing.T) {
	nan := math.NaN()
	past := model.Past{Errors: [][]float64{{1, -1, nan, 1}, {3, -3, 3, -3}, {3, 3, 3, 3}}, Actual: []float64{10, 10, nan, 10}, Windows: 1}
	got, _ := blend(t, "mean", past, 1, 2, 6)
	assert.InDelta(t, 3, got, 1e-12)
	got, _ = blend(t, "median", past, 1, 2, 6)
	assert.Equal(t, 2.0, got)
	got, weights := blend(t, "inverse-error", past, 1, 2, 6)
	good, bad := math.Exp(-6*(3.0/7-1)), math.Exp(-6*(9.0/7-1)) // of errors 1, 3 and 3
	good, bad = good/(good+2*bad), bad/(good+2*bad)
	assert.InDeltaSlice(t, []float64{good, bad, bad}, weights, 1e-12)
	assert.InDelta(t, good+2*bad+6*bad, got, 1e-12)
	_, weights = blend(t, "least-squares", past, 1, 2, 6)
	assert.InDeltaSlice(t, []float64{1. / 3, 1. / 3, 1. / 3}, weights, 1e-12, "three points are too few for three members")
	got, _ = blend(t, "inverse-error", model.Past{}, 1, 2, 6)
	assert.InDelta(t, 3, got, 1e-12, "nothing is past yet")
}

// Least squares find the weights that a simulation was made with, keep them on the
// simplex, and no weights on a fine grid do better.
func TestLeastSquaresAreTheBestWeights(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 1))
	for range 50 {
		past := model.Past{Errors: make([][]float64, 3)}
		common := rnd.Float64()
		for range 60 {
			shared := common * rnd.NormFloat64()
			for m, size := range []float64{1, 1.3, 2.5} {
				past.Errors[m] = append(past.Errors[m], shared+size*rnd.NormFloat64())
			}
			past.Actual = append(past.Actual, 1)
		}
		loss := func(w []float64) (sum float64) {
			for i := range past.Actual {
				e := w[0]*past.Errors[0][i] + w[1]*past.Errors[1][i] + w[2]*past.Errors[2][i]
				sum += e * e
			}
			return sum
		}
		_, w := blend(t, "least-squares", past, 1, 2, 3)
		assert.InDelta(t, 1, w[0]+w[1]+w[2], 1e-12)
		assert.GreaterOrEqual(t, min(w[0], w[1], w[2]), 0.0)
		for a := 0.0; a <= 1; a += 0.05 {
			for b := 0.0; a+b <= 1; b += 0.05 {
				assert.LessOrEqual(t, loss(w), loss([]float64{a, b, 1 - a - b})*(1+1e-9))
			}
		}
	}
	same := model.Past{Errors: [][]float64{{1, 2, 1, 2, 1, 2, 1, 2, 1, 2}, {1, 2, 1, 2, 1, 2, 1, 2, 1, 2}}, Actual: make([]float64, 10)}
	_, w := blend(t, "least-squares", same, 1, 2)
	assert.InDeltaSlice(t, []float64{0.5, 0.5}, w, 1e-6, "twins share the weight")
}

func TestTheChoiceTakesTheBestThatIsThere(t *testing.T) {
	c, err := combine.Families().NewCombiner("best-per-series", nil)
	require.NoError(t, err)
	members := []forecast.Rows{flat(1), flat(2), {}}
	rows, _, err := c.Combine(members, model.Past{Scores: []float64{0.9, 0.5, 0.1}})
	require.NoError(t, err)
	assert.Equal(t, 2.0, rows.Mean[0], "the third, best so far, has no forecast here")
	rows, _, err = c.Combine(members, model.Past{Scores: []float64{math.NaN(), math.NaN(), math.NaN()}, Usual: 1})
	require.NoError(t, err)
	assert.Equal(t, 2.0, rows.Mean[0])
	_, _, err = c.Combine(make([]forecast.Rows, 3), model.Past{})
	assert.ErrorContains(t, err, "none of its members")
}

// What one window of a series says is held towards what all series show, many stand for
// themselves, and a series without a past takes what the others show.
func TestAFewWindowsAreHeldTowardsWhatAllShow(t *testing.T) {
	errors := func(points int, sizes ...float64) (out [][]float64) {
		for _, s := range sizes {
			row := make([]float64, points)
			for k := range row {
				row[k] = s * float64(1-2*(k%2))
			}
			out = append(out, row)
		}
		return out
	}
	past := func(points int, sizes ...float64) model.Past {
		return model.Past{Errors: errors(points, sizes...), Actual: make([]float64, points), Windows: float64(points) / 3, Scores: sizes}
	}
	pasts := []model.Past{past(3, 2, 1), past(3000, 2, 1), {}}
	for range 20 {
		pasts = append(pasts, past(100, 1, 2))
	}
	model.Pool(pasts)
	assert.Less(t, pasts[0].HeldBy, 1e4)
	for i := range pasts {
		pasts[i].HeldBy = 4
	}
	_, few := blend(t, "inverse-error", pasts[0], 1, 2)
	_, many := blend(t, "inverse-error", pasts[1], 1, 2)
	_, none := blend(t, "inverse-error", pasts[2], 1, 2)
	assert.Greater(t, few[0], 0.8, "one window is believed less than twenty series")
	assert.Less(t, many[0], 0.05)
	assert.Greater(t, none[0], 0.9)

	c, err := combine.Families().NewCombiner("best-per-series", nil)
	require.NoError(t, err)
	for i, want := range []float64{1, 2, 1} {
		rows, _, err := c.Combine([]forecast.Rows{flat(1), flat(2)}, pasts[i])
		require.NoError(t, err)
		assert.Equal(t, want, rows.Mean[0], "past %d", i)
	}
}

// A member of which nothing is known counts for one in the middle, and an exact one for no more than can
// be told.
func TestApart(t *testing.T) {
	nan := math.NaN()
	p := model.Past{Errors: [][]float64{{1, -1}, {3, 3}, {nan, nan}, {0, 0}}, Scores: []float64{1, 2, nan, 0}, Windows: 1}
	apart := p.Apart()
	assert.InDeltaSlice(t, []float64{1/(4.0/3) - 1, 3/(4.0/3) - 1}, apart[:2], 1e-12)
	assert.True(t, math.IsNaN(apart[2]))
	assert.Equal(t, -1.0, apart[3])
	assert.Equal(t, 1.0, p.ApartByScore()[1])
	model.Pool([]model.Past{p})
	_, weights := blend(t, "inverse-error", p, 1, 2, 3, 4)
	assert.Greater(t, weights[3], weights[0])
	assert.Greater(t, weights[2], weights[1])
	all := model.Past{Errors: [][]float64{{0, 0}, {0, 0}}, Actual: []float64{1, 2}}
	_, weights = blend(t, "inverse-error", all, 1, 2)
	assert.Equal(t, []float64{0.5, 0.5}, weights)
}

// Where series differ in who does well, and each half of what is past says the same of them, their own past is
// believed after one window; where they differ by luck alone, it is hardly believed after six.
func TestHowFarAPastIsBelieved(t *testing.T) {
	pasts := func(windows int, apart float64) (out []model.Past) {
		rnd := rand.New(rand.NewPCG(6, uint64(windows)))
		for i := range 60 {
			p := model.Past{Errors: make([][]float64, 2), Windows: float64(windows)}
			for range 12 * windows {
				p.Actual = append(p.Actual, 100)
				for m := range p.Errors {
					size := math.Exp(apart * float64(1-2*((i+m)%2)))
					p.Errors[m] = append(p.Errors[m], size*rnd.NormFloat64())
				}
			}
			out = append(out, p)
		}
		model.Pool(out)
		return out
	}
	for _, windows := range []int{1, 6} {
		different, alike := pasts(windows, 0.7)[0].HeldBy, pasts(windows, 0)[0].HeldBy
		share := func(held float64) float64 { return float64(windows) / (float64(windows) + held) }
		assert.Greater(t, share(different), 0.75, "%d windows", windows)
		assert.Less(t, share(alike), 0.3, "%d windows", windows)
	}
	few := []model.Past{{Errors: [][]float64{{1, 2}, {2, 1}}, Actual: []float64{5, 5}, Windows: 1}}
	model.Pool(few)
	assert.Equal(t, 4.0, few[0].HeldBy, "one series tells nothing of how they differ")
}

// Stacked weights come of what all series show jointly, times how a series departs from what all show of each
// member alone; without others they are those by inverse errors.
func TestStackedWeighs(t *testing.T) {
	rnd := rand.New(rand.NewPCG(9, 9))
	var pasts []model.Past
	for range 40 {
		p := model.Past{Errors: make([][]float64, 3), Windows: 4}
		for range 48 {
			twins, other := rnd.NormFloat64(), rnd.NormFloat64()
			for m, e := range []float64{twins, 1.02 * twins, other} {
				p.Errors[m] = append(p.Errors[m], e)
			}
			p.Actual = append(p.Actual, 1)
		}
		pasts = append(pasts, p)
	}
	_, alone := blend(t, "inverse-error", pasts[0], 1, 2, 3)
	_, got := blend(t, "stacked", pasts[0], 1, 2, 3)
	assert.Equal(t, alone, got, "no others are known")
	for i := range pasts[39].Errors[2] {
		pasts[39].Errors[2][i] *= 3 // on this series the third does badly
	}
	model.Pool(pasts)
	for i := range pasts {
		pasts[i].HeldBy = 4
	}
	_, alone = blend(t, "inverse-error", pasts[1], 1, 2, 3)
	_, got = blend(t, "stacked", pasts[1], 1, 2, 3)
	assert.InDelta(t, 1, got[0]+got[1]+got[2], 1e-12)
	assert.Greater(t, got[2], alone[2]+0.05, "who errs apart is worth more than alone")
	_, own := blend(t, "stacked", pasts[39], 1, 2, 3)
	assert.Less(t, own[2], got[2]/2)
	_, none := blend(t, "stacked", model.Past{}, 1, 2, 3)
	assert.InDeltaSlice(t, []float64{1. / 3, 1. / 3, 1. / 3}, none, 1e-12)
}
