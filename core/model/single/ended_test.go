package single_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

func endOf(unit calendar.Unit, y []float64) int {
	return single.Ended(panel.NewView(panelOf(unit, y), []int{0}, 0, len(y)-1).Series(0))
}

// A series of which two months are zeros, and that never was so before, has ended; also where some of its last
// values are unknown.
func TestASeriesThatHasEnded(t *testing.T) {
	for seed := range uint64(50) {
		months, days := years(72, seed), shop(800, seed)
		assert.Equal(t, 67, endOf(calendar.Month, during(months, 0, [2]int{67, 72})))
		assert.Equal(t, 739, endOf(calendar.Day, during(days, 0, [2]int{739, 800})))
		gone := during(months, 0, [2]int{60, 72})
		gone[64], gone[71] = panel.Unknown, panel.Unknown
		assert.Equal(t, 60, endOf(calendar.Month, gone))
		assert.Equal(t, 40, endOf(calendar.Month, during(months, 0, [2]int{10, 12}, [2]int{40, 72})), "it had paused before")
	}
}

// What rests, is of a season, sells now and then, or is out of stock for some weeks, goes on.
func TestWhatHasNotEnded(t *testing.T) {
	for seed := range uint64(50) {
		months, days, rnd := years(72, seed), shop(800, seed), rand.New(rand.NewPCG(seed, 7))
		assert.Negative(t, endOf(calendar.Month, months))
		assert.Negative(t, endOf(calendar.Month, during(months, 0, [2]int{68, 72})))
		assert.Negative(t, endOf(calendar.Day, during(days, 0, [2]int{760, 800})))
		assert.Negative(t, endOf(calendar.Month, during(months, 0, [2]int{0, 72})), "it never began")
		assert.Negative(t, endOf(calendar.Month, during(months, 0, [2]int{30, 34}, [2]int{65, 72})), "it rested as long")
		winters := during(months, 0, [2]int{6, 12}, [2]int{18, 24}, [2]int{30, 36}, [2]int{42, 48}, [2]int{54, 60}, [2]int{66, 72})
		assert.Negative(t, endOf(calendar.Month, winters))
		rare := make([]float64, 400)
		for i := range rare {
			if rnd.IntN(12) == 0 && i < 330 {
				rare[i] = float64(1 + rnd.IntN(5))
			}
		}
		assert.Negative(t, endOf(calendar.Day, rare), "demand now and then")
		assert.Negative(t, endOf(calendar.Day, append(during(days, 0, [2]int{700, 800}), -1)), "below zero")
	}
	assert.Negative(t, endOf(calendar.Day, nil))
	assert.Negative(t, endOf(calendar.Day, []float64{0, 0, 0}))
	assert.Negative(t, endOf(calendar.Day, []float64{math.NaN(), 0}))
}

// Of what has ended the zeros alone are learnt from; of what begins late, what comes from its first sale on.
func TestMendingWhatEndedOrBegan(t *testing.T) {
	mend := func(unit calendar.Unit, y []float64) (panel.SeriesView, single.Mended) {
		return single.Mend(panel.NewView(panelOf(unit, y), []int{0}, 0, len(y)-1).Series(0))
	}
	y := during(years(72, 1), 0, [2]int{60, 72})
	s, mended := mend(calendar.Month, y)
	assert.Equal(t, 12, panel.CountKnown(s.Values))
	assert.Zero(t, s.Values[71])
	if assert.Len(t, mended.Odd, 1) {
		assert.Equal(t, [2]int{0, 59}, [2]int{mended.Odd[0].From, mended.Odd[0].To})
		assert.Equal(t, "the series has ended: zeros alone since 1975-01-01", mended.Odd[0].Why)
	}
	y = during(years(72, 1), 0, [2]int{0, 30})
	s, mended = mend(calendar.Month, y)
	assert.Equal(t, 42, panel.CountKnown(s.Values))
	assert.Equal(t, y[30:], s.Values[30:])
	if assert.Len(t, mended.Odd, 1) {
		assert.Equal(t, "zeros alone before 1972-07-01", mended.Odd[0].Why)
	}
	assert.Zero(t, y[3], "the history itself is not written to")
	for name, same := range map[string][]float64{
		"too few values follow": during(years(72, 1), 0, [2]int{0, 68}),
		"a season begins later": during(years(72, 1), 0, [2]int{0, 6}, [2]int{12, 18}, [2]int{24, 30}, [2]int{36, 42}, [2]int{48, 54}, [2]int{60, 66}),
		"four zeros":            during(years(72, 1), 0, [2]int{0, 4}),
	} {
		_, mended = mend(calendar.Month, same)
		for _, x := range mended.Odd {
			assert.NotContains(t, x.Why, "zeros alone", name)
		}
	}
}
