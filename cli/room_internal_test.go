package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Little in use leaves much room, much no more than the runtime's own rule, and none is no fault.
func TestGarbageHasRoomBesideLittle(t *testing.T) {
	assert.Equal(t, mostRoom, roomFor(0))
	assert.Equal(t, mostRoom, roomFor(20<<20))
	assert.Equal(t, 150, roomFor(64<<20))
	assert.Equal(t, usualRoom, roomFor(96<<20))
	assert.Equal(t, usualRoom, roomFor(8<<30))
}
