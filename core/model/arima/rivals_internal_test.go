package arima

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
)

// Few values don't tell a walk from noise about a mean: both have a say wherever the criterion does not speak loudly, and
// none of what a test did not ask for walks in its slope.
func TestFewValuesAreDifferencedOrNot(t *testing.T) {
	const walks = 40
	both := 0
	for seed := range uint64(walks) {
		rnd := rand.New(rand.NewPCG(seed, 71))
		y, at := make([]float64, 9), 100.0
		for i := range y {
			at += 3 * rnd.NormFloat64()
			y[i] = at
		}
		state, err := Method{Transform: "none"}.Fit(t.Context(), inputOf(calendar.Year, y, 4))
		require.NoError(t, err)
		mix, ok := state.(*single.Mix)
		if !ok {
			continue
		}
		seen := map[int]bool{}
		for k, part := range mix.Parts {
			d := part.(*State).Order.D
			seen[d] = true
			assert.True(t, k == 0 || d < 2, "%s beside %s", mix.Names[k], mix.Names[0])
		}
		if seen[0] && seen[1] {
			both++
		}
	}
	assert.Greater(t, both, walks/4)
	assert.Less(t, both, walks)
	t.Logf("%d of %d", both, walks)
}
