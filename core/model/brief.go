package model

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// Briefer is a Trained that can say in a few words what it found for a series, without working out a
// whole description.
type Briefer interface{ Brief(i int) string }

// Brief says in a few words what a trained model found for the i-th series: a form's letters, orders,
// parts, or the shares of a mix. It is empty where there was nothing to find.
func Brief(t Trained, i int) string {
	if b, ok := t.(Briefer); ok {
		return b.Brief(i)
	}
	return ""
}

// Brief is what the i-th series' fit says of itself.
func (t *trainedSeries) Brief(i int) string {
	fit, err := t.fit(i)
	if err != nil {
		return ""
	}
	if b, ok := fit.(interface{ Brief() string }); ok {
		return b.Brief()
	}
	return ""
}

// Shares names the parts of a mix with their shares of all weights, the largest first; a single part
// by its name alone. Parts of less than a tenth are left out.
func Shares(names []string, weights []float64) string {
	type share struct {
		name   string
		weight float64
	}
	total := 0.0
	for _, w := range weights {
		total += w
	}
	var list []share
	for i, w := range weights {
		if w >= total/10 && w > 0 {
			list = append(list, share{names[i], w / total})
		}
	}
	if len(list) == 1 {
		return list[0].name
	}
	slices.SortStableFunc(list, func(a, b share) int { return cmp.Compare(b.weight, a.weight) })
	words := make([]string, len(list))
	for i, s := range list {
		words[i] = fmt.Sprintf("%s %.0f %%", s.name, 100*s.weight)
	}
	return strings.Join(words, ", ")
}
