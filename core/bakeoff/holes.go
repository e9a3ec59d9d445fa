package bakeoff

import (
	"fmt"
	"maps"
	"slices"
	"sync"

	"paperkettle/core/panel"
)

// holeCount is counted once an engine: it goes over every value of every driver.
type holeCount struct {
	once               sync.Once
	training, assessed []panel.Holes
	slips              []panel.Slips
}

// Places is the number of series and windows in which a contender is assessed.
func (e *Engine) Places() (n int) {
	for _, q := range e.Qualified {
		n += len(q)
	}
	return n
}

// Holes counts the unknown values of drivers that are known ahead: in the training parts,
// where the measure is known, and over the assessed periods, each counted once.
func (e *Engine) Holes() (training, assessed []panel.Holes) {
	if len(e.Panel.Drivers) > 0 {
		e.holes.once.Do(e.countHoles)
	}
	return e.holes.training, e.holes.assessed
}

func (e *Engine) countHoles() {
	part := map[int]bool{}
	for _, q := range e.Qualified {
		for _, s := range q {
			part[s] = true
		}
	}
	var series []int
	for _, s := range e.Chosen {
		if part[s] {
			series = append(series, s)
		}
	}
	for _, own := range e.byEnds(series) {
		first, last := e.Windows[own.first], e.Windows[own.last]
		e.holes.training = addHoles(e.holes.training, panel.FindHoles(e.Panel, own.series, first.TrainFirst, last.Origin, true))
		e.holes.assessed = addHoles(e.holes.assessed, panel.FindHoles(e.Panel, own.series, first.AssessFirst(), last.AssessLast, false))
		for _, s := range panel.FindSlips(e.Panel, own.series, first.TrainFirst, last.AssessLast, last.Origin, e.fillings) {
			e.holes.slips = panel.AddSlips(e.holes.slips, s)
		}
	}
}

// endGroup is series with the first and the last of the windows that are for them.
type endGroup struct {
	first, last int
	series      []int
}

// byEnds parts series by the windows that are for them: all are one group where windows are for all.
func (e *Engine) byEnds(series []int) []endGroup {
	if e.ends == nil {
		return []endGroup{{0, len(e.Windows) - 1, series}}
	}
	at := map[int]int{}
	var out []endGroup
	for w, win := range e.Windows {
		k, ok := at[win.End]
		if !ok {
			k = len(out)
			at[win.End], out = k, append(out, endGroup{first: w})
		}
		out[k].last = w
	}
	for _, s := range series {
		k := at[e.ends[s]]
		out[k].series = append(out[k].series, s)
	}
	return out
}

// addHoles adds up what is unknown of the same drivers among different series.
func addHoles(list, more []panel.Holes) []panel.Holes {
	for _, h := range more {
		k := slices.IndexFunc(list, func(x panel.Holes) bool { return x.Driver == h.Driver })
		if k < 0 {
			list = append(list, h)
			continue
		}
		list[k].Values, list[k].Series = list[k].Values+h.Values, list[k].Series+h.Series
	}
	return list
}

func (e *Engine) checkHoles() error {
	if !slices.ContainsFunc(slices.Collect(maps.Values(e.fillings)), func(f panel.Filling) bool { return f.Rule == panel.FillRefuse }) {
		return nil
	}
	training, assessed := e.Holes()
	for _, holes := range [][]panel.Holes{training, assessed} {
		if err := panel.CheckHoles(e.Panel, holes, e.fillings); err != nil {
			return &FieldError{"driver_gaps", err}
		}
	}
	return nil
}

// Cautions say what contenders see of drivers that they can't fully know.
func (e *Engine) Cautions() []string {
	out := panel.AheadCautions(e.Panel, e.Plan.Ahead, e.Reach())
	training, assessed := e.Holes()
	for _, h := range training {
		out = append(out, h.Caution("periods of training whose measure is known,", e.fillings))
	}
	for _, h := range assessed {
		out = append(out, h.Caution("assessed periods", e.fillings))
	}
	for _, s := range e.holes.slips {
		out = append(out, s.Caution(e.Panel, "periods", e.fillings))
	}
	out = append(out, e.Panel.UnitCautions(e.units, e.Chosen)...)
	out = append(append(out, e.neighbourCautions()...), e.carryCautions()...)
	return append(out, e.newcomerCautions()...)
}

// Fillings are the plan's rules for unknown values of drivers.
func (r *Refit) Fillings() panel.Fillings { return r.fillings }

// Holes counts the unknown values of drivers over the periods of the forecast.
func (r *Refit) Holes() []panel.Holes {
	return panel.FindHoles(r.Panel, r.Forecast(), r.Panel.Length, r.Panel.Length+r.Horizon-1, false)
}

// leastBeyond is the share of a driver's range by which it must go beyond that ahead to be told of.
const leastBeyond = 0.5

// slips says what is not believed of drivers over the periods of the forecast, and before.
func (r *Refit) slips(f panel.Fillings) (cautions []string) {
	end := r.Panel.Length
	for _, s := range panel.FindSlips(r.Panel, r.Forecast(), end, end+r.Horizon-1, end-1, f) {
		cautions = append(cautions, s.Caution(r.Panel, "forecast periods", f))
	}
	for _, s := range panel.FindSlips(r.Panel, r.Forecast(), 0, end-1, end-1, f) {
		cautions = append(cautions, s.Caution(r.Panel, "periods of training", f))
	}
	return cautions
}

// CautionsAhead says what a forecast past the end of a panel takes drivers for where they are
// unknown, and which last values it leaves out.
func CautionsAhead(p *panel.Panel, plan Plan, horizon int) []string {
	ahead, err := LookAhead(p, plan, horizon, false)
	if err != nil {
		return nil
	}
	return ahead.Cautions
}

// Ahead is what can be told of a refit before it is made.
type Ahead struct {
	Series, LeftOut int
	Reason          string   // why the first is left out
	Cautions        []string // on drivers that are unknown ahead, and on last values that are left out
}

// LookAhead says what a refit at the end of a panel would cover, by a contender that welcomes series
// without a past or not. The error says which driver is unknown where the plan refuses that.
func LookAhead(p *panel.Panel, plan Plan, horizon int, welcomes bool) (out Ahead, err error) {
	series, err := p.Where(plan.Where)
	if err != nil {
		return out, err
	}
	p = plan.seen(p, p.Length-1)
	fillings, err := panel.ParseFillings(p, plan.Gaps)
	if err != nil {
		return out, err
	}
	units := p.UnitChanges(fillings)
	out.Cautions = append(out.Cautions, p.UnitCautions(units, series)...)
	p = p.WithUnits(units)
	r := &Refit{Panel: p, Plan: plan, Horizon: horizon, Series: series, welcomes: []bool{welcomes}}
	for _, s := range series {
		why := r.leaveOut(s)
		if why == "" {
			out.Series++
			continue
		}
		out.LeftOut++
		if out.Reason == "" {
			out.Reason = p.Series[s].Key + ", " + why
		}
	}
	holes := r.Holes()
	for _, h := range holes {
		out.Cautions = append(out.Cautions, h.Caution("forecast periods", fillings))
	}
	out.Cautions = append(out.Cautions, r.slips(fillings)...)
	for _, b := range panel.FindBeyond(p, r.Forecast(), horizon, fillings, leastBeyond, true) {
		out.Cautions = append(out.Cautions, fmt.Sprintf("The driver %s goes far beyond what training saw for %d series: %s", b.Driver, b.Series,
			b.Words(p)))
	}
	out.Cautions = append(out.Cautions, DoubtfulEnds(p, series)...)
	out.Cautions = append(out.Cautions, EndedSeries(p, series)...)
	return out, panel.CheckHoles(p, holes, fillings)
}
