package additive

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// Families is the additive regression.
func Families() model.Catalogue {
	none, most, few := 0.0, 100.0, 10.0
	return model.Catalogue{{
		Name:      "additive",
		Version:   20, // how far errors lean
		Summary:   "Adds up trend, seasons, events and drivers by one regression, with errors that remember; in logs the parts multiply.",
		Reference: "Harvey and Peters, Journal of Forecasting 9, 1990",
		Settings: append([]model.Setting{
			{Name: "trend", Kind: model.Choice, Choices: []string{"flat", "straight", "bending", "saturating"}, Meaning: "kind of trend",
				Auto: "flat, straight or bending, as the data show"},
			{Name: "ceiling", Kind: model.Amount, Meaning: "what a saturating trend stays below", Auto: "none: a saturating trend needs one"},
			{Name: "floor", Kind: model.Amount, Default: 0.0, Meaning: "what a saturating trend stays above"},
			{Name: "level", Kind: model.Choice, Choices: []string{steady, wandering},
				Meaning: "whether the level keeps to the trend or wanders off it", Auto: "by inner windows"},
			{Name: "memory", Kind: model.Whole, Min: &few, Meaning: "of how many of the last periods it learns",
				Auto: "all, or fewer where inner windows say so"},
			{Name: "bends", Kind: model.Whole, Min: &none, Max: &most, Meaning: "places at which a bending trend may bend",
				Auto: "twice the root of the length, 40 at most"},
			{Name: "last-bend", Kind: model.Whole, Min: &none, Meaning: "how many periods before the end the last may lie",
				Auto: "twice the root of the length, 10 at least"},
			{Name: "stiffness", Kind: model.Amount, Min: &none, Default: 1.0, Meaning: "how much a bend has to explain to be taken, against the usual"},
			{Name: "parts", Kind: model.Choice, Choices: []string{"add", "multiply"}, Meaning: "whether parts add or multiply", Auto: "as the data say"},
			{Name: "growing", Kind: model.List, Meaning: "where parts add, those that grow and shrink with the trend all the same: seasons, " +
				"events, drivers, or some by their names", Auto: "none; where parts multiply all do"},
			{Name: "seasons", Kind: model.List, Meaning: "none, or some of: day, week, year, a number of periods; each may go on \"as levels\", " +
				"\"as harmonics 4\", \"when month 6 to 8\", \"when NAME\" of a driver or event", Auto: "those of the cadence that the length shows"},
			{Name: "events", Kind: model.Switch, Default: true, Meaning: "take the dataset's events"},
			{Name: "around", Kind: model.Whole, Min: &none, Max: &most, Default: 1, Meaning: "days before and after an event with effects of their own"},
			{Name: "drivers", Kind: model.Switch, Default: true, Meaning: "take the drivers that are known ahead"},
			{Name: "driver-lines", Kind: model.Choice, Choices: []string{straightLines, bentLines},
				Meaning: "whether a driver that takes many values does the same by each unit, or other things in each third of its values",
				Auto:    "by inner windows"},
			{Name: "signs", Kind: model.List, Meaning: "effects that may go one way only, as \"price negative\" or \"promotion positive\"",
				Auto: "either way"},
			{Name: "hold", Kind: model.Amount, Min: &none, Default: 1.0,
				Meaning: "how strongly effects of events and drivers are held towards zero, against the usual"},
			{Name: "together", Kind: model.List, Meaning: "series with the same value of this attribute lean on each other's effects of events and " +
				"drivers; all, or none", Auto: "all"},
			{Name: "robust", Kind: model.Switch, Default: true, Meaning: "outliers count for nothing"},
		}, single.UsualSettings()...),
		New: func(v model.Values) (model.Model, error) {
			m, err := methodOf(v)
			if err != nil {
				return nil, err
			}
			if by := sharedBy(v); by != "" {
				return single.Together(together{method: m}, by, single.BoundsOf(v)), nil
			}
			return single.Model(m, single.BoundsOf(v)), nil
		},
		Pools: func(v model.Values) bool { return sharedBy(v) != "" },
		Suits: suits,
		Read:  single.Read,
	}}
}

// suits refuses conditions, signs and groups that name what the dataset lacks.
func suits(v model.Values, view panel.View, _ int) error {
	if err := single.CheckGroup(view, sharedBy(v), single.Everything); err != nil {
		return err
	}
	m, err := methodOf(v)
	if err != nil {
		return err
	}
	names := namesIn(view)
	for _, w := range m.Seasons {
		if w.when != nil && w.when.Name != "" && !slices.Contains(names, w.when.Name) {
			return fmt.Errorf("a season when %s: there is no such driver or event; there are %s", w.when.Name, strings.Join(names, ", "))
		}
	}
	for _, name := range slices.Sorted(maps.Keys(m.Signs)) {
		if !slices.Contains(names, name) {
			return fmt.Errorf("a sign of %s: there is no such driver or event; there are %s", name, strings.Join(names, ", "))
		}
	}
	return nil
}

// namesIn lists the drivers and events of a view.
func namesIn(v panel.View) (out []string) {
	for _, d := range v.Drivers() {
		out = append(out, d.Name)
	}
	for i := range v.Len() {
		for _, e := range v.Series(i).Events() {
			if !slices.Contains(out, e.Name) {
				out = append(out, e.Name)
			}
		}
	}
	return out
}

// sharedBy is the attribute that groups what is shared, or all; empty for nothing.
func sharedBy(v model.Values) string {
	events, _ := v["events"].(bool)
	drivers, _ := v["drivers"].(bool)
	switch by := strings.Join(v.Names("together"), ","); {
	case by == "none", !events && !drivers:
		return ""
	case by == "":
		return single.Everything
	default:
		return by
	}
}

func methodOf(v model.Values) (Method, error) {
	m := Method{Trend: v.Text("trend", ""), Bends: v.Int("bends", -1), LastBend: v.Int("last-bend", -1), Parts: v.Text("parts", ""),
		Around: v.Int("around", 1), Level: v.Text("level", ""), Memory: v.Int("memory", 0)}
	m.Straight, m.Bent = v.Text("driver-lines", "") == straightLines, v.Text("driver-lines", "") == bentLines
	m.Growing = v.Names("growing")
	m.Stiffness, _ = v["stiffness"].(float64)
	m.Floor, _ = v["floor"].(float64)
	m.Hold, _ = v["hold"].(float64)
	m.Drivers, _ = v["drivers"].(bool)
	m.Events, _ = v["events"].(bool)
	m.Robust, _ = v["robust"].(bool)
	if ceiling, ok := v["ceiling"].(float64); ok {
		if ceiling <= m.Floor {
			return m, fmt.Errorf("the ceiling %g does not lie above the floor %g", ceiling, m.Floor)
		}
		m.Ceiling = &ceiling
	}
	if len(m.Growing) > 0 && m.Parts != "add" {
		return m, fmt.Errorf("parts that grow with the trend are named where the others add: set parts to add")
	}
	if m.Trend == "saturating" && m.Parts != "" {
		return m, fmt.Errorf("a saturating trend works in log odds: leave parts out")
	}
	return m, m.parse(v)
}

// parse reads the lists: seasons and signs.
func (m *Method) parse(v model.Values) error {
	names := v.Names("seasons")
	if slices.Equal(names, []string{"none"}) {
		m.Seasons = []wish{}
		names = nil
	}
	for _, text := range names {
		w, err := parseWish(text)
		if err != nil {
			return err
		}
		m.Seasons = append(m.Seasons, w)
	}
	for _, text := range v.Names("signs") {
		name, sign, ok := cutLast(text)
		if !ok || sign != "negative" && sign != "positive" {
			return fmt.Errorf("%q is no sign: say \"price negative\" or \"promotion positive\"", text)
		}
		if m.Signs == nil {
			m.Signs = map[string]int{}
		}
		m.Signs[name] = map[string]int{"negative": -1, "positive": 1}[sign]
	}
	return nil
}

func cutLast(text string) (before, after string, ok bool) {
	at := strings.LastIndex(text, " ")
	if at < 0 {
		return "", "", false
	}
	return strings.TrimSpace(text[:at]), text[at+1:], true
}
