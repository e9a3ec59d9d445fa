package bakeoff

import (
	"fmt"
	"strings"
	"sync"

	"paperkettle/core/influence"
	"paperkettle/core/panel"
)

// findInfluence finds what contenders see beside a series' own drivers, where the plan leaves that open, and writes it
// down: a rerun sees the same.
func (e *Engine) findInfluence() (err error) {
	origin := e.Windows[0].Origin
	open := hasKnownAhead(e.Panel)
	if e.Plan.Neighbours == "" && open && len(e.Panel.Series) > 1 {
		e.Plan.Neighbours = panel.NeighboursText(influence.Neighbours(e.Panel, e.Chosen, e.fillings, origin))
	}
	if e.beside, err = e.Plan.neighboursOn(e.Panel, e.fillings, origin); err != nil {
		return &FieldError{"neighbours", err}
	}
	if e.Plan.CarryOver == "" && open {
		e.Plan.CarryOver = panel.CarriedText(influence.CarryOver(e.Panel, e.Chosen, e.fillings, e.beside, origin))
	}
	if e.carried, err = panel.ParseCarried(e.Panel, e.Plan.CarryOver); err != nil {
		return &FieldError{"carry_over", err}
	}
	return nil
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

// carryCautions say what contenders see of drivers before.
func (e *Engine) carryCautions() []string {
	if len(e.carried) == 0 {
		return nil
	}
	parts := make([]string, len(e.carried))
	for i, c := range e.carried {
		parts[i] = fmt.Sprintf("%s %s before", c.Driver, e.Panel.Cadence.Noun(c.Back))
	}
	return []string{fmt.Sprintf("What drivers did before counts: contenders see %s too (the plan's carry_over: %s; none leaves it out).",
		strings.Join(parts, ", "), e.Plan.CarryOver)}
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
