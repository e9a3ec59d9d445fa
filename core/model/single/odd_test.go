package single_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"

	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// panelOf is one series; the n-th value is of the day n after 1970-01-01.
func panelOf(unit calendar.Unit, values []float64) *panel.Panel {
	return &panel.Panel{Cadence: calendar.Cadence{Unit: unit}, Length: len(values), Series: []panel.Series{{Key: "a", Values: values}}}
}

func oddIn(p *panel.Panel) []int {
	return single.Odd(panel.NewView(p, []int{0}, 0, p.Length-1).Series(0))
}

// shop is a level with a week on it, and noise.
func shop(n int, seed uint64) []float64 {
	rnd := rand.New(rand.NewPCG(seed, 5))
	out := make([]float64, n)
	for i := range out {
		out[i] = 200 + []float64{12, 4, -3, -8, -2, 6, -60}[i%7] + 3*rnd.NormFloat64()
	}
	return out
}

// What stands apart from everything near it, and a season away, is a mistake.
func TestMistakesAreOdd(t *testing.T) {
	y := shop(200, 1)
	assert.Empty(t, oddIn(panelOf(calendar.Day, y)))
	y[90] = 2000
	y[150] = 0
	y[199] = 600
	assert.Equal(t, []int{90, 150, 199}, oddIn(panelOf(calendar.Day, y)))
	s, mended := single.Mend(panel.NewView(panelOf(calendar.Day, y), []int{0}, 0, 199).Series(0))
	odd := mended.Odd
	require.Len(t, odd, 3)
	assert.Equal(t, 90, odd[0].From)
	assert.Equal(t, "2000 is far from what is before, after, and a season away", odd[0].Why)
	assert.False(t, panel.Known(s.Values[90]))
	assert.Equal(t, 2000.0, y[90], "the history itself is not written to")
}

// Values with their point in another place are mistakes where more than a few are, and where most values never
// stray: three of sixty months, one in twenty-five days, one of whole numbers that hardly change, and the last one.
// Orders in bulk, which are of many sizes, are how the series is, and so is a level that rises tenfold for good.
func TestValuesWithTheirPointElsewhere(t *testing.T) {
	y := make([]float64, 60)
	for i, v := range shop(60, 2) {
		y[i] = 200 + v/10
	}
	y[9], y[17], y[35] = 10*y[9], y[17]/10, 10*y[35]
	assert.Equal(t, []int{9, 17, 35}, oddIn(panelOf(calendar.Month, y)))
	y = shop(200, 3)
	var want []int
	for i := 11; i < 200; i += 25 {
		y[i], want = 100*y[i], append(want, i)
	}
	assert.Equal(t, want, oddIn(panelOf(calendar.Day, y)))
	few := make([]float64, 140)
	for i := range few {
		few[i] = 75
		if i%6 == 0 {
			few[i] = 73 + float64(i%5)
		}
	}
	assert.Empty(t, oddIn(panelOf(calendar.Day, few)))
	few[70] = 750
	assert.Equal(t, []int{70}, oddIn(panelOf(calendar.Day, few)), "most never stray")
	y = shop(200, 4)
	for i := range y {
		y[i] *= 1 + 0.3*math.Sin(float64(i)) // strays so far that a last value, which may be a new level, must be very far
	}
	y[199] *= 10
	assert.Equal(t, []int{199}, oddIn(panelOf(calendar.Day, y)), "the last")
	y[198] *= 10
	assert.Empty(t, oddIn(panelOf(calendar.Day, y)), "two agree")
	y = shop(200, 5)
	for k, i := 0, 11; i < 200; k, i = k+1, i+25 {
		y[i] *= []float64{5, 17, 8, 26, 12, 4, 33, 21}[k]
	}
	assert.Empty(t, oddIn(panelOf(calendar.Day, y)), "bulk")
}

// Of a series that strays by half its level, ratios tell a month of nothing, or of a tenth, from one that sold little:
// but not where it is so small that it may well be nothing, nor where a season comes back to nothing.
func TestMonthsThatHaveFallen(t *testing.T) {
	noisy := func(level float64) []float64 {
		rnd := rand.New(rand.NewPCG(7, 7))
		out := make([]float64, 160)
		for i := range out {
			out[i] = math.Round(level * math.Exp(0.25*math.Sin(float64(i)/2)+0.2*rnd.NormFloat64()))
		}
		return out
	}
	y := noisy(100)
	assert.Empty(t, oddIn(panelOf(calendar.Month, y)))
	y[30], y[77], y[101] = 0, y[77]/10, 0
	assert.Equal(t, []int{30, 77, 101}, oddIn(panelOf(calendar.Month, y)))
	y = noisy(100)
	repeat(y, 3, 17, 0)
	assert.Empty(t, oddIn(panelOf(calendar.Month, y)), "one in 17")
	y = noisy(100)
	for i := 7; i < len(y); i += 12 {
		y[i] = 0
	}
	assert.Empty(t, oddIn(panelOf(calendar.Month, y)), "every August")
	small := make([]float64, 160)
	rnd := distuv.Poisson{Lambda: 4, Src: rand.NewPCG(1, 9)}
	for i := range small {
		small[i] = rnd.Rand()
	}
	assert.Empty(t, oddIn(panelOf(calendar.Month, small)), "four a month, now and then none")
}

// A strike, and zeros in place of what is not known, are odd, though they are many.
func TestZerosWhereNothingWasCounted(t *testing.T) {
	y := shop(200, 1)
	var want []int
	for i := 140; i < 147; i++ {
		y[i], want = 0, append(want, i)
	}
	assert.Equal(t, want, oddIn(panelOf(calendar.Day, y)), "a week of strike")
	y = shop(200, 1)
	want = nil
	for i := 9; i < 200; i += 23 {
		y[i], want = 0, append(want, i)
	}
	assert.Equal(t, want, oddIn(panelOf(calendar.Day, y)), "one in 23")
	for i := 190; i < 200; i++ {
		y[i] = 0
	}
	assert.NotContains(t, oddIn(panelOf(calendar.Day, y)), 195, "closed for good, it may be")
}

// One zero at the end is more likely a day that is not counted yet; a second one may be an end.
func TestZerosAtTheEnd(t *testing.T) {
	y := shop(200, 1)
	y[199] = 0
	assert.Equal(t, []int{199}, oddIn(panelOf(calendar.Day, y)))
	y[199] = 25
	assert.Equal(t, []int{199}, oddIn(panelOf(calendar.Day, y)), "a day that is not over")
	y[199] = 0
	y[198] = 0
	assert.Empty(t, oddIn(panelOf(calendar.Day, y)), "two")
	y[198] = panel.Unknown
	assert.Equal(t, []int{199}, oddIn(panelOf(calendar.Day, y)), "one, after a day without a value")
	y[197] = 0
	assert.Empty(t, oddIn(panelOf(calendar.Day, y)), "two, with such a day between")
	rnd := rand.New(rand.NewPCG(4, 4))
	few := distuv.Poisson{Lambda: 6, Src: rnd}
	for i := range y {
		y[i] = max(1, few.Rand())
	}
	y[199] = 0
	assert.Empty(t, oddIn(panelOf(calendar.Day, y)), "six a day, in the mean")
}

// What has a reason, or is how the series is, is not odd.
func TestWhatIsNotOdd(t *testing.T) {
	for name, change := range map[string]func(y []float64, p *panel.Panel){
		"a new level": func(y []float64, _ *panel.Panel) {
			for i := 120; i < len(y); i++ {
				y[i] += 500
			}
		},
		"the last value, which may be a new level": func(y []float64, _ *panel.Panel) { y[len(y)-1] = 280 },
		"a peak of every week":                     func(y []float64, _ *panel.Panel) { repeat(y, 5, 7, 900) },
		"bursts now and then": func(y []float64, _ *panel.Panel) {
			rnd := rand.New(rand.NewPCG(2, 2))
			for range 10 {
				y[rnd.IntN(len(y)-1)] = 900 + 300*rnd.Float64()
			}
		},
		"a day of an event": func(y []float64, p *panel.Panel) {
			y[90] = 2000
			day := p.Cadence.Start(p.Ordinal(90))
			p.Events = []calendar.Event{{Name: "fair", Occasions: []calendar.Occasion{calendar.DayOf(day, day)}}}
		},
		"the day after one, which may be moved too": func(y []float64, p *panel.Panel) {
			y[91] = 2000
			day := p.Cadence.Start(p.Ordinal(90))
			p.Events = []calendar.Event{{Name: "fair", After: 1, Occasions: []calendar.Occasion{calendar.DayOf(day, day)}}}
		},
		"a promotion": func(y []float64, p *panel.Panel) {
			y[90] = 2000
			promotion := make([]float64, len(y))
			promotion[90] = 1
			p.Drivers, p.Series[0].Drivers = []panel.Driver{{Name: "promotion", KnownAhead: true}}, [][]float64{promotion}
		},
		"growth": func(y []float64, _ *panel.Panel) {
			for i := range y {
				y[i] *= math.Exp(0.03 * float64(i))
			}
		},
		"demand now and then": func(y []float64, _ *panel.Panel) {
			for i := range y {
				if i%9 != 0 {
					y[i] = 0
				}
			}
		},
	} {
		y := shop(200, 1)
		p := panelOf(calendar.Day, y)
		change(y, p)
		assert.Empty(t, oddIn(p), name)
	}
	year := make([]float64, 60)
	for i := range year {
		year[i] = 100 + float64(i%5)
	}
	repeat(year, 11, 12, 900)
	assert.Empty(t, oddIn(panelOf(calendar.Month, year)), "a peak of every year")
	assert.Empty(t, oddIn(panelOf(calendar.Day, []float64{1, 2, 1, 99, 1, 2})), "a short history tells too little")
	slow := make([]float64, 100)
	for i := range slow {
		slow[i] = 1
	}
	slow[40], slow[70] = 2, 3
	assert.Empty(t, oddIn(panelOf(calendar.Day, slow)), "two sold, for once, where it is one as a rule")
}

func repeat(y []float64, from, every int, value float64) {
	for i := from; i < len(y); i += every {
		y[i] = value
	}
}

// Of noise, however heavy its tails, hardly anything is odd.
func TestNoiseIsHardlyOdd(t *testing.T) {
	for name, draw := range map[string]func(rnd *rand.Rand) float64{
		"normal":     func(rnd *rand.Rand) float64 { return 100 + 10*rnd.NormFloat64() },
		"log-normal": func(rnd *rand.Rand) float64 { return 100 * math.Exp(rnd.NormFloat64()) },
		"Student's t with 3 degrees": func(rnd *rand.Rand) float64 {
			return 100 + 10*rnd.NormFloat64()/math.Sqrt((sq(rnd)+sq(rnd)+sq(rnd))/3)
		},
	} {
		for _, n := range []int{60, 150, 700} {
			odd, total := 0, 0
			for k := range 42_000 / n {
				rnd := rand.New(rand.NewPCG(uint64(k), 3))
				y := make([]float64, n)
				for i := range y {
					y[i] = draw(rnd)
				}
				odd, total = odd+len(oddIn(panelOf(calendar.Day, y))), total+n
			}
			t.Logf("%s: %d of %d values, %d at a time", name, odd, total, n)
			assert.Less(t, odd, total/600, "%s, %d values", name, n)
		}
	}
}

// The last value of a period that is not over is left out, though others stray by as much of what is usual in
// another season; one that fell no farther than others did is not, nor one after which the level stays.
func TestAPeriodThatIsNotOver(t *testing.T) {
	left := func(unit calendar.Unit, y []float64) bool {
		s := panel.NewView(panelOf(unit, y), []int{0}, 0, len(y)-1).Series(0)
		return slices.Contains(single.Odd(s), len(y)-1)
	}
	parts := map[float64]int{}
	noise := 0
	for seed := range uint64(200) {
		y := years(80, seed)
		if left(calendar.Month, y) {
			noise++
		}
		for _, part := range []float64{0.2, 0.3, 0.5, 0.8} {
			if left(calendar.Month, during(y, part, [2]int{79, 80})) {
				parts[part]++
			}
		}
		assert.False(t, left(calendar.Month, during(y, 0.3, [2]int{78, 80})), "two months of it are how things are")
		assert.False(t, left(calendar.Month, during(y, 0.3, [2]int{40, 41}, [2]int{79, 80})), "it was so before")
		rnd, level := rand.New(rand.NewPCG(seed, 9)), 5.0
		walk := make([]float64, 80)
		for i := range walk {
			level += 0.1 * rnd.NormFloat64()
			walk[i] = math.Exp(level)
		}
		if left(calendar.Month, walk) {
			noise++
		}
	}
	t.Logf("left out at a part of what is usual: %v of 200 each; %d of 400 without", parts, noise)
	assert.Zero(t, noise)
	assert.Greater(t, parts[0.2], 195)
	assert.Greater(t, parts[0.3], 190)
	assert.Less(t, parts[0.8], 8)
}

func sq(rnd *rand.Rand) float64 {
	x := rnd.NormFloat64()
	return x * x
}

func BenchmarkOdd(b *testing.B) {
	s := panel.NewView(panelOf(calendar.Day, shop(704, 1)), []int{0}, 0, 703).Series(0)
	for b.Loop() {
		single.Odd(s)
	}
}

// A series is mended alike where its view remembers, at every origin, and as often as it is asked.
func TestMendingIsRemembered(t *testing.T) {
	y := shop(300, 1)
	y[90], y[150] = 2000, 0
	for i := range 160 {
		y[i] *= 5
	}
	plain := panel.NewView(panelOf(calendar.Day, y), []int{0}, 0, 299)
	v := plain.Remembering()
	for _, origin := range []int{299, 120, 299, 180, 180} {
		want, done := single.Mend(plain.Before(origin).Series(0))
		got, same := single.Mend(v.Before(origin).Series(0))
		assert.Equal(t, done, same)
		assert.Equal(t, want.First, got.First)
		assert.InDeltaSlice(t, want.Values, got.Values, 0)
		assert.Equal(t, origin, got.View().Origin())
	}
}
