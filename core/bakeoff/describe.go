package bakeoff

import (
	"context"
	"fmt"
	"slices"

	"paperkettle/core/model"
)

// Describe explains how a contender was fitted to a series for a window: by the fit as it is
// kept, or by one that is trained the same once more. Window and contender are indices from 0.
func (e *Engine) Describe(ctx context.Context, window, contender, series int) (model.Description, error) {
	name := e.Plan.Contenders[contender].Name
	if co := e.Lineup.combines(contender); co != nil {
		return model.Description{}, asked("contender", fmt.Errorf("%s combines the forecasts of others and has no fit of its own: look at its "+
			"members %s", name, memberNames(e, co)))
	}
	w := window
	for lead := e.Plan.Split.Refit.Leads(window); lead < window; lead++ {
		if _, _, ok := e.Locate(lead, contender, series); ok {
			w = lead // trained there, and advanced since
			break
		}
	}
	at, _, ok := e.Locate(w, contender, series)
	if !ok {
		return model.Description{}, asked("series", fmt.Errorf("the series %q takes no part in window %d", e.Panel.Series[series].Key,
			e.Windows[window].Index))
	}
	members := e.learns(w, at)
	o := e.occasion(w, contender, members)
	o.keep = true // each of the series may be asked for
	trained, err := e.Lineup.train(ctx, contender, o)
	if err != nil {
		return model.Description{}, err
	}
	return trained.Describe(slices.Index(members, series)), nil
}

func memberNames(e *Engine, co *combiner) []string {
	names := make([]string, len(co.members))
	for i, m := range co.members {
		names[i] = e.Plan.Contenders[m].Name
	}
	return names
}
