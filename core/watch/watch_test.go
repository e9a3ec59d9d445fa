package watch_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/forecast"
	"paperkettle/core/num"
	"paperkettle/core/watch"
)

// On a normal forecast the severity is the standard score.
func TestSeverityIsTheStandardScoreOfANormal(t *testing.T) {
	q := make([]float64, forecast.GridSize)
	for g, p := range forecast.Grid {
		q[g] = 10 + 2*num.NormalQuantile(p)
	}
	for _, c := range []struct {
		actual  float64
		outside bool
	}{{10, false}, {13.9, false}, {14, true}, {6.1, false}, {4, true}} {
		j := watch.Judge(c.actual, q, 95)
		assert.Equal(t, c.outside, j.Outside, c.actual)
		assert.InDelta(t, (c.actual-10)/2, j.Severity, 1e-9)
	}
}

func TestAnIntervalWithoutWidth(t *testing.T) {
	q := make([]float64, forecast.GridSize)
	assert.Equal(t, watch.Judgement{}, watch.Judge(0, q, 95))
	j := watch.Judge(1, q, 95)
	assert.True(t, j.Outside)
	assert.Equal(t, 99.0, j.Severity)
}
