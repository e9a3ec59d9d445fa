package demo

import (
	"encoding/csv"
	"math"
	"math/rand/v2"
)

// Tins of tea stand side by side at a counter in each town, and buyers choose one: what is cheap, or in the leaflet, takes
// from what stands beside it.
const (
	tinWeeks = 110
	tinAhead = 6 // weeks for which prices and leaflets are planned
	// chosen is the share of what a tin gains that others lose; the rest comes in for it.
	chosen = 0.8
)

var tins = []struct {
	tea   string
	price float64
	liked float64 // log of its share of buyers
}{
	{"black tea", 6.5, 0.6}, {"green tea", 7.2, 0.2}, {"herb tea", 6.8, 0}, {"fruit tea", 5.9, -0.2}, {"smoked tea", 8.4, -0.8},
}

// tinPlan is what is done to a tin, week by week.
type tinPlan struct{ price, leaflet []float64 }

// planTins gives each tin a price, cut in every fifth week or so, mostly in all towns at once and with a leaflet.
func planTins(rnd *rand.Rand) [][]tinPlan {
	weeks := tinWeeks + tinAhead
	out := make([][]tinPlan, len(towns))
	for t := range out {
		out[t] = make([]tinPlan, len(tins))
		for k := range tins {
			out[t][k] = tinPlan{make([]float64, weeks), make([]float64, weeks)}
		}
	}
	for k, tin := range tins {
		for w := range weeks {
			everywhere, depth, printed := rnd.Float64() < 0.2, 0.1+0.25*rnd.Float64(), rnd.Float64() < 0.6
			for t := range towns {
				cut := everywhere
				if rnd.Float64() < 0.25 { // the shop decides for itself
					cut = rnd.Float64() < 0.2
				}
				p := &out[t][k]
				p.price[w] = tin.price
				if cut {
					p.price[w] = math.Round(20*tin.price*(1-depth)) / 20
					if printed {
						p.leaflet[w] = 1
					}
				}
			}
		}
	}
	return out
}

// tinFile writes a row a week; of the weeks ahead, only what is planned.
func (w *World) tinFile(out *csv.Writer) error {
	rnd := stream(w.seed, 2)
	plans := planTins(rnd)
	if err := out.Write([]string{"week", "town", "tea", "tins", "price", "leaflet"}); err != nil {
		return err
	}
	monday := End.AddDate(0, 0, -7*(tinWeeks-1)-(int(End.Weekday())+6)%7)
	for t, town := range towns {
		sold := sellTins(rnd, town, plans[t])
		for k, tin := range tins {
			for week := range tinWeeks + tinAhead {
				known := ""
				if week < tinWeeks {
					known = number(sold[k][week])
				}
				p := plans[t][k]
				row := []string{monday.AddDate(0, 0, 7*week).Format(isoDate), town.name, tin.tea, known, number(p.price[week]), number(p.leaflet[week])}
				if err := out.Write(row); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// sellTins lets a town's buyers choose, by logit.
func sellTins(rnd *rand.Rand, t town, plans []tinPlan) [][]float64 {
	out, drift := make([][]float64, len(tins)), make([]float64, len(tins))
	for k := range out {
		out[k] = make([]float64, tinWeeks)
	}
	wish := make([]float64, len(tins))
	for week := range tinWeeks {
		sum, usual := 0.0, 0.0
		for k, tin := range tins {
			drift[k] = 0.7*drift[k] + 0.1*rnd.NormFloat64()
			wish[k] = math.Exp(tin.liked + drift[k] + 0.08*rnd.NormFloat64() - 2.4*math.Log(plans[k].price[week]/tin.price) + 0.35*plans[k].leaflet[week])
			sum, usual = sum+wish[k], usual+math.Exp(tin.liked)
		}
		buyers := 260 * t.size * (1 + 0.15*math.Cos(2*math.Pi*(float64(week)/52.18-0.05)))
		for k := range tins {
			out[k][week] = draw(rnd, buyers*wish[k]/usual*math.Pow(usual/sum, chosen))
		}
	}
	return out
}
