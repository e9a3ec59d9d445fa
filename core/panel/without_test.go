package panel_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/panel"
)

// A view without some values leaves the panel and other views as they are, from every origin, and one taken
// of it leaves out more.
func TestAViewWithoutValues(t *testing.T) {
	p := &panel.Panel{Length: 5, Series: []panel.Series{{Key: "a", Values: []float64{1, 2, 3, 4, 5}},
		{Key: "b", First: 2, Values: []float64{7, 8, 9}}}}
	whole := panel.NewView(p, []int{0, 1}, 0, 4)
	v := whole.Without(map[int][]int{1: {3}})
	values, first := v.Values(1)
	assert.Equal(t, 2, first)
	assert.Equal(t, []bool{true, false, true}, known(values))
	values, _ = v.Before(3).Pick([]int{1}).Values(0)
	assert.Equal(t, []bool{true, false}, known(values), "picked, and from an earlier origin")
	values, _ = v.Without(map[int][]int{0: {1}}).Values(1)
	assert.Equal(t, []bool{true, false, true}, known(values), "still without")
	values, _ = v.Without(map[int][]int{1: {4}}).Values(1)
	assert.Equal(t, []bool{true, false, false}, known(values), "without both")
	for i, n := range []int{5, 3} {
		values, _ = whole.Values(i)
		assert.Equal(t, n, panel.CountKnown(values), "the view that it was made of")
	}
	assert.Equal(t, []float64{7, 8, 9}, p.Series[1].Values)
}

// Other values in place of a series' own stand from its first known period on, and leave the rest as it is.
func TestAViewWithOtherValues(t *testing.T) {
	p := &panel.Panel{Length: 6, Series: []panel.Series{{Key: "a", Values: []float64{1, 2, 3, 4, 5, 6}},
		{Key: "b", First: 1, Values: []float64{panel.Unknown, 7, 8, 9}}}}
	whole := panel.NewView(p, []int{0, 1}, 0, 4)
	v := whole.Instead(map[int][]float64{1: {70, 80, 90}}).Without(map[int][]int{1: {3}})
	values, first := v.Values(1)
	assert.Equal(t, 2, first, "the first known")
	assert.Equal(t, []float64{70, 90}, []float64{values[0], values[2]})
	assert.False(t, panel.Known(values[1]), "left out of the others")
	values, _ = v.Before(2).Values(1)
	assert.Equal(t, []float64{70}, values)
	values, _ = v.Values(0)
	assert.Equal(t, []float64{1, 2, 3, 4, 5}, values, "another series")
	values, _ = whole.Values(1)
	assert.Equal(t, []float64{7, 8, 9}, values, "the view that it was made of")
}

func known(values []float64) (out []bool) {
	for _, v := range values {
		out = append(out, panel.Known(v))
	}
	return out
}
