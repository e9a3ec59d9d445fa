package results

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"sync"

	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/store"
)

// releaseIndex says where each series of a release lies. Releases that are made never change.
type releaseIndex struct {
	keys  []string // of those with a forecast, in order
	notes []bakeoff.Refitted
	place map[string]spot
}

// spot is a series' note, and where its forecast lies; part is -1 where it has none.
type spot struct{ note, part, at int }

// indexes keeps those that were asked for last.
type indexes struct {
	mu   sync.Mutex
	held map[uint]*releaseIndex
}

// mostIndexes is how many are kept.
const mostIndexes = 16

// index reads where the series of a release lie.
func (r *Repository) index(ctx context.Context, rel *store.Release) (*releaseIndex, error) {
	r.indexes.mu.Lock()
	defer r.indexes.mu.Unlock()
	if x := r.indexes.held[rel.ID]; x != nil {
		return x, nil
	}
	x := &releaseIndex{place: map[string]spot{}}
	at := map[int]int{} // forecasts so far, by part
	err := eachNote(r.store.Read(ctx), rel.ID, func(part int, n bakeoff.Refitted) {
		s := spot{note: len(x.notes), part: -1}
		x.notes = append(x.notes, n)
		if n.LeftOut == "" {
			s.part, s.at = part, at[part]
			at[part]++
			x.keys = append(x.keys, n.Series)
		}
		x.place[n.Series] = s
	})
	if err != nil || rel.State == store.Preparing {
		return x, err
	}
	if r.indexes.held == nil || len(r.indexes.held) >= mostIndexes {
		r.indexes.held = map[uint]*releaseIndex{}
	}
	r.indexes.held[rel.ID] = x
	return x, nil
}

// Released reads one series of a release, the first with a forecast where the key is empty, and gives
// the keys of all that have one. It is nil where the release has no such series.
func (r *Repository) Released(ctx context.Context, rel *store.Release, series string) (one *ReleasedSeries, keys []string, err error) {
	x, err := r.index(ctx, rel)
	if err != nil {
		return nil, nil, err
	}
	if series == "" && len(x.keys) > 0 {
		series = x.keys[0]
	}
	at, ok := x.place[series]
	if !ok {
		return nil, x.keys, nil
	}
	one = &ReleasedSeries{Refitted: x.notes[at.note]}
	if at.part >= 0 {
		one.Rows, err = r.releasedRows(ctx, rel, at)
	}
	return one, x.keys, err
}

// releasedRows reads one record out of a stored part, without reading the part.
func (r *Repository) releasedRows(ctx context.Context, rel *store.Release, at spot) (forecast.Rows, error) {
	var first, packed []byte
	err := r.store.Read(ctx).Raw("SELECT substr(forecasts, 1, 1) FROM release_parts WHERE release_id = ? AND part = ?", rel.ID,
		at.part).Row().Scan(&first)
	if err == nil {
		size := forecast.RecordSize(first, rel.Horizon)
		err = r.store.Read(ctx).Raw("SELECT substr(forecasts, ?, ?) FROM release_parts WHERE release_id = ? AND part = ?", at.at*size+1, size,
			rel.ID, at.part).Row().Scan(&packed)
	}
	if errors.Is(err, sql.ErrNoRows) {
		err = store.ErrRemoved
	}
	if err != nil {
		return forecast.Rows{}, fmt.Errorf("release %d: %w", rel.ID, err)
	}
	return ReadForecast(packed, 0, rel.Horizon)
}
