package bakeoff

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/split"
)

// Of windows at any origins, those that stand alone don't overlap, every other one overlaps that of
// its bunch, and evenly spaced ones are bunched by how many fit into a horizon.
func TestBunchesOfWindows(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		draw := func(name string, low, high int) int { return rapid.IntRange(low, high).Draw(t, name) }
		s := split.Spec{Horizon: draw("horizon", 1, 9), Windows: draw("windows", 1, 6), Stride: draw("stride", 1, 12), Gap: draw("gap", 0, 4)}
		windows, err := split.MakeOwn(s, rapid.SliceOfN(rapid.IntRange(80, 140), 1, 8).Draw(t, "lengths"))
		require.NoError(t, err)
		bunch, alone := bunches(windows)
		heads := map[int]split.Window{}
		for w, on := range alone {
			if on {
				require.NotContains(t, heads, bunch[w])
				heads[bunch[w]] = windows[w]
			}
		}
		for w, win := range windows {
			head, ok := heads[bunch[w]]
			require.True(t, ok)
			require.True(t, win.AssessLast >= head.AssessFirst() && win.AssessFirst() <= head.AssessLast)
		}
		for a, one := range heads {
			for b, other := range heads {
				require.True(t, a == b || one.AssessLast < other.AssessFirst() || other.AssessLast < one.AssessFirst())
			}
		}
		even, err := split.Make(s, 140)
		require.NoError(t, err)
		bunch, alone = bunches(even)
		apart := (s.Horizon + s.Stride - 1) / s.Stride
		for w := range even {
			back := len(even) - 1 - w
			require.Equal(t, back/apart, bunch[w])
			require.Equal(t, back%apart == 0, alone[w])
		}
	})
}
