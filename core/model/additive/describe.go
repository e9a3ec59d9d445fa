package additive

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/floats"

	"paperkettle/core/calendar"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// See lets a description show the parts of drivers and events ahead.
func (s *State) See(v panel.SeriesView) {
	if v.Values != nil {
		s.in = v
	}
}

// Brief names the scale, the trend with its bends, and the seasons.
func (s *State) Brief() string {
	words := []string{map[single.ScaleKind]string{single.Level: "adds up", single.Logs: "multiplies",
		single.Odds: "in log odds"}[s.Scale.Kind], s.Recipe.Trend + " trend"}
	for _, x := range s.Recipe.Seasons {
		words = append(words, x.Name)
	}
	if s.Before > 0 {
		words = append(words, fmt.Sprintf("the last %d periods", s.Used))
	}
	return strings.Join(words, ", ")
}

// Describe gives the parts, past and ahead, the bends, and what each event and driver does.
func (s *State) Describe(d *model.Description, horizon int) {
	d.Form = map[single.ScaleKind]string{single.Level: "adds up", single.Logs: "multiplies",
		single.Odds: "adds up, in log odds between floor and ceiling,"}[s.Scale.Kind]
	d.Form += fmt.Sprintf(" a %s trend", s.Recipe.Trend)
	for _, x := range s.Recipe.Seasons {
		d.Form += ", a season of the " + x.Name
		if x.When != nil {
			d.Form += " when " + x.When.Text
		}
	}
	if len(s.Recipe.Level) > 0 {
		d.Form += ", with " + strings.Join(s.Recipe.Growing, ", ") + " that grow with the trend"
	}
	d.Form += s.outsideWords() + ", with " + words(s.Errs)
	if s.Before > 0 {
		d.Form += fmt.Sprintf(", learnt from the last %d periods", s.Used)
		d.From += s.Before
	}
	if s.Scale.Shift > 0 {
		d.Form += fmt.Sprintf("; %.4g is added before logs are taken, for there are zeros", s.Scale.Shift)
	}
	d.Why = "seasons by the cadence and the length; "
	if len(s.Recipe.Seasons) == 0 {
		d.Why = ""
	}
	d.Why += "bends by the Bayesian criterion; coefficients by penalised least squares"
	if len(s.Trials) > 0 {
		d.Why += "; by inner windows"
		for k, t := range s.Trials {
			d.Why += map[bool]string{true: ": ", false: ", "}[k == 0] + t.Form
		}
	}
	if len(s.Shared) > 0 {
		d.Why += ", effects held towards what other series show"
	}
	sigma := math.Sqrt(s.Sigma2) * s.unit()
	d.Sigma = &sigma
	for a := range s.Names {
		s.describe(d, a)
	}
	slices.SortStableFunc(d.Bends, func(a, b model.Bend) int { return cmp.Compare(math.Abs(b.Change), math.Abs(a.Change)) })
	s.components(d, horizon)
	d.LeftOut = append(d.LeftOut, model.Odd(d.From, s.Odd, s.Values, "all others of its kind")...)
	if n := len(s.Odd); n > 0 {
		d.Cautions = append(d.Cautions, fmt.Sprintf("values far from all others of their kind count for nothing: %d of them", n))
	}
	if x, ok := s.Errs.(*Wander); ok && len(x.Jumps) > 0 {
		places := make([]string, len(x.Jumps))
		for k, i := range x.Jumps {
			places[k] = s.in.View().Cadence().Format(s.Recipe.Ordinal + int64(i))
		}
		d.Cautions = append(d.Cautions, "the level moved for good at "+strings.Join(places, ", ")+": it starts anew there")
	}
	d.Cautions = append(d.Cautions, s.Notes...)
}

// outsideWords say how many events and drivers there are, and whether lines of drivers bend; nothing for none.
func (s *State) outsideWords() (out string) {
	counted := func(n int, what string) {
		if n == 1 {
			out += ", 1 " + what
		} else if n > 1 {
			out += fmt.Sprintf(", %d %ss", n, what)
		}
	}
	counted(len(s.Recipe.Events), "event")
	counted(len(s.Recipe.Drivers), "driver")
	var bent []string
	for _, x := range s.Recipe.Drivers {
		if len(x.Bends) > 0 {
			bent = append(bent, x.Name)
		}
	}
	if len(bent) > 0 {
		out += " (what these do bends: " + strings.Join(bent, ", ") + ")"
	}
	return out
}

// unit is what one on the working scale is in the measure's unit, where that is constant.
func (s *State) unit() float64 {
	if s.Scale.Kind == single.Level {
		return s.Scale.Size
	}
	return 1
}

// scaleWords says what numbers on the working scale are.
func (s *State) scaleWords() string {
	return map[single.ScaleKind]string{single.Level: "in the measure's unit", single.Logs: "in logs", single.Odds: "in log odds"}[s.Scale.Kind]
}

// describe tells of one column.
func (s *State) describe(d *model.Description, a int) {
	k := len(s.Beta)
	deviation := math.Sqrt(max(0, float64(s.Cov[a*k+a])))
	add := func(value, deviation float64, meaning string) {
		if p, ok := s.Shared[s.Names[a]]; ok {
			if x := s.driver(s.Belongs[a]); x != nil {
				p.Mean, p.Between = p.Mean/x.relative(), p.Between/x.relative()
			}
			meaning += fmt.Sprintf("; %d other series say %.3g, give or take %.2g between them", p.Series, p.Mean*s.unit(), p.Between*s.unit())
		}
		d.Parameters = append(d.Parameters, model.Parameter{Name: s.Names[a], Value: value,
			Meaning: fmt.Sprintf("%s, standard error %.3g", meaning, deviation)})
	}
	unit := s.unit()
	switch s.Kinds[a] {
	case ofEvent:
		add(s.Beta[a]*unit, deviation*unit, "effect of the event "+s.scaleWords())
		d.Effects = append(d.Effects, s.effect(s.Names[a], "event", calendar.PerOccasion(s.Names[a]), s.Beta[a], deviation))
	case ofDriver:
		x := s.driver(s.Belongs[a])
		if len(x.Bends) > 0 {
			if x.bendOf(s.Names[a]) < 0 {
				s.describePieces(d, x, a)
			}
			return
		}
		meaning, per, step := "effect of one unit "+s.scaleWords(), "1 unit more", 1.0
		if x.Log {
			meaning, per, step = "elasticity: per cent that 1 % more of the driver brings", "10 % more", math.Log(1.1)
		}
		add(s.Beta[a]/x.Spread*unit, deviation/x.Spread*unit, meaning)
		d.Effects = append(d.Effects, s.effect(s.Names[a], "driver", per, step*s.Beta[a]/x.Spread, step*deviation/x.Spread))
	case ofTrend:
		size := float64(s.Recipe.Length)
		switch {
		case s.Names[a] == "slope":
			add(s.Beta[a]*unit/size, deviation*unit/size, "change from a period to the next at the start, "+s.scaleWords())
		case a >= 2:
			bend := model.Bend{At: d.From + s.Recipe.Bends[a-2], Change: s.inUnits(s.Beta[a] / size), Percent: s.percent(s.Beta[a] / size)}
			d.Bends = append(d.Bends, bend)
			add(s.Beta[a]*unit/size, deviation*unit/size, fmt.Sprintf("change of the slope a period, %d periods from the start, %s",
				s.Recipe.Bends[a-2], s.scaleWords()))
		}
	}
}

// effect turns a number on the working scale into units and per cent at the usual level,
// with a 95 % interval.
func (s *State) effect(name, kind, per string, value, deviation float64) model.Effect {
	low, high := value-1.96*deviation, value+1.96*deviation
	return model.Effect{Name: name, Kind: kind, Per: per,
		Units: s.inUnits(value), Low: s.inUnits(low), High: s.inUnits(high),
		Percent: s.percent(value), PercentLow: s.percent(low), PercentHigh: s.percent(high)}
}

// usual is the level that effects are told at: the mean size, or the middle between floor
// and ceiling.
func (s *State) usual() float64 {
	if s.Scale.Kind == single.Odds {
		return s.Scale.Back(0)
	}
	return s.Scale.Size
}

func (s *State) inUnits(x float64) float64 {
	if s.Scale.Kind == single.Level {
		return x * s.Scale.Size
	}
	return s.Scale.Back(x) - s.Scale.Back(0)
}

func (s *State) percent(x float64) float64 { return 100 * s.inUnits(x) / s.usual() }

// components are the parts with 80 % intervals of what their coefficients leave open.
func (s *State) components(d *model.Description, horizon int) {
	n := len(s.Values)
	pastList, errPast := s.Recipe.columns(s.in, 0, s.Used, n-len(s.in.Values))
	list, errAhead := s.columnsAhead(horizon)
	level, levelAhead := s.wandered(horizon)
	var held []column
	var beyond [][]float64
	if errAhead == nil && len(list) == len(s.Beta) {
		held, beyond = s.partsBeyond(list, levelAhead, horizon)
	}
	for _, part := range s.Past {
		if part.Name == "trend" && level != nil {
			part.Values = slices.Clone(part.Values)
			floats.Add(part.Values, level)
		}
		c := model.Component{Name: part.Name, Factor: s.Scale.Multiplies() && part.Name != "trend",
			Past: s.shown(part.Name, part.Values, nil), Ahead: slices.Repeat([]float64{panel.Unknown}, horizon)}
		places := s.placesOf(part.Name)
		if errPast == nil && s.in.Values != nil {
			c.Low, c.High = s.band(part.Name, part.Values, pastList, places, false)
		}
		if errAhead == nil && len(list) == len(s.Beta) {
			ahead := s.sum(held, places, horizon)
			if part.Name == "trend" && level != nil {
				floats.Add(ahead, levelAhead)
			}
			for i := range ahead {
				for _, k := range places {
					ahead[i] += beyond[i][k]
				}
			}
			c.Ahead = s.shown(part.Name, ahead, nil)
			c.AheadLow, c.AheadHigh = s.band(part.Name, ahead, list, places, part.Name == "trend")
		}
		d.Components = append(d.Components, c)
	}
	if errAhead != nil && n > 0 {
		d.Cautions = append(d.Cautions, errAhead.Error())
	}
}

// wandered is where a wandering level was, and goes, which is part of the trend; nil where the
// level is steady.
func (s *State) wandered(horizon int) (past, ahead []float64) {
	x, ok := s.Errs.(*Wander)
	if !ok || len(x.In) != s.Used {
		return nil, nil
	}
	rows := forecast.Rows{Mean: make([]float64, horizon)}
	_ = x.Forecast(s.in, rows) // which never fails
	return x.In, rows.Mean
}

// partsBeyond gives columns ahead without what drivers of a level go beyond those seen, and says, by step and
// column, what stands for it instead.
func (s *State) partsBeyond(list []column, level []float64, horizon int) (held []column, out [][]float64) {
	held, over := s.hold(list, horizon)
	out = make([][]float64, len(over))
	for i := range out {
		out[i] = make([]float64, len(list))
		mu := 0.0
		if level != nil {
			mu = level[i]
		}
		for c := range list {
			mu += s.Beta[c] * held[c].values[i]
		}
		so := mu
		for _, e := range over[i] {
			next := so * single.Beyond(mu, []single.Excess{e})
			out[i][e.Column], so = next-so, next
		}
	}
	return held, out
}

// columnsAhead lays the columns out over the steps, where what they need is at hand.
func (s *State) columnsAhead(horizon int) ([]column, error) {
	n := len(s.Values)
	if s.in.Values == nil {
		if len(s.Recipe.Events)+len(s.Recipe.Drivers) > 0 || slices.ContainsFunc(s.Recipe.Seasons, func(x Season) bool { return x.When != nil }) {
			return nil, nil
		}
		return s.Recipe.columns(s.in, n, n+horizon, 0)
	}
	return s.Recipe.columns(s.in, n, n+horizon, n-len(s.in.Values))
}

func (s *State) sum(list []column, places []int, n int) []float64 {
	out := make([]float64, n)
	for _, a := range places {
		for i, x := range list[a].values {
			out[i] += s.Beta[a] * x
		}
	}
	return out
}

// band is the 80 % interval of a part; a trend ahead may bend as it did before.
func (s *State) band(part string, values []float64, list []column, places []int, bends bool) (low, high []float64) {
	const eighty = 1.281552
	row := make([]float64, len(list))
	wide := make([]float64, len(values))
	for i := range values {
		for _, a := range places {
			row[a] = list[a].values[i]
		}
		variance := s.doubt(row, places)
		if bends {
			far := float64(i + 1)
			variance += s.laterBends() * far * far * far / 3
		}
		wide[i] = eighty * math.Sqrt(variance)
	}
	minus := make([]float64, len(wide))
	for i, w := range wide {
		minus[i] = -w
	}
	return s.shown(part, values, minus), s.shown(part, values, wide)
}

// shown is a part, moved by some, in the measure's unit or as a factor. Between a floor and
// a ceiling the others are what they change in the middle.
func (s *State) shown(part string, values, moved []float64) []float64 {
	out := make([]float64, len(values))
	for i, x := range values {
		if moved != nil {
			x += moved[i]
		}
		switch {
		case part == "trend":
			out[i] = s.Scale.Back(x)
		case s.Scale.Multiplies():
			out[i] = math.Exp(x)
		default:
			out[i] = s.inUnits(x)
		}
	}
	return out
}
