package harmonic_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model/harmonic"
	"paperkettle/core/panel"
)

// A year of days is found again: as many pairs as it was made of, with their coefficients, from values
// with holes, and whichever the period that it begins at.
func TestTermsComeBack(t *testing.T) {
	truth := harmonic.Terms{Period: 365.25, Coef: []float64{5, -2, 0, 3}}
	for _, first := range []int64{0, 730_000, -400} {
		rnd := rand.New(rand.NewPCG(1, uint64(first)))
		y := make([]float64, 3*365)
		for i := range y {
			if y[i] = truth.At(first+int64(i)) + rnd.NormFloat64(); i%9 == 0 {
				y[i] = panel.Unknown
			}
		}
		coef := harmonic.Regress(y, harmonic.Columns(truth.Period, 6, first, len(y)), 0)
		require.Len(t, coef, 4, "two pairs, and no more")
		assert.InDeltaSlice(t, truth.Coef, coef, 0.2)
		found := harmonic.Terms{Period: truth.Period, Coef: coef}
		assert.Equal(t, 2, found.Pairs())
		assert.InDelta(t, truth.At(first+2000), found.At(first+2000), 0.3, "and goes on as it was made")
	}
}

// Noise has no harmonics, but those that are asked for.
func TestNoiseHasNone(t *testing.T) {
	rnd := rand.New(rand.NewPCG(2, 2))
	y := make([]float64, 500)
	for i := range y {
		y[i] = rnd.NormFloat64()
	}
	columns := harmonic.Columns(100, 5, 0, len(y))
	assert.Empty(t, harmonic.Regress(y, columns, 0))
	assert.Len(t, harmonic.Regress(y, columns, 4), 4)
}

// Columns are the terms: a season is the sum of its coefficients times them.
func TestColumnsAreTheTerms(t *testing.T) {
	season := harmonic.Terms{Period: 52.18, Coef: []float64{1, 2, 3, 4, 5, 6}}
	columns := harmonic.Columns(season.Period, 3, 1000, 40)
	require.Len(t, columns, 6)
	for i := range 40 {
		sum := 0.0
		for k, c := range season.Coef {
			sum += c * columns[k][i]
		}
		assert.InDelta(t, season.At(1000+int64(i)), sum, 1e-9)
		assert.LessOrEqual(t, math.Abs(sum), 21.0)
	}
}
