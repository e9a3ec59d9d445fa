package boosting_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/model/boosting"
	"paperkettle/core/panel"
)

// shops makes weekly sales of shops in two regions. A promotion doubles what the inland sells when
// the price is low, and does nothing else: no sum of effects says that.
func shops(n, length, ahead int) *panel.Panel {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, Length: length,
		Drivers:    []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "promotion", KnownAhead: true}},
		Attributes: []panel.Attribute{{Name: "region", Values: []string{"coast", "inland"}}}}
	rnd := rand.New(rand.NewPCG(1, 2))
	for i := range n {
		price, promo := make([]float64, length+ahead), make([]float64, length+ahead)
		s := panel.Series{Key: fmt.Sprint("shop ", i), Drivers: [][]float64{price, promo}}
		level := math.Exp(4 + rnd.NormFloat64()/2)
		for t := range length + ahead {
			price[t] = []float64{2, 3}[rnd.IntN(2)]
			promo[t] = float64(rnd.IntN(2))
			lift := 1.0
			if i%2 == 1 && price[t] == 2 && promo[t] == 1 {
				lift = 2
			}
			if t < length {
				s.Values = append(s.Values, level*lift*(1+0.05*rnd.NormFloat64()))
			}
		}
		p.Series = append(p.Series, s)
		p.Attributes[0].Codes = append(p.Attributes[0].Codes, int32(i%2))
	}
	return p
}

func all(p *panel.Panel) (out []int) {
	for i := range p.Series {
		out = append(out, i)
	}
	return out
}

func train(t testing.TB, m model.Model, p *panel.Panel, horizon int) (model.Trained, panel.View, model.Result) {
	v := panel.NewView(p, all(p), 0, p.Length-1)
	env := model.Env{Horizon: horizon, Workers: 2, Random: func(key string) *rand.Rand { return rand.New(rand.NewPCG(uint64(len(key)), 7)) }}
	trained, err := m.Train(context.Background(), v, env)
	require.NoError(t, err)
	res, err := trained.Forecast(context.Background(), v, horizon)
	require.NoError(t, err)
	for _, err := range res.Err {
		require.NoError(t, err)
	}
	return trained, v, res
}

func family(t testing.TB, given model.Values) model.Model {
	m, _, err := boosting.Families().New("boosting", given)
	require.NoError(t, err)
	return m
}

// What no sum of effects says is learnt: a promotion that works inland, at a low price alone.
func TestInteractionsAreLearnt(t *testing.T) {
	const n, length, ahead = 40, 110, 8
	p := shops(n, length, ahead)
	trained, _, res := train(t, family(t, nil), p, ahead)
	level := func(i int) float64 { // of weeks without a lift
		sum, count := 0.0, 0.0
		for k, v := range p.Series[i].Values {
			if p.Series[i].Drivers[1][k] == 0 {
				sum, count = sum+v, count+1
			}
		}
		return sum / count
	}
	var inland, elsewhere []float64
	for i := range n {
		for h, m := range res.Series[i].Mean {
			price, promo := p.Series[i].Drivers[0][length+h], p.Series[i].Drivers[1][length+h]
			if i%2 == 1 && price == 2 && promo == 1 {
				inland = append(inland, m/level(i))
			} else {
				elsewhere = append(elsewhere, m/level(i))
			}
		}
	}
	assert.InDelta(t, 2, mean(inland), 0.15)
	assert.InDelta(t, 1, mean(elsewhere), 0.05)

	d := trained.Describe(1)
	require.NotEmpty(t, d.Worths)
	var names []string
	for _, w := range d.Worths {
		names = append(names, w.Name)
		assert.Greater(t, w.Share, 0.0)
	}
	assert.Contains(t, names, "region")
	assert.True(t, slices.ContainsFunc(names, func(name string) bool { return strings.HasPrefix(name, "promotion") }),
		"as it is, or next to what it was before: %v", names)
	assert.Contains(t, d.Form, "trees")
	assert.Less(t, d.Choices[0].Value, d.Choices[len(d.Choices)-1].Value)
	require.NotEmpty(t, d.Learning)
}

func mean(x []float64) (m float64) {
	for _, v := range x {
		m += v / float64(len(x))
	}
	return m
}

// The reasons given for a forecast add up to it.
func TestReasonsAddUp(t *testing.T) {
	p := shops(20, 80, 6)
	trained, _, res := train(t, family(t, nil), p, 6)
	for _, i := range []int{0, 7} {
		d := trained.Describe(i)
		require.NotEmpty(t, d.Reasons)
		for h, want := range res.Series[i].Mean {
			sum := 0.0
			for _, r := range d.Reasons {
				sum += r.Steps[h]
			}
			assert.InDelta(t, want, sum, 1e-6*math.Abs(want))
		}
	}
}

// A straight line goes on beyond anything that was seen, and growth goes on growing.
func TestWhatGrowsGoesOn(t *testing.T) {
	line := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: 12, Series: []panel.Series{{Key: "line"}}}
	for i := range 12 {
		line.Series[0].Values = append(line.Series[0].Values, float64(2+i))
	}
	_, _, res := train(t, family(t, nil), line, 3)
	for h, m := range res.Series[0].Mean {
		assert.InEpsilon(t, float64(14+h), m, 0.01)
	}

	rnd := rand.New(rand.NewPCG(3, 4))
	growing := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Month}, Length: 60}
	for i := range 30 {
		s := panel.Series{Key: fmt.Sprint(i)}
		for t := range 60 {
			s.Values = append(s.Values, 100*float64(1+i)*math.Pow(1.3, float64(t)/12)*(1+0.02*rnd.NormFloat64()))
		}
		growing.Series = append(growing.Series, s)
	}
	_, _, res = train(t, family(t, nil), growing, 12)
	for i, rows := range res.Series {
		want := 100 * float64(1+i) * math.Pow(1.3, 71.0/12)
		assert.InEpsilon(t, want, rows.Mean[11], 0.06, "series %d", i)
	}
}

// A sign is kept by base and trees: no price rise sells more.
func TestSignsAreKept(t *testing.T) {
	p := shops(20, 80, 6)
	trained, v, _ := train(t, family(t, model.Values{"from": "additive", "signs": []string{"price negative"}}), p, 6)
	dear := shops(20, 80, 6)
	for i := range dear.Series {
		for h := 80; h < 86; h++ {
			p.Series[i].Drivers[0][h], dear.Series[i].Drivers[0][h] = 2, 3
		}
	}
	low, err := trained.Forecast(context.Background(), v, 6)
	require.NoError(t, err)
	high, err := trained.Forecast(context.Background(), panel.NewView(dear, all(dear), 0, 79), 6)
	require.NoError(t, err)
	for i := range low.Series {
		for h := range low.Series[i].Mean {
			assert.LessOrEqual(t, high.Series[i].Mean[h], low.Series[i].Mean[h]+1e-9)
		}
	}
	_, _, err = boosting.Families().New("boosting", model.Values{"from": "clouds"})
	assert.ErrorContains(t, err, "is not one of")
	f, err := boosting.Families().Find("boosting")
	require.NoError(t, err)
	assert.ErrorContains(t, f.Suits(model.Values{"features": []string{"group mean 4 of region"}}, v, 6), "boosting takes no means over groups")
	assert.NoError(t, f.Suits(model.Values{"features": []string{"price", "spread 8"}, "signs": []string{"price negative"}}, v, 6))
	for sign, want := range map[string]string{"rent negative": `no driver of the features is called "rent"`,
		"price": "say a driver and positive or negative", "price sideways": "say a driver"} {
		assert.ErrorContains(t, f.Suits(model.Values{"signs": []string{sign}}, v, 6), want)
	}
}

// Trees that learn from each series alone are those of a panel of one.
func TestAloneIsAlone(t *testing.T) {
	p := shops(3, 120, 4)
	_, _, together := train(t, family(t, model.Values{"together": []string{"none"}, "from": "smoothing"}), p, 4)
	one := *p
	one.Series = p.Series[1:2]
	one.Attributes = []panel.Attribute{{Name: "region", Values: []string{"coast", "inland"}, Codes: []int32{1}}}
	_, _, alone := train(t, family(t, model.Values{"from": "smoothing"}), &one, 4)
	assert.Equal(t, alone.Series[0], together.Series[1])
}

// A panel that has no room for inner windows is forecast by the base, with a word.
func TestTooShortForTrees(t *testing.T) {
	p := shops(4, 12, 4)
	trained, _, res := train(t, family(t, nil), p, 4)
	assert.Len(t, res.Series, 4)
	d := trained.Describe(0)
	assert.Contains(t, fmt.Sprint(d.Cautions), "no trees were grown")
}

// Effect curves say which way a driver moves the forecast, and that it does so in some places only.
func TestEffectCurves(t *testing.T) {
	const n, length, ahead = 40, 110, 8
	trained, _, _ := train(t, family(t, model.Values{"from": "smoothing"}), shops(n, length, ahead), ahead) // which knows no price
	curves := map[string]model.EffectCurve{}
	for _, c := range trained.Describe(0).Curves {
		curves[c.Name] = c
	}
	price := curves["price"]
	require.NotEmpty(t, price.At, "a curve of price among %v", curves)
	assert.Equal(t, []float64{2, 3}, price.At)
	assert.Greater(t, price.Mean[0], price.Mean[1], "more is sold at the low price")
	assert.Greater(t, price.High[0]-price.Low[0], price.Mean[0], "inland, with a promotion, more than elsewhere")
	if region, ok := curves["region"]; ok {
		assert.ElementsMatch(t, []string{"coast", "inland"}, region.Labels)
	}
}
