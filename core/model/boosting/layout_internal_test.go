package boosting

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// Trees learn from origins before which the year was known where it is known in the end, and from all where it never is, or
// always was.
func TestOriginsBeginWhereTheYearIsKnown(t *testing.T) {
	for _, c := range []struct {
		days int
		size float64
		from func(t *testing.T, all, left []int)
	}{
		{520, 0.4, func(t *testing.T, _, left []int) { assert.Empty(t, left) }},
		{850, 0.4, func(t *testing.T, all, left []int) {
			require.NotEmpty(t, left)
			assert.Greater(t, left[0], all[0])
			assert.Equal(t, all[len(all)-len(left):], left)
		}},
		{1300, 0.4, func(t *testing.T, all, left []int) { assert.Equal(t, all, left) }},
		{850, 0, func(t *testing.T, all, left []int) { assert.Equal(t, all, left) }},
	} {
		p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: c.days}
		var places []int
		for i := range 10 {
			rnd, s := rand.New(rand.NewPCG(2, uint64(i))), panel.Series{Key: fmt.Sprint(i)}
			for day := range c.days {
				s.Values = append(s.Values, 50*math.Exp(0.1*rnd.NormFloat64()+c.size*math.Sin(2*math.Pi*float64(day)/365.25)))
			}
			p.Series, places = append(p.Series, s), append(places, i)
		}
		v := panel.NewView(p, places, 0, c.days-1)
		lay, err := Model{}.layout(v, 28)
		require.NoError(t, err)
		all := lay.Origins
		require.NoError(t, lay.ripen(context.Background(), v, 2))
		t.Logf("%d days, %g: %d of %d origins", c.days, c.size, len(lay.Origins), len(all))
		c.from(t, all, lay.Origins)
		if len(lay.Origins) > 0 {
			assert.Equal(t, lay.Origins[0], lay.Anew[0])
		}
		assert.Equal(t, len(lay.Origins) == 0, lay.Short != "")
	}
}

// Where nothing was held out bases weigh alike; an exact one takes all.
func TestWeights(t *testing.T) {
	untold := []*attempt{{name: "additive"}, {name: "linear"}}
	weigh(untold)
	assert.Equal(t, []float64{0.5, 0.5}, []float64{untold[0].weight, untold[1].weight})
	told := func(a, b float64) []*attempt {
		rows := &rows{lay: &Layout{Horizon: 1}}
		return []*attempt{{trees: Grove{{}}, loss: a, rows: rows}, {trees: Grove{{}}, loss: b, rows: rows}}
	}
	exact := told(0, 1)
	weigh(exact)
	assert.Equal(t, []float64{1, 0}, []float64{exact[0].weight, exact[1].weight})
	second := told(1.2, 1)
	weigh(second)
	assert.InDelta(t, 1, second[0].weight+second[1].weight, 1e-12)
	assert.Greater(t, second[0].weight, 0.8, "the first is kept to where few windows tell")
}
