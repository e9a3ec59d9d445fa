package export

import (
	"bufio"
	"strings"

	"paperkettle/core/panel"
)

// Panel writes series as a long CSV table: their attributes, the period, the measure
// and the drivers, a row for each period from a series' first to the last with a value
// or a driver. As CSV the file loads again to the same panel.
func Panel(w *bufio.Writer, p *panel.Panel, series []int, time, format string) error {
	quote := quoting(format)
	names := []string{}
	for _, a := range p.Attributes {
		names = append(names, quote(a.Name))
	}
	if time == "" {
		time = "period"
	}
	names = append(names, quote(time), quote(p.Measure))
	for _, d := range p.Drivers {
		names = append(names, quote(d.Name))
	}
	if _, err := w.WriteString(strings.Join(names, ",") + "\n"); err != nil {
		return err
	}
	// A period's name is written often; each is made once.
	periods := map[int]string{}
	var row []byte
	for _, i := range series {
		s := &p.Series[i]
		row = row[:0]
		for _, label := range p.Labels(i) {
			row = append(append(row, quote(label)...), ',')
		}
		head := len(row)
		for t := range rowsOf(s) {
			name, ok := periods[s.First+t]
			if !ok {
				name = p.Period(s.First + t)
				periods[s.First+t] = name
			}
			b := append(append(row[:head], name...), ',')
			b = appendNumber(b, s.At(s.First+t))
			for _, d := range s.Drivers {
				b = append(b, ',')
				if t < len(d) {
					b = appendNumber(b, d[t])
				}
			}
			b = append(b, '\n')
			if _, err := w.Write(b); err != nil {
				return err
			}
			row = b
		}
	}
	return nil
}

// rowsOf is how many periods a series or its drivers span.
func rowsOf(s *panel.Series) int {
	n := len(s.Values)
	for _, d := range s.Drivers {
		n = max(n, len(d))
	}
	return n
}
