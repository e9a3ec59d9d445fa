package score_test

import (
	"math"
	"sort"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"
	"pgregory.net/rapid"

	"paperkettle/core/forecast"
	"paperkettle/core/score"
)

var levels = []float64{80, 95}

type point struct {
	y, f      float64
	q         []float64 // the quantile row
	low, high []float64
}

// pointOf makes a point with quantiles that spread around the forecast.
func pointOf(y, f, spread float64) point {
	p := point{y: y, f: f}
	for _, prob := range forecast.Grid {
		p.q = append(p.q, f+spread*(math.Log(prob)-math.Log(1-prob))+0.25*spread)
	}
	for _, l := range levels {
		low, high := forecast.Interval(p.q, l)
		p.low, p.high = append(p.low, low), append(p.high, high)
	}
	return p
}

func pinball(y, q, p float64) float64 { return math.Max(p*(y-q), (p-1)*(y-q)) }

// slowCrps integrates the squared distance of the distribution function, which rises in
// straight lines from quantile to quantile, from the step at y: the other definition.
func slowCrps(p point) float64 {
	type knot struct{ x, below, above float64 }
	knots := []knot{}
	last := forecast.GridSize - 1
	for g, q := range p.q {
		below, above := forecast.Grid[g], forecast.Grid[g]
		if g == 0 {
			below = 0
		}
		if g == last {
			above = 1
		}
		knots = append(knots, knot{q, below, above})
	}
	over := func(x0, x1, f0, f1 float64) float64 { // the integral where y is not inside
		step := 0.0
		if p.y <= x0 {
			step = 1
		}
		u, v := f0-step, f1-step
		return (x1 - x0) * (u*u + u*v + v*v) / 3
	}
	sum := math.Max(0, p.q[0]-p.y) + math.Max(0, p.y-p.q[last])
	for g := range last {
		a, b := knots[g], knots[g+1]
		if a.x < p.y && p.y < b.x {
			mid := a.above + (p.y-a.x)/(b.x-a.x)*(b.below-a.above)
			sum += over(a.x, p.y, a.above, mid) + over(p.y, b.x, mid, b.below)
		} else {
			sum += over(a.x, b.x, a.above, b.below)
		}
	}
	return sum
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
		"mse": mse, "medae": slowMedian(points), "mpe": sum(func(p point) float64 {
			if p.y == 0 {
				return 0
			}
			return (p.f - p.y) / p.y
		}) / nonzero,
		"crps": sum(slowCrps) / n, "pinball50": sum(func(p point) float64 { return pinball(p.y, p.q[forecast.Median], 0.5) }) / n,
		"weighted_quantile_loss": sum(func(p point) float64 {
			s := pinball(p.y, p.q[forecast.Median], 0.5)
			for i, l := range levels {
				s += pinball(p.y, p.low[i], (100-l)/200) + pinball(p.y, p.high[i], (100+l)/200)
			}
			return 2 * s / 5
		}) / sum(func(p point) float64 { return math.Abs(p.y) }),
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
		out["scaled_interval_score"+text] = out["interval_score"+text] / q.Abs
		out["pinball"+score.LevelText((100-l)/2)] = sum(func(p point) float64 { return pinball(p.y, p.low[i], (100-l)/200) }) / n
		out["pinball"+score.LevelText((100+l)/2)] = sum(func(p point) float64 { return pinball(p.y, p.high[i], (100+l)/200) }) / n
	}
	return out
}

func slowMedian(points []point) float64 {
	var x []float64
	for _, p := range points {
		x = append(x, math.Abs(p.f-p.y))
	}
	sort.Float64s(x)
	return (x[(len(x)-1)/2] + x[len(x)/2]) / 2
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
				p := pointOf(value.Draw(t, "y"), f, w)
				points = append(points, p)
				part.Add(p.y, p.f, q, p.q, levels, p.low, p.high)
				part.Abs = append(part.Abs, math.Abs(p.f-p.y))
			}
			back := score.NewAcc(len(levels))
			require.NoError(t, back.Unpack(part.AppendPacked(nil)))
			back.Abs = part.Abs
			whole.Merge(&back)
		}
		whole.CloseSeries(q)
		want := slow(points, q)
		for _, m := range score.Metrics(levels) {
			equal(t, want[m.Name], m.Value(&whole), m.Name)
		}
	})
}

// Two points by hand: y = 10, 0 and f = 12, 1, all quantiles one away from f.
func TestMetricsByHand(t *testing.T) {
	a := score.NewAcc(1)
	scale := score.Scale{Abs: 3, Sq: 10}
	row := func(f float64) (q []float64) {
		for g := range forecast.Grid {
			q = append(q, f+float64(min(max(g-forecast.Median, -1), 1)))
		}
		return q
	}
	a.Add(10, 12, scale, row(12), []float64{80}, []float64{11}, []float64{13})
	a.Add(0, 1, scale, row(1), []float64{80}, []float64{0}, []float64{2})
	a.Add(math.NaN(), 5, scale, row(5), []float64{80}, []float64{0}, []float64{0})
	a.CloseSeries(scale)
	a.Abs = []float64{2, 1}
	want := map[string]float64{"mae": 1.5, "mse": 2.5, "rmse": math.Sqrt(2.5), "medae": 1.5, "bias": 1.5, "mpe": 0.2, "mape": 0.2,
		"smape": (4.0/22 + 2) / 2, "wape": 0.3, "mase": 0.5, "rmsse": 0.5, "r2": 0.9,
		"coverage80": 0.5, "width80": 2, "interval_score80": (2 + 10 + 2) / 2.0, "scaled_interval_score80": (2 + 10 + 2) / 6.0,
		"pinball10": 0.9 / 2, "pinball50": (1 + 0.5) / 2, "pinball90": (0.3 + 0.2) / 2, "weighted_quantile_loss": 2 * (0.9 + 1.5 + 0.5) / (3 * 10)}
	for _, m := range score.Metrics([]float64{80}) {
		if m.Name != "crps" { // below
			equal(t, want[m.Name], m.Value(&a), m.Name)
		}
	}
}

// The score of a normal forecast is known: sd (z (2 Phi(z) - 1) + 2 phi(z) - 1/sqrt(pi)),
// and the grid comes within 0.6 per cent of it.
func TestCrpsOfANormalForecast(t *testing.T) {
	var row []float64
	for _, p := range forecast.Grid {
		row = append(row, 5+2*distuv.UnitNormal.Quantile(p))
	}
	for _, y := range []float64{5, 6, 2, 11} {
		z := (y - 5) / 2
		want := 2 * (z*(2*distuv.UnitNormal.CDF(z)-1) + 2*distuv.UnitNormal.Prob(z) - 1/math.Sqrt(math.Pi))
		assert.InEpsilon(t, want, score.Crps(y, row), 0.006, y)
	}
}

func TestZeroDenominatorsAreUnknown(t *testing.T) {
	a := score.NewAcc(0)
	a.Add(0, 1, score.Scale{}, make([]float64, forecast.GridSize), nil, nil, nil)
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
	// 1-1, 2-2, 4-4 and 3-1 are known at the lag; squared changes are 1, 4, 16, 49, 1 and 4.
	assert.Equal(t, score.Scale{Abs: 2.0 / 4, Sq: 75.0 / 6}, score.MakeScale(y, 4))
	late := append([]float64{0, 0, math.NaN(), 0}, y...)
	assert.Equal(t, 75.0/6, score.MakeScale(late, 4).Sq, "zeros before the first sale are left out")
	assert.Equal(t, score.MakeScale(y, 1), score.MakeScale(y, 5), "shorter than two lags: lag 1")
	assert.Equal(t, score.Scale{}, score.MakeScale(y[:1], 1))
}
