package smoothing

import (
	"fmt"
	"math"
	"math/rand/v2"
	"sync"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Forecast continues the series: exactly where errors are additive, by simulation where
// they are multiplicative.
func (s *State) Forecast(_ panel.SeriesView, out forecast.Rows) error {
	if s.Quiet == 0 {
		s.fromLast(out)
		return nil
	}
	long := forecast.NewRows(s.Quiet + len(out.Mean))
	s.fromLast(long)
	copy(out.Mean, long.Mean[s.Quiet:])
	copy(out.Quantiles, long.Quantiles[s.Quiet*forecast.GridSize:])
	return nil
}

// fromLast forecasts from the last known value on.
func (s *State) fromLast(out forecast.Rows) {
	s.points(out.Mean)
	switch {
	case s.Form.Error == 'A':
		s.exact(out)
	case s.coarse && s.nearly(out):
	default:
		s.simulate(out)
	}
	for h := range out.Mean {
		add := s.longAt(len(s.Values) - s.Quiet + h)
		out.Mean[h] = out.Mean[h]*s.Scale + add
		q := out.At(h)
		for g := range q {
			q[g] = q[g]*s.Scale + add
		}
	}
}

// points are the forecasts, scaled, without harmonics.
func (s *State) points(out []float64) {
	p := &s.Now
	slope, sum := p.Slope, 0.0
	for h := range out {
		slope *= p.Phi
		sum += slope
		out[h] = p.Level + sum
		switch s.Form.Season {
		case 'A':
			out[h] += p.Season[h%s.Season]
		case 'M':
			out[h] = max(out[h], 0) * p.Season[h%s.Season]
		}
	}
}

// exact is Student's t with the variance sigma2 (1 + sum of c_j^2, j < h), where c_j =
// alpha + beta (phi + ... + phi^j) + gamma if a season ends at j (Hyndman et al. 2008,
// table 6.2), and what the parameters' doubts add: the mean of their variances, and the
// variance of their means.
func (s *State) exact(out forecast.Rows) {
	variance := make([]float64, len(out.Mean))
	s.variances(variance)
	s.addDoubts(out.Mean, variance)
	free := int(min(s.Free, 1000))
	for h := range out.Mean {
		wide := math.Sqrt(variance[h])
		q := out.At(h)
		for g, t := range forecast.Student(free) {
			q[g] = out.Mean[h] + wide*t
		}
		q[forecast.Median] = out.Mean[h]
	}
}

// variances are those of the steps, the parameters taken as they are.
func (s *State) variances(out []float64) {
	p := &s.Now
	sum, reach, power := 1.0, 0.0, 1.0
	for h := range out {
		out[h] = s.Sigma2 * sum
		power *= p.Phi
		reach += power
		c := p.Alpha + p.Beta*reach
		if s.Form.Season != 'N' && (h+1)%s.Season == 0 {
			c += p.Gamma
		}
		sum += c * c
	}
}

// addDoubts puts what the drawn parameters say in place of points and variances.
func (s *State) addDoubts(points, variance []float64) {
	list := s.doubtful()
	if len(list) < doubts/2 {
		return
	}
	n := float64(len(list))
	mean, square, within := make([]float64, len(variance)), make([]float64, len(variance)), make([]float64, len(variance))
	drawn, own := make([]float64, len(variance)), make([]float64, len(variance))
	for i := range list {
		list[i].points(drawn)
		list[i].variances(own)
		for h, v := range drawn {
			mean[h] += v / n
			square[h] += v * v / n
			within[h] += own[h] / n
		}
	}
	copy(points, mean)
	for h := range variance {
		variance[h] = max(variance[h], within[h]+max(0, square[h]-mean[h]*mean[h]))
		if s.Form.Season != 'N' { // each place of the season is known from its own values
			variance[h] += s.Sigma2 * float64(s.Season) / float64(s.Used)
		}
	}
}

// meanPoints are the states' points on average.
func meanPoints(states []State, out []float64) {
	drawn := make([]float64, len(out))
	clear(out)
	for i := range states {
		states[i].points(drawn)
		for h, v := range drawn {
			out[h] += v / float64(len(states))
		}
	}
}

// How many futures are simulated, in pairs of opposite errors, by a form alone or by all of a mix; fewer where the
// middle of the forecast alone counts, or many forecasts are judged together.
const (
	paths       = 2000
	coarsePaths = 200
)

// Coarse has forecasts be told by their moments from now on, or else by few futures.
func (s *State) Coarse() { s.coarse = true }

// Lighten has forecasts simulate as many futures as a part of a mix is worth: what chance does to the mix stays as
// small as to one form alone.
func (s *State) Lighten(share float64) { s.Share = share }

// futures is how many are simulated.
func (s *State) futures() int {
	switch {
	case s.coarse:
		return coarsePaths
	case s.Share > 0:
		return max(coarsePaths, 2*int(paths/2*s.Share))
	}
	return paths
}

type simulation struct {
	futures int
	values  []float64 // values[h*futures+i]
	season  []float64
	order   num.OrderScratch
	picked  []float64
}

var simulations = sync.Pool{New: func() any { return &simulation{} }}

func (s *State) simulate(out forecast.Rows) {
	w := simulations.Get().(*simulation)
	defer simulations.Put(w)
	horizon, futures := len(out.Mean), s.futures()
	w.futures = futures
	if cap(w.values) < horizon*futures {
		w.values = make([]float64, horizon*futures)
	}
	w.values = w.values[:horizon*futures]
	rnd := rand.New(rand.NewPCG(s.Seed, uint64(len(s.Values))))
	draws := make([]float64, horizon)
	sigma := math.Sqrt(s.Sigma2)
	states := s.doubtful()
	if len(states) < doubts/2 {
		states = []State{*s}
	}
	meanPoints(states, out.Mean)
	for i := 0; i < futures; i += 2 {
		s := &states[i/2%len(states)]
		// A variance of its own for each pair: how well it is known shows in the width.
		wide := sigma * math.Sqrt(s.Free/num.ChiSquared(s.Free, rnd))
		for h := range draws {
			draws[h] = wide * rnd.NormFloat64()
		}
		s.path(w, draws, 1, i)
		s.path(w, draws, -1, i+1)
	}
	for h := range horizon {
		quantiles(w, w.values[h*futures:(h+1)*futures], out.At(h))
	}
}

// path runs one future of the form.
func (s *State) path(w *simulation, draws []float64, sign float64, at int) {
	p := &s.Now
	l, b := p.Level, p.Slope
	w.season = append(w.season[:0], p.Season...)
	k := 0
	for h, d := range draws {
		q := l + p.Phi*b
		q = max(q, 1e-9)
		mu, seasonal := q, 1.0
		switch s.Form.Season {
		case 'M':
			seasonal = w.season[k]
			mu = q * seasonal
		case 'A':
			mu = q + w.season[k]
		}
		e := max(sign*d, -0.99)
		r := mu * e
		w.values[h*w.futures+at] = mu + r
		u, v := r, r
		if s.Form.Season == 'M' {
			u, v = r/seasonal, r/q
		}
		l, b = q+p.Alpha*u, p.Phi*b+p.Beta*u
		if s.Form.Season != 'N' {
			w.season[k] += p.Gamma * v
			if k++; k == s.Season {
				k = 0
			}
		}
	}
}

// quantiles reads the grid from simulated values, which it reorders.
func quantiles(w *simulation, x, q []float64) {
	if cap(w.picked) < 2*forecast.GridSize {
		w.picked = make([]float64, 2*forecast.GridSize)
	}
	n := len(x)
	ranks := gridRanks(n)
	picked := w.picked[:len(ranks)]
	num.OrderStatistics(x, ranks, picked, &w.order)
	at := 0
	for g, p := range forecast.Grid {
		pos := p * float64(n-1)
		k := int(pos)
		for ranks[at] < k {
			at++
		}
		q[g] = picked[at]
		if at+1 < len(picked) {
			q[g] += (pos - float64(k)) * (picked[at+1] - picked[at])
		}
	}
}

var gridRanks = func() func(int) []int {
	make := func(n int) (ranks []int) {
		for _, p := range forecast.Grid {
			k := int(p * float64(n-1))
			for _, r := range [2]int{k, k + 1} {
				if r < n && (len(ranks) == 0 || r > ranks[len(ranks)-1]) {
					ranks = append(ranks, r)
				}
			}
		}
		return ranks
	}
	usual := make(paths)
	return func(n int) []int {
		if n == paths {
			return usual
		}
		return make(n)
	}
}()

// Count is the number of parameters estimated.
func (s *State) Count() int {
	return panel.CountKnown(s.Values[:s.Used]) - int(s.Free) + 1
}

// Fitted gives the forecasts one step ahead.
func (s *State) Fitted() []float64 {
	out, _ := s.replay()
	return out
}

// replay goes over the values again and gives the fitted values, and level and season at
// each, on the series' scale.
func (s *State) replay() (fitted []float64, parts []model.Component) {
	again := *s
	again.Now = s.First
	again.Now.Season = append([]float64(nil), s.First.Season...)
	fitted = make([]float64, s.Used)
	level, season, long := make([]float64, s.Used), make([]float64, s.Used), make([]float64, s.Used)
	for i := range s.Used {
		if s.Form.Season != 'N' {
			season[i] = again.Now.Season[0]
		}
		long[i] = s.longAt(i)
		fitted[i] = again.push(s.Values[i], i)*s.Scale + long[i]
		level[i] = again.Now.Level * s.Scale
		if s.Form.Season == 'A' {
			season[i] *= s.Scale
		}
	}
	parts = []model.Component{{Name: "level", Past: level}}
	if s.Form.Season != 'N' {
		parts = append(parts, model.Component{Name: fmt.Sprintf("season of %d", s.Season), Factor: s.Form.Season == 'M', Past: season})
	}
	if len(s.Long) > 0 {
		parts = append(parts, model.Component{Name: "long seasons", Past: long})
	}
	return fitted, parts
}

// Brief is the form's letters, with the longer seasons that harmonics describe.
func (s *State) Brief() string {
	out := s.Form.String()
	for i := range s.Long {
		out += fmt.Sprintf(" + season of %.6g", s.Long[i].Period)
	}
	return out
}

// Describe says all about the form.
func (s *State) Describe(d *model.Description, horizon int) {
	d.Form = fmt.Sprintf("exponential smoothing %s: %s", s.Form, s.Form.words(s.Season))
	for i := range s.Long {
		d.Form += fmt.Sprintf(", and %d harmonics of a season of %.6g", s.Long[i].Pairs(), s.Long[i].Period)
	}
	d.Criterion, d.Choices = "AICc", s.Runners
	d.Why = "lowest AICc of the forms that fit the data"
	if len(s.Runners) == 1 {
		d.Why = "the only form allowed"
	}
	if s.Why != "" {
		d.Why = s.Why
	}
	add := func(name string, v float64, meaning string) {
		d.Parameters = append(d.Parameters, model.Parameter{Name: name, Value: v, Meaning: meaning})
	}
	p := &s.First
	add("alpha", p.Alpha, "weight of an error in the level")
	if s.Form.Trend != NoTrend {
		add("beta", p.Beta, "weight of an error in the slope")
	}
	if s.Form.Season != 'N' {
		add("gamma", p.Gamma, "weight of an error in the season")
	}
	if s.Form.Trend == Damped {
		add("phi", p.Phi, "what is left of the slope after a period")
	}
	s.describeStates(d)
	sigma := math.Sqrt(s.Sigma2)
	if s.Form.Error == 'A' {
		sigma *= s.Scale
	}
	d.Sigma = &sigma
	_, parts := s.replay()
	s.ahead(parts, horizon)
	d.Components = parts
	d.Cautions = append(d.Cautions, s.Cautions...)
}

func (s *State) describeStates(d *model.Description) {
	p := &s.First
	add := func(name string, v float64, meaning string) {
		d.States = append(d.States, model.Parameter{Name: name, Value: v, Meaning: meaning})
	}
	add("l0", p.Level*s.Scale, "level before the first period")
	if s.Form.Trend != NoTrend {
		add("b0", p.Slope*s.Scale, "slope before the first period")
	}
	for k, v := range p.Season {
		if s.Form.Season == 'A' {
			v *= s.Scale
		}
		add(fmt.Sprintf("s%d", k+1), v, "season at its first period "+fmt.Sprint(k+1))
	}
}

// ahead continues the components.
func (s *State) ahead(parts []model.Component, horizon int) {
	for k := range parts {
		parts[k].Ahead = make([]float64, horizon)
	}
	p := &s.Now
	slope, sum := p.Slope, 0.0
	for k := range s.Quiet + horizon {
		slope *= p.Phi
		sum += slope
		h := k - s.Quiet
		if h < 0 {
			continue
		}
		parts[0].Ahead[h] = (p.Level + sum) * s.Scale
		at := 1
		if s.Form.Season != 'N' {
			v := p.Season[k%s.Season]
			if s.Form.Season == 'A' {
				v *= s.Scale
			}
			parts[at].Ahead[h] = v
			at++
		}
		if len(s.Long) > 0 {
			parts[at].Ahead[h] = s.longAt(len(s.Values) + h)
		}
	}
}
