package arima

import (
	"paperkettle/core/model"
	"paperkettle/core/model/single"
)

// Families is the ARIMA model.
func Families() model.Catalogue {
	one, none, most, pairs := 1.0, 0.0, 1000.0, 50.0
	return model.Catalogue{{
		Name:      "arima",
		Version:   17, // how far errors lean
		Summary:   "Seasonal ARIMA: past values and past errors, of the differences, weighted by exact likelihood.",
		Reference: "Box and Jenkins, Time Series Analysis, 1976; Hyndman and Khandakar, Journal of Statistical Software 27, 2008",
		Settings: append([]model.Setting{
			{Name: "order", Kind: model.List, Meaning: "autoregression, differences and moving average, as 0,1,1",
				Auto: "the lowest AICc of a stepwise search"},
			{Name: "seasonal", Kind: model.List, Meaning: "the same over the season; with an order given, 0,0,0 if left out",
				Auto: "the lowest AICc of a stepwise search"},
			{Name: "length", Kind: model.Whole, Min: &one, Max: &most, Meaning: "periods in the season",
				Auto: "the cadence's shortest; long ones by harmonics"},
			{Name: "season", Kind: model.Choice, Choices: []string{"none"}, Meaning: "none leaves out every season", Auto: "as the data say"},
			{Name: "constant", Kind: model.Switch, Meaning: "of a given order: a mean, or with one difference a drift",
				Auto: "a mean where nothing is differenced"},
			{Name: "transform", Kind: model.Choice, Choices: []string{"none", "log", "box-cox"}, Meaning: "scale on which the model works",
				Auto: "none or log, as the data say"},
			{Name: "harmonics", Kind: model.Whole, Min: &none, Max: &pairs, Meaning: "pairs of sine and cosine of each long season",
				Auto: "as many as are worth it"},
			{Name: "drivers", Kind: model.Switch, Default: false, Meaning: "regress on the drivers, with ARIMA errors"},
			{Name: "events", Kind: model.Switch, Default: false, Meaning: "regress on the events, with ARIMA errors"},
		}, single.UsualSettings()...),
		New: func(v model.Values) (model.Model, error) {
			m, err := methodOf(v)
			return single.Model(m, single.BoundsOf(v)), err
		},
		Read: single.Read,
	}}
}

func methodOf(v model.Values) (m Method, err error) {
	m.Transform, m.NoSeason, m.Season = v.Text("transform", ""), v.Text("season", "") == "none", v.Int("length", 0)
	m.Drivers, _ = v["drivers"].(bool)
	m.Events, _ = v["events"].(bool)
	if c, ok := v["constant"].(bool); ok {
		m.Constant = &c
	}
	if n, ok := v["harmonics"].(int); ok {
		m.Pairs = &n
	}
	if list := v.Names("order"); list != nil {
		short, err := parseTriple(list)
		if err != nil {
			return m, err
		}
		o := Order{P: short[0], D: short[1], Q: short[2]}
		if list := v.Names("seasonal"); list != nil {
			long, err := parseTriple(list)
			if err != nil {
				return m, err
			}
			o.SP, o.SD, o.SQ = long[0], long[1], long[2]
		}
		m.Order = &o
	}
	return m, nil
}
