package score

import (
	"fmt"
	"math"
	"slices"
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
	// parts are sums over points whose ratio is the metric, before finish; nil where it
	// is no such ratio.
	parts  func(a *Acc) (num, den float64)
	finish func(ratio float64) float64
	of     func(a *Acc) float64 // where parts is nil
}

// acronyms are metrics that the trade writes in capitals.
var acronyms = map[string]string{"mae": "MAE", "mse": "MSE", "rmse": "RMSE", "medae": "MedAE", "mpe": "MPE", "mape": "MAPE",
	"smape": "sMAPE", "wape": "WAPE", "mase": "MASE",
	"rmsse": "RMSSE", "r2": "R²", "crps": "CRPS"}

// Label is the name as the trade spells it: MASE, interval score 95 %.
func (m Metric) Label() string {
	if a := acronyms[m.Name]; a != "" {
		return a
	}
	word := strings.TrimRight(m.Name, "0123456789.")
	label := strings.ReplaceAll(word, "_", " ")
	if level := m.Name[len(word):]; level != "" {
		label += " " + level + " %"
	}
	return label
}

// Value reads the metric, NaN where its denominator is zero or it has no points.
func (m Metric) Value(a *Acc) float64 {
	if a.N == 0 {
		return math.NaN()
	}
	if m.parts == nil {
		return m.of(a)
	}
	return m.Ratio(m.parts(a))
}

// KnownInTraining says whether AddTraining sums what the metric needs.
func (m Metric) KnownInTraining() bool {
	return slices.Contains([]string{"mae", "mse", "rmse", "bias", "wape", "mase", "rmsse"}, m.Name)
}

// Parts gives the sums whose ratio is the metric; ok is false where it is none. The
// parts of slices add up to those of the whole.
func (m Metric) Parts(a *Acc) (num, den float64, ok bool) {
	if m.parts == nil {
		return 0, 0, false
	}
	num, den = m.parts(a)
	return num, den, true
}

// Ratio is the metric of summed parts.
func (m Metric) Ratio(num, den float64) float64 {
	if den == 0 {
		return math.NaN()
	}
	if m.finish != nil {
		return m.finish(num / den)
	}
	return num / den
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

// mean is a sum over points divided by their number.
func mean(sum func(a *Acc) float64) func(a *Acc) (num, den float64) {
	return func(a *Acc) (float64, float64) { return sum(a), a.N }
}

// Point metrics. Over a slice each is taken over all its points at once; MASE is
// the mean over points, RMSSE the mean over series and windows. All but R2 follow
// Hyndman and Koehler (2006) where not stated.
var point = []Metric{
	{Name: "mae", Unit: true, Meaning: "mean absolute error: mean of |f - y|",
		parts: mean(func(a *Acc) float64 { return a.SumAbs })},
	{Name: "mse", Meaning: "mean squared error: mean of (f - y)^2",
		parts: mean(func(a *Acc) float64 { return a.SumSq })},
	{Name: "rmse", Unit: true, Meaning: "root mean squared error: root of the mean of (f - y)^2", finish: math.Sqrt,
		parts: mean(func(a *Acc) float64 { return a.SumSq })},
	{Name: "medae", Unit: true, Meaning: "median absolute error: median of |f - y|",
		of: func(a *Acc) float64 { return medianOf(a.Abs) }},
	{Name: "bias", Unit: true, Meaning: "mean error: mean of f - y, above zero where the forecast is too high", order: math.Abs,
		parts: mean(func(a *Acc) float64 { return a.SumE })},
	{Name: "mpe", Share: true, Meaning: "mean percentage error: mean of (f - y) / y, over the points whose y is not 0", order: math.Abs,
		parts: func(a *Acc) (float64, float64) { return a.SumPE, a.NAPE }},
	{Name: "mape", Share: true, Meaning: "mean absolute percentage error: mean of |f - y| / |y|, over the points whose y is not 0; unknown " +
		"where there are none",
		parts: func(a *Acc) (float64, float64) { return a.SumAPE, a.NAPE }},
	{Name: "smape", Share: true, Meaning: "symmetric MAPE: mean of 2 |f - y| / (|y| + |f|), a point where both are 0 counting as 0 (Makridakis 1993)",
		parts: mean(func(a *Acc) float64 { return a.SumSAPE })},
	{Name: "wape", Share: true, Meaning: "weighted absolute percentage error: sum of |f - y| / sum of |y|; unknown where all y are 0 " +
		"(Kolassa and Schuetz 2007)",
		parts: func(a *Acc) (float64, float64) { return a.SumAbs, a.SumAbsY }},
	{Name: "mase", Meaning: "mean absolute scaled error: mean of |f - y| / the mean absolute change over the scale lag in the training part; " +
		"points of a series that never changes there are left out",
		parts: func(a *Acc) (float64, float64) { return a.SumASE, a.NASE }},
	{Name: "rmsse", Meaning: "root mean squared scaled error: root of the mean of (f - y)^2 / the mean squared change from a period to the " +
		"next (lag 1) in the training part from its first sale on, per series and window, then the mean; series that never change there are " +
		"left out (Makridakis, Spiliotis and Assimakopoulos 2022)",
		parts: func(a *Acc) (float64, float64) { return a.SumRSE, a.NRSE }},
	{Name: "r2", Meaning: "coefficient of determination: 1 - sum of (f - y)^2 / sum of (y - mean of y)^2 over the assessed points; unknown " +
		"where y is constant",
		order: func(v float64) float64 { return -v },
		of: func(a *Acc) float64 {
			if a.M2Y == 0 {
				return math.NaN()
			}
			return 1 - a.SumSq/a.M2Y
		}},
}

// distribution metrics look at all quantiles of the plan's levels and the median.
func distribution(levels []float64) []Metric {
	quantiles := float64(2*len(levels) + 1)
	return []Metric{
		{Name: "crps", Unit: true, Meaning: "continuous ranked probability score: mean of twice the pinball loss integrated over all " +
			"probabilities, the forecast's quantiles being joined by straight lines (Gneiting and Raftery 2007)",
			parts: mean(func(a *Acc) float64 { return a.SumCRPS })},
		{Name: "weighted_quantile_loss", Share: true, Meaning: "mean weighted quantile loss: twice the pinball loss, summed over points, " +
			"divided by the sum of |y|, and averaged over the median and the ends of the plan's intervals",
			parts: func(a *Acc) (float64, float64) {
				sum := a.PinMid
				for _, l := range a.Levels {
					sum += l.PinLow + l.PinHigh
				}
				return 2 * sum, quantiles * a.SumAbsY
			}},
		{Name: "pinball50", Unit: true, Meaning: "pinball loss of the median",
			parts: mean(func(a *Acc) float64 { return a.PinMid })},
	}
}

func medianOf(x []float64) float64 {
	n := len(x)
	if n == 0 {
		return math.NaN()
	}
	x = slices.Clone(x)
	slices.Sort(x)
	return (x[(n-1)/2] + x[n/2]) / 2
}

// LevelText writes a level for names: 80, 99.5.
func LevelText(level float64) string { return strconv.FormatFloat(level, 'f', -1, 64) }

// Metrics lists the point metrics, those of the whole distribution and those of each
// level, in the order shown.
func Metrics(levels []float64) []Metric {
	out := append(slices.Clone(point), distribution(levels)...)
	for i, level := range levels {
		out = append(out, levelMetrics(i, level)...)
	}
	return out
}

func levelMetrics(i int, level float64) []Metric {
	text := LevelText(level)
	of := func(get func(l *LevelAcc) float64) func(a *Acc) (float64, float64) {
		return mean(func(a *Acc) float64 { return get(&a.Levels[i]) })
	}
	tail := LevelText(round6((100 - level) / 2))
	top := LevelText(round6(100 - (100-level)/2))
	return []Metric{
		{Name: "coverage" + text, Share: true, Meaning: "share of actuals inside the " + text + " % interval, ends included",
			order: func(v float64) float64 { return math.Abs(v - level/100) }, parts: of(func(l *LevelAcc) float64 { return l.Covered })},
		{Name: "width" + text, Unit: true, Meaning: "mean width of the " + text + " % interval",
			parts: of(func(l *LevelAcc) float64 { return l.Width })},
		{Name: "interval_score" + text, Unit: true, Meaning: "mean of the width of the " + text +
			" % interval plus 2 / alpha times the distance by which y lies outside, alpha = 1 - " + text + " / 100 (Gneiting and Raftery 2007)",
			parts: of(func(l *LevelAcc) float64 { return l.Winkler })},
		{Name: "scaled_interval_score" + text, Meaning: "mean of the interval score of " + text +
			" % / the mean absolute change over the scale lag in the training part (Makridakis, Spiliotis and Assimakopoulos 2020)",
			parts: func(a *Acc) (float64, float64) { return a.Levels[i].Scaled, a.NASE }},
		{Name: "pinball" + tail, Unit: true, Meaning: "pinball loss of the " + tail + " % quantile (Koenker and Bassett 1978)",
			parts: of(func(l *LevelAcc) float64 { return l.PinLow })},
		{Name: "pinball" + top, Unit: true, Meaning: "pinball loss of the " + top + " % quantile",
			parts: of(func(l *LevelAcc) float64 { return l.PinHigh })},
	}
}

func round6(v float64) float64 { return math.Round(v*1e6) / 1e6 }

// FindMetric gives the metric of a name.
func FindMetric(name string, levels []float64) (Metric, error) {
	all := Metrics(levels)
	names := make([]string, len(all))
	if former[name] != "" {
		name = former[name]
	}
	for i, m := range all {
		if m.Name == strings.ToLower(name) {
			return m, nil
		}
		names[i] = m.Name
	}
	return Metric{}, fmt.Errorf("no metric is called %q: use one of %s", name, strings.Join(names, ", "))
}

// former are names that metrics had in plans of before.
var former = map[string]string{"wql": "weighted_quantile_loss"}

// HasSkill says whether skill can be read from the metric: it must be an error,
// of which less is better and zero is best.
func (m Metric) HasSkill() bool { return m.order == nil }

// Skill is 1 - error / baseline's error; NaN where the baseline's is zero or either
// is unknown, and 0 where both are zero.
func Skill(err, baseline float64) float64 {
	if err == 0 && baseline == 0 {
		return 0
	}
	if baseline == 0 {
		return math.NaN()
	}
	return 1 - err/baseline
}
