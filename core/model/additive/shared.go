package additive

import (
	"context"
	"math"
	"slices"
	"strings"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Prior is what the other series of a group say of an effect, a unit of its driver, on the
// working scale.
type Prior struct {
	Mean, Variance float64
	Series         int     // that say it
	Between        float64 // standard deviation of the effect from series to series
}

// together fits the series first each alone, and again with what the others of its group
// say of the effects of events and drivers: a series of few promotions leans on the many
// of its neighbours.
//
// Source: random effects as in DerSimonian and Laird, Meta-analysis in clinical trials,
// Controlled Clinical Trials 7 (1986); shrinkage towards them: Efron and Morris, Journal of
// the American Statistical Association 70 (1975).
type together struct {
	method Method
	chosen map[string]Method // of series that leave nothing open
}

// Alone is the method for a series by itself.
func (t together) Alone() single.Method { return t.method }

// Gather chooses for every series what the settings leave open, and fits them, in turn alone
// and with what they share.
func (t together) Gather(ctx context.Context, _ panel.View, inputs []single.Input, env model.Env) (*single.Gathered, error) {
	out := single.NewGathered(len(inputs))
	methods, err := t.choose(ctx, inputs, env.Within(0, 0.7, "additive"))
	if err != nil {
		return nil, err
	}
	again := together{t.method, make(map[string]Method, len(inputs))}
	for i := range methods {
		again.chosen[inputs[i].Key] = methods[i].lasting(inputs[i])
	}
	out.Again = again
	env.Tell(0.7, "additive: each series alone")
	states := make([]*State, len(inputs))
	err = num.Each(ctx, env.Workers, len(inputs), func(i int) {
		out.Errs[i] = model.Guard(func() (err error) {
			states[i], err = methods[i].fit(ctx, inputs[i])
			return err
		})
		out.Widenings[i] = methods[i].widening
	})
	if err != nil {
		return nil, err
	}
	var fitted []*State
	for _, s := range states {
		if s != nil {
			fitted = append(fitted, s)
		}
	}
	env.Tell(0.85, "additive: with what the others tell")
	if share(fitted) {
		err = num.Each(ctx, env.Workers, len(inputs), func(i int) {
			if s := states[i]; s != nil && len(s.Shared) > 0 {
				s.lean(ctx, inputs[i])
			}
		})
	}
	for i, s := range states {
		if s != nil {
			out.States[i] = s
		}
	}
	return out, err
}

// choose settles what is open for the series for which that was not done before.
func (t together) choose(ctx context.Context, inputs []single.Input, env model.Env) ([]Method, error) {
	methods := make([]Method, len(inputs))
	var open []single.Input
	var places []int
	for i, in := range inputs {
		if known, ok := t.chosen[in.Key]; ok {
			methods[i] = known
			continue
		}
		open, places = append(open, in), append(places, i)
	}
	if len(open) == 0 {
		return methods, nil
	}
	chosen, err := t.method.choose(ctx, open, env)
	for k, m := range chosen {
		methods[places[k]] = m
	}
	return methods, err
}

// lasting is the method for a history that has grown: one that learns from all of it goes on to.
func (m Method) lasting(in single.Input) Method {
	if m.Memory >= len(in.Values) {
		m.Memory = math.MaxInt32
	}
	return m
}

// lean fits the coefficients anew with what is shared; bends and the shape of the errors stay.
func (s *State) lean(ctx context.Context, in single.Input) {
	alone := *s
	if err := model.Guard(func() error { return s.refit(ctx, in) }); err != nil {
		*s = alone // what others say doesn't suit it: it keeps what it found by itself
		s.Shared = nil
	}
}

// effect is one series' own estimate, a unit of the driver.
type effect struct {
	state          *State
	value, squared float64
}

// share gives each state what the others say of its effects. Those on other scales have
// nothing to say to each other.
func share(list []*State) (any bool) {
	type key struct {
		name string
		kind single.ScaleKind
		log  bool
	}
	var order []key
	effects := map[key][]effect{}
	for _, s := range list {
		k := len(s.Beta)
		for a, name := range s.Names {
			if !s.shares(a) {
				continue
			}
			per := s.perUnit(s.Belongs[a])
			id := key{name, s.Scale.Kind, s.logged(s.Belongs[a])}
			value, variance := s.unheld(s.Beta[a], float64(s.Cov[a*k+a]), a)
			if !(variance > 0) { // held at zero by its sign
				continue
			}
			value, variance = value*per, variance*per*per
			if effects[id] == nil {
				order = append(order, id)
			}
			effects[id] = append(effects[id], effect{s, value, variance})
		}
	}
	for _, id := range order {
		if own := effects[id]; len(own) > 1 {
			any = true
			spreadOut(id.name, own)
		}
	}
	return any
}

// unheld is what the series itself says of a coefficient, without the prior that held it
// towards zero: a mean of held estimates would lie near zero however many series there are. The
// variance is infinite where the series says next to nothing, and 0 where a sign holds it at zero.
func (s *State) unheld(value, variance float64, a int) (float64, float64) {
	prior := s.Loose[a] * s.Loose[a]
	told := 1/variance - 1/prior
	switch {
	case !(variance > 0):
		return 0, 0
	case told < 0.01/prior:
		return 0, math.Inf(1)
	}
	return value / variance / told, 1 / told
}

// shares says that a column's effect is one that series tell each other. Levels of a season
// are not: they add up to nothing, so that what each of them is by itself is left open.
func (s *State) shares(a int) bool {
	switch s.Kinds[a] {
	case ofTrend, ofStep:
		return false
	case ofSeason:
		return !slices.ContainsFunc(s.Recipe.Seasons, func(x Season) bool { return x.Pairs == 0 && strings.HasPrefix(s.Belongs[a], x.Name) })
	}
	return true
}

// spreadOut estimates the effects' mean and how they differ between series, and tells each
// what the others say, without its own.
func spreadOut(name string, list []effect) {
	var w, ww, wb, q float64
	for _, e := range list {
		w, ww, wb = w+1/e.squared, ww+1/(e.squared*e.squared), wb+e.value/e.squared
	}
	for _, e := range list {
		d := e.value - wb/w
		q += d * d / e.squared
	}
	n := 0.0 // that say anything; the others are told all the same
	for _, e := range list {
		if !math.IsInf(e.squared, 1) {
			n++
		}
	}
	if n == 0 {
		return
	}
	between := 0.0
	if c := w - ww/w; c > 0 {
		between = max(0, (q-(n-1))/c)
	}
	var sum, weight float64
	for _, e := range list {
		weight += 1 / (e.squared + between)
		sum += e.value / (e.squared + between)
	}
	for _, e := range list {
		own := 1 / (e.squared + between)
		rest := weight - own
		if rest < 1e-9*weight { // the others know next to nothing
			continue
		}
		if e.state.Shared == nil {
			e.state.Shared = map[string]Prior{}
		}
		e.state.Shared[name] = Prior{
			Mean:     (sum - own*e.value) / rest,
			Variance: between + 1/rest,
			Series:   int(n),
			Between:  math.Sqrt(between),
		}
	}
}

// perUnit turns a coefficient into the effect that series can compare: of one unit of its
// driver, or of as much again of one that is above zero and not in logs. A unit of a price is
// much to what costs 3 and nothing to what costs 60.
func (s *State) perUnit(part string) float64 {
	if d := s.driver(part); d != nil {
		return d.relative() / d.Spread
	}
	return 1
}

// relative is what the driver is as a rule, where effects are compared relative to it.
func (d *Driver) relative() float64 {
	if d.Log || d.Low <= 0 {
		return 1
	}
	return d.Mean
}

func (s *State) logged(part string) bool {
	d := s.driver(part)
	return d != nil && d.Log
}

func (s *State) driver(part string) *Driver {
	for i := range s.Recipe.Drivers {
		if s.Recipe.Drivers[i].Name == part {
			return &s.Recipe.Drivers[i]
		}
	}
	return nil
}

// refit solves the regression once more, with what is shared, and fits the errors to what
// it leaves.
func (s *State) refit(ctx context.Context, in single.Input) error {
	list, err := s.Recipe.columns(in.SeriesView, 0, s.Used, 0)
	if err != nil {
		return err
	}
	w := &work{s: s, in: in, y: s.worked()}
	if err := w.settle(ctx, list); err != nil {
		return err
	}
	s.Past = s.parts(list)
	return nil
}

// LeavesOutOdd says what the method says.
func (t together) LeavesOutOdd() bool { return t.method.LeavesOutOdd() }
