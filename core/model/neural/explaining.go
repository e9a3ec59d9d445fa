package neural

import (
	"context"

	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/panel"
)

const (
	explainedDone  = "done"
	explainedNever = "no time"
	// explainingShare is how much of the time that is given explaining may take.
	explainingShare = 0.4
)

// explained has the additive regression explain drivers and events, of all and without what is held out;
// nil where the time that it may take is up before. What became of it is kept: a training that goes on
// after a stop must see what it saw.
func explained(ctx context.Context, v panel.View, env model.Env, held int, bound model.Timer, c *course,
	save func() error) (whole, early model.Trained, err error) {
	if c.Explaining == explainedNever {
		return nil, nil, nil
	}
	inner, cancel := context.WithCancel(ctx)
	defer cancel()
	part := env
	if c.Explaining == "" {
		share := bound.Part(explainingShare)
		part.Report = func(done float64, note string) {
			if share.Over() {
				cancel()
			}
			if env.Report != nil {
				env.Report(done, note)
			}
		}
	}
	if whole, err = outlook.Explain(inner, v, part.Piece(0, 0.1, "explaining drivers and events", "explained")); err == nil {
		before := part.Piece(0.1, 0.15, "explaining drivers and events", "explained before")
		if early, err = outlook.Explain(inner, v.Before(v.Origin()-held), before); err != nil {
			early = whole
		}
	}
	switch {
	case ctx.Err() != nil:
		return nil, nil, ctx.Err()
	case inner.Err() != nil:
		c.Explaining, c.Spent = explainedNever, bound.Spent()
		return nil, nil, save()
	case whole == nil:
		return nil, nil, err
	}
	c.Explaining, c.Spent = explainedDone, bound.Spent()
	return whole, early, save()
}
