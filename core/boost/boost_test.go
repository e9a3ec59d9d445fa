package boost_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/bits"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/boost"
)

// made is a table of numbers, one of them with holes, and a category, and a target of them.
func made(n int, seed uint64, noise float64) boost.Data {
	rnd := rand.New(rand.NewPCG(seed, 1))
	cols := make([][]float32, 4)
	y := make([]float32, n)
	for k := range cols {
		cols[k] = make([]float32, n)
	}
	for i := range n {
		a, b, c, shop := rnd.Float64()*4-2, rnd.NormFloat64(), rnd.Float64(), rnd.IntN(6)
		cols[0][i], cols[1][i], cols[2][i], cols[3][i] = float32(a), float32(b), float32(c), float32(shop)
		v := a*a + 2*b*float64(shop%2) + float64(shop) + noise*rnd.NormFloat64()
		if i%7 == 0 {
			cols[2][i] = float32(math.NaN())
			v += 3
		}
		y[i] = float32(v)
	}
	return boost.Data{Table: &boost.Table{Columns: []boost.Column{{Name: "a", Values: cols[0]}, {Name: "b", Values: cols[1]},
		{Name: "c", Values: cols[2]}, {Name: "shop", Values: cols[3], Categories: 6}}}, Target: y}
}

func row(d boost.Data, i int) []float32 {
	x := make([]float32, len(d.Table.Columns))
	for k := range x {
		x[k] = d.Table.Columns[k].Values[i]
	}
	return x
}

func explained(m *boost.Model, d boost.Data) float64 {
	out := make([]float64, m.Outputs())
	var mean, rest, all float64
	for _, y := range d.Target {
		mean += float64(y) / float64(len(d.Target))
	}
	for i, y := range d.Target {
		m.Predict(row(d, i), out)
		rest += (float64(y) - out[0]) * (float64(y) - out[0])
		all += (float64(y) - mean) * (float64(y) - mean)
	}
	return 1 - rest/all
}

func fit(t testing.TB, d boost.Data, s boost.Settings, o boost.Options) *boost.Model {
	m, err := boost.Fit(context.Background(), d, s, o)
	require.NoError(t, err)
	return m
}

// A curve, an interaction with a category and what a hole means are learnt, on rows never seen.
func TestItLearns(t *testing.T) {
	d, fresh := made(4000, 1, 0.3), made(2000, 2, 0.3)
	for name, s := range map[string]boost.Settings{
		"squared": {Loss: boost.Loss{Kind: boost.Squared}}, "huber": {Loss: boost.Loss{Kind: boost.Huber, At: 1}},
		"absolute": {Loss: boost.Loss{Kind: boost.Absolute}},
		"by depth": {Loss: boost.Loss{Kind: boost.Squared}, ByDepth: true, Depth: 5},
		"sampled":  {Loss: boost.Loss{Kind: boost.Squared}, RowShare: 0.6, ColumnShare: 0.6},
		"few bins": {Loss: boost.Loss{Kind: boost.Squared}, Bins: 32}, "held": {Loss: boost.Loss{Kind: boost.Squared}, Squares: 5, Sizes: 0.5},
	} {
		assert.Greater(t, explained(fit(t, d, s, boost.Options{Workers: 2}), fresh), 0.97, name)
	}
}

// The same table and seed give the same trees for any number of workers.
func TestTheSameForAnyWorkers(t *testing.T) {
	d := made(50_000, 3, 1)
	for _, s := range []boost.Settings{{Loss: boost.Loss{Kind: boost.Squared}, Trees: 5, RowShare: 0.7},
		{Loss: boost.Loss{Kind: boost.Quantiles, Probs: []float64{0.1, 0.5, 0.9}}, Trees: 6}} {
		one, three := fit(t, d, s, boost.Options{Workers: 1}), fit(t, d, s, boost.Options{Workers: 3})
		assert.True(t, assert.ObjectsAreEqual(one, three))
	}
}

// Counts and sales with many zeros: the mean is found on each side of a step.
func TestMeansOfCounts(t *testing.T) {
	rnd := rand.New(rand.NewPCG(4, 5))
	n := 4000
	x, y := make([]float32, n), make([]float32, n)
	for i := range n {
		x[i] = float32(i % 2)
		if rnd.Float64() < 0.4 {
			y[i] = float32(math.Round((1 + 4*float64(x[i])) * rnd.ExpFloat64() * 2))
		}
	}
	d := boost.Data{Table: &boost.Table{Columns: []boost.Column{{Name: "x", Values: x}}}, Target: y}
	for _, l := range []boost.Loss{{Kind: boost.Poisson}, {Kind: boost.Tweedie, At: 1.4}} {
		m := fit(t, d, boost.Settings{Loss: l}, boost.Options{})
		out := make([]float64, 1)
		for v := range 2 {
			sum, count := 0.0, 0.0
			for i := range n {
				if int(x[i]) == v {
					sum, count = sum+float64(y[i]), count+1
				}
			}
			m.Predict([]float32{float32(v)}, out)
			assert.InEpsilon(t, sum/count, out[0], 0.02, "%s at %d", l.Kind, v)
		}
	}
}

// Quantiles hold the share they say, where the spread differs, and never cross.
func TestQuantiles(t *testing.T) {
	rnd := rand.New(rand.NewPCG(6, 7))
	n := 8000
	x, y := make([]float32, n), make([]float32, n)
	for i := range n {
		x[i] = float32(rnd.Float64())
		y[i] = float32(3*float64(x[i]) + (0.2+2*float64(x[i]))*rnd.NormFloat64())
	}
	d := boost.Data{Table: &boost.Table{Columns: []boost.Column{{Name: "x", Values: x}}}, Target: y}
	probs := []float64{0.05, 0.25, 0.5, 0.75, 0.95}
	m := fit(t, d, boost.Settings{Loss: boost.Loss{Kind: boost.Quantiles, Probs: probs}, Leaves: 8, FewestRows: 100}, boost.Options{})
	below := make([]float64, len(probs))
	out := make([]float64, len(probs))
	var narrow, wide float64
	for range n {
		v := rnd.Float64()
		m.Predict([]float32{float32(v)}, out)
		assert.IsNonDecreasing(t, out)
		if v < 0.1 {
			narrow = out[4] - out[0]
		} else if v > 0.9 {
			wide = out[4] - out[0]
		}
		for k, q := range out {
			if 3*v+(0.2+2*v)*rnd.NormFloat64() < q {
				below[k]++
			}
		}
	}
	for k, p := range probs {
		assert.InDelta(t, p, below[k]/float64(n), 0.025)
	}
	assert.Greater(t, wide, 3*narrow)
}

// A column with a direction never moves the prediction the other way, whatever the data say.
func TestDirectionsAreKept(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(60, 300).Draw(t, "n")
		rnd := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))
		cols := [3][]float32{make([]float32, n), make([]float32, n), make([]float32, n)}
		y := make([]float32, n)
		for i := range n {
			for k := range cols {
				cols[k][i] = float32(rnd.NormFloat64())
			}
			y[i] = float32(math.Sin(3*float64(cols[0][i]))*2 + float64(cols[1][i]*cols[0][i]) + rnd.Float64())
		}
		loss := rapid.SampledFrom([]boost.Loss{{Kind: boost.Squared}, {Kind: boost.Absolute},
			{Kind: boost.Quantiles, Probs: []float64{0.2, 0.8}}}).Draw(t, "loss")
		d := boost.Data{Table: &boost.Table{Columns: []boost.Column{{Name: "up", Values: cols[0], Direction: 1}, {Name: "free", Values: cols[1]},
			{Name: "down", Values: cols[2], Direction: -1}}}, Target: y}
		m, err := boost.Fit(context.Background(), d, boost.Settings{Loss: loss, Trees: 20, Leaves: 8, FewestRows: 5}, boost.Options{})
		require.NoError(t, err)
		a, b := make([]float64, m.Outputs()), make([]float64, m.Outputs())
		for range 50 {
			x := []float32{float32(rnd.NormFloat64()), float32(rnd.NormFloat64()), float32(rnd.NormFloat64())}
			m.Predict(x, a)
			x[0] += rnd.Float32() * 3
			m.Predict(x, b)
			for k := range a {
				assert.GreaterOrEqual(t, b[k], a[k]-1e-9)
			}
			x[2] += rnd.Float32() * 3
			m.Predict(x, a)
			for k := range a {
				assert.LessOrEqual(t, a[k], b[k]+1e-9)
			}
		}
	})
}

// Shares add up to the prediction, and are those of the definition: the mean over all orders.
func TestAttributions(t *testing.T) {
	d := made(600, 8, 0.5)
	m := fit(t, d, boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 30, Leaves: 12}, boost.Options{})
	out := make([]float64, 1)
	for i := range 40 {
		x := row(d, i)
		m.Predict(x, out)
		base, shares := m.Attribute(x)
		sum := base
		for _, s := range shares {
			sum += s
		}
		assert.InDelta(t, out[0], sum, 1e-9)
		for k, want := range shapley(m, x) {
			assert.InDelta(t, want, shares[k], 1e-9)
		}
	}
}

// shapley goes over all sets of columns.
func shapley(m *boost.Model, x []float32) []float64 {
	p := len(x)
	worth := make([]float64, 1<<p)
	for set := range worth {
		for k := range m.Trees {
			worth[set] += known(&m.Trees[k], 0, x, set)
		}
	}
	factorial := func(n int) (f float64) {
		f = 1
		for i := 2; i <= n; i++ {
			f *= float64(i)
		}
		return f
	}
	out := make([]float64, p)
	for k := range out {
		for set := range worth {
			if set>>k&1 == 0 {
				s := bits.OnesCount(uint(set))
				out[k] += factorial(s) * factorial(p-s-1) / factorial(p) * (worth[set|1<<k] - worth[set])
			}
		}
	}
	return out
}

// known is what is expected of a row of which a set of columns is told.
func known(t *boost.Branches, n int32, x []float32, set int) float64 {
	l, r := t.Left[n], t.Right[n]
	if l == 0 {
		return float64(t.Value[n])
	}
	if set>>t.Column[n]&1 == 0 {
		a, b := float64(t.Cover[l]), float64(t.Cover[r])
		return (a*known(t, l, x, set) + b*known(t, r, x, set)) / (a + b)
	}
	v, left := x[t.Column[n]], t.Unknown[n]
	switch s := t.Set[n]; {
	case v != v:
	case s > 0:
		left = t.Sets[s-1][int(v)>>6]>>(int(v)&63)&1 == 1
	default:
		left = v <= t.Cut[n]
	}
	if left {
		return known(t, l, x, set)
	}
	return known(t, r, x, set)
}

// Columns that may not meet never do: what they say together is what they say alone.
func TestColumnsThatMayNotMeet(t *testing.T) {
	d := made(2000, 9, 0)
	m := fit(t, d, boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 40, Together: [][]int{{0}, {1, 2}}}, boost.Options{})
	for k := range m.Trees {
		assert.True(t, alone(&m.Trees[k], 0, nil), "tree %d", k)
	}
}

func alone(t *boost.Branches, n int32, path map[int32]bool) bool {
	if t.Left[n] == 0 {
		together := path[1] && path[2]
		return len(path) <= 1 || len(path) == 2 && together
	}
	next := map[int32]bool{t.Column[n]: true}
	for c := range path {
		next[c] = true
	}
	return alone(t, t.Left[n], next) && alone(t, t.Right[n], next)
}

// Growing stops when held-out rows gain no more, and goes on from where it was.
func TestStoppingAndGoingOn(t *testing.T) {
	d, fresh := made(300, 10, 3), made(300, 11, 3)
	s := boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 400, Patience: 20, FewestRows: 5}
	m := fit(t, d, s, boost.Options{Held: &fresh})
	assert.Less(t, len(m.Trees), 200)
	assert.Len(t, m.Held, len(m.Trees))
	assert.Equal(t, m.Held[len(m.Held)-1], lowest(m.Held))

	s = boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 30, RowShare: 0.5}
	whole := fit(t, d, s, boost.Options{})
	s.Trees = 10
	part := fit(t, d, s, boost.Options{})
	s.Trees = 20
	assert.Equal(t, whole.Trees, fit(t, d, s, boost.Options{From: part}).Trees)
	assert.Len(t, part.Trees, 10)
}

func lowest(x []float64) float64 {
	low := math.Inf(1)
	for _, v := range x {
		low = min(low, v)
	}
	return low
}

// A row with weight counts as that many, and one without as none.
func TestWeights(t *testing.T) {
	d := made(400, 12, 1)
	d.Weights = make([]float32, 400)
	twice := boost.Data{Table: &boost.Table{Columns: make([]boost.Column, 4)}}
	for k, c := range d.Table.Columns {
		c.Values = nil
		twice.Table.Columns[k] = c
	}
	for i := range d.Weights {
		d.Weights[i] = float32(i % 3)
		for range i % 3 {
			for k := range twice.Table.Columns {
				c := &twice.Table.Columns[k]
				c.Values = append(c.Values, d.Table.Columns[k].Values[i])
			}
			twice.Target = append(twice.Target, d.Target[i])
		}
	}
	s := boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 1, Leaves: 2, FewestRows: 1, Rate: 1}
	a, b := fit(t, d, s, boost.Options{}), fit(t, twice, s, boost.Options{})
	assert.InDelta(t, a.Start[0], b.Start[0], 1e-6)
	assert.Equal(t, a.Trees[0].Column, b.Trees[0].Column)
	assert.InDeltaSlice(t, a.Trees[0].Value, b.Trees[0].Value, 1e-5)
}

func TestModelsAsBytes(t *testing.T) {
	d := made(500, 13, 1)
	m := fit(t, d, boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 10}, boost.Options{})
	text, err := json.Marshal(m)
	require.NoError(t, err)
	again, err := boost.Read(text)
	require.NoError(t, err)
	b, err := m.MarshalBinary()
	require.NoError(t, err)
	var packed boost.Model
	require.NoError(t, packed.UnmarshalBinary(b))
	want, x := make([]float64, 1), make([]float64, 1)
	for i := range 500 {
		m.Predict(row(d, i), want)
		again.Predict(row(d, i), x)
		assert.Equal(t, want, x)
		packed.Predict(row(d, i), x)
		assert.Equal(t, want, x)
	}
	for i := range len(b) - 1 {
		assert.Error(t, new(boost.Model).UnmarshalBinary(b[:i]), "cut short")
	}
	m.Trees[3].Left[0] = 4000
	text, err = json.Marshal(m)
	require.NoError(t, err)
	_, err = boost.Read(text)
	assert.ErrorContains(t, err, "leads nowhere")
}

// What can't be learnt from is refused in a sentence, or learnt nothing from.
func TestBadTables(t *testing.T) {
	nan := float32(math.NaN())
	column := func(v ...float32) boost.Column { return boost.Column{Name: "x", Values: v} }
	table := func(c ...boost.Column) *boost.Table { return &boost.Table{Columns: c} }
	squared := boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, FewestRows: 1}
	for want, c := range map[string]struct {
		d boost.Data
		s boost.Settings
	}{
		"there are no rows":          {boost.Data{Table: table()}, squared},
		"2 rows, 1 targets":          {boost.Data{Table: table(column(1, 2)), Target: []float32{1}}, squared},
		"the target of row 1 is NaN": {boost.Data{Table: table(column(1, 2)), Target: []float32{1, nan}}, squared},
		"all weights are zero":       {boost.Data{Table: table(column(1, 2)), Target: []float32{1, 2}, Weights: []float32{0, 0}}, squared},
		"the weight of row 0 is -1":  {boost.Data{Table: table(column(1, 2)), Target: []float32{1, 2}, Weights: []float32{-1, 1}}, squared},
		"no loss is called":          {boost.Data{Table: table(column(1, 2)), Target: []float32{1, 2}}, boost.Settings{}},
		"which the loss poisson can't": {boost.Data{Table: table(column(1, 2)), Target: []float32{-1, 2}},
			boost.Settings{Loss: boost.Loss{Kind: boost.Poisson}}},
		"the power of the Tweedie loss": {boost.Data{Table: table(column(1, 2)), Target: []float32{1, 2}},
			boost.Settings{Loss: boost.Loss{Kind: boost.Tweedie, At: 2}}},
	} {
		_, err := boost.Fit(context.Background(), c.d, c.s, boost.Options{})
		assert.ErrorContains(t, err, want)
	}
	for name, d := range map[string]boost.Data{
		"all unknown":       {Table: table(column(nan, nan, nan, nan)), Target: []float32{1, 2, 3, 4}},
		"a constant target": {Table: table(column(1, 2, 3, 4)), Target: []float32{2.5, 2.5, 2.5, 2.5}},
		"one row":           {Table: table(column(1)), Target: []float32{2.5}},
		"infinite columns":  {Table: table(column(float32(math.Inf(1)), 1, 2, float32(math.Inf(-1)))), Target: []float32{2.5, 2.5, 2.5, 2.5}},
	} {
		m := fit(t, d, squared, boost.Options{})
		out := make([]float64, 1)
		m.Predict([]float32{2}, out)
		assert.InDelta(t, 2.5, out[0], 1e-6, name)
	}
	d := made(200, 14, 1)
	m := fit(t, d, boost.Settings{Loss: boost.Loss{Kind: boost.Squared}}, boost.Options{})
	seen, unseen := row(d, 0), row(d, 0)
	seen[3], unseen[3] = nan, 77
	a, b := make([]float64, 1), make([]float64, 1)
	m.Predict(seen, a)
	m.Predict(unseen, b)
	assert.Equal(t, a, b, "a category that was never seen is unknown")
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := boost.Fit(ctx, d, boost.Settings{Loss: boost.Loss{Kind: boost.Squared}}, boost.Options{})
	assert.ErrorIs(t, err, context.Canceled)
}

// What is changed about tells how much a column is worth.
func TestWorth(t *testing.T) {
	d := made(1500, 15, 0.2)
	m := fit(t, d, boost.Settings{Loss: boost.Loss{Kind: boost.Squared}}, boost.Options{})
	shop, err := m.Worth(d, 3, 3, 1)
	assert.Greater(t, shop, 10*err)
	c, _ := m.Worth(d, 2, 3, 1)
	assert.Greater(t, shop, c)
	gains, sum := m.Gains(), 0.0
	for _, g := range gains {
		sum += g
	}
	assert.InDelta(t, 1, sum, 1e-9)
	assert.Greater(t, gains[3], gains[2])
}

func Example() {
	x := []float32{1, 2, 3, 4, 5, 6, 7, 8}
	y := []float32{10, 10, 10, 10, 20, 20, 20, 20}
	d := boost.Data{Table: &boost.Table{Columns: []boost.Column{{Name: "x", Values: x}}}, Target: y}
	m, _ := boost.Fit(context.Background(), d, boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 1, Rate: 1, FewestRows: 1,
		Leaves: 2}, boost.Options{})
	out := make([]float64, 1)
	m.Predict([]float32{2.5}, out)
	fmt.Println(out)
	m.Predict([]float32{99}, out)
	fmt.Println(out)
	// Output:
	// [10]
	// [20]
}

// Rows that are picked are those rows, with their weights and kinds of columns.
func TestPick(t *testing.T) {
	d := made(10, 16, 1)
	d.Weights = make([]float32, 10)
	d.Weights[7] = 3
	some := d.Pick([]int32{7, 2})
	for i, from := range []int{7, 2} {
		for c := range d.Table.Columns {
			// By bits, since what is unknown is equal to nothing else.
			assert.Equal(t, math.Float32bits(d.Table.Columns[c].Values[from]), math.Float32bits(some.Table.Columns[c].Values[i]), "row %d, column %d", from, c)
		}
	}
	assert.Equal(t, []float32{d.Target[7], d.Target[2]}, some.Target)
	assert.Equal(t, []float32{3, 0}, some.Weights)
	assert.Equal(t, 6, some.Table.Columns[3].Categories)
}

// The effect of a column is what it was made of, and is as wide as others change it.
func TestEffectsAreWhatTheyWereMadeOf(t *testing.T) {
	d := made(6000, 3, 0.1)
	m, err := boost.Fit(context.Background(), d, boost.Settings{Loss: boost.Loss{Kind: boost.Squared}, Trees: 200}, boost.Options{Workers: 2})
	require.NoError(t, err)
	some := make([]int32, 400)
	for i := range some {
		some[i] = int32(i)
	}
	few := d.Pick(some)
	squares := m.Effect(few.Table, 0, []float32{-1.5, -0.5, 0.5, 1.5})
	for k, want := range []float64{1, -1, -1, 1} { // a² from its mean over the places, which is 1.25
		assert.InDelta(t, want, squares.Mean[k], 0.15)
		assert.Less(t, squares.High[k]-squares.Low[k], 0.5, "no other column changes it")
	}
	twofold := m.Effect(few.Table, 1, []float32{-1, 1})
	assert.InDelta(t, 1, twofold.Mean[1], 0.2, "2 in half of the shops, none in the others")
	assert.InDelta(t, 0, twofold.Low[1], 0.2)
	assert.InDelta(t, 2, twofold.High[1], 0.3)
	shops := m.Effect(few.Table, 3, []float32{0, 5})
	assert.InDelta(t, 5, shops.Mean[1]-shops.Mean[0], 0.4)
}
