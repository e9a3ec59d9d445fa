package additive

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
)

// slopesOf makes a series that rises by the given amounts, each for so many periods, with noise.
func slopesOf(seed uint64, noise float64, each int, by ...float64) (y []float64) {
	rnd := rand.New(rand.NewPCG(seed, 17))
	level := 500.0
	for _, b := range by {
		for range each {
			level += b
			y = append(y, level+noise*rnd.NormFloat64())
		}
	}
	return y
}

func bending(m Method) Method {
	m.Level, m.Parts, m.Trend, m.Seasons = steady, "add", "bending", []wish{}
	return m
}

// A bend is found where it is, and none in a straight line or in what only wanders
// about it.
func TestBendsAreFound(t *testing.T) {
	const trials = 20
	found := func(noise float64, by ...float64) (counts map[int]int, off float64) {
		counts = map[int]int{}
		hits := 0.0
		for seed := range uint64(trials) {
			s := fitted(t, bending(Auto()), inputOf(calendar.Month, 6, slopesOf(seed, noise, 60, by...)))
			counts[len(s.Recipe.Bends)]++
			if len(s.Recipe.Bends) == len(by)-1 {
				for k, at := range s.Recipe.Bends {
					off, hits = off+math.Abs(float64(at-60*(k+1))), hits+1
				}
			}
		}
		return counts, off / max(hits, 1)
	}
	one, off := found(4, 3, -1)
	assert.GreaterOrEqual(t, one[1], trials-3, "%v", one)
	assert.Less(t, off, 3.0)
	none, _ := found(4, 2, 2)
	assert.GreaterOrEqual(t, none[0], trials-1, "%v", none)
	noise, _ := found(20, 0, 0)
	assert.GreaterOrEqual(t, noise[0], trials-1, "%v", noise)
}

// After its last bend a trend goes on as it last did, not as it did on the whole.
func TestATrendGoesOnAsItLastDid(t *testing.T) {
	s := fitted(t, bending(Auto()), inputOf(calendar.Month, 12, slopesOf(3, 2, 60, 3, -1)))
	rows := forecast.NewRows(12)
	require.NoError(t, s.Forecast(panel.SeriesView{}, rows))
	assert.InDelta(t, -1, (rows.Mean[11]-rows.Mean[0])/11, 0.2)
	assert.InDelta(t, 500+3*60-60-1, rows.Mean[0], 3)
}

// Places for bends lie within the history, with values enough before and behind each.
func TestRoomForBends(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		m := Auto()
		m.Bends = rapid.IntRange(-1, 60).Draw(t, "bends")
		m.LastBend = rapid.IntRange(-1, 300).Draw(t, "last")
		n := rapid.IntRange(1, 5000).Draw(t, "n")
		places, until := m.room(n)
		assert.True(t, places >= 0 && until >= 0 && until <= float64(n))
		if m.Bends < 0 {
			assert.LessOrEqual(t, places, mostPlaces)
		} else {
			assert.Equal(t, m.Bends, places)
		}
	})
}

// anyWander is a level of any weights, with moves of the level here and there.
func anyWander(t *rapid.T, n int) *Wander {
	w := &Wander{Alpha: rapid.Float64Range(0, 1).Draw(t, "alpha"), Phi: rapid.Float64Range(0.5, 1).Draw(t, "phi")}
	w.Beta = w.Alpha * rapid.Float64Range(0, 0.4).Draw(t, "beta")
	w.Jumps = rapid.SliceOfN(rapid.IntRange(1, n-1), 0, 2).Draw(t, "jumps")
	return w
}

func anyValues(t *rapid.T, name string, n int) []float64 {
	return rapid.SliceOfN(rapid.Float64Range(-100, 100), n, n).Draw(t, name)
}

// Whitening is linear, whatever is unknown, and leaves of a series the errors of its forecasts one step ahead:
// what a regression on whitened columns leaves is what the filter leaves of the series less the regression.
func TestWhiteningIsLinear(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		const n = 24
		w := anyWander(t, n)
		y, x := anyValues(t, "y", n), anyValues(t, "x", n)
		for _, i := range rapid.SliceOfN(rapid.IntRange(0, n-1), 0, 6).Draw(t, "unknown") {
			y[i] = panel.Unknown
		}
		by := rapid.Float64Range(-3, 3).Draw(t, "coefficient")
		both := make([]float64, n)
		for i := range both {
			both[i] = y[i] - by*x[i]
		}
		white, ok := w.Whiten([][]float64{y, x})
		require.True(t, ok)
		left, _ := w.Whiten([][]float64{both})
		again := *w
		again.run(both)
		jumped := map[int]bool{}
		for _, at := range w.Jumps {
			jumped[at] = true
		}
		for i := range y {
			if !panel.Known(y[i]) {
				assert.Zero(t, left[0][i])
				assert.Zero(t, white[1][i], "where the series is unknown a column tells nothing")
				continue
			}
			assert.InDelta(t, left[0][i], white[0][i]-by*white[1][i], 1e-9, "period %d", i)
			if !jumped[i] {
				assert.InDelta(t, both[i]-again.In[i], left[0][i], 1e-9, "period %d", i)
			}
		}
	})
}

// What an error moves later is what the forecast from then on moves by.
func TestAnErrorMovesWhatItsWeightsSay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		const n, h = 12, 8
		w := anyWander(t, n)
		w.Jumps = nil
		y := anyValues(t, "y", n)
		more := append(append([]float64(nil), y[:n-1]...), y[n-1]+1)
		plain, moved := *w, *w
		plain.run(y)
		moved.run(more)
		a, b := forecast.NewRows(h), forecast.NewRows(h)
		require.NoError(t, plain.Forecast(panel.SeriesView{}, a))
		require.NoError(t, moved.Forecast(panel.SeriesView{}, b))
		psi := plain.Psi(h + 1)
		assert.Equal(t, 1.0, psi[0])
		for k := range h {
			assert.InDelta(t, psi[k+1], b.Mean[k]-a.Mean[k], 1e-9, "step %d", k+1)
		}
	})
}
