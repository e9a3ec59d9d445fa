package boosting

import (
	"fmt"
	"strings"

	"paperkettle/core/model"
)

// Describe explains the fit of the base that weighs most, and what trees add to it.
func (t *Trained) Describe(i int) model.Description {
	f, j := t.find(i)
	if f == nil || f.Failed != "" || len(f.Stems) == 0 {
		return model.Description{Form: "not fitted", Cautions: []string{f.Failed}}
	}
	main := f.main()
	d := main.base.Describe(j)
	var parts []string
	for _, p := range f.Stems {
		words := p.Base + " alone"
		if p.Trees != nil {
			words = fmt.Sprintf("%s, corrected by %d trees", p.Base, len(p.Trees.Trees))
		}
		if len(f.Stems) > 1 {
			words += fmt.Sprintf(" (%.0f %%)", 100*p.Weight)
		}
		parts = append(parts, words)
	}
	d.Form = strings.Join(parts, ", and ") + "; " + main.Base + ": " + d.Form
	d.Criterion, d.Choices = "mean absolute error on held-out inner windows of all series, in units of the recent size", f.Tried
	if f.Layout.Short != "" {
		d.Cautions = append(d.Cautions, f.Layout.Short+": no trees were grown")
	}
	return d
}
