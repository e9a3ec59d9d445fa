package results

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/score"
)

// Standings that were kept before a metric was added are ranked anew, not read under the names of
// today.
func TestStandingsOfAnotherListOfMetrics(t *testing.T) {
	levels := []float64{80, 95}
	st := &bakeoff.Standings{Metric: "mase", Metrics: score.Metrics(levels)}
	kept, err := packStandings(st)
	require.NoError(t, err)
	read, err := unpackStandings(kept, levels)
	require.NoError(t, err)
	assert.Len(t, read.Metrics, len(st.Metrics))
	assert.NotPanics(t, func() { read.Metrics[0].Value(&score.Acc{}) }, "they come with their functions")

	st.Metrics = append(st.Metrics[:2:2], st.Metrics[3:]...)
	older, err := packStandings(st)
	require.NoError(t, err)
	_, err = unpackStandings(older, levels)
	assert.ErrorIs(t, err, errOtherMetrics)
}
