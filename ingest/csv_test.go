package ingest_test

import (
	"context"
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/panel"
	"paperkettle/ingest"
)

var columns = ingest.Columns{Time: "day", Measures: []string{"sold"}, By: []string{"shop"}}

func read(text string, c ingest.Columns) (*panel.Panel, error) {
	l, err := ingest.Load(context.Background(), strings.NewReader(text), "sales.csv", ingest.Form{}, c)
	if err != nil {
		return nil, err
	}
	return l.Panel, nil
}

func TestReadsAnOrdinaryTable(t *testing.T) {
	text := "\uFEFFshop,day,sold,price\r\n\"Quay, west\",2026-01-02, 3.5 " +
		",2\r\nEast,2026-01-01,NA,1\nEast,2026-01-02,1e2,1\nEast,2026-01-03,,9\n\n\"Quay, west\",2026-01-01,-4,\n"
	c := columns
	c.Drivers, c.KnownAhead = []string{"price"}, []string{"price"}
	p, err := read(text, c)
	require.NoError(t, err)
	require.Len(t, p.Series, 2)
	assert.Equal(t, []float64{100}, p.Series[0].Values)
	assert.Equal(t, []float64{1, 9}, p.Series[0].Drivers[0], "a driver known ahead reaches past the last value")
	assert.Equal(t, "Quay, west", p.Series[1].Key)
	assert.Equal(t, []float64{-4, 3.5}, p.Series[1].Values)
	assert.True(t, math.IsNaN(p.Series[1].Drivers[0][0]))
	assert.Equal(t, 2, p.Length)
}

func TestEveryFaultNamesItsPlaceAndCure(t *testing.T) {
	head := "day,shop,sold\n"
	cases := []struct{ name, text, want string }{
		{"empty", "", "the file is empty"},
		{"header only", head, "a header but no rows"},
		{"no header", "2026-01-01,East,5\n2026-01-02,East,6\n",
			`column "day": is not in the header; the columns are 2026-01-01, East, 5; this first line looks like data`},
		{"unknown column", "date,shop,sold\n2026-01-01,East,5\n", `line 1: column "day": is not in the header; the columns are date, shop, sold`},
		{"a column twice", "day,shop,sold,sold\n", "stands in the header twice"},
		{"bad date", head + "2026-01-01,East,5\n2026-02-30,East,5\n", `line 3: column "day": "2026-02-30" is no day of the calendar`},
		{"no date", head + "soon,East,5\n", `line 2: column "day": "soon" is not a time: write 2026-03-01`},
		{"ambiguous date", head + "03/04/2026,East,5\n", "can be read day first (2026-04-03) or month first (2026-03-04): say which"},
		{"both orders", head + "13/04/2026,East,5\n04/14/2026,East,5\n",
			`line 3: "04/14/2026" has the month first, and "13/04/2026" on line 2 has the day first`},
		{"two styles", head + "2026-01-01,East,5\n2026-02,East,5\n", `line 3: column "day": "2026-02" is written like 2026-03, but line 2 like 2026-03-01`},
		{"text", head + "2026-01-01,East,many\n", `line 2: column "sold": "many" is not a number`},
		{"infinity", head + "2026-01-01,East,-Inf\n", `"-Inf" is infinite`},
		{"too large", head + "2026-01-01,East,1e999\n", "too large"},
		{"too few fields", head + "2026-01-01,East\n", "line 2: has 2 fields and the header 3"},
		{"too many fields", head + "2026-01-01,East,5,6\n", "line 2: has 4 fields and the header 3"},
		{"same period twice", head + "2026-01-01,East,5\n2026-01-02,East,5\n2026-01-01,East,7\n",
			`line 4: series "East": period 2026-01-01 was already given on line 2`},
		{"unclosed quote", head + "2026-01-01,East,5\n2026-01-02,\"East,5\n2026-01-03,East,5\n",
			"line 3: a quote opened on this line is not properly closed"},
		{"bare quote", head + "2026-01-01,Ea\"st,5\n", "line 2: a quote stands inside a field"},
		{"NUL byte", head + "2026-01-01,East,5\n2026-01-02,E\x00st,5\n", "line 3: holds a NUL byte"},
		{"off the cadence", head + "2026-01-01 10:00,East,5\n2026-01-01 10:07,East,5\n", "starts no quarter-hour"},
	}
	for _, c := range cases {
		_, err := read(c.text, columns)
		var refusal *ingest.Refusal
		if assert.ErrorAs(t, err, &refusal, c.name) {
			assert.Contains(t, err.Error(), "sales.csv was not loaded", c.name)
			assert.Contains(t, err.Error(), c.want, c.name)
		}
	}
}

func TestFaultsAreListedAndCounted(t *testing.T) {
	text := "day,shop,sold\n"
	for i := range 50 {
		text += fmt.Sprintf("2026-01-01,East,bad%d\n", i)
	}
	text += "2026-01-01,East\n2026-13-01,East,1\n"
	_, err := read(text, columns)
	var refusal *ingest.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Len(t, refusal.Faults, 3, "what is wrong in the same way is told once")
	assert.Equal(t, 52, refusal.Total)
	assert.Contains(t, err.Error(), `column "sold": "bad0" is not a number: write 12.5, or leave the field empty where the value is unknown (the same on lines 3, 4, 5, 6, 7 and 44 more); line 52`)
	assert.Zero(t, refusal.More())

	text = "day,shop,sold\n"
	for i := range 50 {
		text += fmt.Sprintf("2026-01-01,East,1\n2026-01-01,West %d,1\n", i)
	}
	_, err = read(text, columns)
	require.ErrorAs(t, err, &refusal)
	assert.LessOrEqual(t, len(refusal.Faults), ingest.FaultsShown)
}

func TestColumnsThatMakeNoSense(t *testing.T) {
	for want, spoil := range map[string]func(*ingest.Columns){
		"name the time column":                 func(c *ingest.Columns) { c.Time = "" },
		`cadence "fortnight" is not known`:     func(c *ingest.Columns) { c.Cadence = "fortnight" },
		`gaps "hole" is not known`:             func(c *ingest.Columns) { c.Gaps = "hole" },
		`"heat" is said to be known ahead`:     func(c *ingest.Columns) { c.KnownAhead = []string{"heat"} },
		"is given as an attribute and as a dr": func(c *ingest.Columns) { c.Drivers = []string{"shop"} },
	} {
		c := columns
		spoil(&c)
		_, err := read("day,shop,sold\n2026-01-01,East,1\n", c)
		assert.ErrorContains(t, err, want)
	}
}

type brokenPipe struct{ text *strings.Reader }

func (b brokenPipe) Read(p []byte) (int, error) {
	if b.text.Len() == 0 {
		return 0, errors.New("connection lost")
	}
	return b.text.Read(p)
}

// A transfer that breaks off is no shorter file.
func TestABrokenTransferIsNotLoaded(t *testing.T) {
	_, err := ingest.Load(context.Background(), brokenPipe{strings.NewReader("day,shop,sold\n2026-01-01,East,1\n2026-01-02,East,1\n")}, "x",
		ingest.Form{}, columns)
	assert.ErrorContains(t, err, "connection lost")
}

// Whatever bytes come, the reader answers, and what it accepts is a sound panel.
func FuzzCSV(f *testing.F) {
	f.Add("day,shop,sold\n2026-01-01,East,1\n2026-01-02,East,2\n")
	f.Add("day,shop,sold\n1,East,1\n2,\"Ea\"\"st\",2\n")
	f.Add("\xef\xbb\xbfday,shop,sold\n2026-Q1,a,\n")
	f.Fuzz(func(t *testing.T, text string) {
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		l, err := ingest.Load(ctx, strings.NewReader(text), "x", ingest.Form{}, columns)
		if err != nil {
			return
		}
		for _, s := range l.Panel.Series {
			if s.First < 0 || s.End() > l.Panel.Length {
				t.Fatalf("series %q lies outside the axis", s.Key)
			}
		}
	})
}

// BenchmarkCSV reads a million rows of 1,000 daily series.
func BenchmarkCSV(b *testing.B) {
	var text strings.Builder
	text.WriteString("day,shop,sold\n")
	start := time.Date(2023, 1, 1, 0, 0, 0, 0, time.UTC)
	for s := range 1000 {
		for d := range 1000 {
			fmt.Fprintf(&text, "%s,shop %d,%d\n", start.AddDate(0, 0, d).Format("2006-01-02"), s, (s*d)%97)
		}
	}
	b.SetBytes(int64(text.Len()))
	for b.Loop() {
		if _, err := read(text.String(), columns); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(1e6*float64(b.N)/b.Elapsed().Seconds(), "rows/s")
}
