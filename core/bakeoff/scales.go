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
	if kept := c.find(window, shard); kept != nil {
		return kept
	}
	series := e.members(window, shard)
	view := e.view(series, e.Windows[window])
	out := make([]score.Scale, len(series))
	for i := range out {
		values, _ := view.Values(i)
		out[i] = score.MakeScale(values, e.ScaleLag())
	}
	c.keep(shardScales{window, shard, out})
	return out
}

// find gives the scales of a shard; nil where they are not kept. Its slot may be taken by another shard as
// soon as the lock is let go: what it holds is read before.
func (c *scaleCache) find(window, shard int) []score.Scale {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, k := range c.kept {
		if k.scales != nil && k.window == window && k.shard == shard {
			return k.scales
		}
	}
	return nil
}

func (c *scaleCache) keep(s shardScales) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.kept[c.next] = s
	c.next = (c.next + 1) % len(c.kept)
}
