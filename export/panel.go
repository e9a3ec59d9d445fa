package export

import (
	"bufio"
	"slices"
	"strings"

	"paperkettle/core/panel"
)

// Panel writes series as a long table: their attributes, the period, the measure and the drivers, a
// row for each period from a series' first to the last with a value or a driver. As CSV, or as a
// workbook, the file loads again to the same panel.
func Panel(w *bufio.Writer, p *panel.Panel, series []int, time, format string) error {
	if time == "" {
		time = "period"
	}
	if format != CSV && format != CSVText {
		return panelTable(w, p, series, time, format)
	}
	quote := quoting(format)
	names := []string{}
	for _, a := range p.Attributes {
		names = append(names, quote(a.Name))
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

// panelTable writes it in any format, a cell at a time.
func panelTable(w *bufio.Writer, p *panel.Panel, series []int, time, format string) error {
	var columns []Column
	for _, a := range p.Attributes {
		columns = append(columns, Column{a.Name, Text})
	}
	columns = append(columns, Column{time, Text}, Column{p.Measure, Number})
	for _, d := range p.Drivers {
		columns = append(columns, Column{d.Name, Number})
	}
	table, err := NewTable(w, format, columns)
	if err != nil {
		return err
	}
	for _, i := range series {
		s := &p.Series[i]
		var labels []Cell
		for _, label := range p.Labels(i) {
			labels = append(labels, Cell{Text: label})
		}
		for t := range rowsOf(s) {
			row := append(slices.Clip(labels), Cell{Text: p.Period(s.First + t)}, Cell{Number: s.At(s.First + t)})
			for _, d := range s.Drivers {
				v := panel.Unknown
				if t < len(d) {
					v = d[t]
				}
				row = append(row, Cell{Number: v})
			}
			if err := table.Row(row); err != nil {
				return err
			}
		}
	}
	return table.Close()
}

// rowsOf is how many periods a series or its drivers span.
func rowsOf(s *panel.Series) int {
	n := len(s.Values)
	for _, d := range s.Drivers {
		n = max(n, len(d))
	}
	return n
}
