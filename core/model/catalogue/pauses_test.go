package catalogue_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// changed is how much a history differs from what it would have been, as a factor by place and by its length.
type changed func(k, n int) float64

func asItIs(int, int) float64 { return 1 }

// aside is the mean error of a family, as a part of the truth, on eight series with a season that were changed, and
// what it says of the first.
func aside(t *testing.T, family string, c calendar.Cadence, n, h, season int, history changed, future float64) (miss float64, d model.Description) {
	t.Helper()
	rnd := rand.New(rand.NewPCG(4, 8))
	var values, truth [][]float64
	for range 8 {
		level := 100 * math.Exp(0.5*rnd.NormFloat64())
		y, ahead := make([]float64, n), make([]float64, h)
		for k := range n + h {
			level *= math.Exp(0.005 * rnd.NormFloat64())
			v := level * math.Exp(0.25*math.Sin(2*math.Pi*float64(k)/float64(season)))
			if k >= n {
				ahead[k-n] = v * future
				continue
			}
			y[k] = math.Round(10*v*history(k, n)*math.Exp(0.08*rnd.NormFloat64())) / 10
		}
		values, truth = append(values, y), append(truth, ahead)
	}
	trained, v := trainOn(t, family, nil, panelOf(c, values), n-1, h)
	res := result(t, trained, v, h)
	for i, r := range res.Series {
		require.NoError(t, res.Err[i])
		for k, m := range r.Mean {
			miss += math.Abs(m/truth[i][k]-1) / float64(8*h)
		}
	}
	return miss, trained.Describe(0)
}

var setAside = append([]string{"boosting", "perceptron"}, unmoved...)

// Shops that were shut for eight months, lately or just a year ago, or into which hardly anybody was let, are
// forecast as if they had not been; so are those whose level moved by half, ten months ago.
func TestAPauseAndAMoveCostLittle(t *testing.T) {
	t.Parallel()
	for _, family := range setAside {
		usual, d := aside(t, family, monthly, 72, 12, 12, asItIs, 1)
		assert.Empty(t, d.LeftOut, family)
		for name, c := range map[string]changed{
			"shut lately":     func(k, n int) float64 { return float64(b(k < n-20 || k >= n-12)) },
			"shut a year ago": func(k, n int) float64 { return float64(b(k < n-12 || k >= n-4)) },
			"nearly shut":     func(k, n int) float64 { return 0.2 + 0.8*float64(b(k < n-30 || k >= n-24)) },
		} {
			miss, d := aside(t, family, monthly, 72, 12, 12, c, 1)
			t.Logf("%-14s %-16s %.3f of %.3f", family, name, miss, usual)
			assert.Less(t, miss, usual+0.04, "%s, %s", family, name)
			if family != "automatic" {
				assert.Len(t, d.LeftOut, 1, "%s, %s", family, name)
			}
		}
		miss, d := aside(t, family, monthly, 72, 12, 12, func(k, n int) float64 { return 1 + 0.6*float64(b(k >= n-10)) }, 1.6)
		t.Logf("%-14s %-16s %.3f of %.3f", family, "moved", miss, usual)
		assert.Less(t, miss, usual+0.05, "%s, moved", family)
		if family != "automatic" {
			assert.Contains(t, fmt.Sprint(d.Cautions), "times as large as before: what came before is learnt from as if it had been so", family)
		}
	}
}

// A month on another level ends three years of days: decomposition takes it for what it is, not for outliers.
func TestDecompositionFollowsALevel(t *testing.T) {
	t.Parallel()
	for _, part := range []float64{0.5, 0.8, 1.3} {
		miss, _ := aside(t, "decomposition", daily, 1095, 28, 365, func(k, n int) float64 {
			if k < n-30 {
				return 1
			}
			return part
		}, part)
		assert.Less(t, miss, 0.15, "%g of before", part)
	}
}

// Series that have ended are forecast as nothing, and spoil no neighbour; those that began a year ago, after years of
// zeros, are forecast by what came since.
func TestWhatEndedAndBegan(t *testing.T) {
	t.Parallel()
	for _, family := range setAside {
		rnd := rand.New(rand.NewPCG(4, 8))
		values := make([][]float64, 10)
		for i := range values {
			values[i] = make([]float64, 72)
			for k := range values[i] {
				values[i][k] = math.Round(100 * math.Exp(0.2*math.Sin(2*math.Pi*float64(k)/12)+0.08*rnd.NormFloat64()))
			}
		}
		whole := yearly(t, family, values)
		for i := range 5 {
			clear(values[i][64:])
		}
		clear(values[9][:58])
		res := yearly(t, family, values)
		for i := range 5 {
			assert.InDelta(t, 0, res[i], 1, "%s, series %d, which has ended", family, i)
		}
		for i := 5; i < 9; i++ {
			assert.InDelta(t, whole[i], res[i], 12, "%s, series %d, beside five that ended", family, i)
		}
		assert.InDelta(t, 100, res[9], 30, "%s, that began 14 months ago", family)
	}
}

// A series that ended and sells again, and one that goes on, are advanced as others are: finite, and in order.
func TestWhatEndedSellsAgain(t *testing.T) {
	t.Parallel()
	for _, family := range setAside {
		values := make([][]float64, 9)
		for i := range values {
			values[i] = make([]float64, 84)
			for k := range values[i] {
				values[i][k] = 100 + 10*math.Sin(float64(k*(i+3)))
			}
		}
		clear(values[0][60:74])
		clear(values[1][60:])
		trained, _ := trainOn(t, family, nil, panelOf(monthly, values), 71, 6)
		for origin := 74; origin < 84; origin += 3 {
			later := panel.NewView(panelOf(monthly, values), []int{0, 1, 2, 3, 4, 5, 6, 7, 8}, 0, origin)
			require.NoError(t, trained.Advance(context.Background(), later), family)
			res, err := trained.Forecast(context.Background(), later, 6)
			require.NoError(t, err)
			for i, r := range res.Series {
				require.NoError(t, res.Err[i], "%s, series %d", family, i)
				require.NoError(t, r.Check(), "%s, series %d", family, i)
			}
			assert.InDelta(t, 0, res.Series[1].Mean[0], 1, family)
		}
	}
}

// yearly are the means of a family's forecasts of a year of months.
func yearly(t *testing.T, family string, values [][]float64) (means []float64) {
	t.Helper()
	trained, v := trainOn(t, family, nil, panelOf(monthly, values), 71, 12)
	res := result(t, trained, v, 12)
	for i, r := range res.Series {
		require.NoError(t, res.Err[i])
		sum := 0.0
		for _, m := range r.Mean {
			sum += m / 12
		}
		means = append(means, sum)
	}
	return means
}

func b(is bool) int {
	if is {
		return 1
	}
	return 0
}
