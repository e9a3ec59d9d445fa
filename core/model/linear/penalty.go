package linear

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/blas"
	"gonum.org/v1/gonum/blas/blas64"
	"gonum.org/v1/gonum/lapack/lapack64"
)

// path lists the strengths to try, firm ones first. Columns have unit variance and so, as a
// rule, has the target's size: strengths are shares of a column's variance.
func (m Method) path() []float64 {
	switch {
	case m.Penalty == "none":
		return []float64{1e-9}
	case m.Strength != nil:
		return []float64{*m.Strength}
	}
	high, low, n := 10.0, 1e-5, 30
	if m.Penalty != "ridge" {
		high, low, n = 0.3, 1e-5, 40
	}
	out := make([]float64, n)
	for i := range out {
		out[i] = high * math.Pow(low/high, float64(i)/float64(n-1))
	}
	return out
}

// solve finds standardised coefficients; beta holds where to start from.
func (m Method) solve(g, c []float64, strength float64, beta []float64) {
	switch m.Penalty {
	case "lasso":
		descend(g, c, strength, 0, beta)
	case "elastic-net":
		descend(g, c, strength*m.Share, strength*(1-m.Share), beta)
	default:
		ridge(g, c, strength, beta)
	}
}

// ridge solves (G + strength I) beta = c.
func ridge(g, c []float64, strength float64, beta []float64) {
	ridgeEach(g, c, slices.Repeat([]float64{strength}, len(c)), beta)
}

// ridgeEach is ridge with a strength for each column.
func ridgeEach(g, c, strength, beta []float64) {
	solveEach(g, c, strength, beta, make([]float64, len(c)*len(c)))
}

// solveEach is ridgeEach with room for the factor, which is overwritten.
func solveEach(g, c, strength, beta, factor []float64) {
	p := len(c)
	if p == 0 {
		return
	}
	// Straight to the factor: an estimate of the condition would cost as much again, and a poor
	// one means columns that repeat each other: they share their effect.
	sym := blas64.Symmetric{N: p, Stride: p, Uplo: blas.Upper, Data: factor[:p*p]}
	copy(sym.Data, g)
	for a := range p {
		sym.Data[a*p+a] += strength[a] + 1e-9
	}
	upper, ok := lapack64.Potrf(sym)
	if !ok {
		clear(beta)
		return
	}
	copy(beta, c)
	b := blas64.Vector{N: p, Inc: 1, Data: beta}
	blas64.Trsv(blas.Trans, upper, b)
	blas64.Trsv(blas.NoTrans, upper, b)
	for _, b := range beta {
		if math.IsNaN(b) || math.IsInf(b, 0) {
			clear(beta)
			return
		}
	}
}

// descend minimises beta'G beta / 2 - c'beta + sizes |beta| + squares beta'beta / 2, one
// coefficient after another, from where beta is.
//
// Source: Friedman, Hastie, Hoefling and Tibshirani, Pathwise coordinate optimization,
// Annals of Applied Statistics 1 (2007).
func descend(g, c []float64, sizes, squares float64, beta []float64) {
	p := len(c)
	rest := append([]float64(nil), c...) // c - G beta
	for a, b := range beta {
		if b != 0 {
			for k := range p {
				rest[k] -= b * g[a*p+k]
			}
		}
	}
	for range 500 {
		largest := 0.0
		for a := range p {
			diagonal := g[a*p+a]
			pull := rest[a] + diagonal*beta[a]
			next := 0.0
			switch {
			case pull > sizes:
				next = (pull - sizes) / (diagonal + squares)
			case pull < -sizes:
				next = (pull + sizes) / (diagonal + squares)
			}
			if change := next - beta[a]; change != 0 {
				beta[a] = next
				for k := range p {
					rest[k] -= change * g[a*p+k]
				}
				largest = max(largest, math.Abs(change))
			}
		}
		if largest < 1e-7 {
			return
		}
	}
}
