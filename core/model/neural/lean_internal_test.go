package neural

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model/outlook"
	"paperkettle/core/panel"
)

// Errors of a series that goes wrong many times as far as the one in the middle are brought to twice its size,
// with their signs; those of others stay as they are.
func TestErrorsAreEvenedOut(t *testing.T) {
	errs := []float64{1, -1, 2, -2, 40, -20, 60, 0}
	evenOut(errs, func(i int) int32 { return int32(i / 2) }) // sizes 1, 2, 30, 30; the one in the middle is 30
	assert.Equal(t, []float64{1, -1, 2, -2, 40, -20, 60, 0}, errs)

	errs = []float64{1, -1, 2, -2, 1.5, -1.5, 40, -20}
	evenOut(errs, func(i int) int32 { return int32(i / 2) }) // sizes 1, 2, 1.5, 30; the one in the middle is 2
	assert.Equal(t, []float64{1, -1, 2, -2, 1.5, -1.5}, errs[:6])
	assert.InDelta(t, 40*4.0/30, errs[6], 1e-12)
	assert.InDelta(t, -20*4.0/30, errs[7], 1e-12)

	nothing := []float64{0, 0, 5}
	evenOut(nothing, func(i int) int32 { return int32(i) })
	assert.Equal(t, []float64{0, 0, 5}, nothing, "where most are exact there is nothing to go by")
}

// upward is how far a start's outermost quantile lies above its median, of twelve weekly series about a level,
// and one more that is multiplied by four in ten weeks where multiplies is given.
func upward(t *testing.T, multiplies bool) (far float64) {
	const n, h, series = 120, 8, 12
	rnd := rand.New(rand.NewPCG(3, 5))
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, Length: n}
	var places []int
	for i := range series + 1 {
		y := make([]float64, n)
		for k := range y {
			if y[k] = 50 * math.Exp(0.1*rnd.NormFloat64()); i == series {
				y[k] = math.Exp(0.15*float64(k) + 0.1*rnd.NormFloat64())
			}
		}
		if i < series || multiplies {
			p.Series, places = append(p.Series, panel.Series{Key: fmt.Sprint(i), Values: y}), append(places, i)
		}
	}
	v := panel.NewView(p, places, 0, n-1)
	l, err := Model{Kind: kindPerceptron}.layout(v, h)
	require.NoError(t, err)
	var list []*sequence
	var cut []int32
	for i := range places {
		q, err := l.sequenceOf(v.Series(i), 0, nil)
		require.NoError(t, err)
		list, cut = append(list, q), append(cut, n)
	}
	start := l.lean(list, cut, windowsOf(l, list, cut))
	for _, x := range start.quant[outlook.Middle+1:] {
		far += math.Log1p(math.Exp(float64(x)))
	}
	return far
}

// One series in thirteen that multiplies does not make all start from intervals that hold it.
func TestOneThatMultipliesWidensNoOthers(t *testing.T) {
	without, with := upward(t, false), upward(t, true)
	assert.InDelta(t, 1.5, without, 1, "usual changes")
	assert.Less(t, with, 1.5*without)
}
