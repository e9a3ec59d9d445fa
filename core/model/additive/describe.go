package additive

import (
	"fmt"
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// Describe gives the parts over the past, bends, and each event's and driver's effect.
func (s *State) Describe(d *model.Description, horizon int) {
	d.Form = "adds up"
	if s.Logs {
		d.Form = "multiplies"
	}
	d.Form += fmt.Sprintf(" a %s trend", s.Recipe.Trend)
	for _, x := range s.Recipe.Seasons {
		d.Form += ", a season of the " + x.Name
	}
	d.Form += fmt.Sprintf(", %d events and %d drivers, with %s errors", len(s.Recipe.Events), len(s.Recipe.Drivers), s.Errs.Order.Arma())
	d.Why = "seasons by the cadence and the length; bends by the Bayesian criterion; coefficients by penalised least squares"
	k := len(s.Beta)
	add := func(name string, v float64, meaning string) {
		d.Parameters = append(d.Parameters, model.Parameter{Name: name, Value: v, Meaning: meaning})
	}
	unit := s.Size
	scale := "in the measure's unit"
	if s.Logs {
		unit, scale = 1, "in logs"
	}
	for a, name := range s.Names {
		deviation := math.Sqrt(max(0, s.Cov[a*k+a]))
		switch {
		case s.isEvent(s.Belongs[a]):
			add(name, s.Beta[a]*unit, fmt.Sprintf("effect of the event %s, standard error %.3g%s", scale, deviation*unit, s.percent(s.Beta[a])))
		case s.driver(s.Belongs[a]) != nil:
			x := s.driver(s.Belongs[a])
			meaning := "effect of one unit " + scale
			if x.Log {
				meaning = "elasticity: per cent that 1 % more of the driver brings"
			}
			add(name, s.Beta[a]/x.Spread*unit, fmt.Sprintf("%s, standard error %.3g", meaning, deviation/x.Spread*unit))
		case s.Belongs[a] == "trend" && a >= 2:
			at := s.Recipe.Bends[a-2]
			add(fmt.Sprintf("bend %d", a-1), s.Beta[a]*unit/float64(s.Recipe.Length), fmt.Sprintf("change of the slope a period, %d periods from the start, %s", at, scale))
		case name == "slope":
			add(name, s.Beta[a]*unit/float64(s.Recipe.Length), "change from a period to the next at the start, "+scale)
		}
	}
	sigma := math.Sqrt(s.Sigma2) * unit
	d.Sigma = &sigma
	s.components(d, horizon)
	d.Cautions = append(d.Cautions, s.Notes...)
}

func (s *State) percent(effect float64) string {
	if !s.Logs {
		return ""
	}
	return fmt.Sprintf(", %+.1f %%", 100*(math.Exp(effect)-1))
}

func (s *State) isEvent(part string) bool {
	for _, e := range s.Recipe.Events {
		if e.Name == part {
			return true
		}
	}
	return false
}

func (s *State) driver(part string) *Driver {
	for i := range s.Recipe.Drivers {
		if s.Recipe.Drivers[i].Name == part {
			return &s.Recipe.Drivers[i]
		}
	}
	return nil
}

// components are the parts; those that hang on events and drivers are not shown ahead,
// where their values are not at hand.
func (s *State) components(d *model.Description, horizon int) {
	n := len(s.Values)
	plain := s.Recipe
	plain.Events, plain.Drivers = nil, nil
	var ahead []Part
	if list, err := plain.columns(panel.SeriesView{}, n, n+horizon, 0); err == nil {
		ahead = s.parts(list) // trend and seasons come first among the columns
	}
	for k, part := range s.Past {
		c := model.Component{Name: part.Name, Factor: s.Logs && part.Name != "trend", Past: s.shown(part), Ahead: slices.Repeat([]float64{panel.Unknown}, horizon)}
		if k < len(ahead) {
			c.Ahead = s.shown(ahead[k])
		}
		d.Components = append(d.Components, c)
	}
}

// shown is a part in the measure's unit, or as a factor.
func (s *State) shown(part Part) []float64 {
	out := make([]float64, len(part.Values))
	for i, x := range part.Values {
		if s.Logs && part.Name != "trend" {
			out[i] = math.Exp(x)
		} else {
			out[i] = s.back(x)
		}
	}
	return out
}
