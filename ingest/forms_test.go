package ingest_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"pgregory.net/rapid"

	"paperkettle/core/panel"
	"paperkettle/ingest"
)

// observation is a row of the tables that these tests write.
type observation struct {
	Shop  string    `parquet:"shop"`
	Item  string    `parquet:"item"`
	Day   time.Time `parquet:"-"`
	Days  int32     `parquet:"day,date"`
	Sold  float64   `parquet:"sold"`
	Price *float64  `parquet:"price,optional"`
}

var formColumns = ingest.Columns{Time: "day", Measures: []string{"sold"}, By: []string{"shop", "item"}, Drivers: []string{"price"}}

// drawRows makes a random table with names that need care.
func drawRows(t *rapid.T) []observation {
	names := []string{"Quai d'Été", "East, \"upper\"", "a;b|c", "Tab\there", "Plain", "1,5 kg"}
	var rows []observation
	for s := range rapid.IntRange(1, 4).Draw(t, "series") {
		shop := rapid.SampledFrom(names).Draw(t, "shop")
		for d := range rapid.IntRange(2, 8).Draw(t, "days") {
			o := observation{Shop: shop, Item: fmt.Sprint("item ", s), Day: time.Date(2026, 1, 27+d, 0, 0, 0, 0, time.UTC),
				Sold: float64(rapid.IntRange(-20_000_000, 20_000_000).Draw(t, "sold")) / 100}
			o.Days = int32(o.Day.Unix() / 86400)
			if rapid.Bool().Draw(t, "priced") {
				price := float64(rapid.IntRange(1, 9999).Draw(t, "price")) / 100
				o.Price = &price
			}
			rows = append(rows, o)
		}
	}
	return rows
}

func load(t require.TestingT, b []byte, form ingest.Form, c ingest.Columns) *panel.Panel {
	l, err := ingest.Load(context.Background(), bytes.NewReader(b), "x", form, c)
	require.NoError(t, err)
	return l.Panel
}

// asCSV writes rows in a dialect.
func asCSV(t require.TestingT, rows []observation, delimiter rune, layout string, number func(float64) string) []byte {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	w.Comma = delimiter
	require.NoError(t, w.Write([]string{"shop", "item", "day", "sold", "price"}))
	for _, r := range rows {
		price := ""
		if r.Price != nil {
			price = number(*r.Price)
		}
		require.NoError(t, w.Write([]string{r.Shop, r.Item, r.Day.Format(layout), number(r.Sold), price}))
	}
	w.Flush()
	return b.Bytes()
}

func plainNumber(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// grouped writes a number with marks.
func grouped(decimal, thousands string) func(float64) string {
	return func(v float64) string {
		whole, fraction, _ := strings.Cut(strconv.FormatFloat(math.Abs(v), 'f', 2, 64), ".")
		for i := len(whole) - 3; i > 0; i -= 3 {
			whole = whole[:i] + thousands + whole[i:]
		}
		if v < 0 {
			whole = "-" + whole
		}
		return whole + decimal + fraction
	}
}

// Whatever the dialect, the panel is the one that was written.
func TestEveryDialectReadsBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rows := drawRows(t)
		want := panel.Hash(load(t, asCSV(t, rows, ',', "2006-01-02", plainNumber), ingest.Form{}, formColumns))
		marks := rapid.SampledFrom([][2]string{{".", ""}, {",", ""}, {".", ","}, {",", "."}, {",", " "}, {".", "'"}, {",", "\u00a0"}}).Draw(t, "marks")
		delimiter := rapid.SampledFrom([]rune{',', ';', '\t', '|'}).Draw(t, "delimiter")
		layout := rapid.SampledFrom([]string{"2006-01-02", "2006/01/02", "02.01.2006", "2 Jan 2006", "January 2, 2006", "20060102"}).Draw(t, "layout")
		b := asCSV(t, rows, delimiter, layout, grouped(marks[0], marks[1]))
		c := formColumns
		if layout == "02.01.2006" {
			c.DateOrder = "day-first"
		}
		switch rapid.SampledFrom([]string{"utf-8", "mark", "latin-1", "utf-16"}).Draw(t, "encoding") {
		case "mark":
			b = append([]byte("\uFEFF"), b...)
		case "latin-1":
			b, _ = charmap.Windows1252.NewEncoder().Bytes(b)
		case "utf-16":
			b, _ = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().Bytes(b)
		}
		switch rapid.SampledFrom([]string{"", "gzip", "zstd"}).Draw(t, "packing") {
		case "gzip":
			b = packed(t, b, func(w io.Writer) io.WriteCloser { return gzip.NewWriter(w) })
		case "zstd":
			b = packed(t, b, func(w io.Writer) io.WriteCloser { z, _ := zstd.NewWriter(w); return z })
		}
		require.Equal(t, want, panel.Hash(load(t, b, ingest.Form{}, c)))
	})
}

func packed(t require.TestingT, b []byte, with func(io.Writer) io.WriteCloser) []byte {
	var out bytes.Buffer
	w := with(&out)
	_, err := w.Write(b)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	return out.Bytes()
}

// The same table as JSON Lines, Parquet and XLSX gives the same panel.
func TestEveryFormatReadsBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rows := drawRows(t)
		want := panel.Hash(load(t, asCSV(t, rows, ',', "2006-01-02", plainNumber), ingest.Form{}, formColumns))

		var lines bytes.Buffer
		for _, r := range rows {
			object := map[string]any{"shop": r.Shop, "item": r.Item, "day": r.Day.Format("2006-01-02"), "sold": r.Sold, "price": r.Price}
			if r.Price == nil && rapid.Bool().Draw(t, "absent") {
				delete(object, "price")
			}
			line, err := json.Marshal(object)
			require.NoError(t, err)
			lines.Write(append(line, '\n'))
		}
		if bytes.Contains(lines.Bytes(), []byte(`"price"`)) {
			require.Equal(t, want, panel.Hash(load(t, lines.Bytes(), ingest.Form{}, formColumns)), "jsonl")
		}

		var file bytes.Buffer
		w := parquet.NewGenericWriter[observation](&file)
		_, err := w.Write(rows)
		require.NoError(t, err)
		require.NoError(t, w.Close())
		require.Equal(t, want, panel.Hash(load(t, file.Bytes(), ingest.Form{}, formColumns)), "parquet")

		require.Equal(t, want, panel.Hash(load(t, workbook(t, rows), ingest.Form{Sheet: "Sales"}, formColumns)), "xlsx")
	})
}

// workbook writes a sheet with a title above its header and real dates.
func workbook(t require.TestingT, rows []observation) []byte {
	book := excelize.NewFile()
	defer book.Close()
	_, err := book.NewSheet("Sales")
	require.NoError(t, err)
	style, err := book.NewStyle(&excelize.Style{NumFmt: 14})
	require.NoError(t, err)
	require.NoError(t, book.SetSheetRow("Sales", "A1", &[]any{"shop", "item", "day", "sold", "price"}))
	for i, r := range rows {
		cells := []any{r.Shop, r.Item, r.Day, r.Sold, nil}
		if r.Price != nil {
			cells[4] = *r.Price
		}
		at, _ := excelize.CoordinatesToCellName(1, i+2)
		require.NoError(t, book.SetSheetRow("Sales", at, &cells))
		day, _ := excelize.CoordinatesToCellName(3, i+2)
		require.NoError(t, book.SetCellStyle("Sales", day, day, style))
	}
	var b bytes.Buffer
	require.NoError(t, book.Write(&b))
	return b.Bytes()
}

func TestNumbersThatCanBeReadTwoWaysAreAskedAbout(t *testing.T) {
	text := "day;shop;sold\n2026-01-01;a;1,234\n2026-01-02;a;5,678\n"
	_, err := read(text, columns)
	assert.ErrorContains(t, err, `"5,678" can be read with a decimal comma (5.678) or with a thousands mark (5678): say whether`)
	for decimal, want := range map[string][]float64{"comma": {1.234, 5.678}, "point": {1234, 5678}} {
		p := load(t, []byte(text), ingest.Form{Decimal: decimal}, columns)
		assert.Equal(t, want, p.Series[0].Values, decimal)
	}
	_, err = read("day;shop;sold\n2026-01-01;a;1,5\n2026-01-02;a;1.5\n", columns)
	assert.ErrorContains(t, err, "write all numbers one way")
}

func TestWideTables(t *testing.T) {
	c := ingest.Columns{Wide: true, Measures: []string{"sold"}, By: []string{"shop"}}
	p := load(t, []byte("shop,town,2026-01,2026-02,2026-03,2026-04\na,x,1,2,,4\nb,y,,,7,\n"), ingest.Form{}, c)
	assert.Equal(t, []any{"month", 4, "2026-02"}, []any{p.Cadence.String(), p.Length, p.Period(1)})
	assert.True(t, math.IsNaN(p.Series[0].Values[2]))
	assert.Equal(t, []float64{7}, p.Series[1].Values)
	long := "shop,period,sold\na,2026-01,1\na,2026-02,2\na,2026-04,4\nb,2026-03,7\n"
	assert.Equal(t, panel.Hash(load(t, []byte(long), ingest.Form{},
		ingest.Columns{Time: "period", Measures: []string{"sold"}, By: []string{"shop"}})), panel.Hash(p))
	_, err := read("shop,2026-01,2026-02\na,1,2\na,3,4\n", c)
	assert.ErrorContains(t, err, "was already given on line 2")
	_, err = read("shop,sold\na,1\n", c)
	assert.ErrorContains(t, err, "the table is not a wide one")
}

func TestSeveralMeasuresBecomeSeries(t *testing.T) {
	p := load(t, []byte("day,shop,sold,returned\n2026-01-01,a,5,1\n2026-01-02,a,6,\n"), ingest.Form{},
		ingest.Columns{Time: "day", Measures: []string{"sold", "returned"}, By: []string{"shop"}})
	require.Len(t, p.Series, 2)
	assert.Equal(t, []string{"a / returned", "a / sold"}, []string{p.Series[0].Key, p.Series[1].Key})
	assert.Equal(t, []float64{5, 6}, p.Series[1].Values)
}

// daily writes a row a day of one series, from 2026-01-01.
func daily(values ...float64) string {
	text := "day,shop,sold\n"
	for i, v := range values {
		text += time.Date(2026, 1, 1+i, 0, 0, 0, 0, time.UTC).Format("2006-01-02") + ",a," + plainNumber(v) + "\n"
	}
	return text
}

func ones(n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = 1
	}
	return out
}

func TestAggregatingLeavesOutAPartOfAPeriod(t *testing.T) {
	c := columns
	c.Cadence, c.Aggregate = "month", "sum"
	l, err := ingest.Load(context.Background(), strings.NewReader(daily(ones(31+28+15)...)), "x", ingest.Form{}, c)
	require.NoError(t, err)
	assert.Equal(t, []float64{31, 28}, l.Panel.Series[0].Values)
	assert.Equal(t, []string{"The last month, 2026-03-01, is only partly over and was left out."}, l.Cautions)
	c.KeepPart = true
	assert.Equal(t, []float64{31, 28, 15}, load(t, []byte(daily(ones(31+28+15)...)), ingest.Form{}, c).Series[0].Values)
	c.KeepPart = false
	assert.Equal(t, []float64{31, 28, 31}, load(t, []byte(daily(ones(31+28+31)...)), ingest.Form{}, c).Series[0].Values, "a whole month stays")
	c.From = "2026-01-10"
	l, err = ingest.Load(context.Background(), strings.NewReader(daily(ones(31+28)...)), "x", ingest.Form{}, c)
	require.NoError(t, err)
	assert.Equal(t, []float64{22, 28}, l.Panel.Series[0].Values)
	require.Len(t, l.Cautions, 1)
	assert.Contains(t, l.Cautions[0], "The first month, 2026-01-01, begins before the first row")
	c.From = ""
	for rule, want := range map[string]float64{"mean": 2.5, "last": 4, "max": 4, "min": 1} {
		c.Cadence, c.FirstDay, c.Aggregate = "week", "thursday", rule // 2026-01-01 was a Thursday
		p := load(t, []byte(daily(1, 2, 3, math.NaN(), math.NaN(), math.NaN(), 4, 9, 9, 9, 9, 9, 9, 9)), ingest.Form{}, c)
		assert.Equal(t, want, p.Series[0].Values[0], rule)
	}
}

func TestDuplicatesCombineOnPurposeOnly(t *testing.T) {
	text := "day,shop,sold\n2026-01-01,a,5\n2026-01-02,a,5\n2026-01-01,a,7\n"
	for rule, want := range map[string]float64{"sum": 12, "mean": 6, "last": 7} {
		c := columns
		c.Duplicates = rule
		assert.Equal(t, want, load(t, []byte(text), ingest.Form{}, c).Series[0].Values[0], rule)
	}
}

func TestTimesInTheirManyForms(t *testing.T) {
	cases := []struct {
		times   string
		columns ingest.Columns
		cadence string
		periods string
	}{
		{"2026-01-31 2026-02-28 2026-03-31", ingest.Columns{}, "month", "2026-01-31 2026-02-28 2026-03-31"},
		{"2026-03-31 2026-06-30", ingest.Columns{}, "quarter", "2026-03-31 2026-06-30"},
		{"2026-01-04 2026-01-11", ingest.Columns{Label: "end"}, "week", "2026-01-04 2026-01-11"},
		{"2026-W01 2026-W02", ingest.Columns{}, "week", "2026-W01 2026-W02"},
		{"2026-Q1 2026-Q2", ingest.Columns{}, "quarter", "2026-Q1 2026-Q2"},
		{"202601 202602", ingest.Columns{}, "month", "2026-01 2026-02"},
		{"31/01/2026 01/02/2026", ingest.Columns{}, "day", "2026-01-31 2026-02-01"},
		{"01/31/2026 02/01/2026", ingest.Columns{}, "day", "2026-01-31 2026-02-01"},
		{"01/02/2026 02/02/2026", ingest.Columns{DateOrder: "day-first"}, "day", "2026-02-01 2026-02-02"},
		{"2026-03-29T00:00Z 2026-03-29T01:00Z 2026-03-29T02:00Z", ingest.Columns{Zone: "Europe/Lisbon"}, "hour",
			"2026-03-29 00:00 2026-03-29 01:00 2026-03-29 02:00 2026-03-29 03:00"},
		{"2025 2026", ingest.Columns{}, "year", "2025 2026"},
		{"2026-01-04 2026-01-11", ingest.Columns{}, "week from sunday", "2026-01-04 2026-01-11"},
		{"2026-01-04 2026-01-11", ingest.Columns{Cadence: "week"}, "week from sunday", "2026-01-04 2026-01-11"},
		{"2026-01-07 2026-01-14", ingest.Columns{Cadence: "week", Label: "end"}, "week from thursday", "2026-01-07 2026-01-14"},
		{"202351 202352 202401 202402", ingest.Columns{}, "week", "2023-W51 2023-W52 2024-W01 2024-W02"},
		{"202401 202402 202412", ingest.Columns{}, "month",
			"2024-01 2024-02 2024-03 2024-04 2024-05 2024-06 2024-07 2024-08 2024-09 2024-10 2024-11 2024-12"},
		{"46023 46024", ingest.Columns{}, "day", "2026-01-01 2026-01-02"},
		{"46023 46024", ingest.Columns{Cadence: "number"}, "number", "46023 46024"},
		{"31.01.2026_06:00 31.01.2026_07:00", ingest.Columns{}, "hour", "2026-01-31 06:00 2026-01-31 07:00"},
		{"1/31/2026_11:00_PM 2/1/2026_12:00_AM", ingest.Columns{}, "hour", "2026-01-31 23:00 2026-02-01 00:00"},
		{"Dec-25 Jan-26", ingest.Columns{}, "month", "2025-12 2026-01"},
		{"Jan_24 Feb_24 Mar_24", ingest.Columns{}, "month", "2024-01 2024-02 2024-03"},
	}
	for _, c := range cases {
		text := "t,y\n"
		for _, time := range strings.Fields(c.times) {
			text += strings.ReplaceAll(time, "_", " ") + ",1\n"
		}
		c.columns.Time, c.columns.Measures = "t", []string{"y"}
		p := load(t, []byte(text), ingest.Form{}, c.columns)
		assert.Equal(t, c.cadence, p.Cadence.String(), c.times)
		var got []string
		for i := range p.Length {
			got = append(got, p.Period(i))
		}
		assert.Equal(t, c.periods, strings.Join(got, " "), c.times)
	}
	_, err := read("t,y\n2026-03-29T00:00Z,1\n2026-03-29T01:00Z,1\n", ingest.Columns{Time: "t", Measures: []string{"y"}})
	assert.ErrorContains(t, err, "say into which zone the times go")
}

func TestFiltersKeepWhatTheyName(t *testing.T) {
	c := columns
	c.Where, c.From, c.To = map[string]string{"shop": "a"}, "2026-01-02", "2026-01-03"
	p := load(t, []byte("day,shop,sold\n2026-01-01,a,1\n2026-01-02,a,2\n2026-01-03,a,3\n2026-01-04,a,4\n2026-01-02,b,9\n"), ingest.Form{}, c)
	require.Len(t, p.Series, 1)
	assert.Equal(t, []float64{2, 3}, p.Series[0].Values)
}

// What a stranger may send is refused within bounded memory.
func TestHostileFilesAreRefused(t *testing.T) {
	zeros := func(n int) io.Reader { return io.LimitReader(zeroReader{}, int64(n)) }
	bomb := &bytes.Buffer{}
	w, err := zstd.NewWriter(bomb)
	require.NoError(t, err)
	for range 100 {
		_, err = w.Write(bytes.Repeat([]byte("day,shop,sold\n"), 1<<16))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	head := "day,shop,sold\n2026-01-01,a,1\n"
	for name, c := range map[string]struct {
		file io.Reader
		want string
	}{
		"zstd bomb":       {bomb, "unpacks to more than 300 times its size"},
		"an endless line": {io.MultiReader(strings.NewReader(head), zeros(64<<20)), "longer than 16 MB"},
		"an open quote":   {io.MultiReader(strings.NewReader(head+"\""), strings.NewReader(strings.Repeat("a,b\n", 8<<20))), "a quote may be open"},
		"cut gzip": {bytes.NewReader(packed(t, []byte(head), func(w io.Writer) io.WriteCloser { return gzip.NewWriter(w) })[:20]),
			"gzip file is damaged"},
		"no workbook": {strings.NewReader("PK\x03\x04 and no more"), "the workbook can't be read"},
		"no parquet":  {strings.NewReader("PAR1 and no more"), "the Parquet file can't be read"},
		"no JSON":     {strings.NewReader("{\"a\":1}\n{\"a\":"), "line 2: \"{\\\"a\\\":\" is not one JSON object"},
	} {
		_, err := ingest.Load(context.Background(), c.file, "x", ingest.Form{}, columns)
		var refusal *ingest.Refusal
		if assert.ErrorAs(t, err, &refusal, name) {
			assert.ErrorContains(t, err, c.want, name)
		}
	}
}

// zeroReader gives the character 0 without end.
type zeroReader struct{}

func (zeroReader) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = '0'
	}
	return len(p), nil
}

func TestInspectProposes(t *testing.T) {
	text := "day;shop;price;sold\n01.02.2026;a;1,5;3\n15.02.2026;b;2,25;4\n"
	form, cols, rest, err := ingest.Inspect(strings.NewReader(text), "x", ingest.Form{})
	require.NoError(t, err)
	assert.Equal(t, `csv, utf-8, fields apart by semicolon, decimal comma, thousands '.'`, form.Describe())
	var kinds []string
	for _, c := range cols {
		kinds = append(kinds, c.Name+" "+c.Kind)
	}
	assert.Equal(t, []string{"day time", "shop text", "price number", "sold number"}, kinds)
	c := ingest.Columns{}.Propose(cols)
	assert.Equal(t, []any{"day", "sold", []string{"shop"}}, []any{c.Time, strings.Join(c.Measures, ","), c.By})
	again, err := io.ReadAll(rest)
	require.NoError(t, err)
	assert.Equal(t, text, string(again))
}

// BenchmarkParquet reads a million rows of 1,000 daily series.
func BenchmarkParquet(b *testing.B) {
	var file bytes.Buffer
	w := parquet.NewGenericWriter[observation](&file, parquet.Compression(&parquet.Snappy))
	for s := range 1000 {
		rows := make([]observation, 1000)
		for d := range rows {
			rows[d] = observation{Shop: "shop " + strconv.Itoa(s%40), Item: "item " + strconv.Itoa(s/40), Days: int32(19358 + d), Sold: float64((s * d) % 97)}
		}
		_, err := w.Write(rows)
		require.NoError(b, err)
	}
	require.NoError(b, w.Close())
	c := ingest.Columns{Time: "day", Measures: []string{"sold"}, By: []string{"shop", "item"}}
	b.Run("to a panel", func(b *testing.B) {
		for b.Loop() {
			load(b, file.Bytes(), ingest.Form{}, c)
		}
		b.ReportMetric(1e6*float64(b.N)/b.Elapsed().Seconds(), "rows/s")
	})
	b.Run("parsed", func(b *testing.B) {
		for b.Loop() {
			n, err := ingest.CountRows(bytes.NewReader(file.Bytes()))
			require.NoError(b, err)
			require.Equal(b, 1_000_000, n)
		}
		b.ReportMetric(1e6*float64(b.N)/b.Elapsed().Seconds(), "rows/s")
	})
}

// BenchmarkXLSX reads a workbook of 200,000 rows.
func BenchmarkXLSX(b *testing.B) {
	book := excelize.NewFile()
	defer book.Close()
	sheet, err := book.NewStreamWriter("Sheet1")
	require.NoError(b, err)
	style, err := book.NewStyle(&excelize.Style{NumFmt: 14})
	require.NoError(b, err)
	require.NoError(b, sheet.SetRow("A1", []any{"shop", "item", "day", "sold"}))
	for i := range 200_000 {
		cell, _ := excelize.CoordinatesToCellName(1, i+2)
		day := time.Date(2023, 1, 1+i%1000, 0, 0, 0, 0, time.UTC)
		require.NoError(b, sheet.SetRow(cell, []any{"shop", "item " + strconv.Itoa(i/1000), excelize.Cell{StyleID: style, Value: day}, i % 97}))
	}
	require.NoError(b, sheet.Flush())
	var file bytes.Buffer
	require.NoError(b, book.Write(&file))
	c := ingest.Columns{Time: "day", Measures: []string{"sold"}, By: []string{"shop", "item"}}
	for b.Loop() {
		p := load(b, file.Bytes(), ingest.Form{}, c)
		require.Len(b, p.Series, 200)
	}
}

// A number so small that a workbook shows it by a power of ten has a minus that is no date's.
func TestTinyNumbersOfAWorkbookAreNoDates(t *testing.T) {
	rows := []observation{}
	for k := range 5 {
		rows = append(rows, observation{Shop: "a", Item: "tea", Day: time.Date(2026, 3, 1+k, 0, 0, 0, 0, time.UTC), Sold: 3.0517578125e-05 * float64(k+1)})
	}
	p := load(t, workbook(t, rows), ingest.Form{Sheet: "Sales"}, formColumns)
	assert.Equal(t, []float64{3.0517578125e-05, 6.103515625e-05, 9.1552734375e-05, 0.0001220703125, 0.000152587890625}, p.Series[0].Values)
	assert.Equal(t, "2026-03-05", p.Period(p.Length-1))
}
