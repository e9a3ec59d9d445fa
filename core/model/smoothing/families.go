package smoothing

import (
	"strings"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// Families is exponential smoothing.
func Families() model.Catalogue {
	least, most := 1.0, 1000.0
	return model.Catalogue{{
		Name:      "smoothing",
		Version:   17, // how far errors lean
		Summary:   "Exponential smoothing: level, trend and season follow the series by weights found from it.",
		Reference: "Hyndman, Koehler, Ord and Snyder, Forecasting with Exponential Smoothing, 2008",
		Settings: append([]model.Setting{
			{Name: "form", Kind: model.Choice, Meaning: "error, trend and season in three letters", Auto: "the lowest AICc", Choices: names()},
			{Name: "trend", Kind: model.Choice, Meaning: "kind of trend", Auto: "the lowest AICc",
				Choices: []string{"none", "straight", "damped", "none-or-damped"}},
			{Name: "season", Kind: model.Choice, Meaning: "kind of season", Auto: "the lowest AICc", Choices: []string{"none", "additive", "multiplicative"}},
			{Name: "errors", Kind: model.Choice, Meaning: "kind of errors", Auto: "the lowest AICc", Choices: []string{"additive", "multiplicative"}},
			{Name: "length", Kind: model.Whole, Min: &least, Max: &most, Meaning: "periods in the season",
				Auto: "the cadence's seasons; long ones by harmonics"},
			{Name: "together", Kind: model.List, Meaning: "series with the same value of this attribute, or all, share a form",
				Auto: "each series has its own"},
			{Name: "choose", Kind: model.Choice, Choices: []string{"averaged", "lowest"}, Default: "averaged",
				Meaning: "the forms near the lowest AICc mixed by their weights, or the lowest alone"},
		}, single.UsualSettings()...),
		New: func(v model.Values) (model.Model, error) {
			m, err := methodOf(v)
			return trainable(m, strings.Join(v.Names("together"), ","), single.BoundsOf(v)), err
		},
		Suits: func(v model.Values, view panel.View, _ int) error {
			return single.CheckGroup(view, strings.Join(v.Names("together"), ","), single.Everything)
		},
		Pools: func(v model.Values) bool { return len(v.Names("together")) > 0 },
		Read:  single.Read,
	}}
}

func names() (out []string) {
	for _, f := range Forms() {
		out = append(out, f.String())
	}
	return out
}

func methodOf(v model.Values) (Method, error) {
	m := Method{Season: v.Int("length", 0), Long: true}
	m.Averaged = v.Text("choose", "averaged") == "averaged"
	m.Allowed.Season, m.Allowed.Errors = v.Text("season", ""), v.Text("errors", "")
	switch v.Text("trend", "") {
	case "none":
		m.Allowed.Trends = []Trend{NoTrend}
	case "straight":
		m.Allowed.Trends = []Trend{Straight}
	case "damped":
		m.Allowed.Trends = []Trend{Damped}
	case "none-or-damped":
		m.Allowed.Trends = []Trend{NoTrend, Damped}
	}
	if text := v.Text("form", ""); text != "" {
		f, err := ParseForm(text)
		if err != nil {
			return m, err
		}
		m.Allowed.Form = &f
		m.Long = f.Season == 'N' // a season that is asked for by its letter has states
	}
	return m, nil
}
