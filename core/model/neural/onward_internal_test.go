package neural

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhatDiffersIsNamed(t *testing.T) {
	assert.Equal(t, "price is new", differing([]string{"month"}, []string{"month", "price"}))
	assert.Equal(t, "price is new, month is gone", differing([]string{"month"}, []string{"price"}))
	assert.Equal(t, "in another order", differing([]string{"a", "b"}, []string{"b", "a"}))
	assert.Equal(t, "a is new, b is new, c is new, d is new", differing(nil, []string{"a", "b", "c", "d"}))
	assert.Equal(t, "a is new, b is new, c is new, and 2 more", differing(nil, []string{"a", "b", "c", "d", "e"}))
}
