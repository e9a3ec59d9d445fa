package additive

import (
	"paperkettle/core/model"
	"paperkettle/core/model/single"
)

// Families is the additive regression.
func Families() model.Catalogue {
	none, most, share, whole := 0.0, 100.0, 0.5, 1.0
	return model.Catalogue{{
		Name:      "additive",
		Summary:   "Adds up trend, seasons, events and drivers by one regression, with errors that remember; in logs the parts multiply.",
		Reference: "Harvey and Peters, Journal of Forecasting 9, 1990",
		Settings: append([]model.Setting{
			{Name: "trend", Kind: model.Choice, Choices: []string{"flat", "straight", "bending"}, Default: "bending", Meaning: "kind of trend"},
			{Name: "bends", Kind: model.Whole, Min: &none, Max: &most, Default: 25, Meaning: "places at which a bending trend may bend"},
			{Name: "bends-until", Kind: model.Amount, Min: &share, Max: &whole, Default: 0.9, Meaning: "part of the history in which they lie"},
			{Name: "parts", Kind: model.Choice, Choices: []string{"add", "multiply"}, Meaning: "whether parts add or multiply", Auto: "as the data say"},
			{Name: "events", Kind: model.Switch, Default: true, Meaning: "take the dataset's events"},
			{Name: "around", Kind: model.Whole, Min: &none, Max: &most, Default: 1, Meaning: "days before and after an event with effects of their own"},
			{Name: "drivers", Kind: model.Switch, Default: true, Meaning: "take the drivers that are known ahead"},
			{Name: "robust", Kind: model.Switch, Default: true, Meaning: "outliers count for nothing"},
		}, single.BoundSettings()...),
		New: func(v model.Values) (model.Model, error) {
			m := Method{Trend: v.Text("trend", "bending"), Bends: v.Int("bends", 25), Parts: v.Text("parts", ""), Around: v.Int("around", 1)}
			m.Reach, _ = v["bends-until"].(float64)
			m.Drivers, _ = v["drivers"].(bool)
			m.Events, _ = v["events"].(bool)
			m.Robust, _ = v["robust"].(bool)
			return single.Model(m, single.BoundsOf(v)), nil
		},
		Read: single.Read,
	}}
}
