package pretrained

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/model/outlook"
	"paperkettle/core/panel"
)

// waves is a level and a slope with a season of seven places, by addition or by multiplication.
func waves(n int, times bool, noise float64) (z, season []float64) {
	season = []float64{-3, 1, 4, 2, 0, -1, -3}
	rnd := rand.New(rand.NewPCG(2, 9))
	for i := range n {
		level := 50 + 0.1*float64(i)
		y := level + season[i%7]
		if times {
			y = level * (1 + season[i%7]/10)
		}
		z = append(z, y+noise*rnd.NormFloat64())
	}
	return z, season
}

// A season is told from a level that rises under it, by what its places add or by what they multiply, also where
// values are unknown.
func TestASeasonIsTakenOut(t *testing.T) {
	for _, times := range []bool{false, true} {
		z, season := waves(150, times, 0)
		for i := 5; i < len(z); i += 11 {
			z[i] = panel.Unknown
		}
		s, ok := look(z, 7, 0)
		require.True(t, ok)
		c := s.calmed(times)
		require.True(t, c.there)
		for j, got := range c.index { // counted back from the last period
			want := season[(len(z)-1-j)%7]
			if times {
				want = 1 + want/10
			}
			assert.InDelta(t, want, got, 0.03, "times %v, place %d", times, j)
		}
	}
	flat, _ := look([]float64{5, 6, 7, 8, 9, 10, 11, 12}, 7, 0)
	assert.False(t, flat.calmed(false).there, "of one round no season is told")
	zero, _ := waves(150, true, 0)
	for i := range zero {
		if i%7 == 3 {
			zero[i] = 0
		}
	}
	s, _ := look(zero, 7, 0)
	assert.False(t, s.calmed(true).there, "a place at which nothing is sold multiplies nothing")
	assert.True(t, s.calmed(false).there)
}

// What a network sees of a series depends neither on what it is counted in nor on what lies before its reach.
func TestWhatIsSeenHasNoUnit(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		season := rapid.SampledFrom([]int{1, 4, 7, 12}).Draw(t, "season")
		n := rapid.IntRange(3, 90).Draw(t, "n")
		z := rapid.SliceOfN(rapid.Map(rapid.IntRange(-200, 1000), func(v int) float64 { return float64(v) }), n, n).Draw(t, "z")
		for _, i := range rapid.SliceOfN(rapid.IntRange(0, n-1), 0, 5).Draw(t, "unknown") {
			z[i] = panel.Unknown
		}
		by := math.Pow(2, float64(rapid.IntRange(-12, 20).Draw(t, "power")))
		other := make([]float64, n)
		for i, v := range z {
			other[i] = v * by
		}
		a, ok := look(z, season, 0)
		b, same := look(other, season, 0)
		require.Equal(t, ok, same)
		if !ok || a.unit*math.Min(1, by) < 1e-9 {
			return
		}
		seen, seenToo := make([]float32, pastWidth), make([]float32, pastWidth)
		a.fillPast(seen)
		b.fillPast(seenToo)
		for k := range seen {
			require.False(t, math.IsNaN(float64(seen[k])) || math.IsInf(float64(seen[k]), 0), "number %d", k)
			assert.InDelta(t, seen[k], seenToo[k], 1e-4, "number %d", k)
		}
	})
	long, _ := waves(Reach+300, false, 1)
	whole, _ := look(long, 7, 0)
	reach, _ := look(long[300:], 7, 0)
	a, b := make([]float32, pastWidth), make([]float32, pastWidth)
	whole.fillPast(a)
	reach.fillPast(b)
	assert.Equal(t, b, a)
}

// A series of which nothing is known is not looked at; of one that is known now and then the level is found
// further back.
func TestLevels(t *testing.T) {
	_, ok := look([]float64{panel.Unknown, panel.Unknown}, 7, 0)
	assert.False(t, ok)
	z := make([]float64, 200)
	for i := range z {
		z[i] = panel.Unknown
	}
	z[3], z[4] = 10, 20
	s, ok := look(z, 7, 0)
	require.True(t, ok)
	assert.Equal(t, 15.0, s.level)
	assert.Positive(t, s.unit)
	assert.True(t, math.IsNaN(s.mean(50, 60)))
	assert.Equal(t, 15.0, s.mean(-9, 900), "no further than there are values")
}

// Counts are told by their least difference, whatever they are counted in; what is measured is none.
func TestCountsAreTold(t *testing.T) {
	few, many := counts([]float64{0, 3, 1, 2, panel.Unknown, 4}, 2)
	assert.Equal(t, []float64{1, 2}, []float64{float64(few), many})
	few, many = counts([]float64{0, 36, 12, 24, 48}, 24) // sold by the dozen
	assert.Equal(t, []float64{1, 2}, []float64{float64(few), many})
	for _, measured := range [][]float64{{1.5, 2.25, 3.1, math.Pi}, {1e6, 1e6 + 1, 2e6}, {}, {panel.Unknown}, {0, 0}} {
		few, many = counts(measured, 1e6)
		assert.Equal(t, []float64{0, 1}, []float64{float64(few), many}, "%v", measured)
	}
}

// Networks that agree are as each of them; where they disagree the mean is as wide as both say, and as they
// lie apart.
func TestMembersAreAveraged(t *testing.T) {
	row := func(middle, half float64) []float64 {
		out := make([]float64, wide)
		for j := range out {
			out[j] = middle + half*float64(j-outlook.Middle)/float64(outlook.High-outlook.Middle)
		}
		return out
	}
	of := func(list ...[]float64) []float64 {
		var all [][][]float64
		for _, one := range list {
			all = append(all, [][]float64{one})
		}
		out := make([]float64, wide)
		average(all, 0, 0, out)
		return out
	}
	assert.InDeltaSlice(t, row(10, 4), of(row(10, 4), row(10, 4)), 1e-12)
	apart := of(row(8, 2.563), row(12, 2.563)) // deviations of 2 within each, and of 2 between them
	assert.InDelta(t, 10, apart[outlook.Middle], 1e-12)
	assert.InDelta(t, math.Sqrt2, (apart[outlook.High]-10)/2.563, 1e-9)
	far := of(row(0, 1e-9), row(100, 1e-9))
	assert.InDelta(t, 3e-9, far[outlook.High]-far[outlook.Middle], 1e-12, "no more than three times as wide")
	for j := 1; j < wide; j++ {
		assert.GreaterOrEqual(t, apart[j], apart[j-1], "in order")
	}
}
