package bakeoff

import (
	"fmt"
	"math"

	"paperkettle/core/forecast"
)

// Togetherness gathers how far a contender's errors went together, so that sums over series and
// steps are not taken for surer than they are. Errors count in units of their series' own, and only
// those of one group's series are set against each other.
type Togetherness struct {
	e         *Engine
	contender int
	group     func(series int) string
	errors    map[int]map[int][]float64 // by series and window, a step each
}

// NewTogetherness makes one of a contender, whose series fall into groups by their names.
func NewTogetherness(e *Engine, contender string, group func(series int) string) (*Togetherness, error) {
	c := e.Plan.Contender(contender)
	if c < 0 {
		return nil, asked("contender", fmt.Errorf("no contender of the bake-off is called %q", contender))
	}
	return &Togetherness{e: e, contender: c, group: group, errors: map[int]map[int][]float64{}}, nil
}

// Contender is the place of the contender.
func (g *Togetherness) Contender() int { return g.contender }

// Add takes one task's result with its forecasts.
func (g *Togetherness) Add(t Task, res *TaskResult) error {
	if t.Contender != g.contender {
		return nil
	}
	t.Window = res.Window
	h := g.e.Plan.Split.Horizon
	m := &memberShard{res: res, at: map[int]int{}}
	for k, s := range g.e.Shard(t) {
		m.at[s] = k
		rows, err := m.rows(s, h)
		if err != nil {
			return err
		}
		if g.errors[s] == nil {
			g.errors[s] = map[int][]float64{}
		}
		own := append([]float64(nil), res.Errors[k*h:(k+1)*h]...)
		for step := range rows.Mean { // of expectations: medians would all seem to err the same way
			own[step] += rows.Expected(step) - rows.Mean[step]
		}
		g.errors[s][res.Window] = own
	}
	return nil
}

// mostTied bounds what a correlation is taken for.
const mostTied = 0.99

// Ties are the mean products of pairs of errors, never below zero: what errors of different series
// take from each other is not relied on. All are zero where no pair is known.
func (g *Togetherness) Ties() forecast.Ties {
	h := g.e.Plan.Split.Horizon
	var series, steps, across pairs
	for w := range g.e.Windows {
		groups := map[string]*grid{}
		for _, s := range g.e.Chosen {
			row, ok := g.errors[s][w]
			if !ok {
				continue
			}
			unit := g.unit(s)
			if !(unit > 0) {
				continue
			}
			name := g.group(s)
			if groups[name] == nil {
				groups[name] = newGrid(h)
			}
			groups[name].add(row, unit)
		}
		for _, x := range groups {
			x.close(&series, &steps, &across)
		}
	}
	return forecast.Ties{Series: series.mean(), Steps: steps.mean(), Across: across.mean()}
}

// unit is the root mean square of a series' errors in all windows.
func (g *Togetherness) unit(series int) float64 {
	sum, n := 0.0, 0.0
	for _, row := range g.errors[series] {
		for _, e := range row {
			if e == e {
				sum, n = sum+e*e, n+1
			}
		}
	}
	return math.Sqrt(sum / n)
}

// pairs sums up products of pairs of errors.
type pairs struct{ sum, count float64 }

func (p *pairs) mean() float64 {
	if p.count == 0 {
		return 0
	}
	return max(0, min(mostTied, p.sum/p.count))
}

// grid is one group's errors in a window, summed up as they come: sums over pairs follow from sums
// and squares.
type grid struct {
	step, stepCount         []float64 // sums over series, a step each
	ofSeries, ofSeriesCount float64   // squares of the sums over steps, of all series
	squares, count          float64
}

func newGrid(h int) *grid {
	return &grid{step: make([]float64, h), stepCount: make([]float64, h)}
}

func (x *grid) add(row []float64, unit float64) {
	sum, n := 0.0, 0.0
	for k, e := range row {
		if z := e / unit; z == z {
			x.step[k] += z
			x.stepCount[k]++
			sum, n = sum+z, n+1
			x.squares, x.count = x.squares+z*z, x.count+1
		}
	}
	x.ofSeries, x.ofSeriesCount = x.ofSeries+sum*sum, x.ofSeriesCount+n*n
}

func (x *grid) close(series, steps, across *pairs) {
	var all, atSteps, atStepsCount float64
	for k, sum := range x.step {
		all += sum
		atSteps, atStepsCount = atSteps+sum*sum, atStepsCount+x.stepCount[k]*x.stepCount[k]
	}
	series.sum, series.count = series.sum+atSteps-x.squares, series.count+atStepsCount-x.count
	steps.sum, steps.count = steps.sum+x.ofSeries-x.squares, steps.count+x.ofSeriesCount-x.count
	across.sum += all*all - atSteps - x.ofSeries + x.squares
	across.count += x.count*x.count - atStepsCount - x.ofSeriesCount + x.count
}
