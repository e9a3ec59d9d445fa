package score_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/score"
)

var levels = []float64{80, 95}

type point struct {
	y, f      float64
	low, high []float64
}

// slow are the metrics straight from their definitions, over a list of points.
func slow(points []point, q score.Scale) map[string]float64 {
	n := float64(len(points))
	sum := func(f func(p point) float64) (s float64) {
		for _, p := range points {
			s += f(p)
		}
		return s
	}
	abs := func(p point) float64 { return math.Abs(p.f - p.y) }
	mean := sum(func(p point) float64 { return p.y }) / n
	nonzero := sum(func(p point) float64 {
		if p.y != 0 {
			return 1
		}
		return 0
	})
	mse := sum(func(p point) float64 { return (p.f - p.y) * (p.f - p.y) }) / n
	out := map[string]float64{
		"mae": sum(abs) / n, "rmse": math.Sqrt(mse), "bias": sum(func(p point) float64 { return p.f - p.y }) / n,
		"mape": sum(func(p point) float64 {
			if p.y == 0 {
				return 0
			}
			return abs(p) / math.Abs(p.y)
		}) / nonzero,
		"smape": sum(func(p point) float64 {
			if p.y == 0 && p.f == 0 {
				return 0
			}
			return 2 * abs(p) / (math.Abs(p.y) + math.Abs(p.f))
		}) / n,
		"wape": sum(abs) / sum(func(p point) float64 { return math.Abs(p.y) }),
		"mase": sum(abs) / n / q.Abs, "rmsse": math.Sqrt(mse / q.Sq),
		"r2": 1 - mse*n/sum(func(p point) float64 { return (p.y - mean) * (p.y - mean) }),
	}
	for i, l := range levels {
		text := score.LevelText(l)
		alpha := 1 - l/100
		out["coverage"+text] = sum(func(p point) float64 {
			if p.low[i] <= p.y && p.y <= p.high[i] {
				return 1
			}
			return 0
		}) / n
		out["width"+text] = sum(func(p point) float64 { return p.high[i] - p.low[i] }) / n
		out["interval_score"+text] = sum(func(p point) float64 {
			s := p.high[i] - p.low[i]
			if p.y < p.low[i] {
				s += 2 / alpha * (p.low[i] - p.y)
			}
			if p.y > p.high[i] {
				s += 2 / alpha * (p.y - p.high[i])
			}
			return s
		}) / n
	}
	return out
}

func equal(t require.TestingT, want, got float64, name string) {
	if math.IsNaN(want) || math.IsInf(want, 0) {
		assert.True(t, math.IsNaN(got), "%s: %v, want unknown", name, got)
		return
	}
	assert.InDelta(t, want, got, 1e-12*math.Max(1, math.Abs(want)), name)
}

// Every metric equals its definition, however the points are split into parts that
// are merged.
func TestMetricsEqualTheirDefinitions(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		value := rapid.Custom(func(t *rapid.T) float64 { return float64(rapid.IntRange(-20, 40).Draw(t, "v")) / 4 })
		q := score.Scale{Abs: 0.5 + rapid.Float64Range(0, 3).Draw(t, "abs"), Sq: 0.5 + rapid.Float64Range(0, 9).Draw(t, "sq")}
		var points []point
		whole := score.NewAcc(len(levels))
		for range rapid.IntRange(1, 4).Draw(t, "parts") {
			part := score.NewAcc(len(levels))
			for range rapid.IntRange(1, 12).Draw(t, "points") {
				f := value.Draw(t, "f")
				w := math.Abs(value.Draw(t, "w"))
				p := point{value.Draw(t, "y"), f, []float64{f - w, f - 2*w}, []float64{f + w, f + 3*w}}
				points = append(points, p)
				part.Add(p.y, p.f, q, levels, p.low, p.high)
			}
			var back score.Acc = score.NewAcc(len(levels))
			require.NoError(t, back.Unpack(part.AppendPacked(nil)))
			whole.Merge(&back)
		}
		whole.CloseSeries(q)
		want := slow(points, q)
		for _, m := range score.Metrics(levels) {
			equal(t, want[m.Name], m.Value(&whole), m.Name)
		}
	})
}

// Two points by hand: y = 10, 0 and f = 12, 1.
func TestMetricsByHand(t *testing.T) {
	a := score.NewAcc(1)
	a.Add(10, 12, score.Scale{Abs: 3, Sq: 10}, []float64{80}, []float64{11}, []float64{13})
	a.Add(0, 1, score.Scale{Abs: 3, Sq: 10}, []float64{80}, []float64{0}, []float64{2})
	a.Add(math.NaN(), 5, score.Scale{Abs: 3, Sq: 10}, []float64{80}, []float64{0}, []float64{0})
	a.CloseSeries(score.Scale{Abs: 3, Sq: 10})
	want := map[string]float64{"mae": 1.5, "rmse": math.Sqrt(2.5), "bias": 1.5, "mape": 0.2, "smape": (4.0/22 + 2) / 2, "wape": 0.3, "mase": 0.5, "rmsse": 0.5, "r2": 0.9,
		"coverage80": 0.5, "width80": 2, "interval_score80": (2 + 10 + 2) / 2.0}
	for _, m := range score.Metrics([]float64{80}) {
		equal(t, want[m.Name], m.Value(&a), m.Name)
	}
}

func TestZeroDenominatorsAreUnknown(t *testing.T) {
	a := score.NewAcc(0)
	a.Add(0, 1, score.Scale{}, nil, nil, nil)
	a.CloseSeries(score.Scale{})
	for _, name := range []string{"mape", "wape", "mase", "rmsse", "r2"} {
		m, err := score.FindMetric(name, nil)
		require.NoError(t, err)
		assert.True(t, math.IsNaN(m.Value(&a)), name)
		assert.True(t, math.IsInf(m.Order(math.NaN()), 1), "an unknown %s ranks last", name)
	}
}

func TestScale(t *testing.T) {
	y := []float64{1, 2, 4, 8, 1, 2, 4, math.NaN(), 3}
	assert.Equal(t, score.Scale{Abs: 2.0 / 4, Sq: 4.0 / 4}, score.MakeScale(y, 4), "1-1, 2-2, 4-4 and 3-1 are known")
	assert.Equal(t, score.MakeScale(y, 1), score.MakeScale(y, 5), "shorter than two lags: lag 1")
	assert.Equal(t, score.Scale{}, score.MakeScale(y[:1], 1))
}
