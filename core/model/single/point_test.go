package single

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
)

// leaning are tallies of series whose values are lognormal, forecast by a distribution that leans as much
// as a factor says: 1 is the truth, 0 a distribution whose median is the truth's mean.
func leaning(series int, factor float64) []Tally {
	const sigma = 0.8
	rnd := rand.New(rand.NewPCG(4, 4))
	mean := math.Exp(sigma * sigma / 2)
	median := mean + factor*(1-mean)
	list := make([]Tally, series)
	trial := Trial{Horizon: 4, Stride: 4}
	for i := range list {
		for range 6 {
			var h Heart
			actual := make([]float64, 4)
			for k := range actual {
				actual[k] = math.Exp(sigma * rnd.NormFloat64())
				h.Low, h.Middle, h.High, h.Mean = append(h.Low, 0.3), append(h.Middle, median), append(h.High, 3), append(h.Mean, mean)
			}
			trial.Take(&list[i], h, actual)
		}
	}
	return list
}

// Where absolute errors rank and many series tell, points go to the median as far as it is one: all the
// way where the distribution leans as it should, half where its median lies too far, nowhere where there
// is nothing between them, few series, or squares that rank.
func TestPointsByWhatRanks(t *testing.T) {
	assert.Equal(t, 1.0, Pooled(leaning(60, 1)).Point)
	assert.Equal(t, 0.5, Pooled(leaning(60, 2)).Point)
	assert.Zero(t, Pooled(leaning(60, -1)).Point)
	assert.Zero(t, Pooled(leaning(5, 1)).Point, "too few series")
	w := Pooled(leaning(60, 1))
	assert.Zero(t, w.RankedBy(model.SquaredErrors).Point)
	assert.Zero(t, w.RankedBy(model.BothErrors).Point)
	assert.Equal(t, 1.0, leaning(1, 1)[0].Toward(w.RankedBy(model.AbsoluteErrors)).Point, "a series takes what all say")

	rows := forecast.NewRows(1)
	rows.Mean[0] = 9
	for g := range rows.Quantiles {
		rows.Quantiles[g] = float64(g)
	}
	middle := rows.At(0)[forecast.Median]
	w.Point = 0.5
	w.Stretch(rows, 0)
	assert.InDelta(t, (9+middle)/2, rows.Mean[0], 1e-12)
	assert.Equal(t, middle, rows.At(0)[forecast.Median])
}
