package score

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Metric is a number read from an Acc. Unknown is NaN.
type Metric struct {
	Name    string
	Meaning string
	Share   bool // a share of one, shown in per cent
	Unit    bool // in the unit of the measure
	order   func(v float64) float64
	of      func(a *Acc) float64
}

// Value reads the metric, NaN where its denominator is zero or it has no points.
func (m Metric) Value(a *Acc) float64 {
	if a.N == 0 {
		return math.NaN()
	}
	return m.of(a)
}

// Order is the number to sort by, the smallest being best: the value itself for
// errors, its distance from the ideal for the others. NaN sorts last.
func (m Metric) Order(v float64) float64 {
	if m.order != nil {
		v = m.order(v)
	}
	if v != v {
		return math.Inf(1)
	}
	return v
}

func ratio(a, b float64) float64 {
	if b == 0 {
		return math.NaN()
	}
	return a / b
}

// Point metrics. Over a slice each is taken over all its points at once; MASE is
// the mean over points, RMSSE the mean over series and windows. All but R2 follow
// Hyndman and Koehler (2006) where not stated.
var point = []Metric{
	{Name: "mae", Unit: true, Meaning: "mean absolute error: mean of |f - y|",
		of: func(a *Acc) float64 { return a.SumAbs / a.N }},
	{Name: "rmse", Unit: true, Meaning: "root mean squared error: root of the mean of (f - y)^2",
		of: func(a *Acc) float64 { return math.Sqrt(a.SumSq / a.N) }},
	{Name: "bias", Unit: true, Meaning: "mean error: mean of f - y, above zero where the forecast is too high", order: math.Abs,
		of: func(a *Acc) float64 { return a.SumE / a.N }},
	{Name: "mape", Share: true, Meaning: "mean absolute percentage error: mean of |f - y| / |y|, over the points whose y is not 0; unknown where there are none",
		of: func(a *Acc) float64 { return ratio(a.SumAPE, a.NAPE) }},
	{Name: "smape", Share: true, Meaning: "symmetric MAPE: mean of 2 |f - y| / (|y| + |f|), a point where both are 0 counting as 0 (Makridakis 1993)",
		of: func(a *Acc) float64 { return a.SumSAPE / a.N }},
	{Name: "wape", Share: true, Meaning: "weighted absolute percentage error: sum of |f - y| / sum of |y|; unknown where all y are 0 (Kolassa and Schuetz 2007)",
		of: func(a *Acc) float64 { return ratio(a.SumAbs, a.SumAbsY) }},
	{Name: "mase", Meaning: "mean absolute scaled error: mean of |f - y| / the mean absolute change over the scale lag in the training part; points of a series that never changes there are left out",
		of: func(a *Acc) float64 { return ratio(a.SumASE, a.NASE) }},
	{Name: "rmsse", Meaning: "root mean squared scaled error: root of the mean of (f - y)^2 / the mean squared change over the scale lag in the training part, per series and window, then the mean; series that never change there are left out (Makridakis, Spiliotis and Assimakopoulos 2022)",
		of: func(a *Acc) float64 { return ratio(a.SumRSE, a.NRSE) }},
	{Name: "r2", Meaning: "coefficient of determination: 1 - sum of (f - y)^2 / sum of (y - mean of y)^2 over the assessed points; unknown where y is constant",
		order: func(v float64) float64 { return -v },
		of: func(a *Acc) float64 {
			if a.M2Y == 0 {
				return math.NaN()
			}
			return 1 - a.SumSq/a.M2Y
		}},
}

// LevelText writes a level for names: 80, 99.5.
func LevelText(level float64) string { return strconv.FormatFloat(level, 'f', -1, 64) }

// Metrics lists the point metrics and those of each level, in the order shown.
func Metrics(levels []float64) []Metric {
	out := append([]Metric(nil), point...)
	for i, level := range levels {
		text := LevelText(level)
		out = append(out,
			Metric{Name: "coverage" + text, Share: true, Meaning: "share of actuals inside the " + text + " % interval, ends included",
				order: func(v float64) float64 { return math.Abs(v - level/100) },
				of:    func(a *Acc) float64 { return a.Levels[i].Covered / a.N }},
			Metric{Name: "width" + text, Unit: true, Meaning: "mean width of the " + text + " % interval",
				of: func(a *Acc) float64 { return a.Levels[i].Width / a.N }},
			Metric{Name: "interval_score" + text, Unit: true, Meaning: "mean of the width of the " + text + " % interval plus 2 / alpha times the distance by which y lies outside, alpha = 1 - " + text + " / 100 (Gneiting and Raftery 2007)",
				of: func(a *Acc) float64 { return a.Levels[i].Winkler / a.N }},
		)
	}
	return out
}

// FindMetric gives the metric of a name.
func FindMetric(name string, levels []float64) (Metric, error) {
	all := Metrics(levels)
	names := make([]string, len(all))
	for i, m := range all {
		if m.Name == strings.ToLower(name) {
			return m, nil
		}
		names[i] = m.Name
	}
	return Metric{}, fmt.Errorf("no metric is called %q: use one of %s", name, strings.Join(names, ", "))
}

// HasSkill says whether skill can be read from the metric: it must be an error,
// of which less is better and zero is best.
func (m Metric) HasSkill() bool { return m.order == nil }

// Skill is 1 - error / baseline's error; NaN where the baseline's is zero or either
// is unknown, and 0 where both are zero.
func Skill(err, baseline float64) float64 {
	if err == 0 && baseline == 0 {
		return 0
	}
	return 1 - ratio(err, baseline)
}
