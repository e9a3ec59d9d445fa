package single

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/stat/distuv"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// Describe says what the state knows, and adds scores and tests of the residuals, the
// parts' shares and the line.
func (f *Fit) Describe() model.Description {
	d := model.Description{From: f.First, To: f.Next - 1, Known: panel.CountKnown(f.Values)}
	d.LeftOut = append(unknown(f.First, f.Values, f.Odd, f.closed), f.Odd...)
	if s, ok := f.State.(interface{ See(panel.SeriesView) }); ok {
		s.See(f.view)
	}
	f.State.Describe(&d, f.Horizon)
	d.Form += f.Widening.Words()
	slices.SortStableFunc(d.LeftOut, func(a, b model.Stretch) int { return a.From - b.From })
	d.Cautions = append(append([]string{}, f.Cautions...), d.Cautions...)
	if n := oddValues(f.Odd); n > 0 {
		d.Cautions = append(d.Cautions, fmt.Sprintf("values that look like mistakes were left out: %d of them", n))
	}
	d.Cautions = append(d.Cautions, Mended{f.Odd, f.Unit}.Cautions(f.view)...)
	residuals := residualsOf(f.Values, f.State.Fitted())
	d.Training = scores(f.Values, residuals)
	d.Tests = tests(residuals, len(d.Parameters))
	d.Shares = shares(d.Components)
	rows := forecast.NewRows(max(f.Horizon, 1))
	if err := f.Forecast(f.view, rows); err == nil {
		d.Line = line(rows.Mean)
		if f.ranAway {
			d.Cautions = append(d.Cautions, "its forecast ran away and is held within what the history justifies")
		}
	}
	return d
}

// closed says whether a period is closed, as far as a fit that was read has seen its series.
func (f *Fit) closed(at int) bool { return f.view.Values != nil && f.view.Closed(at) }

// unknown lists the stretches without values, but those that were left out as odd, and those in which there was nothing to
// know.
func unknown(first int, values []float64, odd []model.Stretch, closed func(at int) bool) (out []model.Stretch) {
	missing := func(i int) bool {
		return !panel.Known(values[i]) && !closed(first+i) &&
			!slices.ContainsFunc(odd, func(x model.Stretch) bool { return x.From <= first+i && first+i <= x.To })
	}
	for i := 0; i < len(values); i++ {
		start := i
		for i < len(values) && missing(i) {
			i++
		}
		if i > start {
			out = append(out, model.Stretch{From: first + start, To: first + i - 1, Why: "unknown"})
		}
	}
	return out
}

func oddValues(odd []model.Stretch) (n int) {
	for _, x := range odd {
		if !x.Apart {
			n += x.To - x.From + 1
		}
	}
	return n
}

// apartCaution says that not all of a history is learnt from as it was; none where all is.
func apartCaution(left []model.Stretch) []string {
	var why []string
	for _, x := range left {
		if x.Apart {
			why = append(why, x.Why)
		}
	}
	if len(why) == 0 {
		return nil
	}
	return []string{"not all of the history is learnt from: " + strings.Join(why, "; ")}
}

// Cautions say what of a series is not learnt from as it was, but for single mistakes.
func (m Mended) Cautions(s panel.SeriesView) []string {
	return append(apartCaution(m.Odd), m.Unit.Cautions(s)...)
}

// residualsOf are actual less fitted where both are known.
func residualsOf(values, fitted []float64) []float64 {
	var out []float64
	for i, v := range values[:min(len(values), len(fitted))] {
		if r := v - fitted[i]; panel.Known(r) {
			out = append(out, r)
		}
	}
	return out
}

func scores(values, residuals []float64) []model.Parameter {
	n := float64(len(residuals))
	if n == 0 {
		return nil
	}
	var sum, abs, ss, size float64
	for _, r := range residuals {
		sum, abs, ss = sum+r, abs+math.Abs(r), ss+r*r
	}
	known := 0.0
	for _, v := range values {
		if panel.Known(v) {
			size += math.Abs(v)
			known++
		}
	}
	out := []model.Parameter{
		{Name: "bias", Value: -sum / n, Meaning: "mean of forecast less actual"},
		{Name: "mae", Value: abs / n, Meaning: "mean absolute error"},
		{Name: "rmse", Value: math.Sqrt(ss / n), Meaning: "root mean squared error"},
	}
	if size > 0 {
		out = append(out, model.Parameter{Name: "wape", Value: abs / n / (size / known), Meaning: "mean absolute error over the mean absolute value"})
	}
	return out
}

// tests: Ljung and Box, On a measure of lack of fit in time series models, Biometrika 65
// (1978); Jarque and Bera, A test for normality of observations and regression residuals,
// International Statistical Review 55 (1987).
func tests(r []float64, parameters int) []model.Test {
	n := len(r)
	lags := min(10, n/5)
	if lags < 2 {
		return nil
	}
	mean := 0.0
	for _, v := range r {
		mean += v / float64(n)
	}
	var m2, m3, m4 float64
	for _, v := range r {
		d := v - mean
		m2, m3, m4 = m2+d*d, m3+d*d*d, m4+d*d*d*d
	}
	if !(m2 > 0) {
		return nil
	}
	q := 0.0
	for k := 1; k <= lags; k++ {
		c := 0.0
		for i := k; i < n; i++ {
			c += (r[i] - mean) * (r[i-k] - mean)
		}
		c /= m2
		q += c * c / float64(n-k)
	}
	q *= float64(n) * float64(n+2)
	free := float64(max(1, lags-min(parameters, 4)))
	size := float64(n)
	skew, kurtosis := m3/size/math.Pow(m2/size, 1.5), m4/size/(m2/size*m2/size)-3
	jb := size / 6 * (skew*skew + kurtosis*kurtosis/4)
	return []model.Test{
		{Name: "Ljung-Box", Statistic: q, P: distuv.ChiSquared{K: free}.Survival(q),
			Meaning: "residuals that follow on from each other; below 0.05 the form misses something"},
		{Name: "Jarque-Bera", Statistic: jb, P: distuv.ChiSquared{K: 2}.Survival(jb),
			Meaning: "residuals that are not bell-shaped; below 0.05 extremes come more often than intervals assume"},
	}
}

// shares says how much of the forecast's size each part is: the level where the forecast
// starts, what the trend adds, and the other components.
func shares(parts []model.Component) []model.Parameter {
	if len(parts) == 0 || len(parts[0].Ahead) == 0 {
		return nil
	}
	level := parts[0]
	start, known := 0.0, false
	for _, v := range level.Past {
		if panel.Known(v) {
			start, known = v, true
		}
	}
	if !known {
		return nil
	}
	n := float64(len(level.Ahead))
	sizes := make([]float64, len(parts)+1)
	sizes[0] = math.Abs(start)
	for h, v := range level.Ahead {
		sizes[1] += math.Abs(v-start) / n
		for k, c := range parts[1:] {
			part := c.Ahead[h]
			if c.Factor {
				part = v * (part - 1)
			}
			sizes[k+2] += math.Abs(part) / n
		}
	}
	total := 0.0
	for _, v := range sizes {
		total += v
	}
	if !(total > 0) {
		return nil
	}
	out := []model.Parameter{{Name: "level", Value: sizes[0] / total, Meaning: "share of the level where the forecast starts"},
		{Name: "trend", Value: sizes[1] / total, Meaning: "share of what the trend adds or takes"}}
	for k, c := range parts[1:] {
		out = append(out, model.Parameter{Name: c.Name, Value: sizes[k+2] / total, Meaning: "share of the " + c.Name})
	}
	return out
}

func line(y []float64) *model.Line {
	n := float64(len(y))
	var st, sy, stt, sty, syy float64
	for i, v := range y {
		t := float64(i + 1)
		st, sy, stt, sty, syy = st+t, sy+v, stt+t*t, sty+t*v, syy+v*v
	}
	l := &model.Line{Start: sy / n, R2: 1}
	if d := n*stt - st*st; d > 0 {
		l.Slope = (n*sty - st*sy) / d
		l.Start = (sy - l.Slope*st) / n
	}
	rest := 0.0
	for i, v := range y {
		e := v - l.Start - l.Slope*float64(i+1)
		rest += e * e
	}
	if total := syy - sy*sy/n; total > 1e-12*syy {
		l.R2 = max(0, 1-rest/total)
	}
	return l
}

// Outside tells what drivers and events bring to the series, where the method knows.
func (f *Fit) Outside(s panel.SeriesView, horizon int) (*model.Outside, error) {
	if o, ok := f.State.(outsider); ok {
		return o.Outside(s, horizon)
	}
	return nil, nil
}

// outsider is a State that knows what drivers and events bring.
type outsider interface {
	Outside(v panel.SeriesView, h int) (*model.Outside, error)
}
