package num

import (
	"crypto/sha256"
	"encoding/binary"
	"math"
	"math/rand/v2"
)

// Stream is the random stream that belongs to a seed and a path of names, such as
// (series, window, contender). Equal arguments give equal streams, and different
// ones unrelated streams, whichever worker asks and in whatever order.
func Stream(seed uint64, path ...string) *rand.Rand {
	h := sha256.New()
	var b [8]byte
	put := func(v uint64) {
		binary.LittleEndian.PutUint64(b[:], v)
		h.Write(b[:])
	}
	put(seed)
	for _, p := range path {
		put(uint64(len(p))) // so that ("ab", "c") and ("a", "bc") differ
		h.Write([]byte(p))
	}
	sum := h.Sum(nil)
	return rand.New(rand.NewPCG(binary.LittleEndian.Uint64(sum), binary.LittleEndian.Uint64(sum[8:])))
}

// ChiSquared draws by Wilson and Hilferty's cube (Proceedings of the National Academy of
// Sciences 17, 1931), close enough for the spread of a variance.
func ChiSquared(free float64, rnd *rand.Rand) float64 {
	c := 2 / (9 * free)
	x := 1 - c + math.Sqrt(c)*rnd.NormFloat64()
	return free * max(x*x*x, 0.05)
}
