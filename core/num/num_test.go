package num_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/num"
)

// Published table values: Student's t and the standard normal.
func TestQuantilesFromTables(t *testing.T) {
	assert.InDelta(t, 1.959964, num.NormalQuantile(0.975), 1e-6)
	assert.InDelta(t, 0.975, num.NormalCDF(1.959964), 1e-6)
	for dof, want := range map[int]float64{1: 12.7062, 2: 4.3027, 10: 2.2281, 30: 2.0423} {
		assert.InDelta(t, want, num.StudentQuantile(0.975, dof), 5e-5, dof)
		assert.InDelta(t, -want, num.StudentQuantile(0.025, dof), 5e-5, dof)
	}
}

// A stream belongs to its seed and its whole path, and looks uniform.
func TestStreamsAreTheirOwn(t *testing.T) {
	first := num.Stream(1, "ab", "c").Uint64()
	assert.Equal(t, first, num.Stream(1, "ab", "c").Uint64())
	for _, other := range []uint64{num.Stream(2, "ab", "c").Uint64(), num.Stream(1, "a", "bc").Uint64(), num.Stream(1, "abc").Uint64(),
		num.Stream(1, "c", "ab").Uint64()} {
		assert.NotEqual(t, first, other)
	}
	sum, ss := 0.0, 0.0
	const n = 20000
	for i := range n {
		v := num.Stream(7, string(rune(i))).Float64()
		sum += v
		ss += v * v
	}
	assert.InDelta(t, 0.5, sum/n, 4*math.Sqrt(1.0/12/n))
	assert.InDelta(t, 1.0/3, ss/n, 4*math.Sqrt(4.0/45/n))
}

// What is unknown counts for nothing.
func TestKnown(t *testing.T) {
	none := math.NaN()
	x := []float64{none, 2, 0, none, 4, none}
	assert.Equal(t, 2.0, num.KnownMean(x))
	assert.InDelta(t, math.Sqrt(8./3), num.KnownSpread(x), 1e-12)
	assert.Equal(t, 4.0, num.LastKnown(x))
	assert.InDelta(t, 1./3, num.ZeroShare(x), 1e-12)
	assert.Equal(t, 2, len(num.Tail(x, 2)))
	assert.Equal(t, 6, len(num.Tail(x, 9)))
	for _, of := range []func([]float64) float64{num.KnownMean, num.KnownSpread, num.LastKnown, num.ZeroShare} {
		assert.True(t, math.IsNaN(of([]float64{none})))
	}
}
