package export_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/panel"
	"paperkettle/export"
	"paperkettle/ingest"
)

// table is a long table of shops that begin and end where they like, with holes and a price that may reach
// further than what was sold.
func table(t *rapid.T) string {
	step := rapid.SampledFrom([]func(k int) string{
		func(k int) string { return time.Date(2025, 12, 30, k, 0, 0, 0, time.UTC).Format("2006-01-02 15:04") },
		func(k int) string { return time.Date(2024, 2, 26+k, 0, 0, 0, 0, time.UTC).Format(time.DateOnly) },
		func(k int) string { return time.Date(2024, 12, 2+7*k, 0, 0, 0, 0, time.UTC).Format(time.DateOnly) },
		func(k int) string {
			return time.Date(2024, time.Month(11+k), 1, 0, 0, 0, 0, time.UTC).Format("2006-01")
		},
		func(k int) string { return fmt.Sprintf("%d-Q%d", 2024+k/4, 1+k%4) },
	}).Draw(t, "cadence")
	name := rapid.StringMatching(`[a-zé]([a-zé"', ;=-]{0,4}[a-z])?`)
	shops := rapid.SliceOfNDistinct(name, 1, 3, rapid.ID[string]).Draw(t, "shops")
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	_ = w.Write([]string{"sh,op", "when", "sold", "price"})
	number := rapid.OneOf(rapid.Float64Range(-1e5, 1e5), rapid.SampledFrom([]float64{0, 0.1, 1e-7, 12345678.25}))
	text := func(label string) string { return strconv.FormatFloat(number.Draw(t, label), 'f', -1, 64) }
	for _, shop := range shops {
		from := rapid.IntRange(0, 3).Draw(t, "from")
		to := from + rapid.IntRange(4, 9).Draw(t, "to")
		for k := from; k < to; k++ {
			sold := ""
			if k == from || rapid.IntRange(0, 4).Draw(t, "known") > 0 {
				sold = text("sold")
			}
			_ = w.Write([]string{shop, step(k), sold, text("price")})
		}
	}
	w.Flush()
	return b.String()
}

// Series that are taken away load again to the same panel, whatever the format and what their names hold.
func TestSeriesTakenAwayLoadAgain(t *testing.T) {
	columns := ingest.Columns{Time: "when", Measures: []string{"sold"}, By: []string{"sh,op"}, Drivers: []string{"price"}, KnownAhead: []string{"price"}}
	rapid.Check(t, func(t *rapid.T) {
		first, err := ingest.Load(context.Background(), bytes.NewBufferString(table(t)), "a.csv", ingest.Form{}, columns)
		if err != nil {
			t.Skip(err) // too few different periods to tell the cadence by
		}
		all := make([]int, len(first.Panel.Series))
		for i := range all {
			all[i] = i
		}
		for _, format := range []string{export.CSV, export.JSONL, export.XLSX, export.Parquet} {
			var b bytes.Buffer
			w := bufio.NewWriter(&b)
			require.NoError(t, export.Panel(w, first.Panel, all, "when", format))
			require.NoError(t, w.Flush())
			again, err := ingest.Load(context.Background(), &b, "b"+export.Extension(format), ingest.Form{}, columns)
			require.NoError(t, err, format)
			require.Equal(t, panel.Hash(first.Panel), panel.Hash(again.Panel), format)
		}
	})
}
