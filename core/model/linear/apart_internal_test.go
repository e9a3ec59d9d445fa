package linear

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/panel"
)

// Walks whose steps have a share r in common are worth n / (1 + (n-1) r) of independent ones.
func TestApartIsTheDesignEffect(t *testing.T) {
	const n, length = 40, 400
	for _, r := range []float64{0, 0.1, 0.5, 1} {
		rnd := rand.New(rand.NewPCG(4, 1))
		list := make([]series, n)
		for i := range list {
			list[i].y = []float64{float64(i)}
		}
		for range length {
			common := rnd.NormFloat64()
			for i := range list {
				y := list[i].y
				step := math.Sqrt(r)*common + math.Sqrt(1-r)*rnd.NormFloat64()
				list[i].y = append(y, y[len(y)-1]+float64(i+1)*step) // of any size
			}
		}
		list[3].y[7] = panel.Unknown
		want := n / (1 + (n-1)*r)
		assert.InEpsilon(t, want, apart(list), 0.15, "%.1f in common", r)
	}
	still := []series{{y: []float64{1, 1, 1}}, {y: []float64{2, 2, 2}}}
	assert.Equal(t, 2.0, apart(still), "nothing moves")
	apartInTime := []series{{y: []float64{1, 2, 4}}, {y: []float64{2, 5, 9}}}
	apartInTime[1].in.First = 3
	assert.Equal(t, 2.0, apart(apartInTime), "never side by side")
}

// A step that one or two errors tell of is no surer than the step before.
func TestFewErrorsHoldTheWidthUp(t *testing.T) {
	s := &State{Pool: &Pool{}, Sigma: []float64{2, 0.5, 3, 0}}
	for k := 1; k < 4; k++ {
		s.holdUp(k)
	}
	assert.Equal(t, []float64{2, 2, 3, 3}, s.Sigma)
	assert.Equal(t, []float64{1, 4, 1, 1}, s.Held)
	s = &State{Pool: &Pool{Diff: true}, Sigma: []float64{2, 0.5}}
	s.holdUp(1)
	assert.InDelta(t, 2*math.Sqrt2, s.Sigma[1], 1e-12, "changes add up")
}

// Where there is no room for inner windows half of a change is believed.
func TestNothingTellsHowMuchToBelieve(t *testing.T) {
	y := []float64{10, 12.1, 13.9, 16, 18.1, 20}
	_, list := inputs(6, [][]float64{y})
	m := Method{Own: true, Outside: true, Penalty: "ridge", Steps: "direct", Scale: "difference"}
	states, err := m.Fit(t.Context(), list[0])
	assert.NoError(t, err)
	assert.Equal(t, 0.5, states.(*State).Pool.Belief)
}
