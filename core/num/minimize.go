package num

import "math"

// Minimizer finds a local minimum of a smooth function by the limited-memory method of
// Broyden, Fletcher, Goldfarb and Shanno. Its working space is kept from run to run, so
// that fitting many small problems does not allocate. The zero value is ready for use.
//
// Source: Liu and Nocedal, On the limited memory BFGS method for large scale
// optimization, Mathematical Programming 45 (1989); the step is found by backtracking
// with quadratic interpolation (Nocedal and Wright, Numerical Optimization, 2nd ed.
// 2006, section 3.5).
type Minimizer struct {
	g, xNew, gNew, dir []float64
	s, y               [minimizerMemory][]float64
	rho, alpha         [minimizerMemory]float64
}

const minimizerMemory = 8

// Stop says when a run ends: after Steps, or when a step improves the function by less
// than Gain times 1 + |f|.
type Stop struct {
	Steps int
	Gain  float64
}

func (m *Minimizer) grow(n int) {
	if cap(m.g) < n {
		m.g, m.xNew, m.gNew, m.dir = make([]float64, n), make([]float64, n), make([]float64, n), make([]float64, n)
		for i := range m.s {
			m.s[i], m.y[i] = make([]float64, n), make([]float64, n)
		}
	}
	m.g, m.xNew, m.gNew, m.dir = m.g[:n], m.xNew[:n], m.gNew[:n], m.dir[:n]
	for i := range m.s {
		m.s[i], m.y[i] = m.s[i][:n], m.y[i][:n]
	}
}

// Objective is a smooth function. Its gradient is asked for only where a search goes on from.
type Objective interface {
	// Value is the function at x; one that is not finite marks a point out of bounds.
	Value(x []float64) float64
	// Gradient writes the gradient into g, at the x of the last call of Value, whose value was finite.
	Gradient(x, g []float64)
}

// Run lowers f from x, which it moves to the best point seen, and gives f there.
func (m *Minimizer) Run(f Objective, x []float64, stop Stop) float64 {
	n := len(x)
	m.grow(n)
	fx := f.Value(x)
	if math.IsNaN(fx) || math.IsInf(fx, 0) {
		return fx
	}
	f.Gradient(x, m.g)
	held, next := 0, 0
	slow := 0
	for range stop.Steps {
		m.direction(held, next)
		slope := dot(m.dir, m.g)
		if !(slope < 0) { // no way down: forget the curvature
			if held == 0 {
				return fx
			}
			held = 0
			m.direction(0, 0)
			slope = dot(m.dir, m.g)
			if !(slope < 0) {
				return fx
			}
		}
		step := 1.0
		if held == 0 {
			step = min(1, 1/math.Sqrt(-slope))
		}
		fNew, ok := m.search(f, x, fx, slope, step)
		if !ok {
			if held == 0 {
				return fx
			}
			held = 0
			continue
		}
		f.Gradient(m.xNew, m.gNew)
		s, y := m.s[next], m.y[next]
		sy, yy := 0.0, 0.0
		for i := range x {
			s[i], y[i] = m.xNew[i]-x[i], m.gNew[i]-m.g[i]
			sy += s[i] * y[i]
			yy += y[i] * y[i]
			x[i], m.g[i] = m.xNew[i], m.gNew[i]
		}
		if sy > 1e-10*yy {
			m.rho[next] = 1 / sy
			next = (next + 1) % minimizerMemory
			held = min(held+1, minimizerMemory)
		}
		gain := fx - fNew
		fx = fNew
		if gain <= stop.Gain*(1+math.Abs(fx)) {
			if slow++; slow == 2 { // one small step may be chance
				return fx
			}
		} else {
			slow = 0
		}
	}
	return fx
}

// direction is minus the gradient, bent by the curvature seen (the two-loop recursion).
func (m *Minimizer) direction(held, next int) {
	for i, g := range m.g {
		m.dir[i] = -g
	}
	if held == 0 {
		return
	}
	for k := 1; k <= held; k++ {
		j := (next - k + minimizerMemory) % minimizerMemory
		m.alpha[j] = m.rho[j] * dot(m.s[j], m.dir)
		addScaled(m.dir, -m.alpha[j], m.y[j])
	}
	last := (next - 1 + minimizerMemory) % minimizerMemory
	scale := 1 / (m.rho[last] * dot(m.y[last], m.y[last]))
	for i := range m.dir {
		m.dir[i] *= scale
	}
	for k := held; k >= 1; k-- {
		j := (next - k + minimizerMemory) % minimizerMemory
		addScaled(m.dir, m.alpha[j]-m.rho[j]*dot(m.y[j], m.dir), m.s[j])
	}
}

// search shortens the step until the function falls by enough.
func (m *Minimizer) search(f Objective, x []float64, fx, slope, step float64) (float64, bool) {
	const enough = 1e-4
	for range 25 {
		for i := range x {
			m.xNew[i] = x[i] + step*m.dir[i]
		}
		fNew := f.Value(m.xNew)
		if fNew <= fx+enough*step*slope {
			return fNew, true
		}
		shorter := 0.5
		if !math.IsNaN(fNew) && !math.IsInf(fNew, 0) {
			// The minimum of the parabola through what is known.
			shorter = min(0.5, max(0.1, -0.5*step*slope/(fNew-fx-step*slope)))
		} else {
			shorter = 0.2
		}
		step *= shorter
	}
	return fx, false
}

func dot(a, b []float64) (s float64) {
	b = b[:len(a)]
	for i, v := range a {
		s += v * b[i]
	}
	return s
}

func addScaled(a []float64, c float64, b []float64) {
	b = b[:len(a)]
	for i := range a {
		a[i] += c * b[i]
	}
}
