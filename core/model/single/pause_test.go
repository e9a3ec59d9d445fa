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

// years are months with a year on them.
func years(n int, seed uint64) []float64 {
	rnd := rand.New(rand.NewPCG(seed, 6))
	out := make([]float64, n)
	for i := range out {
		out[i] = 100 * math.Exp(0.3*math.Sin(2*math.Pi*float64(i)/12)+0.08*rnd.NormFloat64())
	}
	return out
}

// during is a copy in which periods are some part of what they were.
func during(y []float64, part float64, stretches ...[2]int) []float64 {
	out := append([]float64(nil), y...)
	for _, s := range stretches {
		for i := s[0]; i < s[1]; i++ {
			out[i] *= part
		}
	}
	return out
}

func pausesIn(unit calendar.Unit, y []float64) []int {
	return single.Pauses(panel.NewView(panelOf(unit, y), []int{0}, 0, len(y)-1).Series(0))
}

func from(a, b int) (out []int) {
	for i := a; i < b; i++ {
		out = append(out, i)
	}
	return out
}

// A shop that was shut for weeks, or in which hardly anybody was let, twice even, paused.
func TestPausesAreFound(t *testing.T) {
	for seed := range uint64(50) {
		months, days := years(72, seed), shop(800, seed)
		assert.Equal(t, from(42, 50), pausesIn(calendar.Month, during(months, 0, [2]int{42, 50})), "months of nothing")
		assert.Equal(t, from(300, 360), pausesIn(calendar.Day, during(days, 0.2, [2]int{300, 360})), "two months of a fifth")
		assert.Equal(t, append(from(20, 50), from(700, 710)...), pausesIn(calendar.Day, during(days, 0, [2]int{20, 50}, [2]int{700, 710})))
		assert.Equal(t, from(780, 798), pausesIn(calendar.Day, during(days, 0, [2]int{780, 798})), "open again for two days")
		assert.Empty(t, pausesIn(calendar.Day, during(days, 0, [2]int{780, 799})), "for one, which may be a mistake")
		holes := during(days, 0, [2]int{300, 360})
		holes[299], holes[310], holes[311], holes[360] = panel.Unknown, panel.Unknown, panel.Unknown, panel.Unknown
		assert.Equal(t, append(from(300, 310), from(312, 360)...), pausesIn(calendar.Day, holes), "unknown days in it, and at its edges")
	}
}

// What has not ended, comes every year, may come every year, fades, or is how the series is, is no pause.
func TestWhatIsNoPause(t *testing.T) {
	for seed := range uint64(50) {
		months, days, rnd := years(72, seed), shop(800, seed), rand.New(rand.NewPCG(seed, 7))
		assert.Empty(t, pausesIn(calendar.Month, months))
		assert.Empty(t, pausesIn(calendar.Month, during(months, 0, [2]int{64, 72})), "shut still")
		assert.Empty(t, pausesIn(calendar.Month, during(months, 0, [2]int{0, 8})), "before the opening")
		winters := during(months, 0, [2]int{10, 13}, [2]int{22, 25}, [2]int{34, 37}, [2]int{46, 49}, [2]int{58, 61})
		assert.Empty(t, pausesIn(calendar.Month, winters))
		assert.Empty(t, pausesIn(calendar.Month, during(months, 0, [2]int{42, 46}, [2]int{54, 58})), "two winters in a row")
		assert.Empty(t, pausesIn(calendar.Month, during(months[:20], 0, [2]int{8, 12})), "the only winter known")
		assert.Empty(t, pausesIn(calendar.Month, during(months, 0, [2]int{20, 45})), "a third of the time")
		fades, now := during(days, 1), during(days, 1)
		for i := range fades {
			fades[i] *= 1 - 0.85*math.Exp(-math.Pow(float64(i-400)/120, 2))
			if now[i] = 0; rnd.IntN(3) == 0 {
				now[i] = float64(1 + rnd.IntN(9))
			}
		}
		assert.Empty(t, pausesIn(calendar.Day, fades))
		assert.Empty(t, pausesIn(calendar.Day, now), "now and then")
		assert.Empty(t, pausesIn(calendar.Day, append(during(days, 0, [2]int{300, 360}), -1)), "below zero")
	}
}

// Counts that are small by chance pause in next to no series.
func TestFewPausesByChance(t *testing.T) {
	found := 0
	for seed := range uint64(1000) {
		rnd := rand.New(rand.NewPCG(seed, 8))
		y, level := make([]float64, 300), 0.0
		for i := range y {
			level += 0.05 * rnd.NormFloat64()
			y[i] = math.Round(max(0, math.Exp(1+level+0.5*rnd.NormFloat64())))
		}
		if len(pausesIn(calendar.Day, y)) > 0 {
			found++
		}
	}
	assert.LessOrEqual(t, found, 20, "of 1000 levels that wander")
}

// A pause is left out of what is learnt from, in one stretch; with an event on it, it has its reason.
func TestAPauseIsLeftOut(t *testing.T) {
	p := panelOf(calendar.Day, during(shop(800, 1), 0, [2]int{300, 360}))
	v := panel.NewView(p, []int{0}, 0, 799)
	s, mended := single.Mend(v.Series(0))
	if assert.Len(t, mended.Odd, 1) {
		assert.Equal(t, [2]int{300, 359}, [2]int{mended.Odd[0].From, mended.Odd[0].To})
	}
	assert.Equal(t, 740, panel.CountKnown(s.Values))
	event := calendar.Event{Name: "Repairs", Occasions: []calendar.Occasion{calendar.DayOf(300*86400, 359*86400)}}
	event.Tidy()
	p.Events = []calendar.Event{event}
	assert.Empty(t, single.Odd(panel.NewView(p, []int{0}, 0, 799).Series(0)))
}

// quiet is a station that is half empty on Saturdays and nearly so on Sundays.
func quiet(n int, seed uint64) []float64 {
	out := shop(n, seed)
	for i := range out {
		switch i % 7 {
		case 5:
			out[i] *= 0.3
		case 6:
			out[i] *= 0.15
		}
	}
	return out
}

// Quiet weekends are no pauses, and do not hide one: what is next to nothing is so for its day of the week. In a long
// series there may be many, such as long weekends of works; in a short one what comes as often is how it is.
func TestPausesAtQuietPlaces(t *testing.T) {
	for seed := range uint64(50) {
		days := quiet(800, seed)
		assert.Empty(t, pausesIn(calendar.Day, days))
		assert.Equal(t, from(300, 333), pausesIn(calendar.Day, during(days, 0, [2]int{300, 333})), "seed %d", seed)

		var works [][2]int
		var want []int
		for k := range 12 {
			at := 7*(20+50*k) + 5
			works, want = append(works, [2]int{at - 1, at + 3}), append(want, from(at-1, at+3)...)
		}
		long := during(quiet(4300, seed), 0, works...)
		assert.Equal(t, want, pausesIn(calendar.Day, long), "seed %d", seed)
		often := during(quiet(800, seed), 0, [2]int{145, 149}, [2]int{250, 254}, [2]int{355, 359}, [2]int{460, 464}, [2]int{600, 605})
		assert.Empty(t, pausesIn(calendar.Day, often))
	}
}

// A shop that is shut on Sundays and Mondays pauses like any other, and is not said to do so every week.
func TestPausesBesideClosedDays(t *testing.T) {
	for seed := range uint64(50) {
		days := shop(800, seed)
		for i := range days {
			if i%7 > 4 {
				days[i] = 0
			}
		}
		assert.Empty(t, pausesIn(calendar.Day, days))
		assert.Equal(t, from(306, 329), pausesIn(calendar.Day, during(days, 0, [2]int{308, 327})), "with the closed days at its edges")
	}
}
