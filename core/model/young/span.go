package young

import (
	"math"

	"paperkettle/core/panel"
)

// Span is a season over periods that follow one another, looked up once: a long series asks of thousands.
type Span struct {
	season *Season
	first  int64
	terms  []float64
}

// Over is the season over n periods from an ordinal on.
func (s *Season) Over(first int64, n int) Span {
	if s.Days != nil {
		return Span{s, first, s.Days.Over(first, n)}
	}
	terms := make([]float64, n)
	for t := range terms {
		terms[t] = s.term(first + int64(t))
	}
	return Span{s, first, terms}
}

// term is that of a period, counted from the first; one that was not looked up is looked up now.
func (p Span) term(t int) float64 {
	if t < 0 || t >= len(p.terms) {
		return p.season.term(p.first + int64(t))
	}
	return p.terms[t]
}

// At is the season's value at a period: a factor, or what it adds.
func (p Span) At(t int) float64 { return p.season.value(p.term(t)) }

// Without is a value of a period without the season.
func (p Span) Without(t int, y float64) float64 {
	if at := p.At(t); p.season.Log {
		return y / at
	} else {
		return y - at
	}
}

// Rest is what the season leaves of a value, to be learnt from: unknown on a day that is mostly shut.
func (p Span) Rest(t int, y float64) float64 {
	if p.season.Days != nil && p.term(t) < mostlyShut {
		return panel.Unknown
	}
	return p.Without(t, y)
}

// With puts the season back into a number of a period.
func (p Span) With(t int, y float64) float64 {
	if at := p.At(t); p.season.Log {
		return y * at
	} else {
		return y + at
	}
}

// PutBack puts the season back into numbers of a period.
func (p Span) PutBack(t int, numbers []float64) {
	at := p.At(t)
	for i := range numbers {
		if p.season.Log {
			numbers[i] *= at
		} else {
			numbers[i] += at
		}
	}
}

// mostlyShut is the log of the factor of days below which what is left says nothing: of hardly any sales.
const mostlyShut = -1.5

// Rest is what the season leaves of values from an ordinal on.
func (s *Season) Rest(values []float64, first int64) []float64 {
	span, out := s.Over(first, len(values)), make([]float64, len(values))
	for t, y := range values {
		out[t] = span.Rest(t, y)
	}
	return out
}

// value is what a term is worth: a factor, or what it adds.
func (s *Season) value(term float64) float64 {
	if s.Log {
		return math.Exp(term)
	}
	return term
}
