// Package additive takes a series apart into trend, seasons, events and drivers by one
// penalised regression, with short-memory errors so that a forecast starts from where the
// series is. In logs the parts multiply.
//
// Source: Harvey and Peters, Estimation procedures for structural time series models,
// Journal of Forecasting 9 (1990); the penalties as normal priors: Hoerl and Kennard,
// Technometrics 12 (1970); errors: Cochrane and Orcutt, Journal of the American
// Statistical Association 44 (1949), by exact filtering.
package additive

import (
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

func init() { gob.Register(&State{}) }

// Method fits the parts.
type Method struct {
	Trend   string // flat, straight or bending
	Bends   int    // candidates
	Reach   float64
	Parts   string // add, multiply, or empty for as the data say
	Around  int    // days before and after events
	Drivers bool
	Events  bool
	Robust  bool
}

// State is a fitted regression with its errors.
type State struct {
	Recipe  Recipe
	Logs    bool
	Size    float64
	Beta    []float64
	Cov     []float64 // of Beta, row by row
	Names   []string
	Belongs []string
	Errs    *arima.State
	Spread  float64 // of the series, on the working scale
	Values  []float64
	Past    [][]float64 // columns over the training part
	Used    int
	Notes   []string
	Sigma2  float64
	early   []string // notes from before the fit
}

func (s *State) to(y float64) float64 {
	if s.Logs {
		return math.Log(y / s.Size)
	}
	return y / s.Size
}

func (s *State) back(x float64) float64 {
	if s.Logs {
		return s.Size * math.Exp(min(x, 300))
	}
	return s.Size * x
}

// Fit lays out the columns, finds bends, and fits all with the errors.
func (m Method) Fit(ctx context.Context, in single.Input) (single.State, error) {
	s := &State{Values: in.Values, Used: len(in.Values), Size: num.MeanSize(in.Values)}
	s.Logs = m.Parts == "multiply" || m.Parts == "" && arima.PrefersLogs(in.Values, in.Cadence().Season())
	if s.Logs && !positive(in.Values) {
		return nil, errors.New("parts that multiply need values above zero, and the series has others: set parts to add")
	}
	y := make([]float64, len(in.Values))
	for i, v := range in.Values {
		y[i] = s.to(v)
	}
	known := panel.CountKnown(y)
	s.Recipe = Recipe{Ordinal: in.Ordinal(), Length: len(y), Trend: m.Trend, Seasons: seasonsOf(in.Cadence(), known)}
	m.explain(s, in)
	s.Spread = spread(y)
	s.early = slices.Clip(s.Notes)
	list, err := s.Recipe.columns(in.SeriesView, 0, len(y), 0)
	if err != nil {
		return nil, err
	}
	w := &work{s: s, in: in, y: y, robust: m.Robust && !single.OftenZero(in.Values)}
	if err := w.fit(ctx, list); err != nil {
		return nil, err
	}
	if m.Trend == "bending" && known >= 3*minBend {
		if list, err = m.bend(ctx, w, list); err != nil {
			return nil, err
		}
	}
	for _, c := range list {
		s.Past = append(s.Past, c.values)
	}
	return s, nil
}

// bend fits again with the bends that are found. Where the fit so far shows none, they are
// looked for loosely, and kept where the errors one step ahead are smaller by more than a
// proof: a level that walks explains a curved path as well.
func (m Method) bend(ctx context.Context, w *work, list []column) ([]column, error) {
	s := w.s
	straight := *s
	bends := w.bends(ctx, list, m.Bends, m.Reach, false)
	loosely := len(bends) == 0
	if loosely {
		if bends = w.bends(ctx, list, m.Bends, m.Reach, true); len(bends) == 0 {
			*s = straight
			return list, nil
		}
	}
	s.Recipe.Bends, s.Notes = bends, nil
	longer, err := s.Recipe.columns(w.in.SeriesView, 0, len(w.y), 0)
	if err != nil {
		return nil, err
	}
	if err := w.fit(ctx, longer); err != nil {
		return nil, err
	}
	n := float64(panel.CountKnown(w.y))
	if !loosely || n*math.Log(s.Sigma2/straight.Sigma2)+proof*float64(len(bends))*math.Log(n) < 0 {
		s.Notes = append(straight.early, s.Notes...)
		return longer, nil
	}
	*s = straight
	return list, nil
}

// proof is what a bend must be worth, in logs of the number of values, against a level that
// walks.
const proof = 4

// explain takes events that were seen and drivers that are known and vary.
func (m Method) explain(s *State, in single.Input) {
	n := len(in.Values)
	if m.Events {
		seen := map[string]bool{}
		for _, e := range in.Events() {
			if seen[e.Name] {
				continue
			}
			seen[e.Name] = true
			for i := range n {
				if panel.Known(in.Values[i]) && e.Share(in.Cadence(), s.Recipe.Ordinal+int64(i), 0) > 0 {
					s.Recipe.Events = append(s.Recipe.Events, Event{e.Name, m.Around, m.Around})
					break
				}
			}
		}
	}
	if !m.Drivers {
		return
	}
	for d, driver := range in.View().Drivers() {
		values := in.Driver(d, n)
		low, high, whole := math.Inf(1), math.Inf(-1), true
		for _, v := range values {
			whole = whole && panel.Known(v)
			low, high = math.Min(low, v), math.Max(high, v)
		}
		if !whole || !driver.KnownAhead {
			s.Notes = append(s.Notes, fmt.Sprintf("the driver %s is left out: it is not known in every period, or not ahead", driver.Name))
			continue
		}
		if low == high {
			s.Notes = append(s.Notes, fmt.Sprintf("the driver %s is left out: it never changes in the training part", driver.Name))
			continue
		}
		item := Driver{Name: driver.Name, At: d, Log: s.Logs && low > 0}
		sum, ss := 0.0, 0.0
		for _, v := range values {
			x := item.to(v)
			sum, ss = sum+x, ss+x*x
		}
		item.Mean = sum / float64(n)
		item.Spread = math.Sqrt(max(ss/float64(n)-item.Mean*item.Mean, 1e-300))
		s.Recipe.Drivers = append(s.Recipe.Drivers, item)
	}
}

// work is a fit in the making.
type work struct {
	s      *State
	in     single.Input
	y      []float64
	robust bool
	white  [][]float64 // the series and the columns, whitened
}

// leastNoise is the least share of the series' variance that is taken for noise: with none
// at all, nothing would hold columns that repeat each other.
const leastNoise = 1e-5

// rounds is how often regression and errors are fitted in turn.
const rounds = 3

// fit alternates the regression on whitened columns with the ARMA of what it leaves.
func (w *work) fit(ctx context.Context, list []column) error {
	y := slices.Clone(w.y)
	columns := [][]float64{y}
	for _, c := range list {
		columns = append(columns, c.values)
	}
	w.white = quiet(columns)
	noise := 0.3 * w.s.Spread * w.s.Spread
	var like *arima.State // the errors' shape is chosen once
	for round := range rounds {
		if err := w.regress(list, noise); err != nil {
			return err
		}
		rest := w.rest(list, y)
		errs, err := arima.Errors(ctx, w.restInput(rest), like)
		if err != nil {
			return err
		}
		if w.robust && round == 0 {
			if n := shrug(y, rest, errs); n > 0 {
				w.s.Notes = append(w.s.Notes[:len(w.s.Notes):len(w.s.Notes)], fmt.Sprintf("values far from all others of their kind count for nothing: %d of them", n))
			}
		}
		white, ok := errs.Whiten(columns)
		if !ok {
			return errors.New("the errors could not be modelled")
		}
		w.white, w.s.Errs, like = white, errs, errs
		sum, n := 0.0, 0.0
		again, _ := errs.Whiten([][]float64{rest})
		for i, e := range again[0] {
			if panel.Known(y[i]) {
				sum += e * e
				n++
			}
		}
		noise = max(sum/max(0.3*n, n-float64(len(list))-3), leastNoise*w.s.Spread*w.s.Spread)
		w.s.Sigma2 = noise
	}
	if err := w.regress(list, noise); err != nil {
		return err
	}
	errs, err := arima.Errors(ctx, w.restInput(w.rest(list, y)), like)
	if err == nil {
		w.s.Errs = errs
	}
	return nil
}

// quiet gives the columns with zeros where the first is unknown, as whitening does.
func quiet(columns [][]float64) [][]float64 {
	if panel.CountKnown(columns[0]) == len(columns[0]) {
		return columns
	}
	out := make([][]float64, len(columns))
	for k, c := range columns {
		out[k] = slices.Clone(c)
		for i, v := range columns[0] {
			if !panel.Known(v) {
				out[k][i] = 0
			}
		}
	}
	return out
}

// product is the sum of products, in four lanes.
func product(a, b []float64) float64 {
	b = b[:len(a)]
	var s0, s1, s2, s3 float64
	i := 0
	for ; i+4 <= len(a); i += 4 {
		s0 += a[i] * b[i]
		s1 += a[i+1] * b[i+1]
		s2 += a[i+2] * b[i+2]
		s3 += a[i+3] * b[i+3]
	}
	for ; i < len(a); i++ {
		s0 += a[i] * b[i]
	}
	return s0 + s1 + s2 + s3
}

// restInput is what the regression leaves, as a series of its own.
func (w *work) restInput(rest []float64) single.Input {
	in := w.in
	in.Values = rest
	return in
}

func (w *work) rest(list []column, y []float64) []float64 {
	out := slices.Clone(y)
	for k, c := range list {
		if b := w.s.Beta[k]; b != 0 {
			for i, x := range c.values {
				out[i] -= b * x
			}
		}
	}
	return out
}

// shrug makes values unknown whose error one step ahead is beyond five of the usual ones.
func shrug(y, rest []float64, errs *arima.State) (n int) {
	white, ok := errs.Whiten([][]float64{rest})
	if !ok {
		return 0
	}
	var sizes []float64
	for i, e := range white[0] {
		if panel.Known(y[i]) {
			sizes = append(sizes, math.Abs(e))
		}
	}
	slices.Sort(sizes)
	bound := 5 * 1.4826 * sizes[len(sizes)/2]
	if bound == 0 {
		return 0
	}
	for i, e := range white[0] {
		if panel.Known(y[i]) && math.Abs(e) > bound {
			y[i] = panel.Unknown
			n++
		}
	}
	return n
}

// regress solves the penalised least squares of the whitened columns: each coefficient is
// held by a normal prior as wide as its column is loose.
func (w *work) regress(list []column, noise float64) error {
	k := len(list)
	gram, right := mat.NewSymDense(k, nil), mat.NewVecDense(k, nil)
	y := w.white[0]
	for a := range k {
		xa := w.white[a+1]
		right.SetVec(a, product(xa, y))
		for b := a; b < k; b++ {
			gram.SetSym(a, b, product(xa, w.white[b+1]))
		}
		prior := list[a].loose * w.s.Spread
		gram.SetSym(a, a, gram.At(a, a)*(1+1e-9)+noise/(prior*prior))
	}
	var chol mat.Cholesky
	if !chol.Factorize(gram) {
		return errors.New("the regression could not be solved")
	}
	beta := mat.NewVecDense(k, nil)
	if err := solved(chol.SolveVecTo(beta, right)); err != nil {
		return err
	}
	w.s.Beta = slices.Clone(beta.RawVector().Data)
	var inverse mat.SymDense
	if err := solved(chol.InverseTo(&inverse)); err != nil {
		return err
	}
	w.s.Cov = make([]float64, k*k)
	w.s.Names, w.s.Belongs = nil, nil
	for a := range k {
		w.s.Names, w.s.Belongs = append(w.s.Names, list[a].name), append(w.s.Belongs, list[a].part)
		for b := range k {
			w.s.Cov[a*k+b] = noise * inverse.At(a, b)
		}
	}
	return nil
}

// solved lets a poor condition pass: columns that repeat each other share their effect, as
// the priors have it.
func solved(err error) error {
	var poor mat.Condition
	if errors.As(err, &poor) {
		return nil
	}
	return err
}

// Forecast adds the parts up over the steps, and what the errors go on by; its variance is
// that of the errors and of the coefficients together.
func (s *State) Forecast(v panel.SeriesView, out forecast.Rows) error {
	h := len(out.Mean)
	n := len(s.Values)
	if v.Values == nil && len(s.Recipe.Events)+len(s.Recipe.Drivers) > 0 {
		return errors.New("the events and drivers past the origin are not at hand")
	}
	shift := 0
	if v.Values != nil {
		shift = n - len(v.Values)
	}
	list, err := s.Recipe.columns(v, n, n+h, shift)
	if err != nil {
		return err
	}
	later := s.laterBends()
	known := float64(panel.CountKnown(s.Values[:s.Used]))
	lost := known / max(0.3*known, known-float64(len(s.Beta))) // degrees of freedom that the columns took
	rest := forecast.NewRows(h)
	if err := s.Errs.Forecast(panel.SeriesView{}, rest); err != nil {
		return err
	}
	k := len(list)
	row := make([]float64, k)
	for i := range h {
		mu := rest.Mean[i]
		for a := range list {
			row[a] = list[a].values[i]
			mu += s.Beta[a] * row[a]
		}
		doubt := 0.0
		for a := range k {
			for b := range k {
				doubt += row[a] * s.Cov[a*k+b] * row[b]
			}
		}
		own := (rest.At(i)[forecast.GridSize-5] - rest.At(i)[4]) / (2 * 1.959964)
		ahead := float64(i + 1)
		wide := math.Sqrt(own*own*lost + max(0, doubt) + later*ahead*ahead*ahead/3)
		out.Mean[i] = s.back(mu)
		if s.Logs {
			out.Mean[i] *= math.Exp(0.5 * min(wide*wide, 1))
		}
		q := out.At(i)
		for g, p := range forecast.Grid {
			q[g] = s.back(mu + wide*num.StudentQuantile(p, max(3, min(s.Used-k, 1000))))
		}
	}
	return nil
}

// laterBends is the variance a period of the slope's change in time to come: bends as often
// and as large as those that were found. Their effect on the level h steps ahead has the
// variance of this times h^3 / 3.
func (s *State) laterBends() float64 {
	sum := 0.0
	for k, part := range s.Belongs {
		if part == "trend" && k >= 2 {
			slope := s.Beta[k] / float64(s.Recipe.Length)
			sum += slope * slope
		}
	}
	return sum / float64(s.Recipe.Length)
}

// Advance takes further values: the errors go on, the coefficients stay.
func (s *State) Advance(v panel.SeriesView, from int) error {
	n := len(s.Values)
	more := len(v.Values) - from
	list, err := s.Recipe.columns(v, n, n+more, n-from)
	if err != nil {
		return err
	}
	values := slices.Clone(s.Values)
	next := v
	next.Values = slices.Clone(v.Values)
	for i := range more {
		y := v.Values[from+i]
		values = append(values, y)
		rest := s.to(y)
		if s.Logs && !(y > 0) {
			rest = panel.Unknown
		}
		for a := range list {
			rest -= s.Beta[a] * list[a].values[i]
		}
		next.Values[from+i] = rest
	}
	s.Values = values
	return s.Errs.Advance(next, from)
}

// Fitted gives the forecasts one step ahead.
func (s *State) Fitted() []float64 {
	out := slices.Clone(s.Errs.Fitted())
	for i := range out {
		if !panel.Known(out[i]) {
			out[i] = 0
		}
		for a, column := range s.Past {
			out[i] += s.Beta[a] * column[i]
		}
		out[i] = s.back(out[i])
	}
	return out
}

func positive(y []float64) bool {
	for _, v := range y {
		if panel.Known(v) && !(v > 0) {
			return false
		}
	}
	return true
}

func spread(y []float64) float64 {
	var n, sum, ss float64
	for _, v := range y {
		if panel.Known(v) {
			n, sum, ss = n+1, sum+v, ss+v*v
		}
	}
	return math.Sqrt(max(ss/n-sum/n*sum/n, 1e-18))
}

// Families is the additive regression.
func Families() model.Catalogue {
	none, most, share, whole := 0.0, 100.0, 0.5, 1.0
	return model.Catalogue{{
		Name:      "additive",
		Summary:   "Adds up trend, seasons, events and drivers by one regression, with errors that remember; in logs the parts multiply.",
		Reference: "Harvey and Peters, Journal of Forecasting 9, 1990",
		Settings: append([]model.Setting{
			{Name: "trend", Kind: model.Choice, Choices: []string{"flat", "straight", "bending"}, Default: "bending", Meaning: "kind of trend"},
			{Name: "bends", Kind: model.Whole, Min: &none, Max: &most, Default: 25, Meaning: "places at which a bending trend may bend"},
			{Name: "bends-until", Kind: model.Amount, Min: &share, Max: &whole, Default: 0.9, Meaning: "part of the history in which they lie"},
			{Name: "parts", Kind: model.Choice, Choices: []string{"add", "multiply"}, Meaning: "whether parts add or multiply", Auto: "as the data say"},
			{Name: "events", Kind: model.Switch, Default: true, Meaning: "take the dataset's events"},
			{Name: "around", Kind: model.Whole, Min: &none, Max: &most, Default: 1, Meaning: "days before and after an event with effects of their own"},
			{Name: "drivers", Kind: model.Switch, Default: true, Meaning: "take the drivers that are known ahead"},
			{Name: "robust", Kind: model.Switch, Default: true, Meaning: "outliers count for nothing"},
		}, single.BoundSettings()...),
		New: func(v model.Values) (model.Model, error) {
			m := Method{Trend: v.Text("trend", "bending"), Bends: v.Int("bends", 25), Parts: v.Text("parts", ""), Around: v.Int("around", 1)}
			m.Reach, _ = v["bends-until"].(float64)
			m.Drivers, _ = v["drivers"].(bool)
			m.Events, _ = v["events"].(bool)
			m.Robust, _ = v["robust"].(bool)
			return single.Model(m, single.BoundsOf(v)), nil
		},
		Read: single.Read,
	}}
}
