// Package results is what bake-offs, releases and scenarios have made, as the store keeps it:
// engines and refits made ready, standings, leaders, live scores, and the trained contenders
// that are kept to be asked again.
package results

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"paperkettle/core/bakeoff"
	"paperkettle/core/model"
	"paperkettle/store"
)

// Repository reads and keeps results.
type Repository struct {
	store     *store.Store
	catalogue model.Catalogue
	keeper    *keeper
	workers   int
	indexes   indexes
}

// Open gives the results in a store. workers is how many goroutines may train one contender;
// room bounds the bytes of trained contenders that are kept, 0 keeps none.
func Open(s *store.Store, cat model.Catalogue, workers int, room int64) *Repository {
	return &Repository{store: s, catalogue: cat, keeper: newKeeper(s, room), workers: max(1, workers)}
}

// Store is where they are kept.
func (r *Repository) Store() *store.Store { return r.store }

// Engine makes a stored bake-off's engine.
func (r *Repository) Engine(ctx context.Context, b *store.Bakeoff) (*bakeoff.Engine, error) {
	var plan bakeoff.Plan
	if err := json.Unmarshal([]byte(b.Plan), &plan); err != nil {
		return nil, fmt.Errorf("reading the plan of bake-off %d: %w", b.ID, err)
	}
	p, err := r.store.Panel(ctx, b.RevisionID)
	if err != nil {
		return nil, err
	}
	e, err := bakeoff.Prepare(p, plan, r.catalogue)
	if err == nil {
		r.equip(e.Lineup)
	}
	return e, err
}

// equip gives a lineup its workers, and what was trained before.
func (r *Repository) equip(l *bakeoff.Lineup) {
	l.Workers = r.workers
	began := time.Now()
	l.Clock = func() time.Duration { return time.Since(began) }
	if r.keeper.room > 0 {
		l.Keep = r.keeper
	}
}

// Keeper is what keeps trained contenders.
func (r *Repository) Keeper() bakeoff.Keeper { return r.keeper }
