package panel

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The Fourier transform gives what the sums over pairs give, gaps included.
func TestAutocorrelationsEqualTheSums(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	x := make([]float64, 300)
	for i := range x {
		if x[i] = rnd.NormFloat64(); i%7 == 3 {
			x[i] = Unknown
		}
	}
	mean := func(lag int) float64 {
		sum, n := 0.0, 0.0
		for i := lag; i < len(x); i++ {
			if v := x[i] * x[i-lag]; Known(v) {
				sum, n = sum+v, n+1
			}
		}
		return sum / n
	}
	got := autocorrelations(x, 80)
	for lag, v := range got {
		assert.InDelta(t, mean(lag)/mean(0), v, 1e-9, lag)
	}
}

func BenchmarkFindSeason(b *testing.B) {
	rnd := rand.New(rand.NewPCG(1, 2))
	x := make([]float64, 1941)
	for i := range x {
		x[i] = rnd.NormFloat64()
	}
	for range b.N {
		FindSeason(x, 7)
	}
}
