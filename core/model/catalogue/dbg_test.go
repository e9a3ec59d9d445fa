package catalogue_test

import (
	"context"
	"testing"

	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
)

func TestDbg(t *testing.T) {
	y := classics()["ldeaths"][:60]
	for _, fam := range []string{"theta", "arima", "smoothing"} {
		m, _, _ := catalogue.Standard().New(fam, nil)
		p := panelOf(monthly, [][]float64{y})
		v := panel.NewView(p, all(p), 0, p.Length-1)
		tr, _ := m.Train(context.Background(), v, model.Env{Horizon: 12, Workers: 2, Random: streams(1)})
		d := tr.Describe(0)
		t.Log(d.Form, d.Parameters, *d.Sigma, d.Training, d.Line, d.Choices)
		r, _ := tr.Forecast(context.Background(), v, 12)
		t.Log(r.Series[0].Mean, classics()["ldeaths"][60:])
	}
}
