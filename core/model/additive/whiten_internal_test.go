package additive

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/panel"
)

// However many columns are filtered together, each is what it is alone, beside the one that says what is known; also in
// room that holds something else.
func TestColumnsAreWhitenedAsIfAlone(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	columns := make([][]float64, 7)
	for k := range columns {
		columns[k] = make([]float64, 50)
		for i := range columns[k] {
			columns[k][i] = rnd.NormFloat64()
		}
	}
	for _, i := range []int{0, 20, 31, 49} {
		columns[0][i] = panel.Unknown
	}
	for _, w := range []Wander{{Alpha: 0.3}, {Alpha: 0.4, Beta: 0.1, Phi: 0.9}, {Alpha: 0.2, Beta: 0.05, Phi: 1, Jumps: []int{30, 12, 31, 30, 80}}} {
		room := make([]float64, 400)
		for i := range room {
			room[i] = 7
		}
		together := w.whiten(columns, &room)
		for k, c := range columns {
			alone, ok := w.Whiten([][]float64{columns[0], c})
			assert.True(t, ok)
			assert.Equal(t, alone[1], together[k])
			if k > 0 && len(w.Jumps) > 0 {
				assert.Zero(t, together[k][12], "the level starts anew there, without an error")
			}
		}
	}
}
