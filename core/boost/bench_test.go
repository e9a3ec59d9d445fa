package boost_test

import (
	"context"
	"math"
	"os"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"

	"paperkettle/core/boost"
)

// BenchmarkFit grows 100 trees of 31 leaves on rows of 30 numbers: BOOST_ROWS of them, or 100,000.
// The error is of as many further rows, or 100,000. bench/boosting.sh sets another beside it.
func BenchmarkFit(b *testing.B) {
	rows, err := strconv.Atoi(os.Getenv("BOOST_ROWS"))
	if err != nil {
		rows = 100_000
	}
	const more = 100_000
	d, fresh := wide(rows+more, 30).cut(rows)
	s := boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 100, Leaves: 31}
	var m *boost.Model
	for b.Loop() {
		m, err = boost.Fit(context.Background(), d, s, boost.Options{Workers: 1})
		require.NoError(b, err)
	}
	b.ReportMetric(math.Sqrt(m.Mean(fresh)), "error")
	b.ReportMetric(float64(rows), "rows")
}

type data struct{ boost.Data }

// cut parts the rows.
func (d data) cut(at int) (before, after boost.Data) {
	before, after = boost.Data{Table: &boost.Table{}, Target: d.Target[:at]}, boost.Data{Table: &boost.Table{}, Target: d.Target[at:]}
	for _, c := range d.Table.Columns {
		before.Table.Columns = append(before.Table.Columns, boost.Column{Values: c.Values[:at]})
		after.Table.Columns = append(after.Table.Columns, boost.Column{Values: c.Values[at:]})
	}
	return before, after
}

// wide is a table of numbers by a recurrence that any language has, so that others can be set
// beside it, and a target of the first ten.
func wide(rows, columns int) data {
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
	return data{d}
}
