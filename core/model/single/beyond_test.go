package single_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"paperkettle/core/model/single"
)

// A price that doubles past the highest seen takes sales along the elasticity at the edge, here -1.5; a
// temperature goes along the line up and along an exponential down.
func TestBeyond(t *testing.T) {
	price := single.Excess{Slope: -30, Edge: 4, At: 8} // at 4, where 80 are sold: -30 x 4 / 80
	assert.InDelta(t, math.Pow(2, -1.5), single.Beyond(80, []single.Excess{price}), 1e-12)
	warm := single.Excess{Slope: 2, Edge: 30, At: 40}
	frost := single.Excess{Slope: 2, Edge: -10, At: -20}
	assert.InDelta(t, math.Exp(-0.25), single.Beyond(80, []single.Excess{frost}), 1e-12)
	assert.InDelta(t, 1.25, single.Beyond(80, []single.Excess{{Slope: -2, Edge: -10, At: -20}}), 1e-12)
	assert.InDelta(t, 1.25, single.Beyond(80, []single.Excess{warm}), 1e-12, "the line brings more")
	both := single.Beyond(80, []single.Excess{price, frost})
	assert.InDelta(t, math.Pow(2, -1.5)*math.Exp(-0.25), both, 1e-12)
	half := single.Excess{Slope: -30, Edge: 4, At: 2}
	assert.InDelta(t, math.Pow(2, 1.5), single.Beyond(80, []single.Excess{half}), 1e-12, "more than the line's 1.75")
	assert.InDelta(t, 1+30*2/1e-6, single.Beyond(1e-6, []single.Excess{{Slope: -30, Edge: 4, At: 2}}), 1e-9, "a level near zero")
	assert.Equal(t, 1.0, single.Beyond(80, nil))
	assert.Equal(t, 1.0, single.Beyond(0, []single.Excess{price}))
	assert.InDelta(t, -80-120, -80*single.Beyond(-80, []single.Excess{price}), 1e-9, "below zero the line goes on")
}

// At the edge it has the line's slope; it never takes a level above zero below it; and farther is more.
func TestBeyondGoesOnAsTheLine(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		level := rapid.Float64Range(1, 1000).Draw(t, "level")
		edge := rapid.Float64Range(-50, 50).Filter(func(x float64) bool { return math.Abs(x) > 0.1 }).Draw(t, "edge")
		slope := rapid.Float64Range(-1, 1).Draw(t, "slope") * level / math.Abs(edge) // elasticities up to one
		by := func(over float64) float64 {
			return single.Beyond(level, []single.Excess{{Slope: slope, Edge: edge, At: edge + over}})
		}
		near := 1e-5 * math.Abs(edge)
		if got, want := level*(by(near)-1), slope*near; math.Abs(got-want) > 1e-3*math.Abs(want)+1e-9 {
			t.Fatalf("a step of %g past the edge moves by %g, the line by %g", near, got, want)
		}
		over := rapid.Float64Range(0.01, 200).Draw(t, "over")
		one, two := by(over), by(2*over)
		// Below e^-745 there is no number but nought.
		if one < 0 || two < 0 || two == 0 && slope*2*over/level > -700 {
			t.Fatalf("%g and %g times the level", one, two)
		}
		if slope < 0 && two > one || slope > 0 && two < one {
			t.Fatalf("the slope is %g, and %g times the level at %g is followed by %g", slope, one, over, two)
		}
	})
}

func TestNeverBelow(t *testing.T) {
	assert.True(t, single.NeverBelow([]float64{0, math.NaN(), 3}))
	assert.False(t, single.NeverBelow([]float64{0, -1}))
	assert.True(t, single.NeverBelow(nil))
}
