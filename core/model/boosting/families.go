package boosting

import (
	"errors"
	"fmt"
	"strings"

	"paperkettle/core/feature"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// Families is boosting.
func Families() model.Catalogue {
	one, two, none, all, many := 1.0, 2.0, 0.001, 1.0, 2000.0
	return model.Catalogue{{
		Name:    "boosting",
		Version: 26, // how far errors lean
		Summary: "Boosted trees on what a simpler model leaves on inner windows of all series: calendar, drivers, events, attributes and the " +
			"recent past, in whatever combination tells.",
		Reference: "Friedman, Annals of Statistics 29, 2001; Montero-Manso and Hyndman, International Journal of Forecasting 37, 2021",
		Settings: append([]model.Setting{
			{Name: "from", Kind: model.Choice, Choices: []string{"additive", "linear", "smoothing", explained, "seasonal-naive", "naive"},
				Meaning: "the simpler model that trees start from; explained is of what the additive regression leaves of drivers and events",
				Auto:    "by inner windows"},
			{Name: "features", Kind: model.List, Meaning: "the columns, line by line, as \"lag 1 to 4\", \"month\", \"price change\"; see \"series " +
				"features\"", Auto: "calendar, drivers and events; the recent past is always there"},
			{Name: "together", Kind: model.List, Meaning: "series with the same value of this attribute share their trees; all, or none", Auto: "all"},
			{Name: "loss", Kind: model.Choice, Choices: []string{"squared", "absolute", "huber"}, Default: "huber", Meaning: "what trees make small"},
			{Name: "trees", Kind: model.Whole, Min: &one, Max: &many, Meaning: "how many at most", Auto: "as many as help on inner windows"},
			{Name: "leaves", Kind: model.Whole, Min: &two, Max: &many, Meaning: "of a tree, at most", Auto: "by the number of rows"},
			{Name: "rate", Kind: model.Amount, Min: &none, Max: &all, Meaning: "share of a tree's prediction that is added", Auto: "by the number of rows"},
			{Name: "steps", Kind: model.Choice, Choices: []string{shared, each, recursive}, Default: shared,
				Meaning: "the same trees for all steps, which see how far a step is; some for each; or those of the next step, which go on from what " +
					"they forecast"},
			{Name: "intervals", Kind: model.Choice, Choices: []string{byErrors, byQuantiles}, Default: byErrors,
				Meaning: "the base's own, by its errors, or by trees that learn quantiles; calibrated on held-out windows"},
			{Name: "signs", Kind: model.List, Meaning: "effects of drivers that may go one way only, as \"price negative\" or \"promotion " +
				"positive\"", Auto: "either way"},
		}, single.BoundSettings()...),
		New: func(v model.Values) (model.Model, error) {
			m := Model{Base: v.Text("from", ""), Lines: v.Names("features"), By: single.GroupedBy(v), Loss: v.Text("loss", "huber"),
				Trees: v.Int("trees", 0), Leaves: v.Int("leaves", 0), Signs: v.Names("signs"), Bounds: single.BoundsOf(v),
				Way: v.Text("steps", shared), Widths: v.Text("intervals", byErrors)}
			m.Rate, _ = v["rate"].(float64)
			return m, nil
		},
		Pools: func(v model.Values) bool { return single.GroupedBy(v) != "" },
		Suits: func(v model.Values, view panel.View, horizon int) error {
			if err := single.CheckGroup(view, single.GroupedBy(v), single.Everything); err != nil {
				return err
			}
			recipe, err := feature.Parse(v.Names("features"), feature.SettingOf(view, horizon))
			if err == nil && v.Names("features") == nil {
				recipe, err = feature.Parse(usual(feature.SettingOf(view, horizon)), feature.SettingOf(view, horizon))
			}
			if err == nil {
				err = noGroups(recipe)
			}
			if err == nil && v.Text("steps", shared) == recursive && len(v.Names("signs")) > 0 {
				err = errors.New("trees that go on from their own forecasts can't keep signs: set steps to shared or each")
			}
			if err == nil {
				_, err = Model{Signs: v.Names("signs")}.signsOf(recipe)
			}
			return err
		},
		Welcomes: true,
		Read:     read,
	}}
}

// noGroups refuses means over groups: they would have to be made anew for each inner origin.
func noGroups(r feature.Recipe) error {
	for k := range r.Columns {
		if c := &r.Columns[k]; c.OfGroup() {
			return fmt.Errorf("feature %q: boosting takes no means over groups; its trees see the attributes themselves", c.Line)
		}
	}
	return nil
}

// signsOf gives each column of a recipe the direction of its driver: 1, -1, or 0 for either.
func (m Model) signsOf(r feature.Recipe) ([]int, error) {
	out := make([]int, len(r.Columns))
	for _, line := range m.Signs {
		name, way, ok := cutLast(line)
		sign := map[string]int{"positive": 1, "negative": -1}[way]
		if !ok || sign == 0 {
			return nil, fmt.Errorf("sign %q: say a driver and positive or negative, as \"price negative\"", line)
		}
		found := false
		for k := range r.Columns {
			if r.Columns[k].IsDriver() && r.Columns[k].Name2 == name {
				out[k], found = sign, true
			}
		}
		if !found {
			return nil, fmt.Errorf("sign %q: no driver of the features is called %q", line, name)
		}
	}
	return out, nil
}

func cutLast(line string) (before, last string, ok bool) {
	at := strings.LastIndexByte(strings.TrimSpace(line), ' ')
	if at < 0 {
		return "", "", false
	}
	line = strings.TrimSpace(line)
	return strings.TrimSpace(line[:at]), line[at+1:], true
}
