package bakeoff

import (
	"sync"

	"paperkettle/core/score"
)

// scaleCache keeps the scales of the shards that tasks were last busy with: a shard's
// contenders follow each other, and all are measured by the same ones.
type scaleCache struct {
	mu   sync.Mutex
	kept [8]shardScales // by turns
	next int
}

type shardScales struct {
	window, shard int
	scales        []score.Scale
}

// scales are what the errors of a shard's series are divided by.
func (e *Engine) scales(window, shard int) []score.Scale {
	c := e.scaled
	c.mu.Lock()
	for i := range c.kept {
		if k := &c.kept[i]; k.scales != nil && k.window == window && k.shard == shard {
			c.mu.Unlock()
			return k.scales
		}
	}
	c.mu.Unlock()
	series := e.members(window, shard)
	view := e.view(series, e.Windows[window])
	out := make([]score.Scale, len(series))
	for i := range out {
		values, _ := view.Values(i)
		out[i] = score.MakeScale(values, e.ScaleLag())
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.kept[c.next] = shardScales{window, shard, out}
	c.next = (c.next + 1) % len(c.kept)
	return out
}
