package ingest

import (
	"bufio"
	"bytes"
	"fmt"
	"io"

	"paperkettle/core/panel"
)

// Form says how a file is written. What is empty is found out.
type Form struct {
	Format    string // csv, jsonl, xlsx or parquet
	Packing   string // gzip or zstd; always found out
	Encoding  string // utf-8, utf-16 or latin-1
	Delimiter string // comma, semicolon, tab or pipe
	Decimal   string // point or comma
	Sheet     string // of a workbook; the first
	HeaderRow int    // of a workbook or of delimited text, counted from 1
	marks     Marks
}

// The formats.
const (
	FormatCSV     = "csv"
	FormatJSONL   = "jsonl"
	FormatXLSX    = "xlsx"
	FormatParquet = "parquet"
	FormatQuery   = "query" // rows of a database, not a file
)

// table is a file being read row by row.
type table interface {
	// Columns are the names in the header.
	Columns() []string
	// Next gives the next row's fields, valid until the next call; io.EOF ends it. A
	// rowFault concerns this row only; a panel.Fault, or any other error, ends it.
	Next() ([]string, error)
	// Line is the place of the last row, counted from 1 with the header.
	Line() int
	Close() error
}

// numberTable has numbers at hand that need not be read from text.
type numberTable interface {
	// Number is field i of the last row; ok is false where only the text is there.
	Number(i int) (v float64, ok bool)
}

// pickyTable can leave out columns that nobody asks for; their fields then mean
// nothing.
type pickyTable interface{ Only(columns []int) }

// rowFault is wrong with one row and leaves the others readable.
type rowFault struct{ panel.Fault }

// open looks at a file, completes the form, and gives its table.
func open(r io.Reader, form *Form) (table, error) {
	b := bufio.NewReaderSize(r, sampleSize)
	b, packing, err := decompress(b)
	if err != nil {
		return nil, err
	}
	form.Packing = packing
	head, err := b.Peek(4)
	if len(head) == 0 {
		if err != nil && err != io.EOF {
			return nil, err
		}
		return nil, fault("the file is empty: it needs a header line and rows")
	}
	if form.Format == "" {
		form.Format = guessFormat(b)
	}
	switch form.Format {
	case FormatParquet:
		return openParquet(b)
	case FormatXLSX:
		return openXLSX(b, form)
	case FormatJSONL, FormatCSV:
		return openText(b, form)
	}
	return nil, fault("format %q is not known: use csv, jsonl, xlsx or parquet", form.Format)
}

func guessFormat(b *bufio.Reader) string {
	head, _ := b.Peek(64)
	switch {
	case bytes.HasPrefix(head, []byte("PAR1")):
		return FormatParquet
	case bytes.HasPrefix(head, []byte("PK\x03\x04")):
		return FormatXLSX
	case bytes.HasPrefix(bytes.TrimLeft(bytes.TrimPrefix(head, []byte{0xEF, 0xBB, 0xBF}), " \t\r\n"), []byte("{")):
		return FormatJSONL
	}
	return FormatCSV
}

func openText(b *bufio.Reader, form *Form) (table, error) {
	text, encoding, err := decode(b, form.Encoding)
	if err != nil {
		return nil, err
	}
	form.Encoding = encoding
	if form.Format == FormatJSONL {
		form.marks = plainMarks
		return openJSONL(text)
	}
	plain := bufio.NewReaderSize(text, sampleSize)
	sample, _ := plain.Peek(sampleSize)
	delimiter, err := parseDelimiter(form.Delimiter)
	if err != nil {
		return nil, err
	}
	if delimiter == 0 {
		delimiter = guessDelimiter(sample)
	}
	form.Delimiter = delimiterName(delimiter)
	records, lines := sampleRecords(sample, delimiter)
	if form.HeaderRow == 0 && len(records) > 0 {
		form.HeaderRow = lines[headingAt(records)]
	}
	for len(lines) > 0 && lines[0] < form.HeaderRow {
		records, lines = records[1:], lines[1:]
	}
	if form.marks, err = guessMarks(records, form.Decimal); err != nil {
		return nil, err
	}
	form.Decimal = map[byte]string{'.': "point", ',': "comma"}[form.marks.Decimal]
	return openCSV(plain, delimiter, form.HeaderRow)
}

// Describe writes the form for people.
func (f Form) Describe() string {
	text := f.Format
	if f.Packing != "" {
		text += " in " + f.Packing
	}
	switch f.Format {
	case FormatCSV:
		text = fmt.Sprintf("%s, %s, fields apart by %s, %s", text, f.Encoding, f.Delimiter, f.marks)
		if f.HeaderRow > 1 {
			text += fmt.Sprintf(", header in line %d", f.HeaderRow)
		}
	case FormatXLSX:
		return fmt.Sprintf("%s, sheet %q, header in row %d", text, f.Sheet, f.HeaderRow)
	}
	return text
}
