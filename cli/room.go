package cli

import (
	"context"
	"os"
	"runtime/debug"
	"runtime/metrics"
	"time"
)

const (
	// garbageRoom is how many bytes of garbage there may be before it is collected, where less is in use, but mostRoom of
	// that at most; else as much as is in use, which is the runtime's own rule. Both are in per cent.
	garbageRoom = 96 << 20
	mostRoom    = 200
	usualRoom   = 100
	// roomEvery is how often it is looked at how much is in use.
	roomEvery = time.Second
)

// keepRoom has garbage collected less often while little is in use, until the context ends: fitting many short series
// makes much garbage beside little that lives, and collecting it takes a twentieth of the time. Who sets GOGC decides.
func keepRoom(ctx context.Context) {
	if os.Getenv("GOGC") != "" {
		return
	}
	go func() {
		tick := time.NewTicker(roomEvery)
		defer tick.Stop()
		live, set := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}, usualRoom
		for {
			metrics.Read(live)
			if now := roomFor(live[0].Value.Uint64()); now != set {
				set = now
				debug.SetGCPercent(set)
			}
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
			}
		}
	}()
}

// roomFor is how much garbage there may be next to what is in use, in per cent.
func roomFor(live uint64) int {
	return int(min(mostRoom, max(usualRoom, 100*garbageRoom/max(live, 1))))
}
