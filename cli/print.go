package cli

import (
	"encoding/csv"
	"encoding/json"
	"math"
	"os"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
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
		for i, h := range s.head { // one name for a column in all that programs read
			head[i] = strings.ReplaceAll(strings.TrimPrefix(h, ">"), " ", "_")
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
	widths := s.widths(a.room())
	for i, h := range s.head {
		c := table.ColumnConfig{Number: i + 1, WidthMax: widths[i], WidthMaxEnforcer: text.WrapSoft}
		if strings.HasPrefix(h, ">") {
			c.Align, c.AlignHeader = text.AlignRight, text.AlignRight
		}
		columns = append(columns, c)
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

// room is how many characters fit a line of the output; 0 where there is no bound.
func (a *app) room() int {
	f, ok := a.out.(*os.File)
	if a.wide || !ok || !isTerminal(a.out) {
		return 0
	}
	width, _, err := term.GetSize(int(f.Fd()))
	if err != nil {
		return 0
	}
	return width
}

// Columns that are narrowed keep this much, and each takes two more for what parts it from the next.
const (
	narrowest = 12
	apart     = 2
)

// widths narrows the widest columns until all fit a room; 0 leaves a column as it is.
func (s *sheet) widths(room int) []int {
	out := make([]int, len(s.head))
	if room == 0 {
		return out
	}
	natural := make([]int, len(s.head))
	total := 0
	for i, h := range s.head {
		natural[i] = text.RuneWidthWithoutEscSequences(strings.TrimPrefix(h, ">"))
		for _, r := range s.rows {
			natural[i] = max(natural[i], text.RuneWidthWithoutEscSequences(r[i]))
		}
		total += natural[i] + apart
	}
	for total > room {
		widest := 0
		for i := range natural {
			if natural[i] > natural[widest] {
				widest = i
			}
		}
		if natural[widest] <= narrowest {
			break
		}
		natural[widest]--
		out[widest] = natural[widest]
		total--
	}
	return out
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
