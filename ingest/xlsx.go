package ingest

import (
	"bytes"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// xlsxTable reads one sheet of a workbook row by row.
type xlsxTable struct {
	book  *excelize.File
	rows  *excelize.Rows
	names []string
	dates map[int]string // columns of dates, with the layout they are written in
	from  bool           // 1904, the other date system
	line  int
	omitted
}

func openXLSX(r io.Reader, form *Form) (table, error) {
	b, err := io.ReadAll(io.LimitReader(r, mostWorkbook+1))
	if err != nil {
		return nil, err
	}
	if len(b) > mostWorkbook {
		return nil, fault("the workbook is larger than %d MB: save the sheet as CSV", mostWorkbook>>20)
	}
	if err := checkWorkbook(b); err != nil {
		return nil, err
	}
	book, err := excelize.OpenReader(bytes.NewReader(b),
		excelize.Options{RawCellValue: true, UnzipSizeLimit: mostUnzipped, UnzipXMLSizeLimit: spillSheet})
	if err != nil {
		return nil, fault("the workbook can't be read: %v", err)
	}
	t := &xlsxTable{book: book, dates: map[int]string{}}
	if err := t.start(form); err != nil {
		t.Close()
		return nil, err
	}
	return t, nil
}

func (t *xlsxTable) start(form *Form) error {
	sheets := t.book.GetSheetList()
	if form.Sheet == "" && len(sheets) > 0 {
		form.Sheet = sheets[0]
	}
	if !slices.Contains(sheets, form.Sheet) {
		return fault("no sheet is called %q: the workbook has %s", form.Sheet, strings.Join(sheets, ", "))
	}
	if props, err := t.book.GetWorkbookProps(); err == nil && props.Date1904 != nil {
		t.from = *props.Date1904
	}
	var err error
	if t.rows, err = t.book.Rows(form.Sheet); err != nil {
		return fault("sheet %q can't be read: %v", form.Sheet, err)
	}
	header := form.HeaderRow
	if header == 0 {
		if header, err = t.findHeader(form.Sheet); err != nil {
			return err
		}
	}
	for t.rows.Next() {
		t.line++
		cells, err := t.rows.Columns()
		if err != nil {
			return fault("sheet %q can't be read: %v", form.Sheet, err)
		}
		if t.line == header {
			for _, c := range cells {
				t.names = append(t.names, strings.TrimSpace(c))
			}
			break
		}
		t.title(cells)
	}
	if len(t.names) == 0 {
		return fault("sheet %q has no header in row %d", form.Sheet, max(1, form.HeaderRow))
	}
	form.HeaderRow = t.line
	return t.findDates(form.Sheet)
}

// findHeader is the row of the header.
func (t *xlsxTable) findHeader(sheet string) (int, error) {
	rows, err := t.book.Rows(sheet)
	if err != nil {
		return 0, fault("sheet %q can't be read: %v", sheet, err)
	}
	defer rows.Close()
	var records [][]string
	var lines []int
	for line := 1; len(records) < mostAbove+dateSample && rows.Next(); line++ {
		cells, err := rows.Columns()
		if err != nil {
			return 0, fault("sheet %q can't be read: %v", sheet, err)
		}
		if _, n := filled(cells); n > 0 {
			records, lines = append(records, cells), append(lines, line)
		}
	}
	if len(records) == 0 {
		return 0, nil
	}
	return lines[headingAt(records)], nil
}

// dateSample is how many rows are looked at to find the columns of dates: a workbook
// keeps a date as a number that only its format tells from others.
const dateSample = 20

func (t *xlsxTable) findDates(sheet string) error {
	raw, err := t.book.Rows(sheet)
	if err != nil {
		return err
	}
	defer raw.Close()
	formatted, err := t.book.Rows(sheet)
	if err != nil {
		return err
	}
	defer formatted.Close()
	for line := 1; line <= t.line+dateSample && raw.Next() && formatted.Next(); line++ {
		numbers, err := raw.Columns(excelize.Options{RawCellValue: true})
		if err != nil {
			return err
		}
		texts, err := formatted.Columns(excelize.Options{RawCellValue: false, ShortDatePattern: "yyyy-mm-dd"})
		if err != nil {
			return err
		}
		if line > t.line {
			t.noteDates(numbers, texts)
		}
	}
	return nil
}

func (t *xlsxTable) noteDates(numbers, texts []string) {
	for i := range min(len(numbers), len(texts)) {
		v, err := strconv.ParseFloat(numbers[i], 64)
		if err != nil || numbers[i] == texts[i] || isPower(texts[i]) {
			continue
		}
		r, err := calendar.ParseTime(strings.TrimSpace(texts[i]))
		named := err == nil && r.Style != calendar.StyleNumber || strings.Count(texts[i], "/")+strings.Count(texts[i], "-") >= 1 &&
			!strings.HasPrefix(texts[i], "-")
		switch {
		case !named && !strings.Contains(texts[i], ":"):
		case v != float64(int64(v)):
			t.dates[i] = "2006-01-02 15:04:05"
		case t.dates[i] == "":
			t.dates[i] = "2006-01-02"
		}
	}
}

// isPower says that a text is a number by a power of ten, whose minus is not a date's.
func isPower(text string) bool {
	_, err := strconv.ParseFloat(text, 64)
	return err == nil && strings.ContainsAny(text, "eE")
}

func (t *xlsxTable) Columns() []string { return t.names }
func (t *xlsxTable) Line() int         { return t.line }

func (t *xlsxTable) Close() error {
	if t.rows != nil {
		_ = t.rows.Close()
	}
	return t.book.Close() // removes the temporary files
}

func (t *xlsxTable) Next() ([]string, error) {
	for t.rows.Next() {
		t.line++
		cells, err := t.rows.Columns()
		if err != nil {
			return nil, panel.Fault{Line: t.line, Problem: fmt.Sprintf("the row can't be read: %v", err)}
		}
		if !slices.ContainsFunc(cells, func(c string) bool { return c != "" }) {
			continue
		}
		for len(cells) < len(t.names) {
			cells = append(cells, "")
		}
		for _, extra := range cells[len(t.names):] {
			if extra != "" {
				return nil, rowFault{panel.Fault{Line: t.line, Value: extra,
					Problem: fmt.Sprintf("stands beyond the header's %d columns: name its column or remove it", len(t.names))}}
			}
		}
		cells = cells[:len(t.names)]
		for i, layout := range t.dates {
			cells[i] = t.dateText(cells[i], layout)
		}
		return cells, nil
	}
	if err := t.rows.Error(); err != nil {
		return nil, panel.Fault{Line: t.line, Problem: fmt.Sprintf("the sheet can't be read further: %v", err)}
	}
	return nil, io.EOF
}

// dateText turns a date's serial number into text; anything else stays as it is.
func (t *xlsxTable) dateText(cell, layout string) string {
	v, err := strconv.ParseFloat(cell, 64)
	if err != nil {
		return cell
	}
	d, err := excelize.ExcelDateToTime(v, t.from)
	if err != nil {
		return cell
	}
	return d.Round(time.Second).Format(layout)
}
