package catalogue_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// sales are weekly, with elasticity -1.5, promotions that bring 42 %, a year and noise, in
// logs; with what an oracle would have forecast for the weeks after.
func sales(series, n, h int) (p *panel.Panel, oracle, future [][]float64) {
	p = &panel.Panel{Cadence: weekly, First: 600, Length: n,
		Drivers: []panel.Driver{{Name: "price", KnownAhead: true}, {Name: "promotion", KnownAhead: true}}}
	for i := range series {
		rnd := rand.New(rand.NewPCG(21, uint64(i)))
		y, price, promo := make([]float64, n+h), make([]float64, n+h), make([]float64, n+h)
		e, base := 0.0, 4*(1+0.1*rnd.NormFloat64())
		var known []float64
		for k := range y {
			if k%9 == 0 {
				base *= math.Exp(0.08 * rnd.NormFloat64())
			}
			price[k] = base
			if rnd.IntN(6) == 0 {
				promo[k] = 1
				price[k] *= 0.9
			}
			fixed := 5 - 1.5*math.Log(price[k]) + 0.35*promo[k] + 0.2*math.Sin(2*math.Pi*float64(k)/52.18+float64(i))
			if k >= n {
				known = append(known, math.Exp(fixed+e*math.Pow(0.4, float64(k-n+1))))
			}
			noise := 0.15 * rnd.NormFloat64()
			if k < n {
				e = 0.4*e + noise
				y[k] = math.Exp(fixed + e)
			} else {
				y[k] = math.Exp(fixed + noise)
			}
		}
		p.Series = append(p.Series, panel.Series{Key: string(rune('a'+i/26)) + string(rune('a'+i%26)), Values: y[:n], Drivers: [][]float64{price, promo}})
		oracle, future = append(oracle, known), append(future, y[n:])
	}
	return p, oracle, future
}

// Effects that were put in come back, and the forecast follows the price.
func TestEffectsComeBack(t *testing.T) {
	t.Parallel()
	const n, h, series = 156, 8, 100
	p, oracle, future := sales(series, n, h)
	trained, v := trainOn(t, "additive", additiveSettings, p, n-1, h)
	near := map[string]int{}
	mean := map[string]float64{}
	for i := range series {
		for _, x := range trained.Describe(i).Parameters {
			want := map[string]float64{"price": -1.5, "promotion": 0.35}[x.Name]
			if want != 0 {
				mean[x.Name] += x.Value / want / series
				if math.Abs(x.Value/want-1) < 0.1 {
					near[x.Name]++
				}
			}
		}
	}
	parts, actual := trained.Describe(0).Components, p.Series[0].Values
	for k := range actual {
		product := 1.0
		for _, part := range parts {
			product *= part.Past[k]
		}
		assert.InDelta(t, 1, actual[k]/product, 0.8, "the parts multiply to the series, but for its errors")
	}
	var own, best, size, in80, in95, points float64
	for i, r := range result(t, trained, v, h).Series {
		for k, f := range r.Mean {
			y := future[i][k]
			own += math.Abs(y - f)
			best += math.Abs(y - oracle[i][k])
			size += y
			low, high := forecast.Interval(r.At(k), 80)
			in80 += inside(y, low, high)
			low, high = forecast.Interval(r.At(k), 95)
			in95 += inside(y, low, high)
			points++
		}
	}
	t.Logf("WAPE %.3f, the oracle's %.3f; coverage %.1f and %.1f %%; near the truth: %v of %d; mean over the truth %v", own/size, best/size,
		100*in80/points, 100*in95/points, near, series, mean)
	assert.InDelta(t, 1, mean["price"], 0.04)
	assert.InDelta(t, 1, mean["promotion"], 0.06)
	assert.Less(t, own/best, 1.12)
	assert.GreaterOrEqual(t, near["price"], series*9/10)
	assert.GreaterOrEqual(t, near["promotion"], series*9/10)
	assert.InDelta(t, 0.8, in80/points, 0.06)
	assert.InDelta(t, 0.95, in95/points, 0.03)

	dearer, _, _ := sales(series, n, h)
	for i := range dearer.Series {
		for k := n; k < n+h; k++ {
			dearer.Series[i].Drivers[0][k] *= 1.1
		}
	}
	before, after := result(t, trained, v, h).Series, result(t, trained, panel.NewView(dearer, all(dearer), 0, n-1), h).Series
	ratio := 0.0
	for i := range before {
		ratio += after[i].Mean[0] / before[i].Mean[0] / series
	}
	assert.InDelta(t, 0.87, ratio, 0.015, "ten per cent dearer sells about 13 % less")
}

func inside(y, low, high float64) float64 {
	if low <= y && y <= high {
		return 1
	}
	return 0
}

// The main bend of a broken trend is found near its place, and a straight one shows none.
func TestBends(t *testing.T) {
	t.Parallel()
	const n, series = 400, 60
	var broken, straight [][]float64
	var places []int
	for i := range series {
		rnd := rand.New(rand.NewPCG(31, uint64(i)))
		at := n/4 + rnd.IntN(n/2)
		a, b := make([]float64, n), make([]float64, n)
		for k := range a {
			e := 4 * rnd.NormFloat64()
			b[k] = 100 + 0.1*float64(k) + e
			a[k] = b[k] + 0.3*float64(max(0, k-at))
		}
		broken, straight, places = append(broken, a), append(straight, b), append(places, at)
	}
	found, none := 0, 0
	for kind, list := range [][][]float64{broken, straight} {
		p := panelOf(daily, list)
		trained, _ := trainOn(t, "additive", model.Values{"level": "steady", "memory": n, "trend": "bending"}, p, n-1, 28)
		for i := range list {
			var size, at []float64
			for _, x := range trained.Describe(i).Parameters {
				if len(x.Name) > 4 && x.Name[:4] == "bend" {
					var where int
					for _, c := range x.Meaning {
						if c >= '0' && c <= '9' {
							where = where*10 + int(c-'0')
						} else if where > 0 {
							break
						}
					}
					size, at = append(size, math.Abs(x.Value)), append(at, float64(where))
				}
			}
			if kind == 1 {
				if len(size) == 0 {
					none++
				}
			} else if len(size) > 0 {
				best := slices.Index(size, slices.Max(size))
				if math.Abs(at[best]-float64(places[i])) <= 0.03*n {
					found++
				}
			}
		}
	}
	t.Logf("main bend found in %d, none in %d of %d", found, none, series)
	assert.GreaterOrEqual(t, found, series*85/100)
	assert.GreaterOrEqual(t, none, series*95/100)
}

var additiveSettings = model.Values{"parts": "multiply"}

// Equations that series share find the effects that they share, and widen where it is due;
// the three plain settings can stand side by side, and only one is without drivers.
func TestLinearEffects(t *testing.T) {
	t.Parallel()
	const n, h, series = 156, 8, 100
	p, oracle, future := sales(series, n, h)
	wape := map[string]float64{}
	for _, uses := range []string{"own-past", "drivers", "both"} {
		for _, steps := range []string{"direct", "recursive", "averaged"} {
			trained, v := trainOn(t, "linear", model.Values{"uses": uses, "steps": steps}, p, n-1, h)
			var own, best, in95, points float64
			for i, r := range result(t, trained, v, h).Series {
				for k, f := range r.Mean {
					own += math.Abs(future[i][k] - f)
					best += math.Abs(future[i][k] - oracle[i][k])
					low, high := forecast.Interval(r.At(k), 95)
					in95 += inside(future[i][k], low, high)
					points++
				}
			}
			wape[uses+" "+steps] = own / best
			assert.InDelta(t, 0.95, in95/points, 0.035, "%s %s", uses, steps)
			near, mean := 0, 0.0
			for i := range series {
				found := map[string]float64{}
				for _, x := range trained.Describe(i).Parameters {
					found[x.Name] = x.Value
				}
				if uses == "own-past" {
					assert.NotContains(t, found, "price log")
					continue
				}
				mean += found["price log"] / -1.5 / series
				if math.Abs(found["price log"]/-1.5-1) < 0.1 {
					near++
				}
			}
			if uses != "own-past" {
				t.Logf("%s %s: elasticities of %d of %d series within 10 %%, their mean %.3f of the truth", uses, steps, near, series, mean)
				assert.InDelta(t, 1, mean, 0.03, "%s %s", uses, steps)
				assert.GreaterOrEqual(t, near, series*9/10, "%s %s", uses, steps)
			}
		}
	}
	t.Logf("WAPE over the oracle's: %v", wape)
	assert.Less(t, wape["both direct"], 1.12)
	assert.Less(t, wape["both direct"], wape["own-past direct"])
}

// A trend between a floor and a ceiling levels off below the ceiling; data beyond it are
// refused with what to do.
func TestSaturating(t *testing.T) {
	t.Parallel()
	rnd := rand.New(rand.NewPCG(2, 2))
	y := make([]float64, 120)
	for k := range y {
		y[k] = 500/(1+math.Exp(-(float64(k)-60)/15)) + 5*rnd.NormFloat64()
		y[k] = math.Max(0, math.Min(500, y[k]))
	}
	p := panelOf(monthly, [][]float64{y[:80]})
	trained, v := trainOn(t, "additive", model.Values{"trend": "saturating", "ceiling": 500.0, "seasons": []string{"none"}}, p, 79, 40)
	rows := result(t, trained, v, 40).Series[0]
	assert.InDelta(t, y[119], rows.Mean[39], 40)
	for k := range rows.Mean {
		assert.LessOrEqual(t, rows.At(k)[forecast.GridSize-1], 500.0)
	}
	trained, _ = trainOn(t, "additive", model.Values{"trend": "saturating", "ceiling": 100.0}, p, 79, 40)
	assert.Contains(t, trained.Describe(0).Cautions[0], "widen them")
}

// A week that only holds in summer is found by a season with a condition, and not by one
// without; effects keep to their signs.
func TestConditionsAndSigns(t *testing.T) {
	t.Parallel()
	const n, h = 1000, 28
	rnd := rand.New(rand.NewPCG(6, 6))
	y := make([]float64, n+h)
	p := panelOf(daily, [][]float64{make([]float64, n)})
	noise := make([]float64, n+h)
	for k := range y {
		day := time.Unix(daily.Start(p.Ordinal(k)), 0).UTC()
		y[k] = 100 + 3*rnd.NormFloat64()
		if day.Month() >= 6 && day.Month() <= 8 && day.Weekday() == time.Saturday {
			y[k] += 40
		}
		noise[k] = rnd.NormFloat64()
	}
	p.Series[0].Values = y[:n]
	p.Drivers = []panel.Driver{{Name: "noise", KnownAhead: true}}
	p.Series[0].Drivers = [][]float64{noise}
	miss := func(settings model.Values) (sum float64, d model.Description) {
		settings["days"] = false // or each such Saturday would be known as one that comes every year
		trained, _ := trainOn(t, "additive", settings, p, n-1, h)
		d = trained.Describe(0)
		for _, x := range d.Training {
			if x.Name == "mae" {
				sum = x.Value
			}
		}
		return sum, d
	}
	plain, _ := miss(model.Values{"seasons": []string{"week"}})
	summer, d := miss(model.Values{"seasons": []string{"week when month 6 to 8"}})
	assert.Less(t, summer, 0.8*plain)
	assert.Contains(t, d.Form, "when month 6 to 8")
	_, up := miss(model.Values{"signs": []string{"noise positive"}})
	_, down := miss(model.Values{"signs": []string{"noise negative"}})
	find := func(d model.Description) float64 {
		for _, x := range d.Parameters {
			if x.Name == "noise" {
				return x.Value
			}
		}
		return math.NaN()
	}
	assert.GreaterOrEqual(t, find(up), 0.0)
	assert.LessOrEqual(t, find(down), 0.0)
	assert.Zero(t, find(up)*find(down), "one of the two is held at zero")
	_, _, err := whole().New("additive", model.Values{"seasons": []string{"fortnight"}})
	assert.ErrorContains(t, err, "is no season")
}

// Beside parts that add, one may grow with the trend: a season that doubles with the level is
// then followed, while a fixed effect of an event stays what it is.
func TestAPartThatGrows(t *testing.T) {
	t.Parallel()
	const n, h = 120, 24
	rnd := rand.New(rand.NewPCG(3, 3))
	y := make([]float64, n+h)
	for k := range y {
		level := 100 + 2*float64(k)
		y[k] = level*(1+0.3*math.Sin(2*math.Pi*float64(k)/12)) + 3*rnd.NormFloat64()
	}
	p := panelOf(monthly, [][]float64{y[:n]})
	miss := func(settings model.Values) (sum float64) {
		trained, v := trainOn(t, "additive", settings, p, n-1, h)
		for k, f := range result(t, trained, v, h).Series[0].Mean {
			sum += math.Abs(f-y[n+k]) / h
		}
		return sum
	}
	fixed := miss(model.Values{"parts": "add"})
	growing := miss(model.Values{"parts": "add", "growing": []string{"year"}})
	t.Logf("mean absolute error %.2f, with a season that grows %.2f", fixed, growing)
	assert.Less(t, growing, 5.0)
	assert.Less(t, 3*growing, fixed)
}
