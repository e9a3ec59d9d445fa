package catalogue_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/davecgh/go-spew/spew"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// What is written and read back tells, forecasts and draws the same as before, for every
// family: a fit that is kept need not be made anew to be explained.
func TestReadBackTellsTheSame(t *testing.T) {
	t.Parallel()
	const n, h = 120, 6
	p := noisy(5, n, 12)
	explain(p, 2, 2, h)
	v := panel.NewView(p, all(p), 0, n-1)
	type kept struct {
		family   string
		settings model.Values
	}
	list := []kept{{"linear", model.Values{"scale": "both"}}}
	for _, family := range own() {
		list = append(list, kept{family, nil})
	}
	for _, k := range list {
		family := k.family
		t.Run(fmt.Sprint(family, k.settings), func(t *testing.T) {
			f, err := whole().Find(family)
			require.NoError(t, err)
			before, _ := trainOn(t, family, k.settings, p, n-1, h)
			b, err := model.Write(before)
			require.NoError(t, err)
			after, err := f.Read(b)
			require.NoError(t, err)
			require.NoError(t, after.Advance(t.Context(), v), "it learns of its series")
			assert.Equal(t, result(t, before, v, h), result(t, after, v, h))
			for i := range p.Series {
				assert.Equal(t, text(before.Describe(i)), text(after.Describe(i)))
				was, ok := before.(model.Fitted)
				if !ok {
					continue
				}
				is, ok := after.(model.Fitted)
				require.True(t, ok)
				values, _ := v.Values(i)
				assert.Equal(t, text(was.Fitted(i, len(values))), text(is.Fitted(i, len(values))))
			}
			if draws, ok := before.(model.Pather); ok {
				assert.Equal(t, futures(draws, v, h), futures(after.(model.Pather), v, h))
			}
		})
	}
}

// text is a value as text, in which what is unknown equals itself.
func text(v any) string {
	return (&spew.ConfigState{Indent: " ", DisablePointerAddresses: true, DisableCapacities: true, SortKeys: true}).Sdump(v)
}

// futures are the paths of every series, or why there are none.
func futures(p model.Pather, v panel.View, h int) map[int]any {
	out := map[int]any{}
	_ = p.Paths(context.Background(), v, h, 20, func(i int, paths []float64, err error) {
		if err != nil {
			out[i] = err.Error()
			return
		}
		out[i] = paths
	})
	return out
}
