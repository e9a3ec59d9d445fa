package catalogue_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Growth that each series has of its own is no season of the year: of four years of days that grow, or shrink, by up to half a
// year, linear is off by hardly more than the noise is.
func TestGrowthIsNoSeason(t *testing.T) {
	t.Parallel()
	const series, n, h = 8, 1460, 28
	rnd := rand.New(rand.NewPCG(5, 11))
	var values, truth [][]float64
	for range series {
		slope, level, y := 0.5*rnd.NormFloat64()/365, 0.0, make([]float64, n+h)
		for t := range y {
			level = 0.6*level + 0.04*rnd.NormFloat64()
			y[t] = 300 * math.Exp(slope*float64(t)+level+0.2*math.Sin(2*math.Pi*float64(t)/7)+0.05*rnd.NormFloat64())
		}
		values, truth = append(values, y[:n]), append(truth, y[n:])
	}
	p, miss := panelOf(daily, values), 0.0
	for i, rows := range forecasts(t, "linear", nil, p, h) {
		for k, mean := range rows.Mean {
			miss += math.Abs(mean/truth[i][k]-1) / series / h
		}
	}
	t.Logf("off by %.3f", miss)
	assert.Less(t, miss, 0.07) // 0.06 is what nobody can foretell
}
