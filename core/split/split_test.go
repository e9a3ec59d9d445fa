package split_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/split"
)

func TestWindowsByHand(t *testing.T) {
	got, err := split.Make(split.Spec{Horizon: 4, Windows: 3, Stride: 2, History: 5}, 20)
	require.NoError(t, err)
	assert.Equal(t, []split.Window{{1, 7, 11, 15, 0, 0}, {2, 9, 13, 17, 0, 0}, {3, 11, 15, 19, 0, 0}}, got)
}

// Whatever is asked: either it is refused, or the last window ends at the axis' end,
// origins are a stride apart, and nothing is both trained on and assessed.
func TestWindowsHoldTogether(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		draw := func(name string, low, high int) int { return rapid.IntRange(low, high).Draw(t, name) }
		s := split.Spec{Horizon: draw("horizon", 1, 40), Windows: draw("windows", 1, 9), Stride: draw("stride", 0, 1<<40),
			History: split.History(draw("history", 0, 30)), Gap: draw("gap", 0, 5)}
		n := draw("length", 0, 200)
		windows, err := split.Make(s, n)
		if err != nil {
			return
		}
		stride := s.Stride
		if stride == 0 {
			stride = s.Horizon
		}
		require.Len(t, windows, s.Windows)
		for i, w := range windows {
			require.Equal(t, n-1-(s.Windows-1-i)*stride, w.AssessLast)
			require.Equal(t, s.Horizon+s.Gap, w.AssessLast-w.Origin)
			require.Equal(t, s.Horizon, w.AssessLast-w.AssessFirst()+1)
			require.GreaterOrEqual(t, w.Origin, 1)
			require.GreaterOrEqual(t, w.TrainFirst, 0)
			if s.History > 0 {
				require.LessOrEqual(t, w.Origin-w.TrainFirst+1, int(s.History))
			} else {
				require.Zero(t, w.TrainFirst)
			}
		}
	})
}

// Windows of own ends are, for each end, those that the axis would have if it ended there; they come
// by their origins, and a length too short for them has none.
func TestOwnEnds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		draw := func(name string, low, high int) int { return rapid.IntRange(low, high).Draw(t, name) }
		s := split.Spec{Horizon: draw("horizon", 1, 12), Windows: draw("windows", 1, 4), Stride: draw("stride", 0, 9), Gap: draw("gap", 0, 3),
			Ends: split.OwnEnds}
		lengths := rapid.SliceOfN(rapid.IntRange(1, 90), 1, 30).Draw(t, "lengths")
		got, err := split.MakeOwn(s, lengths)
		byEnd := map[int][]split.Window{}
		for i, w := range got {
			require.Equal(t, i+1, w.Index)
			require.True(t, i == 0 || got[i-1].Origin <= w.Origin)
			byEnd[w.End] = append(byEnd[w.End], w)
		}
		for _, n := range lengths {
			want, refused := split.Make(s, n)
			if refused != nil {
				require.Empty(t, byEnd[n])
				continue
			}
			require.NoError(t, err)
			require.Len(t, byEnd[n], len(want))
			for i, w := range byEnd[n] {
				want[i].Index, want[i].End = w.Index, n
				require.Equal(t, want[i], w)
			}
		}
	})
	_, err := split.MakeOwn(split.Spec{Horizon: 2, Windows: 2, Refit: split.Once}, []int{50})
	assert.ErrorContains(t, err, "leave refit at every")
	_, err = split.MakeOwn(split.Spec{Horizon: 2, Windows: 400}, []int{1000, 1001})
	assert.ErrorContains(t, err, "2 different periods")
}

func TestRefitWords(t *testing.T) {
	for text, leads := range map[string][]int{"every": {0, 1, 2, 3, 4, 5}, "every:3": {0, 0, 0, 3, 3, 3}, "once": {0, 0, 0, 0, 0, 0}} {
		r, err := split.ParseRefit(text)
		require.NoError(t, err)
		assert.Equal(t, text, r.String())
		for i, want := range leads {
			assert.Equal(t, want, r.Leads(i), text)
		}
	}
	for _, text := range []string{"never", "every:0", "every:x"} {
		_, err := split.ParseRefit(text)
		assert.ErrorContains(t, err, "use every", text)
	}
}

func TestHistoryWords(t *testing.T) {
	for _, text := range []string{"expanding", "sliding:28"} {
		h, err := split.ParseHistory(text)
		require.NoError(t, err)
		assert.Equal(t, text, h.String())
	}
	for _, text := range []string{"sliding", "sliding:1", "sliding:x", "all"} {
		_, err := split.ParseHistory(text)
		assert.ErrorContains(t, err, "use expanding or sliding:N", text)
	}
}
