package ingest_test

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/ingest"
)

// altered is a workbook whose part of a name is replaced.
func altered(t *testing.T, book []byte, part string, with func(w io.Writer)) []byte {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(book), int64(len(book)))
	require.NoError(t, err)
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, f := range z.File {
		to, err := w.Create(f.Name)
		require.NoError(t, err)
		if f.Name == part {
			with(to)
			continue
		}
		r, err := f.Open()
		require.NoError(t, err)
		_, err = io.Copy(to, r)
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return out.Bytes()
}

func sheet(rows string) func(io.Writer) {
	return func(w io.Writer) {
		fmt.Fprint(w, `<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>`, rows,
			`</sheetData></worksheet>`)
	}
}

// What is out of bounds in a workbook is refused in a sentence, at once and in little memory.
func TestWorkbookBombs(t *testing.T) {
	book := workbook(t, nil)
	const part = "xl/worksheets/sheet2.xml"
	many := func(text string, times int) func(io.Writer) {
		return func(w io.Writer) {
			piece := []byte(text)
			for range times {
				_, _ = w.Write(piece)
			}
		}
	}
	for name, c := range map[string]struct {
		write func(io.Writer)
		says  string
	}{
		"a row far away":    {sheet(`<row r="999999999999"><c r="A1"><v>1</v></c></row>`), "beyond a sheet's"},
		"in single quotes":  {sheet(`<row r = '999999999999'></row>`), "beyond a sheet's"},
		"of a namespace":    {sheet(`<x:row spans="1:2" r="2000000"></x:row>`), "beyond a sheet's"},
		"a column far away": {sheet(`<row r="2"><c s="1" r="ZZZZ2"><v>1</v></c></row>`), "beyond a sheet's"},
		"a cell without end": {sheet(`<row r="1"><c r="A1" t="inlineStr"><is><t>` + strings.Repeat("x", 1<<20) + `</t></is></c></row>`),
			"32,767 characters"},
		"a tag without end":    {sheet(`<row ` + strings.Repeat("x", 1<<20) + `>`), "tag is longer"},
		"a gigabyte of spaces": {many(strings.Repeat("<a> </a>", 1<<13), 1<<14), "times as large as it is packed"},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, err := ingest.Load(context.Background(), bytes.NewReader(altered(t, book, part, c.write)), "bomb.xlsx", ingest.Form{Sheet: "Sales"}, formColumns)
		runtime.ReadMemStats(&after)
		assert.ErrorContains(t, err, c.says, name)
		assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(256<<20), name)
	}
	_, err := ingest.Load(context.Background(), bytes.NewReader(book[:len(book)/2]), "cut.xlsx", ingest.Form{Sheet: "Sales"}, formColumns)
	assert.ErrorContains(t, err, "the workbook can't be read")
}
