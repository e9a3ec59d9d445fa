// Package export writes results for people and their tools.
package export

import (
	"bufio"
	"math"
	"strconv"
	"strings"

	"paperkettle/core/forecast"
	"paperkettle/core/panel"
	"paperkettle/core/score"
)

// Points writes forecast points as a table, a row for each step.
type Points struct {
	t       Table
	p       *panel.Panel
	read    forecast.Reader
	low     []float64
	high    []float64
	windows bool
	closed  bool // the panel has closed periods, and the table a column for them
	cells   []Cell
	periods map[int]string // each name is made once
}

func (e *Points) period(index int) string {
	name, ok := e.periods[index]
	if !ok {
		name = e.p.Period(index)
		e.periods[index] = name
	}
	return name
}

// Origin names where a forecast starts: the axis index of the last trained period, and
// how many periods lie between it and the first step.
type Origin struct {
	Window int // 0 for a release
	Index  int
	Gap    int
}

// NewPoints starts one in a format. windows adds the columns of a bake-off: the window
// and what MASE and RMSSE divide by.
func NewPoints(w *bufio.Writer, format string, p *panel.Panel, levels []float64, windows bool) (*Points, error) {
	var columns []Column
	add := func(kind Kind, names ...string) {
		for _, n := range names {
			columns = append(columns, Column{n, kind})
		}
	}
	for _, a := range p.Attributes {
		add(Text, a.Name)
	}
	add(Text, "contender")
	if windows {
		add(Whole, "window")
	}
	add(Text, "origin")
	add(Whole, "step")
	add(Text, "period")
	add(Number, "actual", "forecast")
	for _, l := range levels {
		text := score.LevelText(l)
		add(Number, "low"+text, "high"+text)
	}
	if windows {
		add(Number, "mase_scale", "rmsse_scale")
	}
	closed := len(p.Closed) > 0
	if closed {
		add(Text, "closed")
	}
	t, err := NewTable(w, format, columns)
	return &Points{t: t, p: p, closed: closed, read: forecast.NewReader(levels), low: make([]float64, len(levels)),
		high: make([]float64, len(levels)), windows: windows, periods: map[int]string{}}, err
}

// Series writes all steps of one series. actual gives the value at an axis index,
// NaN where unknown. A closed step has zeros for its forecast, no actual, and says so.
func (e *Points) Series(series int, contender string, at Origin, rows forecast.Rows, scale score.Scale, actual func(int) float64) error {
	head := e.cells[:0]
	for a := range e.p.Attributes {
		head = append(head, Cell{Text: e.p.Label(a, series)})
	}
	head = append(head, Cell{Text: contender})
	if e.windows {
		head = append(head, Cell{Number: float64(at.Window)})
	}
	head = append(head, Cell{Text: e.period(at.Index)})
	for h, f := range rows.Mean {
		index := at.Index + at.Gap + h + 1
		y := actual(index)
		if rows.IsClosed(h) { // nothing is scored there, whatever was sold
			y = panel.Unknown
		}
		cells := append(head, Cell{Number: float64(h + 1)}, Cell{Text: e.period(index)}, Cell{Number: y}, Cell{Number: f})
		e.read.Read(rows.At(h), e.low, e.high)
		for i := range e.low {
			cells = append(cells, Cell{Number: e.low[i]}, Cell{Number: e.high[i]})
		}
		if e.windows {
			cells = append(cells, Cell{Number: scale.Abs}, Cell{Number: math.Sqrt(scale.Sq)})
		}
		if e.closed {
			text := ""
			if rows.IsClosed(h) {
				text = "closed"
			}
			cells = append(cells, Cell{Text: text})
		}
		e.cells = cells
		if err := e.t.Row(cells); err != nil {
			return err
		}
	}
	return nil
}

// Close ends the table.
func (e *Points) Close() error { return e.t.Close() }

func appendNumber(b []byte, v float64) []byte {
	if v != v {
		return b
	}
	return strconv.AppendFloat(b, v, 'f', -1, 64)
}

func quote(s string) string {
	if strings.ContainsAny(s, ",\"\r\n") {
		return `"` + strings.ReplaceAll(s, `"`, `""`) + `"`
	}
	return s
}
