package single

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// The parts of a trial hold its windows, each once and in their order, as evenly as may be.
func TestPartsHoldEveryWindow(t *testing.T) {
	for windows := 1; windows <= 10; windows++ {
		whole := Trial{Keep: 100, Stride: 7, Horizon: 14, Windows: windows}
		for most := 1; most <= 4; most++ {
			var origins []int
			parts := whole.Parts(most)
			assert.Len(t, parts, min(most, windows))
			for _, p := range parts {
				assert.InDelta(t, float64(windows)/float64(len(parts)), float64(p.Windows), 0.99)
				assert.Equal(t, [2]int{whole.Stride, whole.Horizon}, [2]int{p.Stride, p.Horizon})
				for w := range p.Windows {
					origins = append(origins, p.Keep+w*p.Stride)
				}
			}
			for w := range windows {
				assert.Equal(t, whole.Keep+w*whole.Stride, origins[w])
			}
			assert.Len(t, origins, windows)
		}
	}
}
