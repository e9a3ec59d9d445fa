package bakeoff_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/calendar"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
	"paperkettle/core/scenario"
	"paperkettle/core/split"
)

// shelves are six shops with four kinds each, of which buyers choose one: what is cheap takes from what stands beside it.
func shelves() *panel.Panel {
	r := rand.New(rand.NewPCG(4, 2))
	const shops, kinds, weeks, ahead = 6, 4, 100, 6
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, Length: weeks, Measure: "units",
		Drivers:    []panel.Driver{{Name: "price", KnownAhead: true}},
		Attributes: []panel.Attribute{{Name: "shop"}, {Name: "kind"}}}
	for kind := range kinds {
		p.Attributes[1].Values = append(p.Attributes[1].Values, fmt.Sprint("kind ", kind))
	}
	for shop := range shops {
		p.Attributes[0].Values = append(p.Attributes[0].Values, fmt.Sprint("shop ", shop))
		price, wish := make([][]float64, kinds), make([][]float64, kinds)
		for kind := range kinds {
			price[kind], wish[kind] = make([]float64, weeks+ahead), make([]float64, weeks)
			for t := range price[kind] {
				price[kind][t] = 2 * (1 + 0.01*r.NormFloat64())
				if r.Float64() < 0.25 {
					price[kind][t] *= 0.6
				}
			}
			for t := range weeks {
				wish[kind][t] = math.Exp(-2.5*math.Log(price[kind][t]) + 0.15*r.NormFloat64())
			}
		}
		for kind := range kinds {
			s := panel.Series{Key: fmt.Sprintf("shop %d / kind %d", shop, kind), Drivers: [][]float64{price[kind]}}
			for t := range weeks {
				sum := 0.0
				for _, w := range wish {
					sum += w[t]
				}
				s.Values = append(s.Values, math.Round(1000*wish[kind][t]/sum))
			}
			p.Series = append(p.Series, s)
			p.Attributes[0].Codes = append(p.Attributes[0].Codes, int32(shop))
			p.Attributes[1].Codes = append(p.Attributes[1].Codes, int32(kind))
		}
	}
	return p
}

func shelfPlan(neighbours string) bakeoff.Plan {
	return bakeoff.Plan{Seed: 3, Split: split.Spec{Horizon: 6, Windows: 2, Stride: 6}, Neighbours: neighbours,
		Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "linear"}, {Family: "additive"}}, Metric: "wape"}
}

func TestNeighboursAreFoundAndWrittenDown(t *testing.T) {
	e, err := bakeoff.Prepare(shelves(), shelfPlan(""), catalogue.Standard())
	require.NoError(t, err)
	assert.Equal(t, "shop", e.Plan.Neighbours)
	assert.Contains(t, e.Cautions(), "What is done to neighbours counts: beside a series' own drivers contenders see the mean price of the other "+
		"series with the same shop (the plan's neighbours: shop; none leaves it out).")
	again, err := bakeoff.Prepare(shelves(), e.Plan, catalogue.Standard())
	require.NoError(t, err)
	assert.Equal(t, e.Plan, again.Plan)

	plain, err := bakeoff.Prepare(dailyPanel(3, 60), baselinePlan(7, 1), withDice())
	require.NoError(t, err)
	assert.Empty(t, plain.Plan.Neighbours, "nothing to find without drivers")

	_, err = bakeoff.Prepare(shelves(), shelfPlan("size"), catalogue.Standard())
	var field *bakeoff.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "neighbours", field.Field)
	assert.ErrorContains(t, err, `no attribute is called "size": the dataset has shop, kind`)
}

// What neighbours do makes forecasts better, and a plan may leave it out.
func TestNeighboursMakeForecastsBetter(t *testing.T) {
	errors := func(neighbours string) map[string]float64 {
		e, err := bakeoff.Prepare(shelves(), shelfPlan(neighbours), catalogue.Standard())
		require.NoError(t, err)
		out := map[string]float64{}
		for task, result := range runAll(t, e, 2, e.Tasks()) {
			for _, v := range result.Errors {
				out[e.Plan.Contenders[task.Contender].Name] += math.Abs(v) // all are known
			}
		}
		return out
	}
	with, without := errors(""), errors("none")
	assert.InDelta(t, without["naive"], with["naive"], 1e-6)
	for _, family := range []string{"linear", "additive"} {
		assert.Less(t, with[family], 0.85*without[family], family)
	}
}

// A price cut takes from the neighbours, and from nobody else.
func TestAScenarioTellsWhatNeighboursLose(t *testing.T) {
	p := shelves()
	plan := shelfPlan("shop")
	r, err := bakeoff.NewRefit(p, plan, catalogue.Standard(), "linear", nil, 6)
	require.NoError(t, err)
	cut := *p
	cut.Series = append([]panel.Series(nil), p.Series...)
	prices := append([]float64(nil), p.Series[0].Drivers[0]...)
	for at := p.Length; at < len(prices); at++ {
		prices[at] *= 0.6
	}
	cut.Series[0].Drivers = [][]float64{prices}
	out, err := r.Scenario(context.Background(), 0, []*panel.Panel{&cut}, []float64{80}, nil)
	require.NoError(t, err)
	var sums scenario.Sums
	for i, s := range out {
		require.Empty(t, s.LeftOut)
		sums.Add(s.Outcomes)
		assert.Equal(t, i != 0, s.Outcomes[1].Beside, s.Series)
		assert.False(t, s.Outcomes[0].Beside)
		change := 0.0
		for _, x := range s.Outcomes[1].Change {
			change += x
		}
		switch {
		case i == 0:
			assert.Positive(t, change, s.Series)
		case i < 4:
			assert.Negative(t, change, s.Series)
		default:
			assert.Zero(t, change, s.Series)
		}
	}
	assert.Negative(t, sums.Beside[1])
	assert.InDelta(t, sums.Cases[1].TotalChange.Value-out[0].Outcomes[1].TotalChange.Value, sums.Beside[1], 1e-9)
	assert.Zero(t, sums.Beside[0])
}

// After a price was cut less is sold, for cupboards are full.
func TestWhatDriversDidBeforeCounts(t *testing.T) {
	p := shelves()
	for i := range p.Series {
		s := &p.Series[i]
		for at := len(s.Values) - 1; at > 0; at-- {
			s.Values[at] = math.Round(s.Values[at] * math.Pow(s.Drivers[0][at-1]/2, 1.2))
		}
	}
	e, err := bakeoff.Prepare(p, shelfPlan(""), catalogue.Standard())
	require.NoError(t, err)
	assert.Equal(t, "price:1", e.Plan.CarryOver)
	assert.Contains(t, e.Cautions(), "What drivers did before counts: contenders see price 1 week before too (the plan's carry_over: price:1; "+
		"none leaves it out).")
	plan := shelfPlan("shop")
	plan.CarryOver = "price"
	_, err = bakeoff.Prepare(p, plan, catalogue.Standard())
	var field *bakeoff.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "carry_over", field.Field)

	// A cut in the first week ahead takes from the second.
	plan.CarryOver = "price:1"
	r, err := bakeoff.NewRefit(p, plan, catalogue.Standard(), "linear", nil, 6)
	require.NoError(t, err)
	cut := *p
	cut.Series = append([]panel.Series(nil), p.Series...)
	prices := append([]float64(nil), p.Series[0].Drivers[0]...)
	prices[p.Length] *= 0.6
	cut.Series[0].Drivers = [][]float64{prices}
	out, err := r.Scenario(context.Background(), 0, []*panel.Panel{&cut}, []float64{80}, nil)
	require.NoError(t, err)
	change := out[0].Outcomes[1].Change
	assert.Positive(t, change[0])
	assert.Negative(t, change[1])
}
