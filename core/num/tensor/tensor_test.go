package tensor

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// with runs under each kernel of this machine, and plain Go.
func with(run func(name string)) {
	kept := use
	defer func() { use = kept }()
	for _, k := range append(available(), kernels{name: "plain"}) {
		use = k
		run(k.name)
	}
}

func random[T Float](rnd *rand.Rand, rows, cols int) Matrix[T] {
	m := New[T](rows, cols)
	for i := range m.Data {
		m.Data[i] = T(rnd.NormFloat64())
	}
	return m
}

func turned[T Float](m Matrix[T], turn bool) Matrix[T] {
	if !turn {
		return m
	}
	out := New[T](m.Cols, m.Rows)
	for i := range m.Rows {
		for j, v := range m.Row(i) {
			out.Data[j*m.Rows+i] = v
		}
	}
	return out
}

// Products of any shape, turned or not, of parts of larger matrices, are those of the definition;
// the vector units agree to the bit, plain Go within the tolerance that the package states.
func TestProducts(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		n, k, p := rapid.IntRange(1, 40).Draw(rt, "rows"), rapid.SampledFrom([]int{1, 2, 7, 33, 530, 1100}).Draw(rt, "inner"),
			rapid.IntRange(1, 70).Draw(rt, "columns")
		turnA, turnB := rapid.Bool().Draw(rt, "turn A"), rapid.Bool().Draw(rt, "turn B")
		rnd := rand.New(rand.NewPCG(rapid.Uint64().Draw(rt, "seed"), 1))
		a, b, start := random[float32](rnd, n, k), random[float32](rnd, k, p+5).Columns(2, p+2), random[float32](rnd, n, p)
		want := New[float64](n, p)
		for i := range n {
			for j := range p {
				sum := float64(start.Row(i)[j])
				for l := range k {
					sum += float64(a.Row(i)[l]) * float64(b.Row(l)[j])
				}
				want.Row(i)[j] = sum
			}
		}
		a, b = turned(a, turnA), turned(b, turnB)
		var first []float32
		with(func(name string) {
			around := New[float32](n, p+3)
			c := around.Columns(1, p+1)
			for i := range n {
				copy(c.Row(i), start.Row(i))
			}
			Multiply(c, a, b, turnA, turnB)
			var got []float32
			for i := range n {
				for j, v := range c.Row(i) {
					assert.InDelta(rt, want.Row(i)[j], v, 1e-5*math.Sqrt(float64(k))*4, "%s %d %d", name, i, j)
				}
				got = append(got, c.Row(i)...)
			}
			if first != nil && name != "plain" {
				assert.Equal(rt, first, got, "units differ")
			}
			if first == nil {
				first = got
			}
			for i := range n {
				assert.Equal(rt, []float32{0, 0, 0}, []float32{around.Row(i)[0], around.Row(i)[p+1], around.Row(i)[p+2]}, "what is beside a part stays")
			}
		})
	})
}

func TestProductsOfWrongShapes(t *testing.T) {
	assert.PanicsWithValue(t, "tensor: a product of 2 x 3 and 4 x 5 is no 2 x 5", func() {
		Multiply(New[float32](2, 5), New[float32](2, 3), New[float32](4, 5), false, false)
	})
}

// Functions hold their errors over all of the line, to the bit on every unit, in any length.
func TestFunctions(t *testing.T) {
	var x []float32
	for v := -100.0; v < 100; v += 0.0137 {
		x = append(x, float32(v))
	}
	x = append(x, 0, 1e-30, -1e-30, float32(math.Inf(1)), float32(math.Inf(-1)))
	for _, f := range []struct {
		name     string
		run      func(out, x []float32)
		want     func(float64) float64
		relative float64
		absolute float64
	}{
		{"exp", Exp[float32], func(v float64) float64 { return math.Exp(min(88, max(-87, v))) }, 2e-7, 0},
		{"sigmoid", Sigmoid[float32], func(v float64) float64 { return 1 / (1 + math.Exp(-max(-87, min(87, v)))) }, 3e-7, 1e-37},
		{"tanh", Tanh[float32], math.Tanh, 0, 2e-7},
	} {
		var first []float32
		with(func(name string) {
			out := make([]float32, len(x))
			f.run(out, x)
			for i, v := range x {
				want := f.want(float64(v))
				assert.InDelta(t, want, out[i], f.relative*math.Abs(want)+f.absolute, "%s %s(%g)", name, f.name, v)
			}
			if first != nil && name != "plain" {
				assert.Equal(t, first, out, "%s: units differ", f.name)
			}
			if first == nil {
				first = out
			}
			short := make([]float32, 5)
			f.run(short, x[3000:3005])
			if name != "plain" {
				assert.Equal(t, first[3000:3005], short, "a short one is the same")
			}
		})
	}
}

func BenchmarkMultiply(b *testing.B) {
	rnd := rand.New(rand.NewPCG(1, 2))
	for _, size := range []struct{ n, k, p int }{{32, 64, 256}, {128, 64, 256}, {64, 6144, 256}, {256, 256, 256}, {1024, 1024, 1024}} {
		with(func(name string) {
			b.Run(fmt.Sprintf("%dx%dx%d/%s", size.n, size.k, size.p, name), func(b *testing.B) {
				x, y, out := random[float32](rnd, size.n, size.k), random[float32](rnd, size.k, size.p), New[float32](size.n, size.p)
				for b.Loop() {
					Multiply(out, x, y, false, false)
				}
				b.ReportMetric(2*float64(size.n)*float64(size.k)*float64(size.p)*float64(b.N)/b.Elapsed().Seconds()/1e9, "GFLOP/s")
			})
		})
	}
}

func BenchmarkFunctions(b *testing.B) {
	x, out := make([]float32, 4096), make([]float32, 4096)
	with(func(name string) {
		b.Run("tanh/"+name, func(b *testing.B) {
			for b.Loop() {
				Tanh(out, x)
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/4096, "ns/element")
		})
	})
}
