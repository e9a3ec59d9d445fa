// Command kernels writes the assembly of core/num/tensor: each kernel twice, for AVX2 and for
// AVX-512, with the same operations in the same order on every element, so that both give the
// same bits. Run it by `go generate ./core/num/tensor`.
package main

import (
	"fmt"

	. "github.com/mmcloughlin/avo/build"
	. "github.com/mmcloughlin/avo/operand"
	"github.com/mmcloughlin/avo/reg"
)

// machine is a vector unit.
type machine struct {
	name  string
	lanes int
	rows  int // of a tile of the product
	vec   func() reg.VecVirtual
	wide  bool
}

var machines = []machine{
	{"AVX2", 8, 6, YMM, false},
	{"AVX512", 16, 12, ZMM, true},
}

func main() {
	ConstraintExpr("amd64")
	for _, m := range machines {
		m.product()
		m.exponentials()
	}
	Generate()
}

// product writes a tile: rows x two vectors of C += A B. An element of A is read at
// a + row rs + k cs, a row of B at b + k brs, a row of C at c + row crs, in bytes. Each element
// of C is one chain of fused multiply-adds over k.
func (m machine) product() {
	TEXT("tile"+m.name, NOSPLIT, "func(k int, a *float32, rs, cs int, b *float32, brs int, c *float32, crs int)")
	Pragma("noescape")
	Doc(fmt.Sprintf("tile%s adds the product of %d rows of A and %d columns of B to C; strides are in bytes.", m.name, m.rows, 2*m.lanes))
	k := Load(Param("k"), GP64())
	a := []reg.Register{Load(Param("a"), GP64())}
	rs := Load(Param("rs"), GP64())
	cs := Load(Param("cs"), GP64())
	b := Load(Param("b"), GP64())
	brs := Load(Param("brs"), GP64())
	c := Load(Param("c"), GP64())
	crs := Load(Param("crs"), GP64())
	for i := 3; i < m.rows; i += 3 { // a pointer for every three rows
		next := GP64()
		LEAQ(Mem{Base: a[len(a)-1], Index: rs, Scale: 2}, next)
		ADDQ(rs, next)
		a = append(a, next)
	}
	acc := make([][2]reg.VecVirtual, m.rows)
	at := GP64()
	MOVQ(c, at)
	for i := range acc {
		acc[i] = [2]reg.VecVirtual{m.vec(), m.vec()}
		VMOVUPS(Mem{Base: at}, acc[i][0])
		VMOVUPS(Mem{Base: at, Disp: 4 * m.lanes}, acc[i][1])
		if i < m.rows-1 {
			ADDQ(crs, at)
		}
	}
	TESTQ(k, k)
	JZ(LabelRef("done" + m.name))
	Label("loop" + m.name)
	b0, b1, x := m.vec(), m.vec(), m.vec()
	VMOVUPS(Mem{Base: b}, b0)
	VMOVUPS(Mem{Base: b, Disp: 4 * m.lanes}, b1)
	for i := range acc {
		from := Mem{Base: a[i/3]}
		if i%3 > 0 {
			from.Index, from.Scale = rs, uint8(i%3)
		}
		VBROADCASTSS(from, x)
		VFMADD231PS(b0, x, acc[i][0])
		VFMADD231PS(b1, x, acc[i][1])
	}
	for _, p := range a {
		ADDQ(cs, p)
	}
	ADDQ(brs, b)
	DECQ(k)
	JNZ(LabelRef("loop" + m.name))
	Label("done" + m.name)
	for i := range acc {
		VMOVUPS(acc[i][0], Mem{Base: c})
		VMOVUPS(acc[i][1], Mem{Base: c, Disp: 4 * m.lanes})
		if i < m.rows-1 {
			ADDQ(crs, c)
		}
	}
	VZEROUPPER()
	RET()
}

// constants are those of the exponential (S. Moshier's coefficients, Methods and Programs for
// Mathematical Functions, 1989).
var constants = []struct {
	name  string
	value float32
}{
	{"high", 88}, {"low", -87}, {"perLog2", 1.44269504088896341}, {"log2High", 0.693359375}, {"log2Low", -2.12194440e-4},
	{"c5", 1.9875691500e-4}, {"c4", 1.3981999507e-3}, {"c3", 8.3334519073e-3}, {"c2", 4.1665795894e-2}, {"c1", 1.6666665459e-1}, {"c0", 5.0000001201e-1},
	{"one", 1}, {"two", 2}, {"minus", -1}, {"minusTwo", -2},
}

var memory = map[string]Mem{}

func constant(name string) Mem {
	if len(memory) == 0 {
		for _, c := range constants {
			memory[c.name] = GLOBL("tensor_"+c.name, 24) // read-only, without pointers
			DATA(0, F32(c.value))
		}
		memory["bias"] = GLOBL("tensor_bias", 24)
		DATA(0, U32(127))
	}
	return memory[name]
}

// exponentials write out[i] = f(x[i]) over n elements, n a multiple of 16.
func (m machine) exponentials() {
	for _, f := range []struct {
		name, doc string
		of        func(x reg.VecVirtual)
	}{
		{"exp", "e to the x", m.exp},
		{"sigmoid", "1 / (1 + exp(-x))", m.sigmoid},
		{"tanh", "1 - 2 / (exp(2x) + 1)", m.tanh},
	} {
		name := f.name + m.name
		TEXT(name, NOSPLIT, "func(n int, x, out *float32)")
		Pragma("noescape")
		Doc(fmt.Sprintf("%s writes %s of n elements, a multiple of 16.", name, f.doc))
		n := Load(Param("n"), GP64())
		from := Load(Param("x"), GP64())
		to := Load(Param("out"), GP64())
		Label("loop_" + name)
		x := m.vec()
		VMOVUPS(Mem{Base: from}, x)
		f.of(x)
		VMOVUPS(x, Mem{Base: to})
		ADDQ(Imm(uint64(4*m.lanes)), from)
		ADDQ(Imm(uint64(4*m.lanes)), to)
		SUBQ(Imm(uint64(m.lanes)), n)
		JNZ(LabelRef("loop_" + name))
		VZEROUPPER()
		RET()
	}
}

func (m machine) all(name string) reg.VecVirtual {
	v := m.vec()
	if name == "bias" {
		VPBROADCASTD(constant(name), v)
		return v
	}
	VBROADCASTSS(constant(name), v)
	return v
}

func (m machine) exp(x reg.VecVirtual) {
	VMINPS(m.all("high"), x, x)
	VMAXPS(m.all("low"), x, x)
	n := m.vec()
	VMULPS(m.all("perLog2"), x, n)
	if m.wide {
		VRNDSCALEPS(Imm(0), n, n)
	} else {
		VROUNDPS(Imm(0), n, n)
	}
	VFNMADD231PS(m.all("log2High"), n, x)
	VFNMADD231PS(m.all("log2Low"), n, x)
	p := m.all("c5")
	for _, c := range []string{"c4", "c3", "c2", "c1", "c0"} {
		VFMADD213PS(m.all(c), x, p)
	}
	square := m.vec()
	VMULPS(x, x, square)
	VFMADD213PS(x, square, p)
	VADDPS(m.all("one"), p, p)
	VCVTPS2DQ(n, n)
	VPADDD(m.all("bias"), n, n)
	VPSLLD(Imm(23), n, n)
	VMULPS(n, p, x)
}

func (m machine) sigmoid(x reg.VecVirtual) {
	VMULPS(m.all("minus"), x, x)
	m.exp(x)
	one := m.all("one")
	VADDPS(one, x, x)
	VDIVPS(x, one, x)
}

func (m machine) tanh(x reg.VecVirtual) {
	VMULPS(m.all("two"), x, x)
	m.exp(x)
	one := m.all("one")
	VADDPS(one, x, x)
	q := m.vec()
	VDIVPS(x, m.all("minusTwo"), q)
	VADDPS(one, q, x)
}
