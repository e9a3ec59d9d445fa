package bakeoff

import (
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/score"
)

// Shards that take each other's slots all get their own scales: with those of another, every scaled
// measure would be wrong. The race detector sees what this can miss (make race).
func TestScalesAreTheShardsOwn(t *testing.T) {
	var c scaleCache
	var group sync.WaitGroup
	wrong := make([]int, 4)
	for w := range wrong {
		group.Go(func() {
			for k := range 20_000 {
				shard := (k*7 + w) % 12
				switch kept := c.find(0, shard); {
				case kept == nil:
					c.keep(shardScales{0, shard, []score.Scale{{Abs: float64(shard)}}})
				case kept[0].Abs != float64(shard):
					wrong[w]++
				}
			}
		})
	}
	group.Wait()
	assert.Equal(t, make([]int, 4), wrong)
}
