package boosting_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/boosting"
	"paperkettle/core/panel"
)

// entrants are weekly sales whose level follows from a kind and a size, but for a spread of a fifth; a
// price of their own moves them. The last ones have only some values so far. future is what comes.
func entrants(old, young, known, length, ahead int) (p *panel.Panel, future [][]float64) {
	p = &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, Length: length, Drivers: []panel.Driver{{Name: "price", KnownAhead: true}},
		Attributes: []panel.Attribute{{Name: "kind", Values: []string{"tea", "pot", "cup"}}, {Name: "size", Values: []string{"small", "large"}}}}
	rnd := rand.New(rand.NewPCG(3, uint64(known)))
	for i := range old + young {
		kind, size := i%3, i/3%2
		level := math.Exp(3+float64(kind)+0.7*float64(size)) * math.Exp(0.2*rnd.NormFloat64())
		s := panel.Series{Key: fmt.Sprint("item ", i)}
		price := make([]float64, length+ahead)
		var y []float64
		for t := range price {
			price[t] = 2 + rnd.Float64()
			y = append(y, level*math.Pow(price[t]/2.5, -1.5)*(1+0.2*math.Sin(float64(t)*2*math.Pi/52))*math.Exp(0.1*rnd.NormFloat64()))
		}
		if i >= old {
			s.First = length - known
			price = price[s.First:]
		}
		s.Values, s.Drivers = y[s.First:length], [][]float64{price}
		p.Series = append(p.Series, s)
		p.Attributes[0].Codes, p.Attributes[1].Codes = append(p.Attributes[0].Codes, int32(kind)), append(p.Attributes[1].Codes, int32(size))
		future = append(future, y[length:])
	}
	return p, future
}

// A series without a past is forecast from its likes: their level by attributes, its own price; with a
// few values of its own, better. The intervals hold.
func TestNewcomersAreForecastFromTheirLikes(t *testing.T) {
	const old, young, length, ahead = 48, 48, 80, 6
	nothing := math.Inf(1) // the error where nothing is known of them
	for _, known := range []int{0, 1, 4} {
		p, future := entrants(old, young, known, length, ahead)
		trained, v, res := train(t, family(t, model.Values{"from": "seasonal-naive"}), p, ahead)
		var off, sum, inside, points float64
		for i := old; i < old+young; i++ {
			for h, y := range future[i] {
				off, sum, points = off+math.Abs(res.Series[i].Mean[h]-y), sum+y, points+1
				if low, high := forecast.Interval(res.Series[i].At(h), 80); low <= y && y <= high {
					inside++
				}
			}
		}
		t.Logf("%d values known: WAPE %.3f, 80 %% held in %.3f", known, off/sum, inside/points)
		assert.Less(t, off/sum, 0.24, "%d values known", known)
		if known == 0 {
			nothing = off / sum
		} else {
			assert.Less(t, off/sum, 0.75*nothing, "what is known of it helps")
		}
		assert.InDelta(t, 0.8, inside/points, 0.1, "%d values known", known)

		d := trained.Describe(old)
		assert.Contains(t, d.Form, "what series like it sell")
		assert.NotEmpty(t, d.Cautions)
		assert.Equal(t, "what series like it sell", model.Brief(trained, old))
		dear, _ := entrants(old, young, known, length, ahead)
		for h := range ahead {
			dear.Series[old].Drivers[0][known+h] *= 1.2
		}
		higher, err := trained.Forecast(context.Background(), panel.NewView(dear, all(dear), 0, length-1), ahead)
		require.NoError(t, err)
		low, high := 0.0, 0.0
		for h := range ahead {
			low, high = low+higher.Series[old].Mean[h], high+res.Series[old].Mean[h]
		}
		assert.Less(t, low, 0.95*high, "its price counts")

		b, err := model.Write(trained)
		require.NoError(t, err)
		f, err := boosting.Families().Find("boosting")
		require.NoError(t, err)
		back, err := f.Read(b)
		require.NoError(t, err)
		require.NoError(t, back.Advance(context.Background(), v))
		again, err := back.Forecast(context.Background(), v, ahead)
		require.NoError(t, err)
		assert.Equal(t, res.Series[old:], again.Series[old:])
		assert.NoError(t, trained.(model.Pather).Paths(context.Background(), v, ahead, 40, func(i int, paths []float64, err error) {
			require.NoError(t, err)
			require.Len(t, paths, 40*ahead, "series %d", i)
		}))
	}
}

// Where hardly anybody has a past, or values lie below zero, newcomers are left as they are: the last
// value repeated, or a reason.
func TestNewcomersWithoutLikes(t *testing.T) {
	p, _ := entrants(4, 2, 3, 100, 4)
	v := panel.NewView(p, all(p), 0, p.Length-1)
	trained, err := family(t, nil).Train(context.Background(), v, model.Env{Horizon: 4, Workers: 1,
		Random: func(string) *rand.Rand { return rand.New(rand.NewPCG(1, 7)) }})
	require.NoError(t, err)
	res, err := trained.Forecast(context.Background(), v, 4)
	require.NoError(t, err)
	require.NoError(t, res.Err[4])
	assert.InDelta(t, p.Series[4].Values[2], res.Series[4].Mean[0], 1e-9)
}

// New goods unlike all before, six times as much sold, are believed by their own few values, one of them alone and more so
// twelve, where the values of any series move by half and series like each other differ by little.
func TestNewcomersUnlikeAllBefore(t *testing.T) {
	const old, length, ahead, known = 48, 80, 6, 3
	for _, young := range []int{1, 12} {
		p, future := entrants(old, young, known, length, ahead)
		rnd := rand.New(rand.NewPCG(2, 2))
		for i := range p.Series {
			for k := range p.Series[i].Values {
				if p.Series[i].Values[k] *= math.Exp(0.5 * rnd.NormFloat64()); i >= old {
					p.Series[i].Values[k] *= 6
				}
			}
			for h := range future[i] {
				future[i][h] *= 6
			}
		}
		_, _, res := train(t, family(t, model.Values{"from": "seasonal-naive"}), p, ahead)
		var off, sum, lean float64
		for i := old; i < old+young; i++ {
			for h, y := range future[i] {
				off, sum, lean = off+math.Abs(res.Series[i].Mean[h]-y), sum+y, lean+res.Series[i].Mean[h]
			}
		}
		t.Logf("%d new: WAPE %.3f, %.2f of what was sold", young, off/sum, lean/sum)
		assert.Less(t, off/sum, 0.45, "%d new", young)
	}
}

// beginners are monthly series that sell by a level of their own, times a factor of the month of the panel, from the month in
// which they begin on; the last ones know of two months.
func beginners(begin []int, level func(i int) float64, month func(t int) float64, length, ahead int) *panel.Panel {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Month}, Length: length}
	rnd := rand.New(rand.NewPCG(5, uint64(length)))
	for i, first := range begin {
		s := panel.Series{Key: fmt.Sprint("item ", i), First: first}
		for t := first; t < length; t++ {
			s.Values = append(s.Values, level(i)*month(t)*math.Exp(0.05*rnd.NormFloat64()))
		}
		p.Series = append(p.Series, s)
	}
	return p
}

// What a time does to all is no effect of age, and neither is that the series that have been there longest are others: goods
// that began in the last two months stay where they are.
func TestNewcomersDoNotAgeByWhatOthersAre(t *testing.T) {
	const ahead, young = 8, 10
	for name, c := range map[string]struct {
		length int
		begin  func(i int) int
		level  func(i int) float64
		month  func(t int) float64
	}{
		"all rise since they began": {8, func(i int) int { return i % 2 }, func(int) float64 { return 60 }, func(t int) float64 { return math.Exp(0.2 * float64(t)) }},
		"the older the smaller": {30, func(i int) int { return i % 2 * 24 }, func(i int) float64 { return 20 + 180*float64(i%2) },
			func(int) float64 { return 1 }},
	} {
		var begin []int
		for i := range 48 + young {
			begin = append(begin, c.begin(i))
			if i >= 48 {
				begin[i] = c.length - 2
			}
		}
		level := func(i int) float64 {
			if i >= 48 {
				return 100 / c.month(c.length-1)
			}
			return c.level(i)
		}
		p := beginners(begin, level, c.month, c.length, ahead)
		_, _, res := train(t, family(t, model.Values{"from": "seasonal-naive"}), p, ahead)
		for i := 48; i < 48+young; i++ {
			require.NoError(t, res.Err[i])
			last := res.Series[i].Mean[ahead-1] / 100
			t.Logf("%s: %.2f of where it is", name, last)
			assert.InDelta(t, 0, math.Log(last), 0.4, name)
		}
	}
}
