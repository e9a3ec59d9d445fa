package service

import (
	"context"
	"slices"
	"sync"

	"paperkettle/core/bakeoff"
	"paperkettle/store"
)

// engines keeps the engines used last: laying a large plan on its panel takes a while.
type engines struct {
	mu   sync.Mutex
	last []kept
}

type kept struct {
	id   uint
	plan string
	e    *bakeoff.Engine
}

// mostEngines is how many are kept.
const mostEngines = 4

// engine makes a stored bake-off's engine, or gives the one made before.
func (s *Server) engine(ctx context.Context, b *store.Bakeoff) (*bakeoff.Engine, error) {
	s.engines.mu.Lock()
	for _, k := range s.engines.last {
		if k.id == b.ID && k.plan == b.Plan {
			s.engines.mu.Unlock()
			return k.e, nil
		}
	}
	s.engines.mu.Unlock()
	e, err := s.results.Engine(ctx, b)
	if err != nil {
		return nil, err
	}
	s.engines.mu.Lock()
	defer s.engines.mu.Unlock()
	s.engines.last = append(s.engines.last, kept{b.ID, b.Plan, e})
	if n := len(s.engines.last); n > mostEngines {
		s.engines.last = slices.Delete(s.engines.last, 0, n-mostEngines)
	}
	return e, nil
}
