package automatic

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/panel"
)

// evidenceOf is what two series show of three forms, the second series by the pool alone.
func evidenceOf(rounds float64, asked int, own []float64, pooled []float64) *evidence {
	none := math.NaN()
	return &evidence{series: 2, forms: []form{{name: "a"}, {name: "b"}, {name: "c"}}, own: [][]float64{own, {none, none, none, none}},
		pooled: map[kind][]float64{{}: pooled}, kinds: make([]kind, 2), rounds: rounds, asked: asked}
}

// The best form has weight 1, others less the worse they are, more so the more was seen; what
// all series show rules one that shows nothing of its own, and moves one that does.
func TestWeights(t *testing.T) {
	none := math.NaN()
	few := evidenceOf(1, 1, []float64{0, 0.3, none}, []float64{0, 0.3, most}).weigh(false)
	many := evidenceOf(6, 100, []float64{0, 0.3, none}, []float64{0, 0.3, most}).weigh(false)
	assert.Equal(t, 1.0, few[0][0])
	assert.Greater(t, few[0][1], 0.8, "one short series hardly tells")
	assert.Zero(t, many[0][1], "many series almost choose")
	assert.Zero(t, many[0][2], "what failed has no weight")

	own := evidenceOf(3, 40, []float64{0.4, 0, 0.9}, []float64{0, 0.05, 0.5})
	w := own.weigh(false)
	assert.Greater(t, w[0][1], w[0][0], "its own windows speak for the second form")
	assert.Greater(t, w[1][0], w[1][1], "the others' for the first")
	assert.Equal(t, []float64{0, 1, 0}, own.weigh(true)[0])

	exact := evidenceOf(1, 1, []float64{math.Log(exact), 0, 0.1}, []float64{0, most, most}).weigh(false)
	assert.Zero(t, exact[0][1], "a form that is exact leaves no room for others, however little was seen")
}

// One horizon of few series tells little: forms weigh about as the rule for short histories has it, but for one that is
// far better or alone asked for; where more is seen, the rule says nothing.
func TestTheRuleFades(t *testing.T) {
	of := func(rounds float64, asked int, losses ...float64) *evidence {
		e := evidenceOf(rounds, asked, losses, losses)
		e.forms, e.young = []form{{name: "pretrained"}, {name: "arima"}, {name: "mean", plain: true}}, true
		return e
	}
	w := of(1, 40, 0, 0, 0).weigh(false)[0]
	assert.Equal(t, []float64{1, 0.125, 0}, w)
	assert.Equal(t, []float64{1, 1, 1}, of(3, 40, 0, 0, 0).weigh(false)[0])
	assert.Greater(t, of(1.2, 40, 0, 0, 0).weigh(false)[0][1], 0.2, "in between")
	assert.Equal(t, []float64{0, 0, 1}, of(1, 40, 9, 9, math.Log(exact)).weigh(false)[0], "exact")
	assert.Equal(t, []float64{0, 0, 1}, of(1, 40, 0.1, 0.1, 0).weigh(true)[0])
	old := of(1, 40, 0, 0, 0)
	old.young = false
	assert.Equal(t, []float64{1, 1, 1}, old.weigh(false)[0])
}

// Without inner windows the forms are mixed by rule; counts only where demand is sparse.
func TestWithoutEvidence(t *testing.T) {
	none := math.NaN()
	e := &evidence{series: 1, forms: []form{{name: "smoothing"}, {name: "pretrained"}, {name: "mean"}, {name: "intermittent", counts: true}},
		own: [][]float64{{none, none, none, none}}, pooled: map[kind][]float64{}, kinds: make([]kind, 1)}
	assert.Equal(t, []float64{2, 4, 0, 0}, e.weigh(false)[0])
	e.kinds[0].sparse = true
	assert.Equal(t, []float64{2, 4, 0, 3}, e.weigh(false)[0])
	assert.Equal(t, []float64{2, 0, 0, 0}, e.weigh(true)[0], "the first alone")
}

// A plain form does on the inner windows what it will do, others learn from what has come since: of two that did alike there the
// plain one weighs less, the more so the more has come since.
func TestPlainFormsDoNotLearn(t *testing.T) {
	last := 1.0
	for _, since := range []int{1, 40, 100} {
		e := evidenceOf(4, 30, []float64{0, 0, 0}, []float64{0, 0, 0})
		e.forms = []form{{name: "linear"}, {name: "calendar-median", plain: true}, {name: "intermittent", plain: true, counts: true}}
		e.kinds = []kind{{sparse: true}, {sparse: true}}
		e.pooled = map[kind][]float64{{sparse: true}: {0, 0, 0}}
		values := make([]float64, 200)
		v := panel.NewView(&panel.Panel{Length: 200, Series: []panel.Series{{Key: "a", Values: values}}}, []int{0}, 0, 199)
		e.grew = grew(v, since)
		assert.InDelta(t, math.Log(200/float64(200-since)), e.grew, 1e-12)
		w := e.weigh(false)[0]
		assert.Equal(t, []float64{1, 1}, []float64{w[0], w[2]}, "forms of counts learn")
		assert.Less(t, w[1], last)
		last = w[1]
	}
	assert.Greater(t, last, 0.02)
}

// Trees learn the most from what has come since the inner windows: of forms that did alike there boosting weighs more, the more so the
// more has come since; and not, where nothing has.
func TestTreesLearnMost(t *testing.T) {
	last := 1.0
	for _, grew := range []float64{0, 0.2, 0.7} {
		e := evidenceOf(4, 30, []float64{0, 0}, []float64{0, 0})
		e.forms = []form{{name: "boosting"}, {name: "pretrained"}}
		e.grew = grew
		w := e.weigh(false)[0]
		require.Positive(t, w[1])
		assert.InDelta(t, 1, w[0], 1e-12)
		if grew == 0 {
			assert.InDelta(t, 1, w[1], 1e-12)
		} else {
			assert.Less(t, w[1], last)
		}
		last = w[1]
	}
	assert.Greater(t, last, 0.1, "what little the windows tell still counts")
}
