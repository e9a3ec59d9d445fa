package linear

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// Describe gives the equation of the first step, and what each group of columns adds.
func (s *State) Describe(d *model.Description, horizon int) {
	p := s.Pool
	d.Form = fmt.Sprintf("regression on %d columns, on the %s", len(p.Recipe.Columns), s.scaleWords())
	d.Form += map[string]string{"direct": ", an equation a step", "recursive": ", one equation that goes on from its own forecasts", "averaged": ", the mean of an equation a step and one that goes on from itself"}[p.Mode]
	if p.Series > 1 {
		d.Form += fmt.Sprintf(", shared by %d series with intercepts of their own", p.Series)
	}
	d.Why = "coefficients as they are given"
	if p.Searched {
		d.Why = fmt.Sprintf("the penalty of %.3g has the least squared error on inner windows", p.Strength)
	}
	e := &p.Steps[0]
	if float64(len(e.Beta)) > 0.5*float64(e.Rows) {
		d.Cautions = append(d.Cautions, fmt.Sprintf("%d columns stand against %d rows: only the penalty holds the coefficients", len(e.Beta), e.Rows))
	}
	unit := 1.0
	if !p.Logs {
		unit = s.Scale.Size
	}
	sigma := s.Sigma[0] * unit
	d.Sigma = &sigma
	d.Parameters = append(d.Parameters, model.Parameter{Name: "intercept", Value: s.Own[0] * unit, Meaning: "of the first step, at usual values of all columns"})
	for _, k := range s.bySize() {
		c := &p.Recipe.Columns[k]
		value, meaning := e.Beta[k]*unit, c.Meaning
		switch {
		case c.Level:
			value = e.Beta[k] // of a value, on the same scale
			meaning = "weight of the " + meaning
		case c.Logged() && p.Logs:
			meaning = "elasticity: per cent that 1 % more of the driver brings"
		default:
			meaning = "effect of one unit: " + meaning
		}
		d.Parameters = append(d.Parameters, model.Parameter{Name: c.Name, Value: value, Meaning: meaning})
		if c.IsDriver() || c.IsEvent() {
			d.Effects = append(d.Effects, s.effect(k))
		}
	}
	s.components(d, horizon)
	d.Cautions = append(d.Cautions, s.Notes...)
}

// bySize orders the columns by what they move, the largest first; those without a
// coefficient are left out.
func (s *State) bySize() (out []int) {
	e := &s.Pool.Steps[0]
	for k, b := range e.Beta {
		if b != 0 {
			out = append(out, k)
		}
	}
	slices.SortStableFunc(out, func(a, b int) int {
		return cmp.Compare(math.Abs(e.Beta[b]*s.Pool.Spread[b]), math.Abs(e.Beta[a]*s.Pool.Spread[a]))
	})
	return out
}

// effect is what a driver or an event changes at the usual level, on average over the
// steps; how far the steps differ is its interval.
func (s *State) effect(k int) model.Effect {
	c := &s.Pool.Recipe.Columns[k]
	step, per := 1.0, "1 more"
	if c.Logged() {
		step, per = math.Log(1.1), "10 % more"
	}
	kind := "driver"
	if c.IsEvent() {
		kind, per = "event", "1 more"
	}
	n, sum, low, high := 0.0, 0.0, math.Inf(1), math.Inf(-1)
	for i := range s.Pool.Steps {
		v := step * s.Pool.Steps[i].Beta[k]
		n, sum, low, high = n+1, sum+v, min(low, v), max(high, v)
	}
	units := func(x float64) float64 {
		if s.Pool.Logs {
			return s.Scale.Size * (math.Exp(x) - 1)
		}
		return s.Scale.Size * x
	}
	percent := func(x float64) float64 { return 100 * units(x) / s.Scale.Size }
	return model.Effect{Name: c.Name, Kind: kind, Per: per, Units: units(sum / n), Low: units(low), High: units(high), Percent: percent(sum / n), PercentLow: percent(low), PercentHigh: percent(high)}
}

// components adds the columns up by their groups: along the past by the first step's
// equation, ahead by each step's own.
func (s *State) components(d *model.Description, horizon int) {
	n := len(s.Values)
	f, err := s.future(s.in, horizon)
	if err != nil {
		d.Cautions = append(d.Cautions, err.Error())
		return
	}
	p := s.Pool
	groups := []string{"level"}
	for i := range p.Recipe.Columns {
		if g := p.Recipe.Columns[i].Group; !slices.Contains(groups, g) {
			groups = append(groups, g)
		}
	}
	parts := make([]model.Component, len(groups))
	for i, g := range groups {
		parts[i] = model.Component{Name: g, Factor: p.Logs && g != "level", Past: make([]float64, min(n, s.Used)), Ahead: make([]float64, horizon)}
	}
	for t := range parts[0].Past {
		s.split(f, t-1, 1, groups, parts, func(c *model.Component) *float64 { return &c.Past[t] })
	}
	for h := range horizon {
		s.split(f, len(f.past)-1, min(f.quiet+h+1, len(p.Steps)), groups, parts, func(c *model.Component) *float64 { return &c.Ahead[h] })
	}
	d.Components = parts
}

// split puts one row's parts where they belong.
func (s *State) split(f *future, origin, step int, groups []string, parts []model.Component, at func(*model.Component) *float64) {
	p := s.Pool
	if origin < 0 || origin >= len(f.past) {
		for i := range parts {
			*at(&parts[i]) = panel.Unknown
		}
		return
	}
	f.rows.FillPath(f.past[:origin+1], step, f.x)
	base, ok := p.relative(f.past[origin], f.x)
	if !ok {
		base = panel.Unknown
	}
	e := &p.Steps[step-1]
	*at(&parts[0]) = base + s.Own[step-1]
	for k, b := range e.Beta {
		if d := f.x[k] - e.Center[k]; d == d {
			*at(&parts[slices.Index(groups, p.Recipe.Columns[k].Group)]) += b * d
		}
	}
	for i := range parts {
		v := at(&parts[i])
		switch {
		case i == 0:
			*v = s.Scale.Back(*v)
		case p.Logs:
			*v = math.Exp(*v)
		default:
			*v *= s.Scale.Size
		}
	}
}
