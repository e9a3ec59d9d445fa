package synth_test

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"paperkettle/core/synth"
)

func TestMakeIsTheSameForTheSameNumber(t *testing.T) {
	for i := range uint64(200) {
		a, b := synth.Make(3, i), synth.Make(3, i)
		require.Equal(t, a.Season, b.Season)
		require.True(t, slices.EqualFunc(a.Values, b.Values, func(x, y float64) bool { return math.Float64bits(x) == math.Float64bits(y) }))
	}
	require.NotEqual(t, synth.Make(3, 0).Values[0], synth.Make(4, 0).Values[0])
}

func TestMakeCoversWhatRealPanelsShow(t *testing.T) {
	const n = 3000
	var zeros, seasonal, rising, short, holes, told int
	for i := range uint64(n) {
		s := synth.Make(1, i)
		require.Len(t, s.Values, s.Known+synth.Ahead)
		require.LessOrEqual(t, s.Known, synth.Most)
		known, zero, unknown := 0, 0, 0
		for _, y := range s.Values {
			switch {
			case y != y:
				unknown++
			case math.IsInf(y, 0) || math.Abs(y) > 1e12:
				t.Fatalf("series %d has %g", i, y)
			default:
				known++
				if y == 0 {
					zero++
				}
			}
		}
		require.Positive(t, known)
		if zero*5 > known {
			zeros++
		}
		if unknown > 0 {
			holes++
		}
		if s.Known < 30 {
			short++
		}
		if s.Season > 1 {
			told++
			if ahead := s.Values[s.Known:]; repeats(ahead, s.Season) > 0.5 {
				seasonal++
			}
		}
		if half := len(s.Values) / 2; mean(s.Values[half:]) > mean(s.Values[:half]) {
			rising++
		}
	}
	require.InDelta(t, 0.2, float64(zeros)/n, 0.1, "with many zeros")
	require.InDelta(t, 0.15, float64(holes)/n, 0.07, "with unknown values")
	require.InDelta(t, 0.22, float64(short)/n, 0.08, "short")
	require.InDelta(t, 0.4, float64(seasonal)/float64(told), 0.2, "seasonal")
	require.InDelta(t, 0.53, float64(rising)/n, 0.06, "more grow than shrink")
}

func mean(y []float64) float64 {
	sum, n := 0.0, 0.0
	for _, v := range y {
		if v == v {
			sum, n = sum+v, n+1
		}
	}
	return sum / max(n, 1)
}

// repeats is the autocorrelation at a lag.
func repeats(y []float64, lag int) float64 {
	m := mean(y)
	both, all := 0.0, 0.0
	for i := range y {
		if y[i] == y[i] {
			all += (y[i] - m) * (y[i] - m)
			if i >= lag && y[i-lag] == y[i-lag] {
				both += (y[i] - m) * (y[i-lag] - m)
			}
		}
	}
	return both / max(all, 1e-300)
}

func BenchmarkMake(b *testing.B) {
	for i := range b.N {
		synth.Make(1, uint64(i))
	}
}
