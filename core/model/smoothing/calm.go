package smoothing

import (
	"context"

	"paperkettle/core/model/single"
)

// calmTop is the most that a level takes of an error where it follows slowly.
const calmTop = 0.03

// Fit chooses and fits a form. Of many steps ahead within days, a level that follows slowly is
// tried beside the likeliest: bursts pass, and the likelihood looks one step ahead alone.
func (m Method) Fit(ctx context.Context, in single.Input) (single.State, error) {
	if !m.Calm && m.Averaged && m.Allowed.Form == nil && in.Season() >= statesUpTo && in.Horizon >= statesUpTo {
		if t, ok := single.TrialOf(in); ok && len(in.Values) >= longRounds*in.Season() {
			m.Calm = m.calmer(ctx, in, t)
		}
	}
	return m.fit(in)
}

// calmer says whether a level that follows slowly does better on inner windows.
func (m Method) calmer(ctx context.Context, in single.Input, t single.Trial) bool {
	slow := m
	slow.Calm = true
	var losses [2]float64
	for k, x := range []Method{m, slow} {
		state, err := x.fit(t.Early(in))
		if err != nil || ctx.Err() != nil {
			return false
		}
		losses[k] = t.Loss(state, in)
	}
	return losses[1] < losses[0]
}
