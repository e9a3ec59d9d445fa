package linear

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"paperkettle/core/calendar"
	"paperkettle/core/feature"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// Brief names the scale, how steps follow each other, and the memory.
func (s *State) Brief() string {
	out := s.scaleWords()
	if s.Twin != nil {
		out = "the mean of logs and levels"
	}
	out += ", " + s.Pool.Mode + " steps"
	if s.Before > 0 {
		out += fmt.Sprintf(", the last %d periods", s.Used)
	}
	return out
}

// Describe gives the equation of the first step, and what each group of columns adds.
func (s *State) Describe(d *model.Description, horizon int) {
	p := s.Pool
	d.Form = fmt.Sprintf("regression on %d columns that are known ahead and %d of the past of what they leave, on the %s",
		len(p.Ahead.Columns), len(p.Recipe.Columns), s.scaleWords())
	d.Form += map[string]string{"direct": ", an equation a step", "recursive": ", one equation that goes on from its own forecasts",
		"averaged": ", the mean of an equation a step and one that goes on from itself"}[p.Mode]
	if p.Series > 1 {
		d.Form += fmt.Sprintf(", shared by %d series with intercepts of their own", p.Series)
		if p.Departure > 0 {
			d.Form += fmt.Sprintf("; coefficients of their own are held to the shared ones, %s for %s and %s for %s",
				heldWords(p.Departure), p.partWords("the calendar", p.Departure, false), heldWords(p.EffectDeparture),
				p.partWords("drivers and events", p.EffectDeparture, true))
		}
	}
	if s.Before > 0 {
		d.From += s.Before
		d.Form += fmt.Sprintf("; learnt from the last %d periods", s.Used)
	}
	if s.Twin != nil {
		d.Form += fmt.Sprintf("; the forecast is the mean of this and of the same on the %s, and what follows is of this one, but for effects",
			s.Twin.scaleWords())
	}
	d.Why = "coefficients as they are given"
	e := &p.Steps[0]
	if s.Outside.Searched || e.Searched {
		d.Why = fmt.Sprintf("penalties of %.3g on what is known ahead and %.3g on the past have the least squared error on inner windows",
			s.Outside.Strength, e.Strength)
	}
	if len(p.Trials) > 0 {
		d.Why += "; by inner windows: " + strings.Join(p.Trials, ", ")
	}
	if n := len(e.Beta) + len(s.Outside.Beta); float64(n) > 0.5*float64(max(e.Rows, s.Outside.Rows)) {
		d.Cautions = append(d.Cautions, fmt.Sprintf("%d columns stand against %d rows: only the penalty holds the coefficients", n,
			max(e.Rows, s.Outside.Rows)))
	}
	unit := 1.0
	if !p.Logs {
		unit = s.Scale.Size
	}
	sigma := s.Sigma[0] * unit
	d.Sigma = &sigma
	d.Parameters = append(d.Parameters, model.Parameter{Name: "intercept", Value: s.Own[0] * unit,
		Meaning: "of the first step, at usual values of all columns"})
	for _, k := range bySize(&s.Outside) {
		c := &p.Ahead.Columns[k]
		meaning := "effect of one unit: " + c.Meaning
		value, wide := s.Outside.Beta[k]*unit, s.Outside.deviation(k)*unit
		if c.Logged() && p.Logs {
			meaning = "elasticity: per cent that 1 % more of the driver brings"
		}
		d.Parameters = append(d.Parameters, model.Parameter{Name: c.Name, Value: value, Meaning: fmt.Sprintf("%s, standard error %.3g", meaning, wide)})
		if c.IsDriver() || c.IsEvent() {
			d.Effects = append(d.Effects, s.meanEffect(k))
		}
	}
	for _, k := range bySize(e) {
		c := &p.Recipe.Columns[k]
		d.Parameters = append(d.Parameters, model.Parameter{Name: c.Name, Value: e.Beta[k], Meaning: "weight, at the first step, of the " + c.Meaning})
	}
	s.components(d, horizon)
	d.LeftOut = append(d.LeftOut, model.Odd(d.From, s.Odd, s.Values, "its neighbours")...)
	if n := len(s.Odd); n > 0 {
		d.Cautions = append(d.Cautions, fmt.Sprintf("values far from their neighbours count for nothing: %d of them", n))
	}
	d.Cautions = append(d.Cautions, s.Notes...)
}

// partWords say what is held by a strength, and how the parts of it are that have their own.
func (p *Pool) partWords(all string, strength float64, drivers bool) string {
	var own []string
	for _, d := range p.PartDepartures {
		if d.Driver == drivers && d.Strength != strength {
			own = append(own, fmt.Sprintf("%s for %s", heldWords(d.Strength), d.Part))
		}
	}
	if len(own) == 0 {
		return all
	}
	return fmt.Sprintf("%s (%s)", all, strings.Join(own, ", "))
}

func heldWords(strength float64) string {
	if strength >= departures[0] {
		return "wholly"
	}
	return fmt.Sprintf("by %.3g", strength)
}

// bySize orders the columns by what they move, the largest first; those without a
// coefficient are left out.
func bySize(e *Equation) (out []int) {
	for k, b := range e.Beta {
		if b != 0 {
			out = append(out, k)
		}
	}
	slices.SortStableFunc(out, func(a, b int) int {
		return cmp.Compare(math.Abs(e.Beta[b]*e.Spread[b]), math.Abs(e.Beta[a]*e.Spread[a]))
	})
	return out
}

// meanEffect is the effect that the forecast has: of both scales where there are two.
func (s *State) meanEffect(k int) model.Effect {
	out := s.effect(k)
	if s.Twin == nil {
		return out
	}
	name := out.Name
	other := slices.IndexFunc(s.Twin.Pool.Ahead.Columns, func(c feature.Column) bool { return c.Name == name })
	if other < 0 {
		return out
	}
	twin := s.Twin.effect(other)
	if twin.Per != out.Per {
		return out
	}
	a := []float64{out.Units, out.Low, out.High, out.Percent, out.PercentLow, out.PercentHigh}
	average(a, []float64{twin.Units, twin.Low, twin.High, twin.Percent, twin.PercentLow, twin.PercentHigh})
	out.Units, out.Low, out.High, out.Percent, out.PercentLow, out.PercentHigh = a[0], a[1], a[2], a[3], a[4], a[5]
	return out
}

// effect is what a driver or an event changes at the usual level, with a 95 % interval.
func (s *State) effect(k int) model.Effect {
	c := &s.Pool.Ahead.Columns[k]
	step, per, kind := 1.0, "1 more", "driver"
	switch {
	case c.Counts():
		kind, per = "event", "a period more"
	case c.IsEvent():
		kind, per = "event", calendar.PerOccasion(c.Name)
	case c.Logged():
		step, per = math.Log(1.1), "10 % more"
	}
	e := &s.Outside
	value, wide := step*e.Beta[k], 1.96*step*e.deviation(k)
	units := func(x float64) float64 {
		if s.Pool.Logs {
			return s.Scale.Size * (math.Exp(x) - 1)
		}
		return s.Scale.Size * x
	}
	percent := func(x float64) float64 { return 100 * units(x) / s.Scale.Size }
	return model.Effect{Name: c.Name, Kind: kind, Per: per, Units: units(value), Low: units(value - wide), High: units(value + wide),
		Percent: percent(value), PercentLow: percent(value - wide), PercentHigh: percent(value + wide)}
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
	for _, list := range [][]feature.Column{p.Recipe.Columns, p.Ahead.Columns} {
		for i := range list {
			if g := list[i].Group; !slices.Contains(groups, g) {
				groups = append(groups, g)
			}
		}
	}
	parts := make([]model.Component, len(groups))
	for i, g := range groups {
		parts[i] = model.Component{Name: g, Factor: p.Logs && i > 0, Past: make([]float64, min(n, s.Used)), Ahead: make([]float64, horizon)}
	}
	for t := range parts[0].Past {
		f.split(t, t-1, 1, groups, parts, func(c *model.Component) *float64 { return &c.Past[t] })
	}
	for h := range horizon {
		f.split(n+h, len(f.past)-1, min(f.quiet+h+1, len(p.Steps)), groups, parts, func(c *model.Component) *float64 { return &c.Ahead[h] })
	}
	d.Components = parts
}

// split puts one period's parts where they belong.
func (f *future) split(period, origin, step int, groups []string, parts []model.Component, at func(*model.Component) *float64) {
	s, p := f.s, f.s.Pool
	base, ok := panel.Unknown, false
	if origin >= 0 && origin < len(f.past) {
		f.rows.FillPath(f.past[:origin+1], step, f.x)
		base, ok = p.relative(f.past[origin], f.x)
	}
	if !ok {
		for i := range parts {
			*at(&parts[i]) = panel.Unknown
		}
		return
	}
	*at(&parts[0]) = base + s.Own[step-1]
	if last := p.Steps[step-1].Last; last != 0 {
		*at(&parts[0]) += last * f.past[origin]
	}
	p.Steps[step-1].share(f.x, p.Recipe.Columns, func(group string, v float64) { *at(&parts[slices.Index(groups, group)]) += v })
	x := make([]float64, len(p.Ahead.Columns))
	f.ahead.FillAhead(period, x)
	if over := f.hold(x); period >= len(s.Values) && len(over) > 0 {
		defer f.carry(over, groups, parts, at)
	}
	s.Outside.share(x, p.Ahead.Columns, func(group string, v float64) { *at(&parts[slices.Index(groups, group)]) += v })
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

// share gives what each column adds to its group.
func (e *Equation) share(x []float64, columns []feature.Column, add func(group string, v float64)) {
	for k, b := range e.Beta {
		if d := x[k] - e.Center[k]; d == d {
			add(columns[k].Group, b*d)
		}
	}
}
