package neural

import (
	"math"
	"slices"

	"paperkettle/core/feature"
	"paperkettle/core/model/outlook"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// Layout is what a network's columns are, and how far it looks back.
type Layout struct {
	Ahead   int  // the longest horizon that is asked for
	Horizon int  // steps that the network has: all of these, or one from which it goes on
	Held    int  // periods at the end whose values are held out
	Onward  bool // it goes on from its own forecasts
	Window  int  // of the last values that it sees one by one
	Longer  int  // a season longer than the shortest, in periods; 0 for none
	Recipe  feature.Recipe
	Means   []float64 // of the recipe's columns
	Spreads []float64
	Names   []string // of the attributes that it sees
	Codes   []map[string]int
	Drivers []int // places of the recipe's columns that are drivers
}

// layout reads the features and how they vary.
func (m Model) layout(v panel.View, horizon int) (*Layout, error) {
	l := &Layout{Ahead: max(1, horizon), Horizon: max(1, horizon), Onward: m.Onward}
	if m.Onward {
		l.Horizon = 1
	}
	setting := feature.SettingOf(v, horizon)
	l.Held = max(l.Ahead, min(setting.Length/6, 4*l.Ahead))
	if setting.Length < 3*l.Ahead+fewestBefore {
		l.Held = max(1, setting.Length/4)
	}
	lines := m.Lines
	if lines == nil {
		lines = feature.Usual(setting, false, true)
	}
	recipe, err := feature.Parse(lines, setting)
	if err != nil {
		return nil, err
	}
	l.Recipe, _ = recipe.Split()
	for k := range l.Recipe.Columns {
		if l.Recipe.Columns[k].IsDriver() {
			l.Drivers = append(l.Drivers, k)
		}
	}
	season := v.Cadence().Season()
	if l.Window = m.Window; l.Window == 0 {
		if l.Window = max(16, min(2*season, 64)); m.Kind != kindPerceptron { // which reads it period by period
			l.Window = max(16, min(2*season, 36))
		}
	}
	for _, period := range v.Cadence().Seasons() {
		if p := int(period); p > season && l.Longer == 0 && setting.Length > p+p/2 {
			l.Longer = p - p%season // whole shorter seasons
		}
	}
	l.Names, l.Codes = feature.Telling(v)
	return l, l.measure(v)
}

// mostMeasured is how many series the columns' means are taken of, and mostPeriods how many values of each.
const (
	mostMeasured = 200
	mostPeriods  = 1000
)

// measure finds the means and spreads of the columns.
func (l *Layout) measure(v panel.View) error {
	wide := len(l.Recipe.Columns)
	sums, squares, counts := make([]float64, wide), make([]float64, wide), make([]float64, wide)
	row := make([]float64, wide)
	for _, i := range num.Some(v.Len(), mostMeasured) {
		s := v.Series(i)
		laid, err := l.Recipe.Lay(s, s.Values, 0, nil)
		if err != nil {
			return err
		}
		for _, t := range num.Some(len(s.Values), mostPeriods) {
			laid.FillAhead(t, row)
			for k, x := range row {
				if x == x && !math.IsInf(x, 0) {
					sums[k], squares[k], counts[k] = sums[k]+x, squares[k]+x*x, counts[k]+1
				}
			}
		}
	}
	l.Means, l.Spreads = make([]float64, wide), slices.Repeat([]float64{1}, wide)
	for k := range sums {
		if counts[k] > 0 {
			l.Means[k] = sums[k] / counts[k]
			if sd := math.Sqrt(max(0, squares[k]/counts[k]-l.Means[k]*l.Means[k])); sd > 1e-9*math.Abs(l.Means[k]) && sd > 1e-12 {
				l.Spreads[k] = sd
			}
		}
	}
	return nil
}

// cycles is how many means of earlier seasons a window shows.
const cycles = 8

// pastWidth is how many numbers a window is, without its attributes: values, which are known,
// means of seasons before, and facts.
func (l *Layout) pastWidth() int { return 2*l.Window + cycles + facts }

// stepWidth is how many numbers a step is: columns known ahead, drivers next to what they were
// of late, how far it is, plain forecasts, the season's last values, and how plain forecasts did.
func (l *Layout) stepWidth() int {
	return len(l.Recipe.Columns) + len(l.Drivers) + 3 + anchors + lags + anchors
}

// fillPast writes a window.
func (l *Layout) fillPast(p point, out []float32) {
	for k := range l.Window {
		if i := p.n - l.Window + k; i >= 0 && panel.Known(p.q.z[i]) {
			out[k], out[l.Window+k] = outlook.Bent((p.q.z[i]-p.level)/p.unit), 1
		}
	}
	w := max(4, p.q.season)
	for k := range cycles {
		to := p.n - k*w
		if to <= 0 {
			break
		}
		out[2*l.Window+k] = outlook.Bent((num.KnownMean(p.q.z[max(0, to-w):to]) - p.level) / p.unit)
	}
	copy(out[2*l.Window+cycles:], p.facts[:])
}

// recent are the means of the drivers' columns of late.
func (l *Layout) recent(p point) []float32 {
	wide := len(l.Recipe.Columns)
	out := make([]float32, len(l.Drivers))
	from := max(0, p.n-max(8, min(p.q.season, 60)))
	for j, k := range l.Drivers {
		for t := from; t < p.n; t++ {
			out[j] += p.q.known(t, wide)[k]
		}
		out[j] /= float32(max(1, p.n-from))
	}
	return out
}

// fillStep writes a step, counted from 1; recent are the drivers' means.
func (l *Layout) fillStep(p point, recent []float32, step int, out []float32) {
	wide := len(l.Recipe.Columns)
	around := p.q.known(p.n-1+step, wide)
	at := copy(out, around)
	for j, k := range l.Drivers {
		out[at+j] = around[k] - recent[j]
	}
	at += len(l.Drivers)
	far := min(step, l.Horizon)
	out[at], out[at+1], out[at+2] = float32(far)/float32(l.Horizon), float32(math.Log(float64(far)))/4,
		float32(step%max(1, p.q.season))/float32(max(1, p.q.season))
	l.place(p, step, out[at+3:])
	p.q.record.fill(p.n, far, l.Horizon, out[at+3+anchors+lags:])
}
