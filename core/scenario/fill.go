package scenario

import (
	"fmt"
	"strings"

	"paperkettle/core/panel"
)

// Rules for drivers past the last period that nobody gave.
const (
	FillLast   = "last"   // the last known value
	FillSeason = "season" // the same place of the last season
	FillMean   = "mean"   // the mean over the last season, or over all where there is none
)

// CheckFill refuses a rule that there is not.
func CheckFill(rule string) error {
	switch rule {
	case "", FillLast, FillSeason, FillMean:
		return nil
	}
	return fmt.Errorf("%q is no rule to fill drivers by: use last, season or mean", rule)
}

// mostListed bounds lists in sentences.
const mostListed = 5

// Complete makes sure that every driver that is known ahead is known over the horizon, for
// the series that are asked for, with a caution where it is not: by the rule for all, or else
// by the plan's rule for the driver, which may be to refuse.
func Complete(p *panel.Panel, series []int, horizon int, rule string, fillings panel.Fillings) (*panel.Panel, []string, error) {
	w := &work{p: copied(p), horizon: horizon, touched: map[[2]int]bool{}}
	view := panel.NewView(p, series, 0, p.Length-1).WithFillings(fillings)
	var missing, cautions []string
	last := p.Length + horizon - 1
	for _, slips := range panel.FindSlips(p, series, p.Length, last, p.Length-1, fillings) {
		cautions = append(cautions, slips.Caution(p, "periods ahead", fillings))
	}
	for d, driver := range p.Drivers {
		if !driver.KnownAhead {
			continue
		}
		filled := 0
		for place, s := range series {
			doubted := w.blank(s, d, fillings)
			if !doubted && reaches(&p.Series[s], d, p.Length, horizon) {
				continue
			}
			if !doubted {
				filled++
			}
			switch {
			case rule != "":
				w.fill(s, d, rule)
			case fillings[driver.Name].Rule == panel.FillRefuse:
				missing = append(missing, fmt.Sprintf("%s of %s", driver.Name, p.Series[s].Key))
			default:
				w.take(s, d, view.Series(place))
			}
		}
		if filled > 0 {
			by := fmt.Sprintf("the rule %q", rule)
			if rule == "" {
				by = "the plan's driver_gaps"
			}
			cautions = append(cautions, fmt.Sprintf("The driver %s was not known over the whole horizon for %d of %d series: it is filled by %s.",
				driver.Name, filled, len(series), by))
		}
	}
	if n := len(missing); n > 0 {
		text := strings.Join(missing[:min(n, mostListed)], ", ")
		if n > mostListed {
			text += fmt.Sprintf(" and %d more", n-mostListed)
		}
		return nil, nil, fmt.Errorf("drivers are not known from %s to %s, and the plan's driver_gaps refuses that: %s. Load or give their "+
			"values, or name a rule to fill them by: last, season or mean", p.Period(p.Length), p.Period(last), text)
	}
	return w.p, cautions, nil
}

// blank makes unknown what is not believed of a driver, so that neither filling nor changes rest on it; it says
// whether there was any past the last period.
func (w *work) blank(s, d int, fillings panel.Fillings) (any bool) {
	x := &w.p.Series[s]
	if d >= len(x.Drivers) {
		return false
	}
	end := max(0, min(len(x.Drivers[d]), w.p.Length-x.First))
	believed := fillings[w.p.Drivers[d].Name].Reach(x.Drivers[d], end)
	for at, v := range x.Drivers[d][:min(len(x.Drivers[d]), end+w.horizon)] {
		if !believed.Believes(v) {
			w.own(s, d, w.p.Length+w.horizon-1)[at] = panel.Unknown
			any = any || at >= end
		}
	}
	return any
}

// take fills the driver past the last period with what a view of the series shows there.
func (w *work) take(s, d int, v panel.SeriesView) {
	x := &w.p.Series[s]
	values := w.own(s, d, w.p.Length+w.horizon-1)
	shown := v.Driver(d, w.p.Length+w.horizon-v.First)
	for at := w.p.Length; at < w.p.Length+w.horizon; at++ {
		values[at-x.First] = shown[at-v.First]
	}
}

// reaches says whether a driver is known in every period ahead. One that a series never had
// is no driver of it.
func reaches(s *panel.Series, d, length, horizon int) bool {
	if d >= len(s.Drivers) || panel.CountKnown(s.Drivers[d]) == 0 {
		return true
	}
	for i := length; i < length+horizon; i++ {
		at := i - s.First
		if at < 0 || at >= len(s.Drivers[d]) || !panel.Known(s.Drivers[d][at]) {
			return false
		}
	}
	return true
}

func (w *work) fill(s, d int, rule string) {
	x := &w.p.Series[s]
	values := w.own(s, d, w.p.Length+w.horizon-1)
	season := w.p.Cadence.Season()
	end := w.p.Length - x.First
	for at := max(0, end); at < end+w.horizon; at++ {
		if panel.Known(values[at]) {
			continue
		}
		values[at] = filled(values[:at], season, rule)
	}
}

func filled(before []float64, season int, rule string) float64 {
	n := len(before)
	switch rule {
	case FillSeason:
		for at := n - season; at >= 0; at -= season {
			if panel.Known(before[at]) {
				return before[at]
			}
		}
	case FillMean:
		sum, count := 0.0, 0.0
		for _, v := range before[max(0, n-max(season, 12)):] {
			if panel.Known(v) {
				sum, count = sum+v, count+1
			}
		}
		if count > 0 {
			return sum / count
		}
	}
	for at := n - 1; at >= 0; at-- {
		if panel.Known(before[at]) {
			return before[at]
		}
	}
	return panel.Unknown
}

// leastBeyond is the share of a driver's range by which a case must go beyond it to be told of.
const leastBeyond = 0.05

// Beyond says how far a case goes beyond what training saw of a driver, for the series that
// go farthest.
func Beyond(base, changed *panel.Panel, series []int, horizon int, name string, fillings panel.Fillings) (out []string) {
	last := base.Length + horizon - 1
	for _, s := range panel.FindSlips(changed, series, base.Length, last, base.Length-1, fillings) {
		out = append(out, fmt.Sprintf("Case %q: %s", name, s.Caution(changed, "periods ahead", fillings)))
	}
	for _, b := range panel.FindBeyond(changed, series, horizon, fillings, leastBeyond, false) {
		out = append(out, fmt.Sprintf("Case %q takes %s beyond what training saw for %d series: %s", name, b.Driver, b.Series, b.Words(changed)))
	}
	return out
}

// Unseen says which events a case adds that training never saw.
func Unseen(base, changed *panel.Panel, name string) (out []string) {
	end := base.Cadence.Start(base.Ordinal(base.Length))
	seen := map[string]bool{}
	for _, e := range base.Events {
		for _, o := range e.Occasions {
			seen[e.Name] = seen[e.Name] || o.Start < end
		}
	}
	told := map[string]bool{}
	for _, e := range changed.Events {
		if !seen[e.Name] && !told[e.Name] {
			for _, o := range e.Occasions {
				if o.End > end && !told[e.Name] {
					told[e.Name] = true
					out = append(out, fmt.Sprintf("Case %q has the event %s, which training never saw: it changes nothing.", name, e.Name))
				}
			}
		}
	}
	return out
}
