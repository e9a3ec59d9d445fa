package bakeoff

import (
	"fmt"
	"strings"
	"sync"

	"paperkettle/core/neighbours"
	"paperkettle/core/panel"
)

// meetNeighbours finds whose drivers contenders see beside a series' own, where the plan leaves that open, and writes it
// down: a rerun sees the same.
func (e *Engine) meetNeighbours() (err error) {
	origin := e.Windows[0].Origin
	if e.Plan.Neighbours == "" && hasKnownAhead(e.Panel) && len(e.Panel.Series) > 1 {
		e.Plan.Neighbours = panel.NeighboursText(neighbours.Find(e.Panel, e.Chosen, e.fillings, origin))
	}
	e.beside, err = e.Plan.neighboursOn(e.Panel, e.fillings, origin)
	return err
}

func hasKnownAhead(p *panel.Panel) bool {
	for _, d := range p.Drivers {
		if d.KnownAhead {
			return true
		}
	}
	return false
}

// neighbourCautions say what contenders see of neighbours.
func (e *Engine) neighbourCautions() []string {
	if e.beside == nil {
		return nil
	}
	if e.beside.Len() == 0 {
		return []string{fmt.Sprintf("Neighbours by %s: none has a driver of its own that is known ahead, so contenders see nothing of them.", e.Plan.Neighbours)}
	}
	who := "the other series"
	if len(e.beside.By) > 0 {
		who += " with the same " + strings.Join(e.beside.By, " and ")
	}
	return []string{fmt.Sprintf("What is done to neighbours counts: beside a series' own drivers contenders see the mean %s of %s "+
		"(the plan's neighbours: %s; none leaves it out).", strings.Join(e.beside.Of(e.Panel), ", "), who, e.Plan.Neighbours)}
}

// besides keeps the neighbours of the panel that was asked for last: cases differ by drivers ahead.
type besides struct {
	mu   sync.Mutex
	of   *panel.Panel
	what *panel.Neighbours
}

// neighboursOf are those on a panel that differs by drivers and events ahead; nil where the plan has none.
func (r *Refit) neighboursOf(p *panel.Panel) *panel.Neighbours {
	r.beside.mu.Lock()
	defer r.beside.mu.Unlock()
	if r.beside.of != p {
		r.beside.of = p
		r.beside.what, _ = r.Plan.neighboursOn(p, r.fillings, p.Length-1) // an error was told when the refit was made
	}
	return r.beside.what
}
