package feature_test

import (
	"testing"

	"paperkettle/core/feature"
	"paperkettle/core/panel"
)

// Whatever line is declared, it is understood or refused; what is understood can be laid on a series,
// and no column of it that is known ahead needs a value of the measure that is not there yet.
func FuzzLines(f *testing.F) {
	for _, line := range []string{"lag 1 to 4", "season lag 1", "mean 8", "quantile 90 over 8", "price log change", "year as harmonics 4",
		"events around 1",
		"attribute town", "group mean 4 of town", "since Fair", "price carry 0.6", "mean 4 of price", "month as levels"} {
		f.Add(line)
	}
	f.Fuzz(func(t *testing.T, line string) {
		p := shop(40)
		v := panel.NewView(p, []int{0, 1}, 0, p.Length-1).WithAhead(nil, 4)
		setting := feature.SettingOf(v, 4)
		recipe, err := feature.Parse([]string{line}, setting)
		if err != nil {
			return
		}
		ahead, _ := recipe.Split()
		s := v.Series(0)
		rows, err := ahead.Lay(s, s.Values, 4, nil)
		if err != nil {
			return
		}
		x := make([]float64, len(ahead.Columns))
		for k := range 4 {
			rows.FillAhead(len(s.Values)+k, x)
		}
	})
}
