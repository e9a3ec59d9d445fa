package neural_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/model/neural"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

func env(horizon int) model.Env {
	return model.Env{Horizon: horizon, Workers: 2, Random: func(s string) *rand.Rand { return num.Stream(1, s) }}
}

func weekly(series, n int) *panel.Panel {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 7000, Length: n}
	for i := range series {
		rnd := rand.New(rand.NewPCG(3, uint64(i)))
		y := make([]float64, n)
		level := 50 + 100*rnd.Float64()
		for t := range y {
			level *= math.Exp(0.01 * rnd.NormFloat64())
			y[t] = level * (1 + 0.3*math.Sin(2*math.Pi*float64(t)/7+float64(i)) + 0.05*rnd.NormFloat64())
		}
		p.Series = append(p.Series, panel.Series{Key: string(rune('a' + i)), Values: y})
	}
	return p
}

func TestTry(t *testing.T) {
	p := weekly(10, 200)
	m, _, err := neural.Families().New("perceptron", nil)
	require.NoError(t, err)
	all := make([]int, 10)
	for i := range all {
		all[i] = i
	}
	v := panel.NewView(p, all, 0, 185)
	trained, err := m.Train(context.Background(), v, env(14))
	require.NoError(t, err)
	t.Log(trained.Describe(0))
	res, err := trained.Forecast(context.Background(), v, 14)
	require.NoError(t, err)
	for i := range res.Err {
		t.Log(res.Err[i], res.Series[i].Mean)
	}
}
