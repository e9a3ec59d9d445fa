package boost_test

import (
	"context"
	"encoding/json"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/boost"
)

// What is predicted is the sum of the leaves that the values themselves lead to, of rows that trees were grown on, of rows
// that they were not, and of values never seen; and growing has put every row into that leaf.
func TestRowsAreLedWhereTheirValuesLead(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(40, 400).Draw(t, "n")
		holes := rapid.SampledFrom([]float64{0, 0.1, 0.6}).Draw(t, "holes")
		rnd := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))
		d := withHoles(rnd, n, holes)
		s := boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 12, Leaves: 9, FewestRows: 2,
			RowShare: rapid.SampledFrom([]float64{0.5, 1}).Draw(t, "share")}
		m, err := boost.Fit(context.Background(), d, s, boost.Options{Workers: 2})
		require.NoError(t, err)
		mean := 0.0
		for i := range n {
			x := row(d, i)
			e := led(m, x) - float64(d.Target[i])
			mean += e * e / float64(n)
			said(t, m, x)
		}
		assert.InEpsilon(t, mean, m.Curve[len(m.Curve)-1], 1e-6)
		for range 50 {
			x := row(withHoles(rnd, 1, holes), 0)
			x[0] *= 3
			x[2] = float32(rnd.IntN(40) - 5)
			said(t, m, x)
		}
	})
}

func said(t *rapid.T, m *boost.Model, x []float32) {
	var out [1]float64
	m.Predict(x, out[:])
	if c := x[2]; c < 0 || c >= 20 {
		x[2] = float32(math.NaN())
	}
	assert.InDelta(t, led(m, x), out[0], 1e-12)
}

// led adds up the leaves that a row's values lead to.
func led(m *boost.Model, x []float32) float64 {
	sum := m.Start[0]
	for k := range m.Trees {
		sum += known(&m.Trees[k], 0, x, 1<<len(x)-1)
	}
	return sum
}

// withHoles is a table of two numbers and a category of 20, of which some are unknown and tell by it.
func withHoles(rnd *rand.Rand, n int, holes float64) boost.Data {
	cols := [3][]float32{make([]float32, n), make([]float32, n), make([]float32, n)}
	d := boost.Data{Target: make([]float32, n)}
	for i := range n {
		cols[0][i], cols[1][i], cols[2][i] = float32(rnd.NormFloat64()), float32(rnd.IntN(3)), float32(rnd.IntN(20))
		d.Target[i] = cols[0][i] + cols[1][i]*float32(int(cols[2][i])%3) + rnd.Float32()
		for k := range cols {
			if rnd.Float64() < holes {
				cols[k][i] = float32(math.NaN())
				d.Target[i] += float32(2 * (k - 1))
			}
		}
	}
	d.Table = &boost.Table{Columns: []boost.Column{{Name: "a", Values: cols[0]}, {Name: "b", Values: cols[1]},
		{Name: "c", Values: cols[2], Categories: 20}}}
	return d
}

// A split of what is known from what is not can be written as text, and a cut where a column has no edge is no model's.
func TestSplitsOfWhatIsKnownAreWritten(t *testing.T) {
	column := boost.Column{Name: "x", Values: make([]float32, 100)}
	d := boost.Data{Table: &boost.Table{Columns: []boost.Column{column}}, Target: make([]float32, 100)}
	for i := range 50 {
		column.Values[2*i], d.Target[2*i] = float32(math.NaN()), 5
		column.Values[2*i+1] = float32(i)
	}
	m, err := boost.Fit(context.Background(), d, boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 3, Leaves: 2}, boost.Options{})
	require.NoError(t, err)
	text, err := json.Marshal(m)
	require.NoError(t, err)
	again, err := boost.Read(text)
	require.NoError(t, err)
	for _, x := range []float32{-1e9, 7, 1e9, float32(math.NaN())} {
		var a, b [1]float64
		m.Predict([]float32{x}, a[:])
		again.Predict([]float32{x}, b[:])
		assert.Equal(t, a, b)
		assert.Equal(t, x != x, a[0] > 2.5)
	}
	m.Trees[0].Cut[0] = 7.25
	text, err = json.Marshal(m)
	require.NoError(t, err)
	_, err = boost.Read(text)
	assert.ErrorContains(t, err, "cuts the column x where it has no edge")
}
