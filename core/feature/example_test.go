package feature_test

import (
	"fmt"

	"paperkettle/core/feature"
	"paperkettle/core/panel"
)

// Lines in plain words become columns; for an origin and a step each is a number that was known
// then.
func ExampleParse() {
	v := panel.NewView(shop(14), []int{0, 1}, 0, 9).WithAhead(nil, 3)
	recipe, _ := feature.Parse([]string{"lag 1 to 2", "mean 3", "price"}, feature.SettingOf(v, 3))
	s := v.Series(0) // 0, 1, 2 ... 9
	rows, _ := recipe.Lay(s, s.Values, 3, nil)
	x := make([]float64, len(recipe.Columns))
	rows.Fill(9, 2, x)
	for k, c := range recipe.Columns {
		fmt.Println(c.Name, x[k])
	}
	// Output:
	// lag 1 9
	// lag 2 8
	// mean 3 8
	// price 3
}
