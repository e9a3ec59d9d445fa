package catalogue_test

import (
	"context"
	"math/rand/v2"
	"os"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
	"strings"
	"testing"

	"paperkettle/core/model"
)

func TestDev(t *testing.T) {
	for _, pr := range processes() {
		for _, spec := range strings.Fields(os.Getenv("DEV")) {
			family, rest, _ := strings.Cut(spec, ":")
			v := model.Values{}
			for _, kv := range strings.Split(rest, ";") {
				if k, x, ok := strings.Cut(kv, "="); ok {
					v[k] = x
				}
			}
			if pr.name == "AR(2) weekly" && strings.Contains(spec, "form=") {
				continue
			}
			r := recover(t, family, v, pr, 300)
			t.Logf("%-28s %-20s RMSE %.3f of the oracle's, coverage %.1f and %.1f %%", pr.name, spec, r.ratio, 100*r.cover80, 100*r.cover95)
		}
	}
}

func TestDevOrders(t *testing.T) {
	for _, pr := range processes() {
		count := map[string]int{}
		var past [][]float64
		for i := range 100 {
			a, _, _ := pr.draw(rand.New(rand.NewPCG(77, uint64(i))), pr.n, pr.h)
			past = append(past, a)
		}
		p := panelOf(pr.cadence, past)
		for _, family := range []string{"arima", "smoothing"} {
			m, _, _ := catalogue.Standard().New(family, nil)
			v := panel.NewView(p, all(p), 0, p.Length-1)
			tr, _ := m.Train(context.Background(), v, model.Env{Horizon: pr.h, Workers: 2, Random: streams(1)})
			for i := range past {
				d := tr.Describe(i)
				if family == "arima" {
					f := d.Form
					// d and D only
					count[f[6:]]++
				} else {
					count[strings.Fields(d.Form)[2]]++
				}
			}
		}
		t.Log(pr.name)
		for k, v := range count {
			if v > 4 {
				t.Logf("   %3d %s", v, k)
			}
		}
	}
}
