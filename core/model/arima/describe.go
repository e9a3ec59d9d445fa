package arima

import (
	"fmt"
	"math"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/loess"
	"paperkettle/core/panel"
)

// Describe says all about the model.
// Brief is the orders, and whether it works in logs.
func (s *State) Brief() string { return s.Order.String() + s.on() }

func (s *State) Describe(d *model.Description, horizon int) {
	d.Form = "ARIMA " + s.Order.String() + s.on()
	for i := range s.Long {
		d.Form += fmt.Sprintf(", and %d harmonics of a season of %.6g", s.Long[i].Pairs(), s.Long[i].Period)
	}
	if len(s.Names) > 0 {
		d.Form += fmt.Sprintf(", regressed on %d drivers and events", len(s.Names))
	}
	d.Criterion, d.Why = "AICc", s.Why
	d.Choices = slices.Clone(s.Tried)
	slices.SortStableFunc(d.Choices, func(a, b model.Candidate) int {
		switch {
		case a.Value < b.Value:
			return -1
		case a.Value > b.Value:
			return 1
		}
		return 0
	})
	d.Choices = d.Choices[:min(len(d.Choices), 6)]
	s.parameters(d)
	sigma := math.Sqrt(s.Sigma2)
	if !s.Scale.On {
		sigma *= s.Scale.Size
	}
	d.Sigma = &sigma
	s.components(d, horizon)
	d.Cautions = append(d.Cautions, s.Notes...)
	if s.Scale.On {
		d.Cautions = append(d.Cautions, "parameters and sigma are on the transformed scale")
	}
}

func (s *State) on() string {
	switch {
	case !s.Scale.On:
		return ""
	case s.Scale.Lambda == 0:
		return " of the logs"
	}
	return fmt.Sprintf(" of the values to the power %.1f", s.Scale.Lambda)
}

func (s *State) parameters(d *model.Description) {
	add := func(name string, v float64, meaning string) {
		d.Parameters = append(d.Parameters, model.Parameter{Name: name, Value: v, Meaning: meaning})
	}
	sh := &shape{}
	sh.set(s.Order, s.X)
	o := s.Order
	for i := range o.P {
		add(fmt.Sprintf("phi%d", i+1), sh.short[0][i], fmt.Sprintf("weight of the value %d before", i+1))
	}
	for i := range o.Q {
		add(fmt.Sprintf("theta%d", i+1), -sh.short[1][i], fmt.Sprintf("weight of the error %d before", i+1))
	}
	for i := range o.SP {
		add(fmt.Sprintf("Phi%d", i+1), sh.long[0][i], fmt.Sprintf("weight of the value %d seasons before", i+1))
	}
	for i := range o.SQ {
		add(fmt.Sprintf("Theta%d", i+1), -sh.long[1][i], fmt.Sprintf("weight of the error %d seasons before", i+1))
	}
	at := 2 * pairs(s.Long)
	for _, name := range s.Names {
		add(name, s.Beta[at]*s.unit(), fmt.Sprintf("effect of one unit, standard error %.3g", s.Errors[at]*s.unit()))
		at++
	}
	if o.Constant {
		add("c", s.constant()*s.unit(), "mean of the differenced series")
	}
	add("sigma2", s.Sigma2*s.Free/(s.Free+float64(o.weights()+len(s.Beta)))*s.unit()*s.unit(), "variance of the errors, by maximum likelihood")
	add("log-likelihood", s.Loglik-s.differenced()*math.Log(s.unit()), "of the differenced series")
	add("AICc", s.AICc+2*s.differenced()*math.Log(s.unit()), "corrected Akaike criterion")
}

// unit brings what is additive on the working scale back to the series'.
func (s *State) unit() float64 {
	if s.Scale.On {
		return 1
	}
	return s.Scale.Size
}

// differenced counts the values that the likelihood is of.
func (s *State) differenced() float64 {
	return s.Free + float64(s.Order.weights()+len(s.Beta))
}

// components shows the harmonics and, since the model has no trend and season of its own,
// those that local regression sees in the series and its forecast together.
func (s *State) components(d *model.Description, horizon int) {
	if len(s.Names) == 0 {
		s.seen(d, horizon)
	}
	if len(s.Long) == 0 {
		return
	}
	past, ahead := make([]float64, s.Used), make([]float64, horizon)
	for i := range past {
		past[i] = s.longPart(i) * s.unit()
	}
	for h := range ahead {
		ahead[h] = s.longPart(len(s.Values)+h) * s.unit()
	}
	d.Components = append(d.Components, model.Component{Name: "long seasons" + s.on(), Past: past, Ahead: ahead})
}

func (s *State) seen(d *model.Description, horizon int) {
	rows := forecast.NewRows(horizon)
	if err := s.Forecast(panel.SeriesView{}, rows); err != nil {
		return
	}
	y := append(slices.Clone(s.Values[:s.Used]), rows.Mean...)
	var periods []int
	if s.Order.Season > 1 && s.Order.SP+s.Order.SD+s.Order.SQ > 0 {
		periods = []int{s.Order.Season}
	}
	logs := s.Scale.On && s.Scale.Lambda == 0
	if logs {
		for i, v := range y {
			y[i] = math.Log(v)
		}
	}
	parts := loess.Split(y, periods, loess.Options{Window: 11})
	lines := map[string][]float64{"trend, by local regression": parts.Trend}
	names := []string{"trend, by local regression"}
	for k, m := range periods {
		name := fmt.Sprintf("season of %d, by local regression", m)
		names, lines[name] = append(names, name), parts.Seasons[k]
	}
	for _, name := range names {
		line := lines[name]
		if logs {
			for i, v := range line {
				line[i] = math.Exp(v)
			}
		}
		d.Components = append(d.Components, model.Component{Name: name, Factor: logs && name != names[0], Past: line[:s.Used], Ahead: line[s.Used:]})
	}
}
