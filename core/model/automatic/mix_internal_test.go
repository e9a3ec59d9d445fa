package automatic

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/model"
)

// hands notes how many goroutines it may use.
type hands struct {
	model.Trained
	workers int
}

func (h *hands) Use(workers int) { h.workers = workers }

// What was read works as hard as what was trained: each part is told, and one that has no use for it is left alone.
func TestPartsAreToldOfWorkers(t *testing.T) {
	one, other := &hands{}, &hands{}
	m := &Mix{Parts: []Part{{trained: one}, {}, {trained: other}}}
	m.Use(3)
	assert.Equal(t, []int{3, 3, 3}, []int{m.workers, one.workers, other.workers})
}
