package bakeoff

import (
	"context"
	"errors"
	"slices"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
)

// combine makes the forecasts of a contender that combines others, window by window, from
// what is stored of them in that window and the ones before.
func (e *Engine) combine(ctx context.Context, t Task, desk Desk) error {
	co := e.Lineup.combines(t.Contender)
	metric, err := e.Lineup.metric()
	if err != nil {
		return err
	}
	h := &history{e: e, co: co, metric: metric}
	now := make([]*memberShard, len(co.members))
	for _, w := range e.taskWindows(t) {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		for m, member := range co.members {
			if now[m], err = e.memberShard(Task{w, member, t.Shard}, desk.Stored); err != nil {
				return err
			}
		}
		here := Task{w, t.Contender, t.Shard}
		shard := e.Shard(here)
		if !h.tells(shard, e.Windows[w].Origin) {
			if err := h.rehearse(ctx, w, shard); err != nil {
				return err
			}
		}
		p, err := h.combine(shard, e.Windows[w].Origin, now)
		if err != nil {
			return err
		}
		if err := e.fill(ctx, here, shard, p); err != nil {
			return err
		}
		if err := desk.Hand(e.result(here, shard, p)); err != nil {
			return err
		}
		h.windows = append(h.windows, pastWindow{Window: e.Windows[w], got: slices.Clone(now)})
	}
	return nil
}

// combine makes the forecasts of a shard's series from the members' at an origin.
func (h *history) combine(shard []int, origin int, now []*memberShard) (*prediction, error) {
	p, pasts, widths := newPrediction(shard), h.pasts(shard, origin), h.calibration(origin)
	rows, averaged := make([]forecast.Rows, len(h.co.members)), make([]bool, len(shard))
	for i, s := range shard {
		var err error
		for m := range rows {
			if rows[m], err = now[m].rows(s, h.e.Plan.Split.Horizon); err != nil {
				return nil, err
			}
		}
		var weights []float64
		if p.rows[i], weights, p.errs[i] = h.co.Combine(rows, pasts[i]); p.errs[i] != nil {
			continue
		}
		averaged[i] = averages(weights)
		if err := widths.take(s, origin, weights); err != nil {
			return nil, err
		}
	}
	widening := widths.widening()
	for i := range shard {
		if averaged[i] {
			widening.Stretch(p.rows[i], 0)
		}
	}
	return p, nil
}

// memberShard is a member's stored result with the places of its series.
type memberShard struct {
	res *TaskResult
	at  map[int]int
}

func (e *Engine) memberShard(t Task, stored Stored) (*memberShard, error) {
	series := e.Shard(t)
	m := &memberShard{at: make(map[int]int, len(series))}
	for i, s := range series {
		m.at[s] = i
	}
	if len(series) == 0 {
		return m, nil
	}
	var err error
	m.res, err = stored(t)
	return m, err
}

// rows gives a series' forecast; empty where the member has none.
func (m *memberShard) rows(series, horizon int) (forecast.Rows, error) {
	i, ok := m.at[series]
	if !ok {
		return forecast.Rows{}, nil
	}
	size := forecast.RecordSize(m.res.Packed, horizon)
	if (i+1)*size > len(m.res.Packed) {
		return forecast.Rows{}, errors.New("a stored forecast is damaged")
	}
	rows := forecast.NewRows(horizon)
	err := rows.Unpack(m.res.Packed[i*size : (i+1)*size])
	if errors.Is(err, forecast.ErrAbsent) {
		return forecast.Rows{}, nil
	}
	return rows, err
}

// remembered is what a bake-off's windows tell of a combining contender's members on a series, and of
// how wide its intervals are to be.
type remembered struct {
	model.Past
	widening single.Widening
}

// pastOf gathers that of all series, by their keys.
func (e *Engine) pastOf(contender int, stored Stored) (map[string]remembered, error) {
	metric, err := e.Lineup.metric()
	if err != nil {
		return nil, err
	}
	co := e.Lineup.combines(contender)
	out := make(map[string]remembered, len(e.Chosen))
	last := e.Panel.Length - 1
	for shard := range e.shards() {
		h := &history{e: e, co: co, metric: metric}
		seen := map[int]bool{}
		var series []int
		for w := range e.Windows {
			got := make([]*memberShard, len(co.members))
			for m, member := range co.members {
				if got[m], err = e.memberShard(Task{w, member, shard}, stored); err != nil {
					return nil, err
				}
			}
			h.windows = append(h.windows, pastWindow{e.Windows[w], got})
			for _, s := range e.Shard(Task{w, contender, shard}) {
				if !seen[s] {
					seen[s] = true
					series = append(series, s)
				}
			}
		}
		pasts, widths := h.pasts(series, last), h.calibration(last)
		for i, s := range series {
			weights, err := h.weights(s, pasts[i])
			if err == nil {
				err = widths.take(s, last, weights)
			}
			if err != nil {
				return nil, err
			}
		}
		widening := widths.widening()
		for i, s := range series {
			out[e.Panel.Series[s].Key] = remembered{pasts[i], widening}
		}
	}
	return out, nil
}

// weights are those that the members of the last window that a series is in would have now; none where
// they made no forecast there.
func (h *history) weights(series int, past model.Past) ([]float64, error) {
	rows := make([]forecast.Rows, len(h.co.members))
	for i := len(h.windows) - 1; i >= 0; i-- {
		there := false
		for m := range rows {
			var err error
			if rows[m], err = h.windows[i].got[m].rows(series, h.e.Plan.Split.Horizon); err != nil {
				return nil, err
			}
			there = there || rows[m].Mean != nil
		}
		if there {
			_, weights, err := h.co.Combine(rows, past)
			return weights, err
		}
	}
	return nil, nil
}
