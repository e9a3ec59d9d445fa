// Package combine has the families that make a forecast of other contenders'
// forecasts: blends, and the choice of each series' own leader. Weights and choices
// look at earlier windows only.
package combine

import (
	"errors"
	"math"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Families are the combiners.
func Families() model.Catalogue {
	members := model.Setting{Name: "members", Kind: model.List, Meaning: "names of the contenders that take part",
		Auto: "all that make their own forecast"}
	take := model.Setting{Name: TakeSetting, Kind: model.Choice, Choices: []string{takeAhead, takeAll},
		Meaning: "whom it takes: the members that have beaten the baseline on what is past, or all",
		Auto:    "those ahead of the baseline where no members are named, and else all"}
	return model.Catalogue{
		{
			Name: "blend", Version: 3, Summary: "Averages other contenders' forecasts, quantile by quantile.",
			Reference: "Bates and Granger, The combination of forecasts, Operational Research Quarterly 20 (1969); Ratcliff, Psychological " +
				"Bulletin 86 (1979), for averaging quantiles; Breiman, Machine Learning 24 (1996), for stacked weights",
			Settings: []model.Setting{members, take, {Name: "weigh", Kind: model.Choice, Default: "stacked",
				Choices: []string{"mean", "median", "inverse-error", "stacked", "least-squares"},
				Meaning: "how: all the same, the middle one, by a power of the inverse of past errors (a series' own, held towards those of all), " +
					"stacked (by what would have erred least on all series together, held towards that), or by non-negative least squares on " +
					"its past forecasts"}},
			Combine: func(v model.Values) (model.Combiner, error) {
				return blend{v.Names("members"), v.Text("weigh", "stacked"), takesAhead(v)}, nil
			},
		},
		{
			Name: "best-per-series", Version: 1,
			Summary:   "Takes, for each series, the contender that did best on earlier windows, of the series and of all.",
			Reference: "Fildes, Evaluation of aggregate and individual forecast method selection rules, Management Science 35 (1989)",
			Settings:  []model.Setting{members},
			Combine:   func(v model.Values) (model.Combiner, error) { return best{v.Names("members")}, nil },
		},
	}
}

var errNone = errors.New("none of its members has a forecast of this series")

func present(members []forecast.Rows) (out []int) {
	for i, m := range members {
		if m.Mean != nil {
			out = append(out, i)
		}
	}
	return out
}

type best struct{ members []string }

func (b best) Members() []string { return b.members }

func (b best) Combine(members []forecast.Rows, past model.Past) (forecast.Rows, []float64, error) {
	there := present(members)
	if len(there) == 0 {
		return forecast.Rows{}, nil, errNone
	}
	at := there[0]
	if slices.Contains(there, past.Usual) {
		at = past.Usual
	}
	lowest, scores := math.Inf(1), held(past.ApartByScore(), past.TogetherByScore, past)
	for _, i := range there {
		if i < len(scores) && scores[i] < lowest {
			at, lowest = i, scores[i]
		}
	}
	weights := make([]float64, len(members))
	weights[at] = 1
	rows, err := mix(members, weights)
	return rows, weights, err
}

type blend struct {
	members []string
	weigh   string
	ahead   bool // members that have not beaten the baseline are left out
}

// TakeSetting says which members a blend takes.
const TakeSetting = "take"

const (
	takeAhead = "ahead"
	takeAll   = "all"
)

func takesAhead(v model.Values) bool {
	return v.Text(TakeSetting, "") == takeAhead || v.Text(TakeSetting, "") == "" && v.Names("members") == nil
}

// leading keeps the members that have beaten the baseline, or all where none has.
func leading(there []int, beats []bool) []int {
	var out []int
	for _, i := range there {
		if i < len(beats) && beats[i] {
			out = append(out, i)
		}
	}
	if len(out) == 0 {
		return there
	}
	return out
}

func (b blend) Members() []string { return b.members }

func (b blend) Combine(members []forecast.Rows, past model.Past) (forecast.Rows, []float64, error) {
	there := present(members)
	if len(there) == 0 {
		return forecast.Rows{}, nil, errNone
	}
	if b.ahead {
		there = leading(there, past.Beats)
	}
	weights := make([]float64, len(members))
	for _, i := range there {
		weights[i] = 1 / float64(len(there))
	}
	switch b.weigh {
	case "median":
		return middle(members, there), weights, nil
	case "inverse-error":
		inverse(weights, there, held(past.Apart(), past.Together, past))
	case "stacked":
		stacked(weights, there, past)
	case "least-squares":
		leastSquares(weights, there, past)
	}
	rows, err := mix(members, weights)
	return rows, weights, err
}

// inverse weighs by a power of 1 / past error, as far as members are apart in it; a member of which nothing
// is known counts for one in the middle.
func inverse(weights []float64, there []int, apart []float64) {
	if len(apart) == 0 {
		return
	}
	for _, i := range there {
		weights[i] = inversely(apart[i])
	}
	share(weights, there)
}

func inversely(apart float64) float64 {
	if apart != apart {
		return 1
	}
	return math.Exp(-power * apart)
}

// share has weights add up to 1.
func share(weights []float64, there []int) {
	total := 0.0
	for _, i := range there {
		total += weights[i]
	}
	for _, i := range there {
		weights[i] /= total
	}
}

// stacked weighs by what all series show of the members jointly, and each series by how far it departs from
// what all show of each member alone.
func stacked(weights []float64, there []int, past model.Past) {
	own := held(past.Apart(), past.Together, past)
	inverse(weights, there, own)
	if past.Stack == nil || len(past.Together) == 0 {
		return
	}
	alone := make([]float64, len(weights))
	inverse(alone, there, past.Together)
	towards := make([]float64, len(there))
	for k, i := range there {
		towards[k] = alone[i]
	}
	jointly := past.Stack.Weights(there, towards)
	if jointly == nil {
		return
	}
	for k, i := range there {
		weights[i] *= jointly[k] / towards[k]
	}
	share(weights, there)
}

// held is how far a series' members are apart, held towards what all series show together: the more the
// fewer points tell. NaN where neither knows.
//
// Source: Efron and Morris, Data analysis using Stein's estimator, Journal of the American Statistical
// Association 70 (1975).
func held(own, all []float64, past model.Past) []float64 {
	share := past.Windows / (past.Windows + past.HeldBy)
	if past.Windows == 0 {
		share = 0
	}
	out := make([]float64, max(len(own), len(all)))
	for m := range out {
		switch {
		case m >= len(all) || all[m] != all[m]:
			out[m] = own[m]
		case m >= len(own) || own[m] != own[m]:
			out[m] = all[m]
		default:
			out[m] = share*own[m] + (1-share)*all[m]
		}
	}
	return out
}

const (
	// power is what the inverse of errors is raised to. Members err alike for the most part: those that err
	// more add little, and much of what is wrong with them.
	power = 6
)

// fewestPoints is how many past points for each member least squares need.
const fewestPoints = 4

// leastSquares minimises the squared error of the weighted past forecasts over weights
// that are not negative and add up to 1. Because they do, the blend's error is the
// weighted sum of the members' errors: w'Sw is minimised, S being their products.
func leastSquares(weights []float64, there []int, past model.Past) {
	if len(past.Errors) < len(weights) {
		return
	}
	k := len(there)
	s := make([][]float64, k)
	for i := range s {
		s[i] = make([]float64, k)
	}
	points := 0
	for t := range past.Actual {
		known := true
		for _, i := range there {
			known = known && panel.Known(past.Errors[i][t])
		}
		if !known {
			continue
		}
		points++
		for a, i := range there {
			for b, j := range there {
				s[a][b] += past.Errors[i][t] * past.Errors[j][t]
			}
		}
	}
	if points < fewestPoints*k {
		return
	}
	for a, w := range num.OnSimplex(s) {
		weights[there[a]] = w
	}
}

// mix averages means and quantiles with weights; the order of quantiles is kept.
func mix(members []forecast.Rows, weights []float64) (forecast.Rows, error) {
	var out forecast.Rows
	for i, m := range members {
		if weights[i] == 0 {
			continue
		}
		if m.Mean == nil {
			return out, errNone
		}
		if out.Mean == nil {
			out = forecast.NewRows(len(m.Mean))
		}
		out.Add(m, weights[i])
	}
	if out.Mean == nil {
		return out, errNone
	}
	for h := range out.Mean { // rounding must not turn neighbours round
		q := out.At(h)
		for g := 1; g < len(q); g++ {
			q[g] = max(q[g], q[g-1])
		}
	}
	return out, nil
}

// middle takes the median of the members at each mean and quantile.
func middle(members []forecast.Rows, there []int) forecast.Rows {
	out := forecast.NewRows(len(members[there[0]].Mean))
	buf := make([]float64, len(there))
	take := func(of func(i int) float64) float64 {
		for k, i := range there {
			buf[k] = of(i)
		}
		slices.Sort(buf)
		return (buf[(len(buf)-1)/2] + buf[len(buf)/2]) / 2
	}
	for h := range out.Mean {
		out.Mean[h] = take(func(i int) float64 { return members[i].Mean[h] })
		out.Lean[h] = take(func(i int) float64 { return members[i].Expected(h) }) - out.Mean[h]
	}
	for g := range out.Quantiles {
		out.Quantiles[g] = take(func(i int) float64 { return members[i].Quantiles[g] })
	}
	return out
}
