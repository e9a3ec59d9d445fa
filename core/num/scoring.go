package num

import "math"

// Curved is a function whose curvature is known beside its gradient, if only about: a sum of squares has that of its
// errors as straight lines, a likelihood its expected one.
type Curved interface {
	Objective
	// Curvature writes the matrix of second derivatives by rows, which has no negative direction, at the x of the last
	// call of Gradient.
	Curvature(x, h []float64)
}

// Scoring finds a local minimum of a function with curvature by Newton steps, damped where they don't lead down. It
// needs a few steps where a search that learns the curvature on its way needs tens. Its working space is kept from run
// to run. The zero value is ready for use.
//
// Source: Marquardt, An algorithm for least-squares estimation of nonlinear parameters, Journal of the Society for
// Industrial and Applied Mathematics 11 (1963), for the damping; Nocedal and Wright, Numerical Optimization, 2nd ed.
// 2006, section 10.3.
type Scoring struct {
	g, xNew, dir, h, root []float64
}

const (
	// scoringFirst, scoringLeast and scoringMost bound the damping, in parts of the curvature of each direction.
	scoringFirst, scoringLeast, scoringMost = 0.1, 1e-4, 1e6
	// scoringReach is how far a step may go at most in each direction.
	scoringReach = 0.5
)

// Run lowers f from x, which it moves to the best point seen, and gives f there. It ends after stop.Steps, or when a
// step improves the function, or could by its curvature, by less than stop.Gain times 1 + |f|.
func (m *Scoring) Run(f Curved, x []float64, stop Stop) float64 {
	n := len(x)
	m.g, m.xNew, m.dir = grown(m.g, n), grown(m.xNew, n), grown(m.dir, n)
	m.h, m.root = grown(m.h, n*n), grown(m.root, n*n)
	fx := f.Value(x)
	if math.IsNaN(fx) || math.IsInf(fx, 0) {
		return fx
	}
	damping, slow := float64(scoringFirst), 0
	for range stop.Steps {
		f.Gradient(x, m.g)
		f.Curvature(x, m.h)
		enough := stop.Gain * (1 + math.Abs(fx))
		fNew, better := m.step(f, x, fx, enough, &damping)
		if !better {
			return fx
		}
		gain := fx - fNew
		fx = fNew
		copy(x, m.xNew)
		if gain > enough {
			slow = 0
			continue
		}
		if slow++; slow == 2 || damping <= scoringFirst { // a damped step is small though the way goes on
			return fx
		}
	}
	return fx
}

// step goes to the lowest point by gradient and curvature, damped ever more until the function falls.
func (m *Scoring) step(f Curved, x []float64, fx, enough float64, damping *float64) (float64, bool) {
	const part = 1e-4
	for ; *damping <= scoringMost; *damping *= 10 {
		slope, ok := m.direction(*damping)
		if !ok {
			continue
		}
		if -slope/2 < enough/10 { // what the curvature promises
			return fx, false
		}
		for i := range x {
			m.xNew[i] = x[i] + m.dir[i]
		}
		if fNew := f.Value(m.xNew); fNew <= fx+part*slope {
			*damping = max(scoringLeast, *damping/10)
			return fNew, true
		}
	}
	return fx, false
}

// direction solves for the step, shortened to its reach, and gives the slope along it.
func (m *Scoring) direction(damping float64) (slope float64, ok bool) {
	n := len(m.g)
	copy(m.root, m.h)
	for i := range n {
		m.root[i*n+i] += damping*m.h[i*n+i] + 1e-12
	}
	if !m.solve() {
		return 0, false
	}
	farthest := 0.0
	for _, v := range m.dir {
		farthest = max(farthest, math.Abs(v))
	}
	if shorter := scoringReach / farthest; shorter < 1 {
		for i := range m.dir {
			m.dir[i] *= shorter
		}
	}
	slope = dot(m.dir, m.g)
	return slope, slope < 0
}

// solve puts minus the gradient, divided by the damped curvature, into dir, by the root of Cholesky.
func (m *Scoring) solve() bool {
	n, a := len(m.g), m.root
	for i := range n {
		for j := range i + 1 {
			sum := a[i*n+j]
			for k := range j {
				sum -= a[i*n+k] * a[j*n+k]
			}
			if i != j {
				a[i*n+j] = sum / a[j*n+j]
				continue
			}
			if !(sum > 0) {
				return false
			}
			a[i*n+i] = math.Sqrt(sum)
		}
	}
	for i := range n {
		sum := -m.g[i]
		for k := range i {
			sum -= a[i*n+k] * m.dir[k]
		}
		m.dir[i] = sum / a[i*n+i]
	}
	for i := n - 1; i >= 0; i-- {
		sum := m.dir[i]
		for k := i + 1; k < n; k++ {
			sum -= a[k*n+i] * m.dir[k]
		}
		m.dir[i] = sum / a[i*n+i]
	}
	return true
}

func grown(v []float64, n int) []float64 {
	if cap(v) < n {
		return make([]float64, n)
	}
	return v[:n]
}
