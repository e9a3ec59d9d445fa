package single

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/panel"
)

// Medians of what goes before, and from each place on, are those of the values put in order.
func TestMediansOfWindows(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		y := rapid.SliceOfN(rapid.Float64Range(-3, 3), 1, 40).Draw(t, "values")
		for i := range y { // many alike
			y[i] = float64(int(2 * y[i]))
		}
		most := rapid.IntRange(1, 7).Draw(t, "window")
		for i, got := range trailing(y, most) {
			if i == 0 {
				require.False(t, panel.Known(got))
				continue
			}
			require.Equal(t, inOrder(y[max(0, i-most):i]).median(), got, "before %d", i)
		}
		if most <= len(y) {
			for i, got := range medians(y, most) {
				require.Equal(t, inOrder(y[i:i+most]).median(), got, "from %d on", i)
			}
		}
	})
}

func inOrder(y []float64) ordered { return slices.Sorted(slices.Values(y)) }
