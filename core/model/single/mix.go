package single

import (
	"encoding/gob"
	"fmt"
	"strings"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

func init() { gob.Register(&Mix{}) }

// Mix is several fitted states whose means and quantiles are averaged by weight.
//
// Source: Lichtendahl, Grushka-Cockayne and Winkler, Is it better to average probabilities
// or quantiles?, Management Science 59 (2013).
type Mix struct {
	Names   []string
	Parts   []State
	Weights []float64 // they add up to 1
}

// Add puts a state into the mix; Close makes the weights add up to 1.
func (m *Mix) Add(name string, s State, weight float64) {
	m.Names, m.Parts, m.Weights = append(m.Names, name), append(m.Parts, s), append(m.Weights, weight)
}

// Close makes the weights add up to 1, and has parts that simulate do so by what they weigh.
func (m *Mix) Close() {
	total := 0.0
	for _, w := range m.Weights {
		total += w
	}
	for i := range m.Weights {
		m.Weights[i] /= total
		if l, ok := m.Parts[i].(interface{ Lighten(share float64) }); ok {
			l.Lighten(m.Weights[i])
		}
	}
}

// Forecast averages the parts' forecasts.
func (m *Mix) Forecast(v panel.SeriesView, out forecast.Rows) error {
	if len(m.Parts) == 1 {
		return m.Parts[0].Forecast(v, out)
	}
	clear(out.Mean)
	clear(out.Quantiles)
	rows := forecast.NewRows(len(out.Mean))
	for i, part := range m.Parts {
		if err := part.Forecast(v, rows); err != nil {
			return err
		}
		for h, f := range rows.Mean {
			out.Mean[h] += m.Weights[i] * f
		}
		for g, q := range rows.Quantiles {
			out.Quantiles[g] += m.Weights[i] * q
		}
	}
	return nil
}

// Coarse has the parts draw few futures from now on.
func (m *Mix) Coarse() {
	for _, part := range m.Parts {
		coarsen(part)
	}
}

// coarsen has a state draw few futures, where it draws any.
func coarsen(s State) {
	if c, ok := s.(interface{ Coarse() }); ok {
		c.Coarse()
	}
}

// Advance moves every part on.
func (m *Mix) Advance(v panel.SeriesView, from int) error {
	for _, part := range m.Parts {
		if err := part.Advance(v, from); err != nil {
			return err
		}
	}
	return nil
}

// Fitted averages the parts' fitted values.
func (m *Mix) Fitted() []float64 {
	if len(m.Parts) == 1 {
		return m.Parts[0].Fitted()
	}
	var out []float64
	for i, part := range m.Parts {
		f := part.Fitted()
		if out == nil {
			out = make([]float64, len(f))
		}
		for t := range out {
			out[t] += m.Weights[i] * f[t]
		}
	}
	return out
}

// Count is the number of parameters of the part with the most weight.
func (m *Mix) Count() int {
	if counted, ok := m.Parts[m.Lead()].(interface{ Count() int }); ok {
		return counted.Count()
	}
	return 0
}

// Lead is the place of the part with the most weight.
func (m *Mix) Lead() int {
	lead := 0
	for i, w := range m.Weights {
		if w > m.Weights[lead] {
			lead = i
		}
	}
	return lead
}

// Brief names the parts with their weights, the largest first, but for those that hardly count.
func (m *Mix) Brief() string { return model.Shares(m.Names, m.Weights) }

// Describe describes the part with the most weight, and says what it is mixed with.
func (m *Mix) Describe(d *model.Description, horizon int) {
	m.Parts[m.Lead()].Describe(d, horizon)
	if len(m.Parts) == 1 {
		return
	}
	names := make([]string, len(m.Names))
	for i, n := range m.Names {
		names[i] = fmt.Sprintf("%s %.0f %%", n, 100*m.Weights[i])
	}
	d.Form = "a mix of " + strings.Join(names, ", ") + "; most of it is " + d.Form
}
