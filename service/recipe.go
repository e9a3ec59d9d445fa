package service

import (
	"encoding/json"
	"reflect"
	"slices"

	"paperkettle/api"
	"paperkettle/store"
)

// fleeting are the parts of a load that say nothing of the next one, and those that the dataset
// itself remembers.
var fleeting = []string{"file", "connection", "format", "from", "to", "gaps", "floor", "closed"}

// recipeText is what is kept of how a dataset was loaded.
func recipeText(cols api.LoadColumns) (string, error) {
	for o := range cols.Each() {
		if slices.Contains(fleeting, o.Name) {
			reflect.ValueOf(o.Value).Elem().SetZero()
		}
	}
	b, err := json.Marshal(cols)
	return string(b), err
}

// recipeOf is how a dataset was loaded. Of a revision that kept none it is what the data shows.
func recipeOf(rev *store.Revision, m store.PanelMeta) (out api.LoadColumns, err error) {
	if rev.Recipe != "" {
		err = json.Unmarshal([]byte(rev.Recipe), &out)
		return out, err
	}
	out = api.LoadColumns{Time: m.Time, Wide: m.Time == "", Measure: api.JoinNames([]string{m.Measure}), Codes: m.Codes}
	for _, a := range m.Attributes {
		out.By = append(out.By, a.Name)
	}
	for _, d := range m.Drivers {
		if d.Attached {
			continue
		}
		out.Drivers = append(out.Drivers, d.Name)
		if d.KnownAhead {
			out.KnownAhead = append(out.KnownAhead, d.Name)
		}
	}
	return out, nil
}

// completed is a load's columns, with what was taken from how the dataset was loaded before.
type completed struct {
	columns  api.LoadColumns
	asBefore []string // in words
	lacking  []string // drivers that the file may lack, since nobody named them now
}

// likeRecipe takes from a recipe what a load leaves out.
func likeRecipe(cols, recipe api.LoadColumns) completed {
	out := completed{columns: cols}
	lifted := len(cols.Where) == 1 && cols.Where[0] == "all"
	if lifted {
		out.columns.Where = nil
	}
	if cols.Time != "" {
		recipe.Wide = false
	}
	if cols.Wide {
		recipe.Time, recipe.Codes = "", ""
	}
	if cols.FirstDay != "" || cols.Cadence != "" {
		recipe.FirstDay, recipe.Cadence = "", ""
	}
	if cols.Drivers != nil {
		recipe.KnownAhead = slices.DeleteFunc(slices.Clone(recipe.KnownAhead), func(d string) bool { return !slices.Contains(cols.Drivers, d) })
	} else {
		out.lacking = recipe.Drivers
	}
	before := map[string]api.ColumnOption{}
	for o := range recipe.Each() {
		before[o.Name] = o
	}
	for o := range out.columns.Each() {
		b := before[o.Name]
		if o.Given() || !b.Given() || slices.Contains(fleeting, o.Name) || lifted && o.Name == "where" {
			continue
		}
		reflect.ValueOf(o.Value).Elem().Set(reflect.ValueOf(b.Value).Elem())
		out.asBefore = append(out.asBefore, o.Name+" "+b.Text())
	}
	return out
}
