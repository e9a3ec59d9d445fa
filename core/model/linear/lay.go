package linear

import (
	"context"
	"fmt"
	"math"
	"slices"

	"paperkettle/core/feature"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// lay reads the features and lays out the rows of each series.
func (m Method) lay(v panel.View, inputs []single.Input) (*Pool, []series, error) {
	setting := settingOf(v, inputs)
	setting.Season = max(0, m.season)
	logs := m.takesLogs(inputs)
	lines := m.Lines
	if lines == nil {
		lines = feature.Usual(setting, m.Own, m.Outside)
		if logs {
			lines = withLogs(lines, setting, inputs, m.zeroLogs)
		}
	}
	recipe, err := feature.Parse(lines, setting)
	if err != nil {
		return nil, nil, err
	}
	p := &Pool{Logs: logs, Mode: m.Steps, Series: len(inputs), Horizon: max(1, inputs[0].Horizon), thin: max(1, m.thin)}
	p.Ahead, p.Recipe = recipe.Split()
	list := make([]series, len(inputs))
	groups := p.groupsAt(inputs[0].View())
	for i, in := range inputs {
		s := &list[i]
		s.in, s.scale = in, single.LevelScale(in.Values)
		if logs {
			if low := lowest(in.Values); low < 0 {
				return nil, nil, fmt.Errorf("logs need values from zero up, and %s goes down to %.6g: set scale to level", in.Key, low)
			}
			s.scale = single.LogScale(in.Values)
		}
		s.whole = make([]float64, len(in.Values))
		for k, x := range in.Values {
			s.whole[k] = s.scale.To(x)
		}
		s.y = slices.Clone(s.whole)
		if s.ahead, err = p.Ahead.Lay(in.SeriesView, s.whole, p.Horizon, nil); err != nil {
			return nil, nil, err
		}
		s.ahead.ShareCalendar(list[0].ahead)
		s.past = slices.Clone(s.y)
		if s.rows, err = p.Recipe.Lay(in.SeriesView, s.past, p.Horizon, groups); err != nil {
			return nil, nil, err
		}
		s.rows.ReachBack()
	}
	return p, list, nil
}

// takesLogs says whether the group works in logs.
func (m Method) takesLogs(inputs []single.Input) bool {
	if m.Scale == "" && m.logs != nil {
		return *m.logs
	}
	return m.Scale == "log" || m.Scale == "" && preferLogs(inputs)
}

// settingOf is what the lines are read against: for a series alone, without what only
// differs between series.
func settingOf(v panel.View, inputs []single.Input) feature.Setting {
	if len(inputs) == 1 {
		s := feature.SettingOf(inputs[0].View().Pick(nil), inputs[0].Horizon)
		s.See(inputs[0].SeriesView)
		return s
	}
	return feature.SettingOf(v, inputs[0].Horizon)
}

// ownSeason is the season that most of the series show and the calendar does not know, or -1.
func ownSeason(inputs []single.Input) int {
	calendar := inputs[0].Cadence().Season()
	votes := map[int]int{}
	for _, in := range inputs {
		if season := in.Season(); season != calendar && !in.Seasonless {
			if votes[season]++; 2*votes[season] > len(inputs) {
				return season
			}
		}
	}
	return -1
}

// preferLogs is what most of the series prefer, of those that can have it.
func preferLogs(inputs []single.Input) bool {
	votes := 0
	for _, in := range inputs {
		if lowest(in.Values) < 0 || single.OftenZero(in.Values) {
			continue
		}
		if arima.SteadierInLogs(in) {
			votes++
		}
	}
	return 2*votes > len(inputs)
}

func lowest(values []float64) float64 {
	low := math.Inf(1)
	for _, v := range values {
		if panel.Known(v) {
			low = math.Min(low, v)
		}
	}
	return low
}

// shiftOf says whether a driver is above zero in every series, and else what to add before its
// log is taken: 0 where it has values below zero, or two states only.
func shiftOf(d int, inputs []single.Input) (shift float64, positive bool) {
	positive = true
	for _, in := range inputs {
		values := in.Driver(d, len(in.Values)+in.Horizon)
		positive = positive && !(lowest(values) <= 0)
		shift = max(shift, single.ZeroShift(values))
	}
	return shift, positive
}

// withLogs takes drivers that are above zero in every series in logs: their coefficients are
// elasticities. Those with zeros too where zeros says so.
func withLogs(lines []string, s feature.Setting, inputs []single.Input, zeros bool) (out []string) {
	for _, line := range lines {
		if line != "drivers" {
			out = append(out, line)
			continue
		}
		for d, driver := range s.Drivers {
			if !driver.KnownAhead {
				continue
			}
			switch shift, positive := shiftOf(d, inputs); {
			case positive:
				out = append(out, "driver "+driver.Name+" log")
			case zeros && shift > 0:
				out = append(out, fmt.Sprintf("driver %s log %g", driver.Name, shift))
			default:
				out = append(out, "driver "+driver.Name)
			}
		}
	}
	return out
}

// takeOut makes odd values of every series unknown, and says whether there were any.
func takeOut(list []series) (any bool) {
	for i := range list {
		s := &list[i]
		if single.OftenZero(s.in.Values) {
			continue
		}
		s.odd = findOdd(s.y)
		for _, k := range s.odd {
			s.whole[k], any = panel.Unknown, true
		}
	}
	return any
}

// explain fits the equation of what is known ahead, and takes what it says out of every
// series.
func (p *Pool) explain(ctx context.Context, m Method, list []series, workers int) error {
	n := len(p.Ahead.Columns)
	if n == 0 {
		return nil
	}
	longest := p.longest(list)
	for i := range list {
		copy(list[i].y, list[i].whole)
		if len(list) > 1 || longest > manyPlaces {
			list[i].line = lineOf(list[i].whole, longest)
			list[i].moves = p.movesOf(&list[i], longest)
		}
	}
	s := &search{method: m, list: list, columns: n, from: 0, steps: 1, start: func(int) int { return 0 },
		read: func(s *series, at, _ int, x []float64) (float64, bool) {
			if !panel.Known(s.whole[at]) {
				return 0, false
			}
			s.ahead.FillAhead(at, x)
			for _, m := range s.moves {
				x[m.column] -= m.line[1] * (float64(at) - m.middle)
			}
			return s.whole[at] - s.line[0] - s.line[1]*float64(at), true
		}}
	if err := s.run(ctx, 1); err != nil {
		return err
	}
	p.Outside = s.finish()[0]
	for i := range list {
		list[i].outside = p.Outside
	}
	if len(list) > 1 {
		if err := p.depart(ctx, s, workers); err != nil {
			return err
		}
	}
	for i := range list {
		for t, x := range list[i].outside.over(list[i].ahead, len(list[i].y)) {
			list[i].y[t] -= x
		}
	}
	return num.Each(ctx, workers, len(list), func(i int) { p.linger(&list[i]) })
}

// longest is the longest season beside which a series' line can be told: of all of the calendar's, or, beside drivers, of
// those that have columns.
func (p *Pool) longest(list []series) float64 {
	n, out := 0, 1.0
	for i := range list {
		n = max(n, len(list[i].whole))
	}
	drivers := slices.ContainsFunc(p.Ahead.Columns, func(c feature.Column) bool { return c.IsDriver() })
	for _, m := range list[0].in.Cadence().Seasons() {
		if !drivers || 2*float64(n) >= 3*m {
			out = max(out, m)
		}
	}
	return out
}

// searchSteps is the search for the equations of the past.
func (p *Pool) searchSteps(m Method, list []series) *search {
	return &search{method: m, list: list, columns: len(p.Recipe.Columns), from: 1, steps: p.steps(), start: p.start, read: p.row, diff: p.Diff}
}

func (p *Pool) hasLevels() bool {
	return slices.ContainsFunc(p.Recipe.Columns, func(c feature.Column) bool { return c.Level })
}

// repeat makes equations that repeat the last value: there are too few rows for others.
func (p *Pool) repeat() {
	n := len(p.Recipe.Columns)
	p.Diff = true
	for k := range p.Steps {
		p.Steps[k] = Equation{Center: make([]float64, n), Beta: make([]float64, n), Spread: make([]float64, n)}
	}
	p.Recipe.Notes = append(p.Recipe.Notes, "the history is too short for an equation: the last value is repeated")
}

// steps is how many equations there are.
func (p *Pool) steps() int {
	if p.Mode == "recursive" {
		return 1
	}
	return p.Horizon
}

// start is the first origin whose columns are mostly known.
func (p *Pool) start(n int) int {
	reach := 1
	for i := range p.Recipe.Columns {
		reach = max(reach, p.Recipe.Columns[i].Reach(p.Recipe.Season))
	}
	return min(reach, n/3) - 1
}

// manyPlaces is the length of a season beyond which a series alone is held against its line too: of months a level that turns
// is no line, and some years of it are few values.
const manyPlaces = 12

// drift is the line through a driver's column of a series.
type drift struct {
	column int
	middle float64 // of the periods
	line   [2]float64
}

// movesOf are the lines through the columns of drivers of a series from which its own was taken out: a price that rose once
// while sales grew did not make them grow. What both have beside their lines tells what it does, as if the line had been
// learnt beside it.
//
// Source: Frisch and Waugh, Partial time regressions as compared with individual trends, Econometrica 1 (1933).
func (p *Pool) movesOf(s *series, longest float64) (out []drift) {
	if s.line == ([2]float64{}) {
		return nil
	}
	column := make([]float64, len(s.whole))
	for k := range p.Ahead.Columns {
		if !p.Ahead.Columns[k].IsDriver() {
			continue
		}
		s.ahead.FillColumn(k, 0, 1, 0, column)
		for t, y := range s.whole {
			if !panel.Known(y) {
				column[t] = panel.Unknown
			}
		}
		if line := lineOf(column, longest); line[1] != 0 {
			out = append(out, drift{k, float64(len(column)-1) / 2, line})
		}
	}
	return out
}

// lineOf is the straight line through a series that has seen its longest season twice.
func lineOf(y []float64, longest float64) (line [2]float64) {
	if float64(len(y)) < 2*longest {
		return line
	}
	var n, t, tt, v, tv float64
	for k, x := range y {
		if panel.Known(x) {
			at := float64(k)
			n, t, tt, v, tv = n+1, t+at, tt+at*at, v+x, tv+at*x
		}
	}
	if d := n*tt - t*t; d > 0 {
		line[1] = (n*tv - t*v) / d
		line[0] = (v - line[1]*t) / n
	}
	return line
}
