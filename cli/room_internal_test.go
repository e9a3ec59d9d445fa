package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Little in use leaves much room, much no more than the runtime's own rule, and none is no fault.
func TestGarbageHasRoomBesideLittle(t *testing.T) {
	assert.Equal(t, mostRoom, roomFor(0))
	assert.Equal(t, mostRoom, roomFor(40<<20))
	assert.Equal(t, 200, roomFor(96<<20))
	assert.Equal(t, usualRoom, roomFor(192<<20))
	assert.Equal(t, usualRoom, roomFor(8<<30))
}
