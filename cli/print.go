package cli

import (
	"encoding/csv"
	"encoding/json"
	"math"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
)

// sheet is a result as rows. Columns whose name starts with ">" are right-aligned.
type sheet struct {
	head []string
	rows [][]string
}

func (s *sheet) add(cells ...string) { s.rows = append(s.rows, cells) }

// print writes data in the form asked for: value as JSON, or the sheet.
func (a *app) print(value any, s *sheet) error {
	switch a.output {
	case "json":
		return a.printJSON(value)
	case "csv":
		w := csv.NewWriter(a.out)
		head := make([]string, len(s.head))
		for i, h := range s.head {
			head[i] = strings.TrimPrefix(h, ">")
		}
		if err := w.Write(head); err != nil {
			return err
		}
		return w.WriteAll(s.rows)
	case "yaml":
		return misused("--output yaml is only for 'bakeoff show': use table, json or csv")
	}
	return a.printTable(s)
}

func (a *app) printJSON(value any) error {
	e := json.NewEncoder(a.out)
	e.SetIndent("", "  ")
	return e.Encode(value)
}

func (a *app) printTable(s *sheet) error {
	t := table.NewWriter()
	t.SetOutputMirror(a.out)
	style := table.StyleLight
	style.Options = table.Options{SeparateHeader: true}
	style.Format.Header = text.FormatDefault
	style.Box.PaddingLeft = ""
	style.Box.PaddingRight = "  "
	t.SetStyle(style)
	row := table.Row{}
	var columns []table.ColumnConfig
	for i, h := range s.head {
		if strings.HasPrefix(h, ">") {
			columns = append(columns, table.ColumnConfig{Number: i + 1, Align: text.AlignRight, AlignHeader: text.AlignRight})
		}
		row = append(row, strings.TrimPrefix(h, ">"))
	}
	t.AppendHeader(row)
	t.SetColumnConfigs(columns)
	for _, r := range s.rows {
		row := table.Row{}
		for _, c := range r {
			row = append(row, c)
		}
		t.AppendRow(row)
	}
	t.Render()
	return nil
}

// figure writes a number for reading: about four digits, in full in CSV.
func (a *app) figure(v *float64) string {
	switch {
	case v == nil:
		return ""
	case a.output == "csv":
		return strconv.FormatFloat(*v, 'f', -1, 64)
	}
	return short(*v)
}

func short(v float64) string {
	if v == math.Trunc(v) && math.Abs(v) < 1e15 {
		return strconv.FormatFloat(v, 'f', 0, 64)
	}
	decimals := 3
	if v != 0 {
		decimals = max(0, min(6, 3-int(math.Floor(math.Log10(math.Abs(v))))))
	}
	return strconv.FormatFloat(v, 'f', min(decimals, 4), 64)
}

// part writes a share of one with two decimals.
func (a *app) part(v *float64) string {
	if v == nil || a.output == "csv" {
		return a.figure(v)
	}
	return strconv.FormatFloat(*v, 'f', 2, 64)
}

// share writes a share of one in per cent; in CSV as it is.
func (a *app) share(v *float64) string {
	switch {
	case v == nil:
		return ""
	case a.output == "csv":
		return strconv.FormatFloat(*v, 'f', -1, 64)
	}
	return strconv.FormatFloat(100**v, 'f', 1, 64) + " %"
}

func whole(n int) string { return strconv.Itoa(n) }
