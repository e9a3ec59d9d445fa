package tensor

import "math"

// Exp writes e to the x, held between e to the -87 and to the 88.
func Exp[T Float](out, x []T) {
	apply(out, x, use.exp, func(v float64) float64 { return math.Exp(min(88, max(-87, v))) })
}

// Sigmoid writes 1 / (1 + e to the -x).
func Sigmoid[T Float](out, x []T) {
	apply(out, x, use.sigmoid, func(v float64) float64 { return 1 / (1 + math.Exp(min(88, max(-87, -v)))) })
}

// Tanh writes the hyperbolic tangent, to an absolute error of 2e-7.
func Tanh[T Float](out, x []T) { apply(out, x, use.tanh, math.Tanh) }

// lanes is of how many elements kernels take multiples.
const lanes = 16

// apply has the kernel do what fills its lanes, and the rest in a buffer. out may be x.
func apply[T Float](out, x []T, kernel func(n int, x, out *float32), plain func(float64) float64) {
	to, ok := any(out).([]float32)
	if !ok || kernel == nil {
		for i, v := range x {
			out[i] = T(plain(float64(v)))
		}
		return
	}
	from := any(x).([]float32)
	whole := len(from) / lanes * lanes
	if whole > 0 {
		kernel(whole, &from[0], &to[0])
	}
	if rest := from[whole:]; len(rest) > 0 {
		var buffer [lanes]float32
		copy(buffer[:], rest)
		kernel(lanes, &buffer[0], &buffer[0])
		copy(to[whole:], buffer[:len(rest)])
	}
}
