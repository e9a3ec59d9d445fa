package catalogue_test

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

func TestDay(t *testing.T) {
	const n = 900
	var ys [][]float64
	ev := calendar.Event{Name: "holiday"}
	hol := map[int]bool{}
	for yr := 0; yr < 3; yr++ {
		for _, d := range []int{0, 90, 93, 120, 140, 185, 245, 300, 330, 358, 359, 360} {
			k := yr*365 + d
			hol[k] = true
			s := daily.Start(600 + int64(k))
			ev.Occasions = append(ev.Occasions, calendar.Occasion{Start: s, End: s + 86400})
		}
	}
	for i := range 20 {
		rnd := rand.New(rand.NewPCG(11, uint64(i)))
		y := make([]float64, n)
		lvl, e := 0.0, 0.0
		amp := 0.1 + 0.3*rnd.Float64()
		for k := range y {
			lvl += 0.012 * rnd.NormFloat64()
			e = 0.3*e + 0.08*rnd.NormFloat64()
			v := 5 + lvl + e + 0.15*math.Sin(2*math.Pi*float64(k)/365.25+float64(i)) + amp*[]float64{0, .1, .2, .1, .3, -.5, -1}[k%7]
			if hol[k] {
				v -= 0.7
			}
			y[k] = math.Exp(v)
		}
		ys = append(ys, y)
	}
	for _, f := range []struct {
		n string
		v model.Values
	}{{"smoothing", nil}, {"automatic", nil}, {"additive", nil}, {"additive", model.Values{"trend": "flat"}}, {"additive", model.Values{"trend": "straight"}}, {"additive", model.Values{"events": false}}} {
		begin := time.Now()
		sum, cov := 0.0, 0.0
		for w := range 6 {
			o := n - 28*(6-w)
			var past [][]float64
			for _, y := range ys {
				past = append(past, y[:o])
			}
			p := panelOf(daily, past)
			p.Events = []calendar.Event{ev}
			for i, r := range forecasts(t, f.n, f.v, p, 28) {
				sc := 0.0
				for k := 7; k < o; k++ {
					sc += math.Abs(ys[i][k]-ys[i][k-7]) / float64(o-7)
				}
				for h, m := range r.Mean {
					sum += math.Abs(m-ys[i][o+h]) / sc / 28 / 20 / 6
					l, u := forecast.Interval(r.At(h), 80)
					cov += inside(ys[i][o+h], l, u) / 28 / 20 / 6
				}
			}
		}
		t.Logf("%s %v MASE %.4f %v cover %.3f", f.n, f.v, sum, time.Since(begin)/120, cov)
	}
	_ = panel.Unknown
}
