package export

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"github.com/parquet-go/parquet-go"
	"github.com/xuri/excelize/v2"
)

// The formats of tables.
const (
	CSV     = "csv"
	CSVText = "csv-text" // with text that no spreadsheet takes for a formula
	JSON    = "json"
	JSONL   = "jsonl"
	XLSX    = "xlsx"
	Parquet = "parquet"
)

// Formats lists them with their media types.
var Formats = map[string]string{CSV: "text/csv", CSVText: "text/csv", JSON: "application/json", JSONL: "application/x-ndjson",
	XLSX: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", Parquet: "application/vnd.apache.parquet"}

// Kind is the type of a column.
type Kind uint8

// The kinds of columns.
const (
	Text Kind = iota
	Whole
	Number
)

// Column is a column of a table.
type Column struct {
	Name string
	Kind Kind
}

// Cell is one field: Text, or Number (also of whole columns), NaN where unknown.
type Cell struct {
	Text   string
	Number float64
}

// Table takes rows in the order of its columns. Close ends it; without, a file is not
// whole.
type Table interface {
	Row(cells []Cell) error
	Close() error
}

// NewTable starts a table of a format.
func NewTable(w *bufio.Writer, format string, columns []Column) (Table, error) {
	switch format {
	case CSV, CSVText, "":
		return newCSV(w, columns, quoting(format))
	case JSON, JSONL:
		return &jsonTable{w: w, columns: columns, lines: format == JSONL}, nil
	case XLSX:
		return newXLSX(w, columns)
	case Parquet:
		return newParquet(w, columns), nil
	}
	return nil, fmt.Errorf("format %q is not known: use csv, csv-text, json, jsonl, xlsx or parquet", format)
}

// Extension is how the name of a file of a format ends.
func Extension(format string) string {
	if format == CSVText {
		return "." + CSV
	}
	return "." + format
}

// quoting is how text is written in a format of CSV.
func quoting(format string) func(string) string {
	if format == CSVText {
		return func(s string) string { return quote(inert(s)) }
	}
	return quote
}

// inert puts an apostrophe before text that a spreadsheet would run as a formula.
func inert(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}

// csvTable writes numbers as the shortest text that reads back to the same float64.
type csvTable struct {
	w       *bufio.Writer
	columns []Column
	quote   func(string) string
	row     []byte
	last    []written // of each column
}

// written is a number with its text, since finding the shortest one is slow and many
// columns say the same in row after row.
type written struct {
	number float64
	text   []byte
}

func newCSV(w *bufio.Writer, columns []Column, quote func(string) string) (Table, error) {
	names := make([]string, len(columns))
	for i, c := range columns {
		names[i] = quote(c.Name)
	}
	_, err := w.WriteString(strings.Join(names, ",") + "\n")
	return &csvTable{w: w, columns: columns, quote: quote, last: make([]written, len(columns))}, err
}

func (t *csvTable) Row(cells []Cell) error {
	b := t.row[:0]
	for i, c := range cells {
		if i > 0 {
			b = append(b, ',')
		}
		switch t.columns[i].Kind {
		case Text:
			b = append(b, t.quote(c.Text)...)
		default:
			last := &t.last[i]
			if c.Number != last.number || len(last.text) == 0 {
				last.number, last.text = c.Number, appendNumber(last.text[:0], c.Number)
			}
			b = append(b, last.text...)
		}
	}
	t.row = append(b, '\n')
	_, err := t.w.Write(t.row)
	return err
}

func (t *csvTable) Close() error { return nil }

type jsonTable struct {
	w       *bufio.Writer
	columns []Column
	lines   bool
	row     []byte
	rows    int
}

func (t *jsonTable) Row(cells []Cell) error {
	b := t.row[:0]
	if !t.lines {
		b = append(b, map[bool]string{true: "[\n", false: ",\n"}[t.rows == 0]...)
	}
	b = append(b, '{')
	for i, c := range cells {
		if i > 0 {
			b = append(b, ',')
		}
		b = append(appendText(b, t.columns[i].Name), ':')
		switch {
		case t.columns[i].Kind == Text:
			b = appendText(b, c.Text)
		case math.IsNaN(c.Number) || math.IsInf(c.Number, 0):
			b = append(b, "null"...)
		default:
			b = strconv.AppendFloat(b, c.Number, 'f', -1, 64)
		}
	}
	b = append(b, '}')
	if t.lines {
		b = append(b, '\n')
	}
	t.row = b
	t.rows++
	_, err := t.w.Write(b)
	return err
}

// appendText writes a JSON string.
func appendText(b []byte, s string) []byte {
	for i := range len(s) {
		if s[i] < 0x20 || s[i] == '"' || s[i] == '\\' || s[i] >= 0x80 {
			text, _ := json.Marshal(s) // a string can't fail
			return append(b, text...)
		}
	}
	return append(append(append(b, '"'), s...), '"')
}

func (t *jsonTable) Close() error {
	if t.lines {
		return nil
	}
	end := "\n]\n"
	if t.rows == 0 {
		end = "[]\n"
	}
	_, err := t.w.WriteString(end)
	return err
}

// MostXLSXRows is how many rows a sheet has room for.
const MostXLSXRows = 1<<20 - 1

type xlsxTable struct {
	w       io.Writer
	columns []Column
	book    *excelize.File
	sheet   *excelize.StreamWriter
	rows    int
	cells   []any
}

func newXLSX(w *bufio.Writer, columns []Column) (Table, error) {
	t := &xlsxTable{w: w, columns: columns, book: excelize.NewFile(), cells: make([]any, len(columns))}
	var err error
	if t.sheet, err = t.book.NewStreamWriter("Sheet1"); err != nil {
		return nil, err
	}
	for i, c := range columns {
		t.cells[i] = c.Name
	}
	return t, t.write()
}

func (t *xlsxTable) write() error {
	t.rows++
	at, err := excelize.CoordinatesToCellName(1, t.rows)
	if err != nil {
		return err
	}
	return t.sheet.SetRow(at, t.cells)
}

func (t *xlsxTable) Row(cells []Cell) error {
	if t.rows > MostXLSXRows {
		return fmt.Errorf("a sheet has room for %d rows: export as CSV or Parquet", MostXLSXRows)
	}
	for i, c := range cells {
		switch {
		case t.columns[i].Kind == Text:
			t.cells[i] = c.Text // as text: a formula is not one
		case math.IsNaN(c.Number) || math.IsInf(c.Number, 0):
			t.cells[i] = nil
		default:
			t.cells[i] = c.Number
		}
	}
	return t.write()
}

func (t *xlsxTable) Close() error {
	defer t.book.Close()
	if err := t.sheet.Flush(); err != nil {
		return err
	}
	return t.book.Write(t.w)
}

// parquetBatch is how many rows go to a Parquet writer at once.
const parquetBatch = 1024

type parquetTable struct {
	w       *parquet.GenericWriter[any]
	columns []Column
	at      []int // of each column in the file, which orders them by name
	batch   []parquet.Row
}

func newParquet(w io.Writer, columns []Column) Table {
	group := parquet.Group{}
	for _, c := range columns {
		switch c.Kind {
		case Text:
			group[c.Name] = parquet.Encoded(parquet.String(), &parquet.RLEDictionary)
		case Whole:
			group[c.Name] = parquet.Optional(parquet.Int(64))
		default:
			group[c.Name] = parquet.Optional(parquet.Leaf(parquet.DoubleType))
		}
	}
	schema := parquet.NewSchema("table", group)
	t := &parquetTable{w: parquet.NewGenericWriter[any](w, schema, parquet.Compression(&parquet.Snappy)), columns: columns}
	for _, c := range columns {
		leaf, _ := schema.Lookup(c.Name)
		t.at = append(t.at, leaf.ColumnIndex)
	}
	return t
}

func (t *parquetTable) Row(cells []Cell) error {
	row := make(parquet.Row, len(cells))
	for i, c := range cells {
		at := t.at[i]
		switch {
		case t.columns[i].Kind == Text:
			row[at] = parquet.ByteArrayValue([]byte(c.Text)).Level(0, 0, at)
		case math.IsNaN(c.Number):
			row[at] = parquet.NullValue().Level(0, 0, at)
		case t.columns[i].Kind == Whole:
			row[at] = parquet.Int64Value(int64(c.Number)).Level(0, 1, at)
		default:
			row[at] = parquet.DoubleValue(c.Number).Level(0, 1, at)
		}
	}
	if t.batch = append(t.batch, row); len(t.batch) < parquetBatch {
		return nil
	}
	return t.flush()
}

func (t *parquetTable) flush() error {
	_, err := t.w.WriteRows(t.batch)
	t.batch = t.batch[:0]
	return err
}

func (t *parquetTable) Close() error {
	if err := t.flush(); err != nil {
		return err
	}
	return t.w.Close()
}
