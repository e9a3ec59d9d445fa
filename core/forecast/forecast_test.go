package forecast_test

import (
	"encoding/binary"
	"math"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
)

// A packed forecast reads back to the rounded one bit for bit, keeps nine digits of
// the largest value, and survives its own decimal text.
func TestPackKeepsWhatRoundSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		h := rapid.IntRange(1, 5).Draw(t, "horizon")
		scale := math.Pow(10, float64(rapid.IntRange(-9, 13).Draw(t, "power")))
		r := forecast.NewRows(h)
		draw := rapid.Float64Range(-1, 1)
		top := 0.0
		for i := range r.Mean {
			r.Mean[i] = draw.Draw(t, "m") * scale
			q := r.At(i)
			for g := range q {
				q[g] = draw.Draw(t, "q") * scale
				top = max(top, math.Abs(q[g]))
			}
			slices.Sort(q)
			top = max(top, math.Abs(r.Mean[i]))
		}
		exact := slices.Clone(r.Quantiles)
		packed := r.Pack(nil)
		back := forecast.NewRows(h)
		require.NoError(t, back.Unpack(packed))
		require.Equal(t, r, back)
		require.NoError(t, r.Check())
		for i, v := range r.Quantiles {
			assert.InDelta(t, exact[i], v, 5e-9*top)
			text, err := strconv.ParseFloat(strconv.FormatFloat(v, 'f', -1, 64), 64)
			require.NoError(t, err)
			require.Equal(t, v, text)
		}
	})
}

// A quantile far out takes no digit from the mean, nor a far step from a near one.
func TestAFarQuantileLeavesTheMeanAlone(t *testing.T) {
	r := forecast.NewRows(2)
	r.Mean[0], r.Mean[1] = 10.25, 3e7
	r.At(0)[forecast.GridSize-1] = 1e12
	copy(r.At(1), r.At(0))
	r.At(1)[0] = -4
	want := []float64{10.25, 3e7}
	back := forecast.NewRows(2)
	require.NoError(t, back.Unpack(r.Pack(nil)))
	assert.Equal(t, want, back.Mean)
	assert.Equal(t, 1e12, back.At(0)[forecast.GridSize-1])
}

// Records of the earlier form, one power for all, are still read, and absent ones as absent.
func TestEarlierRecordsAreRead(t *testing.T) {
	const h = 2
	b := []byte{1} // tenths
	for i := range h * (1 + forecast.GridSize) {
		b = binary.LittleEndian.AppendUint32(b, uint32(i))
	}
	require.Equal(t, len(b), forecast.RecordSize(b, h))
	r := forecast.NewRows(h)
	require.NoError(t, r.Unpack(b))
	assert.Equal(t, []float64{0, 0.1 * (1 + float64(forecast.GridSize))}, r.Mean)
	assert.Equal(t, 0.1, r.At(0)[0])
	b[0] = 127
	assert.ErrorIs(t, r.Unpack(b), forecast.ErrAbsent)

	stepped := []byte{126} // two powers a step, and no mean beside the point
	for i := range h {
		stepped = append(stepped, 1, 0)
		for g := range 1 + forecast.GridSize {
			stepped = binary.LittleEndian.AppendUint32(stepped, uint32(10*i+g))
		}
	}
	require.Equal(t, len(stepped), forecast.RecordSize(stepped, h))
	require.NoError(t, r.Unpack(stepped))
	assert.Equal(t, []float64{0, 1}, r.Mean)
	assert.Equal(t, 11.0, r.At(1)[0])
	assert.Equal(t, 1.0, r.Expected(1), "the point stands for the mean")
	stepped[0] = 125
	assert.ErrorIs(t, r.Unpack(stepped), forecast.ErrAbsent)

	now := forecast.AppendAbsent(nil, h)
	assert.ErrorIs(t, r.Unpack(now), forecast.ErrAbsent)
	assert.Equal(t, forecast.PackedSize(h), forecast.RecordSize(now, h))
	assert.Error(t, r.Unpack(now[1:]))
}

func TestPackingKeepsShortDecimals(t *testing.T) {
	r := forecast.NewRows(1)
	r.Mean[0] = 123456.78
	r.Pack(nil)
	assert.Equal(t, 123456.78, r.Mean[0])
}

// A normal distribution's quantile row gives back any level's interval.
func TestIntervalReadsAnyLevel(t *testing.T) {
	q := make([]float64, forecast.GridSize)
	for g, p := range forecast.Grid {
		q[g] = 10 + 2*num.NormalQuantile(p)
	}
	for _, level := range []float64{50, 66, 80, 85.5, 90, 95, 99, 99.9} {
		low, high := forecast.Interval(q, level)
		z := num.NormalQuantile((1 + level/100) / 2)
		assert.InDelta(t, 10-2*z, low, 1e-9, level)
		assert.InDelta(t, 10+2*z, high, 1e-9, level)
	}
	assert.Error(t, forecast.CheckLevel(49))
	assert.Error(t, forecast.CheckLevel(99.95))
	assert.Error(t, forecast.CheckLevel(math.NaN()))
}

func TestOrderStatisticsEqualASort(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		x := rapid.SliceOfN(rapid.OneOf(rapid.Float64Range(-5, 5), rapid.Float64Range(-1e6, 1e6), rapid.Just(0.0)), 1, 300).Draw(t, "x")
		sorted := slices.Clone(x)
		slices.Sort(sorted)
		var ranks []int
		for r := range x {
			if r == 0 || rapid.Bool().Draw(t, "wanted") {
				ranks = append(ranks, r)
			}
		}
		out := make([]float64, len(ranks))
		num.OrderStatistics(x, ranks, out, &num.OrderScratch{})
		for i, r := range ranks {
			require.Equal(t, sorted[r], out[i])
		}
	})
}

// What the mean was before the point moved stays known: through mixing, scaling, clipping, leaving out
// steps and packing.
func TestTheMeanStaysKnown(t *testing.T) {
	make := func(mean, median float64) forecast.Rows {
		r := forecast.NewRows(2)
		for h := range r.Mean {
			r.Mean[h] = mean
			for g := range r.At(h) {
				r.At(h)[g] = median + float64(g-forecast.Median)/8
			}
		}
		return r
	}
	a, b := make(10, 8), make(20, 20)
	a.PointAt(0, 1)
	a.PointAt(1, 0.5)
	assert.Equal(t, []float64{8, 9}, a.Mean)
	assert.Equal(t, []float64{10, 10}, []float64{a.Expected(0), a.Expected(1)})
	assert.Equal(t, 20.0, b.Expected(0))
	mixed := forecast.NewRows(2)
	mixed.Add(b, 0.5)
	mixed.Add(a, 0.5)
	mixed.Scale(2)
	assert.Equal(t, []float64{28, 29}, mixed.Mean)
	assert.Equal(t, 30.0, mixed.Expected(0))
	assert.Equal(t, 30.0, mixed.From(1).Expected(0))
	mixed.Clip(29)
	assert.Equal(t, []any{29.0, 30.0}, []any{mixed.Mean[0], mixed.Expected(0)})
	back := forecast.NewRows(2)
	require.NoError(t, back.Unpack(mixed.Pack(nil)))
	assert.Equal(t, []any{29.0, 30.0, 30.0}, []any{back.Mean[0], back.Expected(0), back.Expected(1)})
}

// The power of ten of a step is guessed from the step before: what is kept must not depend on that.
func TestPackingAStepDoesNotDependOnTheOneBefore(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		sizes := rapid.SliceOfN(rapid.Float64Range(-12, 14), 2, 6).Draw(t, "powers of ten")
		whole := forecast.NewRows(len(sizes))
		for h, size := range sizes {
			if rapid.Bool().Draw(t, "an exact power") {
				size = math.Floor(size)
			}
			whole.Mean[h] = math.Pow(10, size)
			for g := range whole.At(h) {
				whole.At(h)[g] = whole.Mean[h] * forecast.Grid[g] * 21
			}
		}
		var apart []float64
		for h := range sizes {
			one := forecast.NewRows(1)
			one.Mean[0] = whole.Mean[h]
			copy(one.At(0), whole.At(h))
			one.Pack(nil)
			apart = append(append(apart, one.Mean[0]), one.At(0)...)
		}
		whole.Pack(nil)
		var together []float64
		for h := range sizes {
			together = append(append(together, whole.Mean[h]), whole.At(h)...)
		}
		require.Equal(t, apart, together)
	})
}
