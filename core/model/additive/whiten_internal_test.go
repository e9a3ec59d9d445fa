package additive

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/floats"
	"pgregory.net/rapid"

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

// What columns are not yet is left out of their products, and the products are the same to the bit.
func TestProductsLeaveOutWhatIsNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 60).Draw(t, "n")
		values := rapid.SliceOfN(rapid.Float64Range(-1e3, 1e3), n, n)
		y, columns := values.Draw(t, "y"), make([][]float64, 4)
		for k := range columns {
			columns[k] = values.Draw(t, "column")
			clear(columns[k][:rapid.IntRange(0, n).Draw(t, "start")])
		}
		gram, right := products(columns, y)
		for a := range columns {
			assert.Equal(t, floats.Dot(columns[a], y), right.AtVec(a))
			for b := range columns {
				assert.Equal(t, floats.Dot(columns[a], columns[b]), gram.At(a, b), "%d and %d", a, b)
			}
		}
	})
}
