package young

import (
	"context"
	"math"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat"

	"paperkettle/core/num"
	"paperkettle/core/panel"
)

const (
	// step is the weeks over which changes are foretold.
	step = 4
	// fewestWeeks must be known before the year that is left out, or the two years of longer series.
	fewestWeeks = rounded - step
	// fewestHeld are left out of what is shorter, and tell.
	fewestHeld = 20
	// likely is how many standard errors the mean gain must be above nought, and likelier where less than a year tells.
	likely, likelier = 1.0, 1.5
	// mostGain is how many mean squares one change may count for.
	mostGain = 10.0
)

// foretold says that the season that some weeks tell makes the changes from one month to the next smaller in the year, or the
// two, that come after them. What the level did in a year may look like a season, but does not come again.
func foretold(ctx context.Context, weeks []Series, by *design, workers int) (bool, error) {
	end, longest := int64(math.MinInt64), 0
	for _, s := range weeks {
		end, longest = max(end, s.First+int64(len(s.Values))), max(longest, len(s.Values))
	}
	held := rounded
	if longest >= 2*rounded+fewestWeeks {
		held = 2 * rounded
	}
	if held = min(held, (longest-fewestWeeks)/step*step); held < fewestHeld {
		return false, nil
	}
	early := make([]Series, len(weeks))
	for i, s := range weeks {
		early[i] = s
		early[i].Values = s.Values[:max(0, min(len(s.Values), int(end-s.First)-held))]
	}
	p, err := learn(ctx, early, by, workers)
	if err != nil || p == nil {
		return false, err
	}
	gains := make([][]float64, len(weeks))
	err = num.Each(ctx, workers, len(weeks), func(i int) {
		if season := p.Of(early[i]); season != nil {
			gains[i] = season.gains(weeks[i], end-int64(held), held)
		}
	})
	total := make([]float64, held/step)
	for _, g := range gains {
		if g != nil {
			floats.Add(total, g)
		}
	}
	mean, dev := stat.MeanStdDev(total, nil)
	least := likely
	if held < rounded {
		least = likelier
	}
	return mean > least*dev/math.Sqrt(float64(len(total))), err
}

// gains are by how much the squares of changes from a week on are smaller without the season, next to the mean square of all
// changes of the series.
func (s *Season) gains(weeks Series, from int64, held int) []float64 {
	done := s.done(weeks, from)
	change := func(o int64, rest bool) float64 {
		d := s.change(weeks, o) - done(o)
		if rest {
			d -= s.term(o+step) - s.term(o)
		}
		return d
	}
	squares, n := 0.0, 0.0
	for i := range len(weeks.Values) - step {
		if d := change(weeks.First+int64(i), false); panel.Known(d) {
			squares, n = squares+d*d, n+1
		}
	}
	if !(squares > 0) {
		return nil
	}
	out := make([]float64, held/step)
	for k := range out {
		o := from + int64(k*step) - 1
		if with, without := change(o, true), change(o, false); panel.Known(with) && panel.Known(without) {
			out[k] = max(-mostGain, min(mostGain, (without*without-with*with)*n/squares))
		}
	}
	return out
}

// change is what a series does in a month from a week on, in logs where the season is in logs: of weeks without sales
// nothing is known then.
func (s *Season) change(weeks Series, o int64) float64 {
	a, b := weeks.at(o), weeks.at(o+step)
	if s.Log {
		a, b = logOf(a), logOf(b)
	}
	return b - a
}

// done is what drivers do to changes, by least squares on those before a week beside the season, each held a little to
// nought; nothing for a series without drivers.
func (s *Season) done(weeks Series, before int64) func(o int64) float64 {
	k := len(weeks.Drivers)
	if k == 0 {
		return func(int64) float64 { return 0 }
	}
	moves := func(o int64) []float64 {
		out, i := make([]float64, k), o-weeks.First
		for d, column := range weeks.Drivers {
			if i >= 0 && i+step < int64(len(column)) {
				out[d] = column[i+step] - column[i]
			}
		}
		return out
	}
	gram, right := mat.NewSymDense(k, nil), mat.NewVecDense(k, nil)
	for d := range k {
		gram.SetSym(d, d, 1)
	}
	for o := weeks.First; o+step < before; o++ {
		y := s.change(weeks, o) - (s.term(o+step) - s.term(o))
		if !panel.Known(y) {
			continue
		}
		x := mat.NewVecDense(k, moves(o))
		gram.SymRankOne(gram, 1, x)
		right.AddScaledVec(right, y, x)
	}
	var root mat.Cholesky
	var does mat.VecDense
	if !root.Factorize(gram) || root.SolveVecTo(&does, right) != nil {
		return func(int64) float64 { return 0 }
	}
	return func(o int64) float64 { return floats.Dot(does.RawVector().Data, moves(o)) }
}

// logOf is the log of what is above zero.
func logOf(v float64) float64 {
	if v > 0 {
		return math.Log(v)
	}
	return panel.Unknown
}
