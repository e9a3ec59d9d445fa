package young

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"paperkettle/core/panel"
)

// design is a season and a slope as columns, for series of a cadence.
type design struct {
	m        int
	period   float64
	list     []setting
	variance [][]float64 // of the coefficients, by shape
}

func newDesign(m int, period float64) *design {
	shapes := shapesOf(m)
	return &design{m: m, period: period, list: settings(len(shapes)), variance: shapes}
}

// coefficients is how many a season has.
func (d *design) coefficients() int { return len(d.variance[0]) }

// season fills a row with what each coefficient counts for at an ordinal. Of a season of an even number of periods the
// last sine is nought, and left out.
func (d *design) season(ordinal int64, row []float64) {
	for j := range row {
		k := j / 2
		sin, cos := math.Sincos(2 * math.Pi * math.Mod(float64(k+1)*float64(ordinal), d.period) / d.period)
		if row[j] = sin; j%2 == 1 || j == len(row)-1 && 2*(k+1) == d.m {
			row[j] = cos
		}
	}
}

// filtered is a series and its columns as what each value tells beyond those before it, of a level that wanders.
type filtered struct {
	n        int     // values that tell
	yy       float64 // the sum of squares of the series
	logs     float64 // the sum of the logs of their variances
	gram     []float64
	right    []float64
	coefs, p int
}

// filter runs a level through a series and through each column (the slope, then the season's), and takes the products
// of what it did not expect. The first known value tells of the level alone.
func (d *design) filter(values []float64, first int64, wander float64) *filtered {
	p := d.coefficients() + 1
	f := &filtered{coefs: p - 1, p: p, gram: make([]float64, p*p), right: make([]float64, p)}
	level, row, rest := make([]float64, p), make([]float64, p), make([]float64, p)
	own, variance, seen := 0.0, 0.0, false
	middle := float64(len(values)-1) / 2
	for i, y := range values {
		if seen {
			variance += wander
		}
		if !panel.Known(y) {
			continue
		}
		row[0] = (float64(i) - middle) / d.period
		d.season(first+int64(i), row[1:])
		if !seen {
			own, variance, seen = y, 1, true
			copy(level, row)
			continue
		}
		scale, gain := 1/math.Sqrt(variance+1), variance/(variance+1)
		f.logs += math.Log(variance + 1)
		f.n++
		e := (y - own) * scale
		own += gain * (y - own)
		for a := range row {
			rest[a] = (row[a] - level[a]) * scale
			level[a] += gain * (row[a] - level[a])
		}
		variance *= 1 - gain
		f.yy += e * e
		for a, x := range rest {
			f.right[a] += x * e
			for b := range a + 1 {
				f.gram[a*p+b] += x * rest[b]
			}
		}
	}
	return f
}

// posterior is what a series says under a setting: how likely it is, and of the season's coefficients the mean and,
// where asked for, the covariance.
type posterior struct {
	loglik float64
	mean   []float64
	spread *mat.SymDense
}

// under is the posterior under a setting, for what was filtered with its wander. With level, slope and coefficients
// integrated out, and the noise's variance v with a density of 1/v, the likelihood of n values is
// |M|^(-1/2) Q^(-n/2), M = I + D X'X D, Q = y'y - y'X D M^-1 D X'y, D the standard deviations of the coefficients.
func (d *design) under(f *filtered, s setting, whole bool) posterior {
	from, to := 0, f.p
	if s.slope == 0 {
		from = 1
	}
	if s.size == 0 {
		to = 1
	}
	k := to - from
	q, logdet := f.yy, 0.0
	out := posterior{mean: make([]float64, f.coefs)}
	if k > 0 {
		dev := make([]float64, k)
		for a := range dev {
			if from+a == 0 {
				dev[a] = math.Sqrt(s.slope)
			} else {
				dev[a] = math.Sqrt(s.size * d.variance[s.shape][from+a-1])
			}
		}
		m, right := mat.NewSymDense(k, nil), mat.NewVecDense(k, nil)
		for a := range k {
			right.SetVec(a, dev[a]*f.right[from+a])
			for b := range a + 1 {
				m.SetSym(b, a, dev[a]*dev[b]*f.gram[(from+a)*f.p+from+b])
			}
			m.SetSym(a, a, 1+m.At(a, a))
		}
		var chol mat.Cholesky
		if !chol.Factorize(m) {
			return posterior{loglik: math.Inf(-1)}
		}
		var coef mat.VecDense
		if err := chol.SolveVecTo(&coef, right); err != nil {
			return posterior{loglik: math.Inf(-1)}
		}
		q -= mat.Dot(right, &coef)
		logdet = chol.LogDet()
		for a := range k {
			if from+a > 0 {
				out.mean[from+a-1] = dev[a] * coef.AtVec(a)
			}
		}
		if whole && s.size > 0 {
			out.spread = d.covariance(&chol, dev, 1-from, max(q, tiny*f.yy)/float64(f.n))
		}
	}
	out.loglik = -0.5 * (float64(f.n)*math.Log(max(q, tiny*f.yy)) + f.logs + logdet)
	return out
}

// tiny is the least part of a sum of squares that noise has: a season without any would be believed beyond reason.
const tiny = 1e-9

// covariance is that of the season's coefficients, from a place on.
func (d *design) covariance(chol *mat.Cholesky, dev []float64, from int, noise float64) *mat.SymDense {
	var inverse mat.SymDense
	if err := chol.InverseTo(&inverse); err != nil {
		return nil
	}
	n := len(dev) - from
	out := mat.NewSymDense(n, nil)
	for a := range n {
		for b := a; b < n; b++ {
			out.SetSym(a, b, noise*dev[from+a]*dev[from+b]*inverse.At(from+a, from+b))
		}
	}
	return out
}
