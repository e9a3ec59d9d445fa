package export_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"math"
	"os"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/export"
	"paperkettle/ingest"
)

// Whatever the names and numbers, what is written reads back as they are.
func TestPointsReadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.StringMatching(`[a-z,"\n ;'é]{1,8}`)
		shop, contender := name.Draw(t, "shop"), name.Draw(t, "contender")
		p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 20000, Length: 9,
			Attributes: []panel.Attribute{panel.NewAttribute("sh,op", []string{shop})},
			Series:     []panel.Series{{Key: shop}}}
		rows := forecast.NewRows(2)
		value := rapid.Float64Range(-1e6, 1e6)
		for h := range rows.Mean {
			rows.Mean[h] = value.Draw(t, "f")
			for g := range rows.At(h) {
				rows.At(h)[g] = rows.Mean[h] + float64(g-forecast.Median)
			}
		}
		var b bytes.Buffer
		w := bufio.NewWriter(&b)
		points, err := export.NewPoints(w, export.CSV, p, []float64{80, 99.9}, true)
		require.NoError(t, err)
		y := value.Draw(t, "y")
		actual := func(at int) float64 { return []float64{y, math.NaN()}[at-6] }
		require.NoError(t, points.Series(0, contender, export.Origin{Window: 3, Index: 5}, rows, score.Scale{Abs: 2, Sq: 9}, actual))
		require.NoError(t, w.Flush())
		records, err := csv.NewReader(&b).ReadAll()
		require.NoError(t, err)
		require.Equal(t, []string{"sh,op", "contender", "window", "origin", "step", "period", "actual", "forecast", "low80", "high80", "low99.9",
			"high99.9", "mase_scale", "rmsse_scale"}, records[0])
		number := func(row, column int) float64 {
			v, err := strconv.ParseFloat(records[row][column], 64)
			require.NoError(t, err)
			return v
		}
		require.Equal(t, []string{shop, contender, "3", "2024-10-09", "1", "2024-10-10"}, records[1][:6])
		require.Equal(t, []string{"2", "2024-10-11", ""}, records[2][4:7], "an unknown actual is empty")
		for h := range 2 {
			low, high := forecast.Interval(rows.At(h), 80)
			require.Equal(t, []float64{rows.Mean[h], low, high, 2, 3},
				[]float64{number(h+1, 7), number(h+1, 8), number(h+1, 9), number(h+1, 12), number(h+1, 13)})
		}
		require.Equal(t, y, number(1, 6))
	})
}

func ExamplePoints() {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Month, Label: calendar.LabelCode}, First: 672, Length: 3,
		Series: []panel.Series{{Key: "all", Values: []float64{5, 6, 7}}}}
	rows := forecast.NewRows(1)
	rows.Mean[0] = 7.5
	for g := range rows.At(0) {
		rows.At(0)[g] = 7.5
	}
	w := bufio.NewWriter(os.Stdout)
	points, _ := export.NewPoints(w, export.CSV, p, []float64{80}, false)
	_ = points.Series(0, "naive", export.Origin{Index: 1}, rows, score.Scale{}, p.Series[0].At)
	_ = w.Flush()
	// Output:
	// contender,origin,step,period,actual,forecast,low80,high80
	// naive,2026-02,1,2026-03,7,7.5,7.5,7.5
}

// Whatever the format, a table reads back as it was written.
func TestEveryFormatReadsBack(t *testing.T) {
	columns := []export.Column{{Name: "shop", Kind: export.Text}, {Name: "day", Kind: export.Text}, {Name: "step", Kind: export.Whole},
		{Name: "y", Kind: export.Number}}
	rows := [][]export.Cell{
		{{Text: "=1+1"}, {Text: "2026-03-01"}, {Number: 1}, {Number: 2.5}},
		{{Text: "Quai d'Été, \"upper\"\n"}, {Text: "2026-03-01"}, {Number: 2}, {Number: -1e-7}},
		{{Text: "=1+1"}, {Text: "2026-03-02"}, {Number: 3}, {Number: math.NaN()}},
		{{Text: "=1+1"}, {Text: "2026-03-03"}, {Number: 4}, {Number: 12345678.25}},
	}
	hashes := map[string]bool{}
	for format := range export.Formats {
		if format == export.CSVText {
			continue // it changes text
		}
		var b bytes.Buffer
		w := bufio.NewWriter(&b)
		table, err := export.NewTable(w, format, columns)
		require.NoError(t, err)
		for _, r := range rows {
			require.NoError(t, table.Row(r))
		}
		require.NoError(t, table.Close())
		require.NoError(t, w.Flush())
		if format == export.JSON {
			var list []map[string]any
			require.NoError(t, json.Unmarshal(b.Bytes(), &list))
			require.Len(t, list, 4)
			require.Equal(t, map[string]any{"shop": "=1+1", "day": "2026-03-02", "step": 3.0, "y": nil}, list[2])
			continue
		}
		got, err := ingest.Load(context.Background(), &b, format, ingest.Form{},
			ingest.Columns{Time: "day", Measures: []string{"y"}, By: []string{"shop"}, Drivers: []string{"step"}})
		require.NoError(t, err, format)
		hashes[panel.Hash(got.Panel)] = true
	}
	require.Len(t, hashes, 1)
	_, err := export.NewTable(nil, "dbf", columns)
	require.ErrorContains(t, err, "is not known")
}

// As csv-text, what a spreadsheet would run is text; what is plain, and all numbers, stay as they are.
func TestTextThatIsNoFormula(t *testing.T) {
	row := []export.Cell{{Text: `=cmd("x")`}, {Text: "@sum"}, {Text: "-5 % tea"}, {Text: "black = tea"}, {Number: -5}}
	columns := []export.Column{{Name: "+a"}, {Name: "b"}, {Name: "c"}, {Name: "d"}, {Name: "e", Kind: export.Number}}
	for format, want := range map[string]string{
		export.CSV:     "+a,b,c,d,e\n\"=cmd(\"\"x\"\")\",@sum,-5 % tea,black = tea,-5\n",
		export.CSVText: "'+a,b,c,d,e\n\"'=cmd(\"\"x\"\")\",'@sum,'-5 % tea,black = tea,-5\n",
	} {
		var b bytes.Buffer
		w := bufio.NewWriter(&b)
		table, err := export.NewTable(w, format, columns)
		require.NoError(t, err)
		require.NoError(t, table.Row(row))
		require.NoError(t, errors.Join(table.Close(), w.Flush()))
		assert.Equal(t, want, b.String())
	}
}
