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

// Points writes forecast points as CSV, a row for each step. Numbers are the
// shortest text that reads back to the same float64.
type Points struct {
	w       *bufio.Writer
	p       *panel.Panel
	levels  []float64
	windows bool
	row     []byte
}

// Origin names where a forecast starts: the axis index of the last trained period.
type Origin struct {
	Window int // 0 for a release
	Index  int
}

// NewPoints writes the header. windows adds the columns of a bake-off: the window
// and what MASE and RMSSE divide by.
func NewPoints(w *bufio.Writer, p *panel.Panel, levels []float64, windows bool) (*Points, error) {
	names := []string{}
	for _, a := range p.Attributes {
		names = append(names, quote(a.Name))
	}
	names = append(names, "contender")
	if windows {
		names = append(names, "window")
	}
	names = append(names, "origin", "step", "period", "actual", "forecast")
	for _, l := range levels {
		text := score.LevelText(l)
		names = append(names, "low"+text, "high"+text)
	}
	if windows {
		names = append(names, "mase_scale", "rmsse_scale")
	}
	_, err := w.WriteString(strings.Join(names, ",") + "\n")
	return &Points{w: w, p: p, levels: levels, windows: windows}, err
}

// Series writes all steps of one series. actual gives the value at an axis index,
// NaN where unknown.
func (e *Points) Series(series int, contender string, at Origin, rows forecast.Rows, scale score.Scale, actual func(int) float64) error {
	head := e.row[:0]
	for _, label := range e.p.Labels(series) {
		head = append(append(head, quote(label)...), ',')
	}
	head = append(append(head, quote(contender)...), ',')
	if e.windows {
		head = append(strconv.AppendInt(head, int64(at.Window), 10), ',')
	}
	head = append(append(head, e.p.Period(at.Index)...), ',')
	n := len(head)
	for h, f := range rows.Mean {
		b := strconv.AppendInt(head[:n], int64(h+1), 10)
		b = append(append(append(b, ','), e.p.Period(at.Index+h+1)...), ',')
		b = appendNumber(b, actual(at.Index+h+1))
		b = appendNumber(append(b, ','), f)
		for _, l := range e.levels {
			low, high := forecast.Interval(rows.At(h), l)
			b = appendNumber(append(b, ','), low)
			b = appendNumber(append(b, ','), high)
		}
		if e.windows {
			b = appendNumber(append(b, ','), scale.Abs)
			b = appendNumber(append(b, ','), math.Sqrt(scale.Sq))
		}
		b = append(b, '\n')
		if _, err := e.w.Write(b); err != nil {
			return err
		}
		e.row = b
		head = b
	}
	return nil
}

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
