package additive

import (
	"errors"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/mat"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// ahead is what a forecast of h steps rests on, on the working scale.
type ahead struct {
	columns []column
	moved   [][]float64       // by step: what one more of each coefficient moves the forecast
	errs    []float64         // means of the errors
	psi     []float64         // what an error moves k steps later
	lost    float64           // by which the errors' variance grows for the columns that were fitted
	later   float64           // variance a period of the slope's change in time to come
	over    [][]single.Excess // by step: what drivers of a level go beyond, which is not in the columns
}

func (s *State) ahead(v panel.SeriesView, h int) (*ahead, error) {
	n := len(s.Values)
	if v.Values == nil && len(s.Recipe.Events)+len(s.Recipe.Drivers) > 0 {
		return nil, errors.New("the events and drivers past the origin are not at hand")
	}
	shift := 0
	if v.Values != nil {
		shift = n - len(v.Values)
	}
	list, err := s.Recipe.columns(v, n, n+h, shift)
	if err != nil {
		return nil, err
	}
	rest := forecast.NewRows(h)
	if err := s.Errs.Forecast(panel.SeriesView{}, rest); err != nil {
		return nil, err
	}
	known := float64(panel.CountKnown(s.Values[:s.Used]))
	lost := known / max(0.3*known, known-float64(len(s.Beta)))
	a := &ahead{errs: rest.Mean, psi: s.Errs.Psi(h), lost: lost, later: s.laterBends()}
	a.moved, err = s.moved(v, list, h, shift)
	a.columns, a.over = s.hold(list, h)
	return a, err
}

// hold gives columns ahead without what drivers go beyond those seen, where lines through levels would go on
// below zero, and says by step what that was. What is in doubt is the columns as they are.
func (s *State) hold(list []column, h int) (held []column, over [][]single.Excess) {
	held, over = slices.Clone(list), make([][]single.Excess, h)
	if s.free || s.Scale.Kind != single.Level || !single.NeverBelow(s.Values) {
		return held, over
	}
	for c := range held {
		d := s.driver(list[c].part)
		if list[c].kind != ofDriver || d == nil || slices.Contains(s.Recipe.Growing, list[c].part) {
			continue
		}
		held[c].values = slices.Clone(list[c].values)
		bend := d.bendOf(list[c].name)
		low, high := d.edges(bend)
		for i, x := range list[c].values {
			edge := max(low, min(high, x))
			if held[c].values[i] = edge; edge == x || bend >= 0 { // beyond its last bend a driver goes on by all of its columns
				continue
			}
			over[i] = append(over[i], single.Excess{Slope: s.slopeBeyond(d, c, x > high), Edge: d.Mean + edge*d.Spread,
				At: d.Mean + x*d.Spread, Column: c})
		}
	}
	return held, over
}

// middle is a step's forecast on the working scale with drivers at their edges, what it is beyond them, and by
// what errors about it are multiplied then: a level that falls takes them with it, one that rises does not, for
// next to nothing it may be many times as high.
func (s *State) middle(a *ahead, i int) (edge, mu, noise float64) {
	edge = a.errs[i]
	for c := range a.columns {
		edge += s.Beta[c] * a.columns[c].values[i]
	}
	by := single.Beyond(edge, a.over[i])
	if noise = 1; edge > 0 {
		noise = min(1, by)
	}
	return edge, edge * by, noise
}

// moved are the columns ahead, less what the errors take back: a level that wanders has long
// followed the series, whatever the coefficients are, so that a doubt about the first level
// is none about the forecast.
func (s *State) moved(v panel.SeriesView, list []column, h, shift int) ([][]float64, error) {
	out := make([][]float64, h)
	for i := range out {
		out[i] = make([]float64, len(list))
		for c := range list {
			out[i][c] = list[c].values[i]
		}
	}
	x, ok := s.Errs.(*Wander)
	if !ok {
		return out, nil
	}
	if x.Alpha == 0 {
		return out, nil
	}
	// What lies so far back that the level has forgotten it is left out.
	from := max(0, len(s.Values)-int(14/x.Alpha)-1)
	past, err := s.Recipe.columns(v, from, len(s.Values), shift)
	if err != nil {
		return nil, err
	}
	for c := range past {
		follow := Wander{Alpha: x.Alpha, Beta: x.Beta, Phi: x.Phi}
		for i, value := range past[c].values {
			if i == 0 && from > 0 {
				follow.Level = value
			}
			if !panel.Known(s.Values[from+i]) {
				value = panel.Unknown
			}
			if follow.step(value); slices.Contains(x.Jumps, from+i) && panel.Known(value) {
				follow.Level = value
			}
		}
		rows := forecast.Rows{Mean: make([]float64, h)}
		_ = follow.Forecast(v, rows) // which never fails
		for i, taken := range rows.Mean {
			out[i][c] -= taken
		}
	}
	return out, nil
}

// Forecast adds the parts up over the steps, and what the errors go on by. On the working
// scale errors, coefficients and bends to come are normal, so that quantiles need no
// simulation; Paths draws what they describe.
func (s *State) Forecast(v panel.SeriesView, out forecast.Rows) error {
	h := len(out.Mean)
	a, err := s.ahead(v, h)
	if err != nil {
		return err
	}
	own, free := 0.0, max(3, min(s.Used-len(a.columns), 1000))
	quiet := len(a.psi) - h
	for i := range quiet {
		own += a.psi[i] * a.psi[i]
	}
	for i := range h {
		_, mu, noise := s.middle(a, i)
		own += a.psi[quiet+i] * a.psi[quiet+i]
		far := float64(i + 1)
		wide := math.Sqrt(s.Errs.Variance()*own*a.lost+s.doubt(a.moved[i], nil)+a.later*far*far*far/3) * noise
		out.Mean[i] = s.Scale.Mean(mu, wide*wide)
		q := out.At(i)
		for g, t := range forecast.Student(free) {
			q[g] = s.Scale.Back(mu + wide*t)
		}
	}
	return nil
}

// doubt is the variance that the coefficients' give to a row of columns, of those alone
// that are taken, or of all.
func (s *State) doubt(row []float64, taken []int) (sum float64) {
	k := len(row)
	if taken == nil {
		for a, x := range row {
			if x == 0 {
				continue
			}
			line := s.Cov[a*k : a*k+k]
			part := 0.0
			for b, c := range line {
				part += float64(c) * row[b]
			}
			sum += x * part
		}
		return max(0, sum)
	}
	for _, a := range taken {
		for _, b := range taken {
			sum += row[a] * float64(s.Cov[a*k+b]) * row[b]
		}
	}
	return max(0, sum)
}

// laterBends is the variance a period of the slope's change in time to come: bends as often
// and as large as those that were found. Their effect on the level h steps ahead has the
// variance of this times h^3 / 3.
func (s *State) laterBends() float64 {
	sum := 0.0
	for k, kind := range s.Kinds {
		if kind == ofTrend && k >= 2 {
			slope := s.Beta[k] / float64(s.Recipe.Length)
			sum += slope * slope
		}
	}
	return sum / float64(s.Recipe.Length)
}

// Paths draws count futures of h steps, path after path, from errors, coefficients and
// bends to come together. The same state draws the same ones whatever the drivers ahead
// are, so that two scenarios differ by their drivers alone.
func (s *State) Paths(v panel.SeriesView, h, count int) ([]float64, error) {
	a, err := s.ahead(v, h)
	if err != nil {
		return nil, err
	}
	k := len(a.columns)
	root := s.covRoot()
	rnd := rand.New(rand.NewPCG(s.seed(), 0x5ce7a210))
	out := make([]float64, count*h)
	z, beta, errs := make([]float64, k), make([]float64, k), make([]float64, len(a.psi))
	sigma := math.Sqrt(s.Errs.Variance() * a.lost)
	free := float64(max(3, min(s.Used-k, 1000)))
	quiet := len(a.psi) - h
	edge, mu, noise := make([]float64, h), make([]float64, h), make([]float64, h)
	for i := range mu {
		edge[i], mu[i], noise[i] = s.middle(a, i)
	}
	for p := range count {
		wide := math.Sqrt(free / num.ChiSquared(free, rnd))
		for i := range z {
			z[i] = rnd.NormFloat64()
		}
		for i := range beta {
			beta[i] = 0
			for j := range i + 1 {
				beta[i] += wide * root[i*k+j] * z[j]
			}
		}
		for i := range errs {
			errs[i] = sigma * wide * rnd.NormFloat64()
		}
		level, slope := 0.0, 0.0
		for i := range h {
			slope += math.Sqrt(a.later) * rnd.NormFloat64()
			level += slope
			x := a.errs[i] + level
			for j := range quiet + i + 1 {
				x += a.psi[j] * errs[quiet+i-j]
			}
			for c := range a.columns {
				x += s.Beta[c]*a.columns[c].values[i] + beta[c]*a.moved[i][c]
			}
			if len(a.over[i]) > 0 {
				x = mu[i] + (x-edge[i])*noise[i]
			}
			out[p*h+i] = s.Scale.Back(x)
		}
	}
	return out, nil
}

// covRoot is the lower Cholesky factor of the coefficients' covariance, row by row.
func (s *State) covRoot() []float64 {
	k := len(s.Beta)
	sym := mat.NewSymDense(k, nil)
	for a := range k {
		for b := a; b < k; b++ {
			sym.SetSym(a, b, float64(s.Cov[a*k+b]))
		}
		// Stored in single precision, and zero where a sign holds: enough to stay definite.
		sym.SetSym(a, a, sym.At(a, a)*(1+1e-6)+1e-14)
	}
	out := make([]float64, k*k)
	var chol mat.Cholesky
	if !chol.Factorize(sym) {
		for a := range k {
			out[a*k+a] = math.Sqrt(sym.At(a, a))
		}
		return out
	}
	var lower mat.TriDense
	chol.LTo(&lower)
	for a := range k {
		for b := range a + 1 {
			out[a*k+b] = lower.At(a, b)
		}
	}
	return out
}

// placesOf are the columns of each part.
func (s *State) placesOf(part string) (out []int) {
	for a, name := range s.Belongs {
		if name == part {
			out = append(out, a)
		}
	}
	return slices.Clip(out)
}

// Outside is what drivers and events bring, over the values of a view that begins where the one
// trained on did, and h periods past them; nil where the series has none.
func (s *State) Outside(v panel.SeriesView, h int) (*model.Outside, error) {
	if len(s.Recipe.Drivers)+len(s.Recipe.Events) == 0 {
		return nil, nil
	}
	n := len(v.Values)
	list, err := s.Recipe.columns(v, -s.Before, n+h-s.Before, -s.Before)
	if err != nil {
		return nil, err
	}
	moves, own := make([]float64, n+h), []int(nil)
	held, beyond := s.beyond(v, list, h)
	for k, c := range list {
		if c.kind == ofEvent || c.kind == ofDriver {
			own = append(own, k)
			for t, x := range c.values {
				if t >= n {
					x = held[k].values[t-n]
				}
				moves[t] += s.Beta[k] * x
			}
		}
	}
	return &model.Outside{
		Take:  func(t int, y float64) float64 { return s.Scale.Moved(y, -moves[t]) },
		Put:   func(t int, y float64) float64 { return s.Scale.Moved(y, moves[t]) * beyond(t) },
		Doubt: func(count int) func(p, step int, y float64) float64 { return s.doubted(list, own, n, h, count) },
	}, nil
}

// beyond gives the columns ahead of a view without what drivers go beyond those seen, and says by what levels are
// multiplied for that; the level that tells is that of late.
func (s *State) beyond(v panel.SeriesView, list []column, h int) (held []column, times func(t int) float64) {
	n := len(v.Values)
	ahead := make([]column, len(list))
	for c := range list {
		ahead[c] = list[c]
		ahead[c].values = list[c].values[n:]
	}
	by := make([]float64, h)
	late := s.Scale.To(num.MeanSize(num.Tail(v.Values, recentColumns)))
	held, over := s.hold(ahead, h)
	for i := range over {
		by[i] = single.Beyond(late, over[i])
	}
	return held, func(t int) float64 {
		if t < n {
			return 1
		}
		return by[t-n]
	}
}

// recentColumns is over how many of the last periods a column ahead is compared with what it was:
// of what it was then, the level has taken up whatever the coefficient has wrong.
const recentColumns = 28

// doubted moves futures by what the coefficients of some columns leave open.
func (s *State) doubted(list []column, own []int, n, h, count int) func(p, step int, y float64) float64 {
	usual := make([]float64, len(own))
	for j, c := range own {
		for t := max(0, n-recentColumns); t < n; t++ {
			usual[j] += list[c].values[t] / float64(min(n, recentColumns))
		}
	}
	k, root := len(list), s.covRoot()
	rnd := rand.New(rand.NewPCG(s.seed(), 0x0d0b))
	moves, z := make([]float64, count*h), make([]float64, k)
	for p := range count {
		for i := range z {
			z[i] = rnd.NormFloat64()
		}
		for j, c := range own {
			beta := 0.0
			for i := range c + 1 {
				beta += root[c*k+i] * z[i]
			}
			for step := range h {
				moves[p*h+step] += beta * (list[c].values[n+step] - usual[j])
			}
		}
	}
	return func(p, step int, y float64) float64 { return s.Scale.Moved(y, moves[p*h+step]) }
}
