package neural

import (
	"fmt"
	"slices"

	"paperkettle/core/feature"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// Families are the networks.
func Families() model.Catalogue {
	return model.Catalogue{
		family(model.Family{
			Name: "perceptron",
			Summary: "A network of residual blocks on scaled windows of all series: it weighs plain forecasts of each step, corrects their mix " +
				"and gives quantiles.",
			Reference: "Oreshkin and others, ICLR 2020; Wen and others, A multi-horizon quantile recurrent forecaster, 2017",
		}, nil, 2, func(model.Values) string { return kindPerceptron }),
		family(model.Family{
			Name:    "recurrent",
			Summary: "A recurrent network that reads each window period by period, with its calendar, drivers and events, and then forecasts all steps.",
			Reference: "Hochreiter and Schmidhuber, Neural Computation 9, 1997; Cho and others, EMNLP 2014; Smyl, International Journal of " +
				"Forecasting 36, 2020",
		}, []model.Setting{{Name: "cell", Kind: model.Choice, Choices: []string{kindLSTM, kindGRU}, Default: kindLSTM,
			Meaning: "the gates of its units: lstm, or gru, which has fewer"},
			{Name: "steps", Kind: model.Choice, Choices: []string{"direct", "recursive"}, Default: "direct",
				Meaning: "all steps at once, or one after another, each from the forecasts before"}}, 1,
			func(v model.Values) string { return v.Text("cell", kindLSTM) }),
	}
}

// family adds what all networks have.
func family(f model.Family, own []model.Setting, layers float64, kind func(model.Values) string) model.Family {
	one, few, many, half, most, least, none, soonest := 1.0, 4.0, 1024.0, 0.8, 1000.0, 0.01, 0.0, 0.001
	ten := 10.0
	f.Settings = slices.Concat(own, []model.Setting{
		{Name: "window", Kind: model.Whole, Min: &few, Max: &many, Meaning: "of how many of the last values it sees each",
			Auto: "two seasons, from 16 to 64, or to 36 where they are read one by one"},
		{Name: "units", Kind: model.Whole, Min: &few, Max: &many, Meaning: "of a layer", Auto: "by the number of windows"},
		{Name: "layers", Kind: model.Whole, Min: &one, Max: &ten, Default: layers, Meaning: "one after another"},
		{Name: "members", Kind: model.Whole, Min: &one, Max: &ten, Default: 2.0,
			Meaning: "networks that start differently and are averaged; where they disagree, intervals are wider"},
		{Name: "passes", Kind: model.Amount, Min: &least, Max: &most, Meaning: "over all windows, at most",
			Auto: "by the number of windows; held-out windows end it sooner"},
		{Name: "dropout", Kind: model.Amount, Min: &none, Max: &half, Default: 0.1,
			Meaning: "share of the units that are left out at each batch of the training"},
		{Name: "output", Kind: model.Choice, Choices: []string{outQuantiles, outLikeliest, outNormal, outStudent, outCounts}, Default: outQuantiles,
			Meaning: "what a step's forecast is: quantiles, a distribution (normal, student, or counts: negative binomial), or the likeliest of these " +
				"on held-out windows"},
		{Name: "pace", Kind: model.Choice, Choices: []string{"cosine", "plateau"}, Default: "cosine",
			Meaning: "how the rate of learning falls: along a cosine over the training, or to three tenths whenever held-out windows gain no more"},
		{Name: "within", Kind: model.Amount, Min: &soonest, Meaning: "minutes that training may take: what is reached by then is kept",
			Auto: "as long as held-out windows gain"},
		{Name: "features", Kind: model.List, Meaning: "the columns known ahead, line by line, as \"month as levels\", \"price log\"; see " +
			"\"series features\"", Auto: "calendar, drivers and events"},
		{Name: "explain", Kind: model.Switch, Default: true,
			Meaning: "what the additive regression says of drivers and events is taken out first, and put back"},
		{Name: "anew", Kind: model.Switch, Default: false,
			Meaning: "a release starts over, instead of going on from what was trained for the last window"},
		{Name: "together", Kind: model.List, Meaning: "series with the same value of this attribute share a network; all, or none", Auto: "all"},
	}, single.BoundSettings())
	f.New = func(v model.Values) (model.Model, error) {
		m := Model{Kind: kind(v), Lines: v.Names("features"), By: single.GroupedBy(v), Window: v.Int("window", 0), Units: v.Int("units", 0),
			Layers: v.Int("layers", int(layers)), Members: v.Int("members", 2), Bounds: single.BoundsOf(v)}
		m.Onward = v.Text("steps", "") == "recursive"
		m.Within, _ = v["within"].(float64)
		m.Passes, _ = v["passes"].(float64)
		m.Dropout, _ = v["dropout"].(float64)
		m.Explain, _ = v["explain"].(bool)
		m.Output = v.Text("output", outQuantiles)
		m.Level = v.Text("pace", "") == "plateau"
		m.Anew, _ = v["anew"].(bool)
		return m, nil
	}
	f.Version = 14 // how far errors lean
	f.Pools = func(v model.Values) bool { return single.GroupedBy(v) != "" }
	f.Suits = func(v model.Values, view panel.View, horizon int) error {
		if err := single.CheckGroup(view, single.GroupedBy(v), single.Everything); err != nil {
			return err
		}
		recipe, err := feature.Parse(v.Names("features"), feature.SettingOf(view, horizon))
		if err != nil {
			return err
		}
		if _, past := recipe.Split(); len(past.Columns) > 0 {
			return fmt.Errorf("feature %q: networks see the past by themselves; name columns that are known ahead", past.Columns[0].Line)
		}
		return nil
	}
	f.Read = read
	return f
}
