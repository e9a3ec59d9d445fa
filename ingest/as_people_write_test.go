package ingest_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"paperkettle/core/panel"
	"paperkettle/ingest"
)

// proposed inspects a table, lets the columns be found, and loads it.
func proposed(text string, form ingest.Form, c ingest.Columns) (*ingest.Loaded, ingest.Columns, error) {
	form, cols, rest, err := ingest.Inspect(strings.NewReader(text), "x", form)
	if err != nil {
		return nil, c, err
	}
	c = c.Propose(cols)
	if err := c.Complete(cols); err != nil {
		return nil, c, err
	}
	l, err := ingest.Load(context.Background(), rest, "x", form, c)
	return l, c, err
}

// lines writes a header and n rows.
func lines(header string, n int, row func(day string, i int) string) string {
	text := header + "\n"
	for i := range n {
		text += row(time.Date(2026, 1, 1+i, 0, 0, 0, 0, time.UTC).Format("2006-01-02"), i) + "\n"
	}
	return text
}

func TestNumbersAsPeopleWriteThem(t *testing.T) {
	for written, want := range map[string]float64{"£5": 5, "-£5": -5, "£-5": -5, "£ 1,234.50": 1234.5, "5 €": 5, "12.5 %": 12.5, "(7)": -7,
		"($7.25)": -7.25,
		"7-":      -7, "7.5-": -7.5, "-7": -7, "?": math.NaN(), "#N/A": math.NaN(), "none": math.NaN(), "..": math.NaN()} {
		text := lines("day;sold", 3, func(day string, i int) string {
			if i == 1 {
				return day + ";" + written
			}
			return day + ";3"
		})
		if strings.Contains(written, "%") {
			text = strings.ReplaceAll(text, ";3\n", ";3%\n")
		}
		l, _, err := proposed(text, ingest.Form{}, ingest.Columns{})
		require.NoError(t, err, written)
		got := l.Panel.Series[0].Values[1]
		assert.True(t, got == want || math.IsNaN(got) && math.IsNaN(want), "%q is %v", written, got)
	}
	for written, why := range map[string]string{"-": "is a dash, which can stand for zero", "—": "is a dash", "(7": "is not a number", "5 kg": "is not a number",
		"(-5)": "is not a number", "€7": "is in another unit than the value on line 2, which is in £", "7%": "is in another unit"} {
		_, _, err := proposed(lines("day,sold", 30, func(day string, i int) string {
			if i == 20 {
				return day + "," + written
			}
			return day + ",£3"
		}), ingest.Form{}, ingest.Columns{})
		assert.ErrorContains(t, err, `line 22: column "sold"`, written)
		assert.ErrorContains(t, err, why, written)
	}
	l, _, err := proposed("Takings\n"+lines("day,share,sold", 9, func(day string, i int) string { return day + `,0.5,"£1,100.50"` }), ingest.Form{}, ingest.Columns{})
	require.NoError(t, err)
	assert.Equal(t, 1100.5, l.Panel.Series[0].Values[0], "marks are found below a title")
	_, _, err = proposed(lines("day,share", 3, func(day string, i int) string { return day + []string{",3%", ",0.03", ",4%"}[i] }), ingest.Form{}, ingest.Columns{})
	assert.ErrorContains(t, err, `line 3: column "share": "0.03" is without the % that the value on line 2 has`)
	_, _, err = proposed(lines("day,share", 3, func(day string, i int) string { return day + []string{",0.03", ",3%", ",4%"}[i] }), ingest.Form{}, ingest.Columns{})
	assert.ErrorContains(t, err, `line 3: column "share": "3%" is in %, and the value on line 2 is not`)
}

// What is no row of the table is left out, and told.
func TestLinesThatAreNoRows(t *testing.T) {
	row := func(day string, i int) string { return fmt.Sprintf("%s,a,%d", day, i) }
	plain := lines("day,shop,sold", 4, row)
	want := panel.Hash(load(t, []byte(plain), ingest.Form{}, columns))
	for name, c := range map[string]struct{ text, caution string }{
		"a title":          {"Orders of 2026\n" + plain, `What stands above the header is left out: "Orders of 2026".`},
		"a padded title":   {"Orders of 2026,,\n\n" + plain, `What stands above the header is left out: "Orders of 2026".`},
		"several":          {"a\nb\nc\nd\ne\n" + plain, `What stands above the header is left out: "a", "b", "c", and 2 more.`},
		"the header again": {strings.Replace(plain, "2026-01-03", "day,shop,sold\n2026-01-03", 1), "Line 4 repeats the header and is left out."},
		"empty fields":     {plain + ",,\n,,\n", ""},
	} {
		l, _, err := proposed(c.text, ingest.Form{}, ingest.Columns{})
		require.NoError(t, err, name)
		assert.Equal(t, want, panel.Hash(l.Panel), name)
		assert.Equal(t, strings.Fields(c.caution), strings.Fields(strings.Join(l.Cautions, " ")), name)
	}
	for header, measure := range map[string]string{",,sold": "sold", ",sold": "sold"} {
		above := strings.Count(header, ",")
		text := lines(header, 4, func(day string, i int) string { return day + strings.Repeat(",a", above-1) + ",5" })
		_, cols, _, err := ingest.Inspect(strings.NewReader(text), "x", ingest.Form{})
		require.NoError(t, err)
		assert.Equal(t, measure, cols[above].Name, "columns of an index have no names, and are no title")
	}
	l, _, err := proposed("kept apart\nday,shop,sold\n2026-01-01,a,5\n2026-01-02,a,5\n", ingest.Form{HeaderRow: 2}, ingest.Columns{})
	require.NoError(t, err)
	assert.Equal(t, 2, l.Rows)
	_, _, err = proposed(plain, ingest.Form{HeaderRow: 9}, ingest.Columns{})
	assert.ErrorContains(t, err, "the file ends before line 9, which is to be its header")

	book := excelize.NewFile()
	for i, line := range strings.Split("Orders of 2026\n\n"+strings.TrimSpace(plain), "\n") {
		cells := []any{}
		for _, f := range strings.Split(line, ",") {
			cells = append(cells, f)
		}
		require.NoError(t, book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &cells))
	}
	var b bytes.Buffer
	require.NoError(t, book.Write(&b))
	l, _, err = proposed(b.String(), ingest.Form{}, ingest.Columns{Measures: []string{"sold"}})
	require.NoError(t, err)
	assert.Equal(t, want, panel.Hash(l.Panel), "in a workbook")
	assert.Equal(t, []string{`What stands above the header is left out: "Orders of 2026".`}, l.Cautions)

	_, _, err = proposed(strings.TrimPrefix(plain, "day,shop,sold\n"), ingest.Form{}, ingest.Columns{})
	assert.ErrorContains(t, err, "line 1: looks like a row and not like names of columns")
	_, _, err = proposed(lines("day,shop,sold", 9, func(day string, i int) string { return day + ",East, West,5" }), ingest.Form{}, ingest.Columns{})
	assert.ErrorContains(t, err, "line 2: has 4 fields and the header 3", "what is wrong with all rows is told")
	_, _, err = proposed(plain+"Total,,6\n", ingest.Form{}, columns)
	assert.ErrorContains(t, err, `"Total" is not a time`)
	assert.ErrorContains(t, err, "take the line out where it is no row of the table")
}

func TestColumnsThatAreProposed(t *testing.T) {
	month := func(day string, i int) string { return fmt.Sprintf("%d,%d", 2023+i/12, i%12+1) }
	for name, c := range map[string]struct {
		text, time string
		measures   []string
		by         []string
		series     int
	}{
		"numbers that name": {lines("date,store,item,sales", 8, func(day string, i int) string {
			return fmt.Sprintf("%s,1,11,5\n%s,1,12,5\n%s,2,11,5", day, day, day)
		}), "date", []string{"sales"}, []string{"store", "item"}, 3},
		"codes of which few are text": {lines("date,sku,sales", 30, func(day string, i int) string {
			return fmt.Sprintf("%s,1001,5\n%s,1002,5%s", day, day, []string{"", "\n" + day + ",A7,5"}[i/29])
		}), "date", []string{"sales"}, []string{"sku"}, 3},
		"numbers that have to": {lines("datum,filiale,artikel,menge,preis", 8, func(day string, i int) string {
			return fmt.Sprintf("%s,1,11,5,2.5\n%s,1,12,5,2.5\n%s,2,11,5,2.5", day, day, day)
		}), "datum", []string{"menge"}, []string{"filiale", "artikel"}, 3},
		"a column a series": {lines("date,North,South", 8, func(day string, i int) string { return day + ",5,6" }), "date", []string{"North", "South"}, nil, 2},
		"a usual name":      {lines("date,temperature,sales", 8, func(day string, i int) string { return day + ",5,6" }), "date", []string{"sales"}, nil, 1},
		"year and month": {lines("Year,Month,Shop,Sales", 24, func(day string, i int) string {
			return month(day, i) + ",a,5\n" + month(day, i) + ",b,5"
		}), "Year+Month", []string{"Sales"}, []string{"Shop"}, 2},
		"year and quarter": {lines("Year,Quarter,Sales", 8, func(day string, i int) string { return fmt.Sprintf("%d,Q%d,5", 2023+i/4, i%4+1) }),
			"Year+Quarter", []string{"Sales"}, nil, 1},
		"year and week":    {lines("Year,Week,Sales", 8, func(day string, i int) string { return fmt.Sprintf("2026,%d,5", i+1) }), "Year+Week", []string{"Sales"}, nil, 1},
		"year, month, day": {lines("Year,Month,Day,Sales", 8, func(day string, i int) string { return fmt.Sprintf("2026,1,%d,5", i+1) }), "Year+Month+Day", []string{"Sales"}, nil, 1},
		"a weekday before": {lines("date,sales", 8, func(_ string, i int) string {
			return time.Date(2026, 1, 1+i, 0, 0, 0, 0, time.UTC).Format(`"Monday, January 2, 2006",5`)
		}), "date", []string{"sales"}, nil, 1},
		"one that is sold out": {lines("date,sales", 80, func(day string, i int) string { return day + []string{",5", ",?"}[i/79] }), "date", []string{"sales"}, nil, 1},
	} {
		l, got, err := proposed(c.text, ingest.Form{}, ingest.Columns{})
		require.NoError(t, err, name)
		assert.Equal(t, c.time, got.Time, name)
		assert.Equal(t, c.measures, got.Measures, name)
		assert.Equal(t, c.by, got.By, name)
		assert.Len(t, l.Panel.Series, c.series, name)
	}
	_, _, err := proposed(lines("date,sold", 30, func(day string, i int) string {
		return strings.Replace(day, "2026-01-20", "2026-01-19", 1) + fmt.Sprintf(",%d", i)
	}),
		ingest.Form{}, ingest.Columns{})
	assert.ErrorContains(t, err, "was already given", "a day given twice by mistake makes no names of series")
	l, _, err := proposed(lines("date,hour,sold", 3, func(_ string, i int) string { return fmt.Sprintf("2026-01-01,%02d:00,5", i) }), ingest.Form{},
		ingest.Columns{Time: "date+hour"})
	require.NoError(t, err)
	assert.Equal(t, "2026-01-01 02:00", l.Panel.Period(2))
	_, _, err = proposed(lines("a,b,c,d,sold", 3, func(string, int) string { return "1,2,3,4,5" }), ingest.Form{}, ingest.Columns{Time: "a+b+c+d"})
	assert.ErrorContains(t, err, `column "a+b+c+d": is of more than three columns`)
	_, _, err = proposed(lines("Year,Month,sold", 3, func(_ string, i int) string { return []string{"2026,1,5", ",,5", "2026,13,5"}[i] }), ingest.Form{}, ingest.Columns{})
	assert.ErrorContains(t, err, `line 3: column "Year+Month": is empty: every row needs its period`)
	assert.ErrorContains(t, err, `line 4: column "Year+Month": "2026-13" is not a time`)
	_, _, err = proposed("hello,world\nfoo,bar\nfoo,bar\n", ingest.Form{}, ingest.Columns{})
	assert.EqualError(t, err, `no column of times was found ("hello" holds text, as "foo"; "world" holds text, as "bar"): name the time column and the measure column`)
}

// Seconds since 1970 are instants: they go where the zone says.
func TestSecondsSince1970(t *testing.T) {
	for name, times := range map[string]int64{"seconds": 1, "milliseconds": 1000} {
		text := lines("ts,sold", 40, func(_ string, i int) string {
			return fmt.Sprintf("%d,5", times*time.Date(2026, 3, 1, i, 0, 0, 0, time.UTC).Unix())
		})
		_, _, err := proposed(text, ingest.Form{}, ingest.Columns{})
		assert.ErrorContains(t, err, "may be seconds or milliseconds since 1970 (this one is 2026-03-01 00:00 in UTC): say into which zone they go", name)
		l, _, err := proposed(text, ingest.Form{}, ingest.Columns{Zone: "Asia/Tokyo"})
		require.NoError(t, err, name)
		assert.Equal(t, "2026-03-01 09:00", l.Panel.Period(0), name)
		assert.Equal(t, "hour", l.Panel.Cadence.String())
	}
	l, _, err := proposed(lines("t,sold", 5, func(_ string, i int) string { return fmt.Sprintf("%d,5", 1700000000+i) }), ingest.Form{}, ingest.Columns{Cadence: "number"})
	require.NoError(t, err)
	assert.Len(t, l.Panel.Series[0].Values, 5, "or a running count")
}
