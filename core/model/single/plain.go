package single

import (
	"encoding/gob"
	"math"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

func init() { gob.Register(&plain{}) }

// plain repeats the last known value; the steps between known values are its errors, as
// of a random walk.
type plain struct {
	Last  float64
	Since int     // periods since the last known value
	Sum   float64 // of squared steps
	Steps int
	Seen  []float64
}

func newPlain(values []float64) *plain {
	p := &plain{Last: panel.Unknown}
	p.take(values)
	return p
}

func (p *plain) take(values []float64) {
	for _, y := range values {
		p.Seen = append(p.Seen, p.Last)
		p.Since++
		if !panel.Known(y) {
			continue
		}
		if panel.Known(p.Last) {
			// A step over a gap is as wide as the root of its periods.
			p.Sum += (y - p.Last) * (y - p.Last) / float64(p.Since)
			p.Steps++
		}
		p.Last, p.Since = y, 0
	}
}

func (p *plain) Forecast(_ panel.SeriesView, out forecast.Rows) error {
	sigma := math.Sqrt(p.Sum / float64(max(p.Steps, 1)))
	for h := range out.Mean {
		wide := sigma * math.Sqrt(float64(p.Since+h+1))
		out.Mean[h] = p.Last
		q := out.At(h)
		for g, t := range forecast.Student(max(p.Steps, 1)) {
			q[g] = p.Last + wide*t
		}
		q[forecast.Median] = p.Last
	}
	return nil
}

func (p *plain) Advance(s panel.SeriesView, from int) error {
	p.take(s.Values[from:])
	return nil
}

func (p *plain) Fitted() []float64 { return p.Seen }

func (p *plain) Describe(d *model.Description, _ int) {
	d.Form = "repeats the last known value"
	d.Parameters = []model.Parameter{{Name: "last", Value: p.Last, Meaning: "last known value"}}
}
