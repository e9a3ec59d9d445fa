package ingest

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"

	"paperkettle/core/panel"
)

// csvTable reads delimited text.
type csvTable struct {
	csv   *csv.Reader
	guard *textGuard
	names []string
	line  int
	omitted
}

// openCSV reads up to the header, on a line or the first after it.
func openCSV(text io.Reader, delimiter rune, headerLine int) (*csvTable, error) {
	guard := &textGuard{r: text}
	t := &csvTable{guard: guard, csv: csv.NewReader(bufio.NewReaderSize(guard, 1<<16))}
	t.csv.Comma = delimiter
	t.csv.ReuseRecord = true
	t.csv.FieldsPerRecord = -1
	record, err := t.csv.Read()
	for ; err == nil; record, err = t.csv.Read() {
		if t.line, _ = t.csv.FieldPos(0); t.line >= headerLine {
			break
		}
		t.title(record)
	}
	if errors.Is(err, io.EOF) && headerLine > 1 {
		return nil, fault("the file ends before line %d, which is to be its header", headerLine)
	}
	if errors.Is(err, io.EOF) {
		return nil, fault("the file is empty: it needs a header line and rows")
	}
	if err != nil {
		return nil, t.broken(err)
	}
	for _, name := range record {
		t.names = append(t.names, strings.Clone(strings.TrimSpace(name)))
	}
	return t, nil
}

func (t *csvTable) Columns() []string { return t.names }
func (t *csvTable) Line() int         { return t.line }
func (t *csvTable) Close() error      { return nil }

func (t *csvTable) Next() ([]string, error) {
	for {
		record, err := t.csv.Read()
		if err != nil {
			if errors.Is(err, io.EOF) {
				return nil, io.EOF
			}
			return nil, t.broken(err)
		}
		t.guard.recordRead()
		t.line, _ = t.csv.FieldPos(0)
		if record[0] == "" && isBlank(record) || t.repeatsHeader(record) {
			continue
		}
		if len(record) == len(t.names) {
			return record, nil
		}
		return nil, rowFault{panel.Fault{Line: t.line, Problem: fmt.Sprintf("has %d fields and the header %d: a %s may be missing, or a text "+
			"with one may lack its quotes", len(record), len(t.names), delimiterName(t.csv.Comma))}}
	}
}

// repeatsHeader says that a record is the header once more, and notes it.
func (t *csvTable) repeatsHeader(record []string) bool {
	if len(record) != len(t.names) || strings.TrimSpace(record[0]) != t.names[0] {
		return false
	}
	for i, field := range record {
		if strings.TrimSpace(field) != t.names[i] {
			return false
		}
	}
	t.headers = append(t.headers, t.line)
	return true
}

// broken turns an error of the CSV reader into a fault; other errors (of the
// network or the disk) pass through.
func (t *csvTable) broken(err error) error {
	if t.guard.fault != nil {
		return *t.guard.fault
	}
	var p *csv.ParseError
	if !errors.As(err, &p) {
		return err
	}
	problem := "the line can't be read: " + p.Err.Error()
	switch {
	case errors.Is(p.Err, csv.ErrQuote) && p.Line > p.StartLine:
		return panel.Fault{Line: p.StartLine, Problem: "a quote opened on this line is not properly closed: close it, or double it inside the text"}
	case errors.Is(p.Err, csv.ErrQuote):
		problem = "a quote is not closed, or text follows a closing quote: close it, or double it inside the text"
	case errors.Is(p.Err, csv.ErrBareQuote):
		problem = "a quote stands inside a field that does not begin with one: quote the whole field and double the quote"
	}
	return panel.Fault{Line: p.Line, Problem: problem}
}
