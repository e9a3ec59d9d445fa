package linear

import (
	"paperkettle/core/feature"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// Families is the linear regression.
func Families() model.Catalogue {
	none, one, few := 0.0, 1.0, 10.0
	return model.Catalogue{{
		Name:      "linear",
		Version:   23, // how far errors lean
		Summary:   "Linear regression on the series' own past, the calendar, drivers and events; one equation a step, or one that goes on from itself.",
		Reference: "Marcellino, Stock and Watson, Journal of Econometrics 135, 2006",
		Settings: append([]model.Setting{
			{Name: "uses", Kind: model.Choice, Choices: []string{"both", "own-past", "drivers"}, Default: "both",
				Meaning: "what the equations rest on: the series' own past, calendar, drivers and events, or both"},
			{Name: "features", Kind: model.List, Meaning: "the columns, line by line, as \"lag 1 to 4\", \"mean 8\", \"month as levels\", \"price " +
				"log\"; see \"series features\"", Auto: "what suits the cadence, the length and uses"},
			{Name: "steps", Kind: model.Choice, Choices: []string{"direct", "recursive", "averaged"},
				Meaning: "an equation a step, one that goes on from its own forecasts, or the mean of both", Auto: "by inner windows"},
			{Name: "penalty", Kind: model.Choice, Choices: []string{"ridge", "lasso", "elastic-net", "none"}, Default: "ridge",
				Meaning: "how coefficients are held: by squares, by sizes, by both, or not at all"},
			{Name: "share", Kind: model.Amount, Min: &none, Max: &one, Default: 0.5, Meaning: "of an elastic net's penalty, the part on sizes"},
			{Name: "strength", Kind: model.Amount, Min: &none, Meaning: "how strongly they are held", Auto: "by inner windows along a path"},
			{Name: "scale", Kind: model.Choice, Choices: []string{"level", "log", "both", "difference"},
				Meaning: "where it works: on the values, their logs, the mean of both, or on changes",
				Auto:    "logs where the data say so; the mean of both, and changes, where inner windows say so"},
			{Name: "memory", Kind: model.Whole, Min: &few, Meaning: "of how many of the last periods it learns",
				Auto: "all, or fewer where inner windows say so"},
			{Name: "together", Kind: model.List, Meaning: "series with the same value of this attribute share their equations, with intercepts of " +
				"their own; all, or none", Auto: "all"},
			{Name: "robust", Kind: model.Switch, Default: true, Meaning: "values far from their neighbours count for nothing"},
			{Name: "intervals", Kind: model.Choice, Choices: []string{"errors", "quantiles"}, Default: "errors",
				Meaning: "from the errors of each step, or by quantile regression, wider where errors have been wide"},
		}, single.UsualSettings()...),
		New: func(v model.Values) (model.Model, error) {
			return trainable(methodOf(v), single.GroupedBy(v), single.BoundsOf(v)), nil
		},
		Suits: func(v model.Values, view panel.View, horizon int) error {
			if err := single.CheckGroup(view, single.GroupedBy(v), single.Everything); err != nil {
				return err
			}
			_, err := feature.Parse(v.Names("features"), feature.SettingOf(view, horizon))
			return err
		},
		Pools: func(v model.Values) bool { return single.GroupedBy(v) != "" },
		Read:  single.Read,
	}}
}

func methodOf(v model.Values) Method {
	m := Method{Lines: v.Names("features"), Steps: v.Text("steps", ""), Memory: v.Int("memory", 0), Penalty: v.Text("penalty", "ridge"),
		Scale: v.Text("scale", ""), Quantiles: v.Text("intervals", "") == "quantiles"}
	if m.Scale == "both" {
		m.Scale, m.logs, m.twin = "", new(bool), true
		*m.logs = true
	}
	uses := v.Text("uses", "both")
	m.Own, m.Outside = uses != "drivers", uses != "own-past"
	m.Share, _ = v["share"].(float64)
	m.Robust, _ = v["robust"].(bool)
	if strength, ok := v["strength"].(float64); ok {
		m.Strength = &strength
	}
	return m
}
