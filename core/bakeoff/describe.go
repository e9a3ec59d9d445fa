package bakeoff

import (
	"context"
	"fmt"
	"slices"
	"sync"

	"paperkettle/core/model"
)

// Describe trains a contender on a series as it was trained for a window, and explains the
// fit. Window and contender are indices from 0.
func (e *Engine) Describe(ctx context.Context, window, contender, series int) (model.Description, error) {
	name := e.Plan.Contenders[contender].Name
	if co := e.combiners[contender]; co != nil {
		return model.Description{}, asked("contender", fmt.Errorf("%s combines the forecasts of others and has no fit of its own: look at its members %s", name, memberNames(e, co)))
	}
	w := window
	for lead := e.Plan.Split.Refit.Leads(window); lead < window; lead++ {
		if _, _, ok := e.Locate(lead, contender, series); ok {
			w = lead // trained there, and advanced since
			break
		}
	}
	if _, _, ok := e.Locate(w, contender, series); !ok {
		return model.Description{}, asked("series", fmt.Errorf("the series %q takes no part in window %d", e.Panel.Series[series].Key, e.Windows[window].Index))
	}
	members, at := []int{series}, 0
	if e.across[contender] {
		members = e.learnt(w)
		at = slices.Index(members, series)
	}
	e.lastFit.mu.Lock()
	defer e.lastFit.mu.Unlock()
	if last := &e.lastFit; last.trained != nil && e.across[contender] && last.window == w && last.contender == contender {
		return last.trained.Describe(at), nil
	}
	trained, err := e.models[contender].Train(ctx, e.view(members, e.Windows[w]), model.Env{Horizon: e.Reach(), Workers: e.workers(contender), Random: e.random(w, contender)})
	if err != nil {
		return model.Description{}, err
	}
	if e.across[contender] {
		e.lastFit.trained, e.lastFit.window, e.lastFit.contender = trained, w, contender
	}
	return trained.Describe(at), nil
}

// workers is how many may train a contender: one, for tasks run side by side, unless it
// learns from all series in one task.
func (e *Engine) workers(contender int) int {
	if e.across[contender] {
		return max(1, e.Workers)
	}
	return 1
}

// lastFit keeps the last contender that learnt from all series, for each of which it may be
// described.
type lastFit struct {
	mu                sync.Mutex
	trained           model.Trained
	window, contender int
}

func memberNames(e *Engine, co *combiner) []string {
	names := make([]string, len(co.members))
	for i, m := range co.members {
		names[i] = e.Plan.Contenders[m].Name
	}
	return names
}
