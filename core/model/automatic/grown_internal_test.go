package automatic

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Plain forms know no season that all others tell in the end, and are not weighed by inner windows on which these knew
// nothing of it.
func TestWhatTheInnerWindowsDidNotKnow(t *testing.T) {
	e := &evidence{forms: []form{{name: "smoothing"}, {name: "mean", plain: true}, {name: "intermittent", plain: true, counts: true}},
		kinds: []kind{{}, {sparse: true}}, grown: true}
	assert.True(t, e.suits(0, 0))
	assert.False(t, e.suits(0, 1))
	assert.True(t, e.suits(1, 2), "counts that come now and then have no other")
}
