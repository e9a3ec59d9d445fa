package boost_test

import (
	"context"
	"os"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"

	"paperkettle/core/boost"
)

// BenchmarkFit grows 100 trees of 31 leaves on rows of 30 numbers: BOOST_ROWS of them, or 100,000.
func BenchmarkFit(b *testing.B) {
	rows, err := strconv.Atoi(os.Getenv("BOOST_ROWS"))
	if err != nil {
		rows = 100_000
	}
	d := wide(rows, 30)
	s := boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 100, Leaves: 31}
	for b.Loop() {
		_, err := boost.Fit(context.Background(), d, s, boost.Options{Workers: 1})
		require.NoError(b, err)
	}
	b.ReportMetric(float64(rows), "rows")
}

// wide is a table of numbers by a recurrence that any language has, so that others can be set
// beside it, and a target of the first ten.
func wide(rows, columns int) boost.Data {
	d := boost.Data{Table: &boost.Table{Columns: make([]boost.Column, columns)}, Target: make([]float32, rows)}
	x := uint32(12345)
	draw := func() float32 {
		x = x*1664525 + 1013904223
		return float32(x>>8) / (1 << 24)
	}
	for k := range d.Table.Columns {
		d.Table.Columns[k].Values = make([]float32, rows)
	}
	for i := range rows {
		for k := range columns {
			v := draw()
			d.Table.Columns[k].Values[i] = v
			switch {
			case k < 5:
				d.Target[i] += float32(k+1) * v
			case k < 8:
				d.Target[i] += 4 * v * v
			case k == 9 && v > 0.5:
				d.Target[i] += 2 * d.Table.Columns[0].Values[i]
			}
		}
		d.Target[i] += draw() + draw() + draw() - 1.5
	}
	return d
}
