package boost

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Numbers are drawn as by the standard library, one after another from the same source.
func TestDrawingBelow(t *testing.T) {
	own, other := rand.NewPCG(5, 6), rand.New(rand.NewPCG(5, 6))
	for n := 1; n < 5000; n++ {
		require.Equal(t, other.IntN(n), below(own, n), "below %d", n)
	}
	require.Equal(t, other.IntN(1<<31-1), below(own, 1<<31-1))
}

// A sample is of as many rows as were asked for, the others lie behind it, and each row is in it as often as another.
func TestSamplesAndTheOthers(t *testing.T) {
	const n, rounds = 40, 3000
	g := &grower{s: Settings{RowShare: 0.7}, b: &binned{rows: n}, order: make([]int32, n), room: make([]int32, n)}
	var in [n]float64
	for k := range rounds {
		rows := g.sample(rand.NewPCG(1, uint64(k)))
		require.Len(t, rows, 28)
		all := slices.Sorted(slices.Values(g.order))
		for i, row := range all {
			require.Equal(t, int32(i), row)
		}
		for _, row := range rows {
			in[row] += 1.0 / rounds
		}
	}
	for _, share := range in {
		assert.InDelta(t, 0.7, share, 0.04)
	}
}

// A value by its rank is that of the sorted list, with ties and in any order, and so are quantiles between neighbours.
func TestRanks(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		x := rapid.SliceOfN(rapid.Float64Range(-3, 3), 1, 60).Draw(t, "x")
		if rapid.Bool().Draw(t, "ties") {
			for i := range x {
				x[i] = float64(int(x[i]))
			}
		}
		sorted := slices.Sorted(slices.Values(x))
		k := rapid.IntRange(0, len(x)-1).Draw(t, "k")
		assert.Equal(t, sorted[k], rank(slices.Clone(x), k))
		rows := make([]int32, len(x))
		for i := range rows {
			rows[i] = int32(i)
		}
		if p := rapid.Float64Range(0, 1).Draw(t, "p"); len(x) > 1 {
			at := p * float64(len(x)-1)
			low := min(int(at), len(x)-2)
			want := sorted[low] + (at-float64(low))*(sorted[low+1]-sorted[low])
			assert.InDelta(t, want, quantile(p, rows, func(i int32) float64 { return x[i] }), 1e-12)
		}
	})
}
