package pretrained

import (
	"context"

	"paperkettle/core/feature"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

const (
	// fewestFar and mostFar are at how many origins, a horizon from each other, long histories are asked towards what
	// to lean, over a third of them at most.
	fewestFar, mostFar = 6, 12
	// farHeld is how many windows that are in all.
	farHeld = 480
)

// farOrigins are at how many origins histories can be asked towards what to lean; 0 where they are too short to be asked at
// more than the last few.
func farOrigins(length, horizon int) int {
	if n := min(mostFar, length/3/horizon); n >= fewestFar {
		return n
	}
	return 0
}

// leanFar is towards what to lean by origins far back, where histories are long: the last few are much the same time, as a
// rule, and can hardly tell what is usual from what befell then. What is taken out of series is as they are known now:
// it is the same for networks and plain forecasts.
func (t *Trained) leanFar(ctx context.Context, v panel.View, by model.Judge) (Lean, error) {
	n := farOrigins(feature.SettingOf(v, t.Horizon).Length, t.Horizon)
	if n == 0 || t.Unproved {
		return Lean{}, nil
	}
	r, err := t.rehearsal(ctx, v, stretch{out: n * t.Horizon, origins: n, windows: farHeld, apart: true}, t.now)
	if err != nil || !r.tell() {
		return Lean{}, err
	}
	said, err := r.ask(ctx, t.workers, t.networks)
	if err != nil {
		return Lean{}, err
	}
	return r.leant(said, by).usually(), nil
}
