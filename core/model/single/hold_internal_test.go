package single

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/forecast"
)

// What explodes is held to what the history justifies, in order; growth as seen goes on.
func TestHold(t *testing.T) {
	flat := []float64{10, 12, 11, 9, 10, 12, 11, 10}
	out := forecast.NewRows(2)
	out.Mean[0], out.Mean[1] = 11, 1e14
	for g := range out.At(0) {
		out.At(0)[g], out.At(1)[g] = 8+float64(g)/10, float64(g)*1e30
	}
	assert.True(t, Hold(flat, out))
	assert.Equal(t, 11.0, out.Mean[0])
	assert.LessOrEqual(t, out.Mean[1], 12+4*3.0)
	assert.NoError(t, out.Check())

	line := make([]float64, 12)
	for i := range line {
		line[i] = float64(2 + i)
	}
	far := forecast.NewRows(60)
	for h := range far.Mean {
		far.Mean[h] = float64(14 + h)
	}
	assert.False(t, Hold(line, far), "a line goes on for five times its length")

	grown := make([]float64, 48)
	for i := range grown {
		grown[i] = 100 * math.Pow(1.3, float64(i)/12)
	}
	year := forecast.NewRows(12)
	for h := range year.Mean {
		year.Mean[h] = 100 * math.Pow(1.3, float64(48+h)/12)
	}
	assert.False(t, Hold(grown, year), "30 % a year goes on")
}
