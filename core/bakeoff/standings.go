package bakeoff

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"paperkettle/core/score"
)

// Standing is one contender's line in the standings of a slice.
type Standing struct {
	Rank      int
	Contender string
	Points    int
	Filled    int
	Values    []float64 // in the order of Standings.Metrics, NaN where unknown
	Skill     float64   // on the ranking metric, NaN where it has none
	Over      *Over     // of the whole alone
}

// Over tells how a contender does over the series, on the ranking metric.
type Over struct {
	Mean, Median float64 // of the series' values
	MeanRank     float64 // 1 is best; equals share their mean rank
	Won          float64 // share of series on which no contender is better
	Beats        float64 // share of series on which it is better than the baseline
	Weighted     []float64
	Train        []float64 // within the training parts, one step ahead
	// Behind is the 95 % interval of its metric less the leader's; LikeLeader says that
	// it holds zero, or that a test finds no difference at 5 %.
	Behind     score.Between
	P          float64 // of that test where series are few
	LikeLeader bool
}

// Slice is a part of the assessed points with its own ranking.
type Slice struct {
	Name string // "" for the whole
	Rows []Standing
}

// Standings are the ranked result of a bake-off, whole or cut.
type Standings struct {
	Metric   string
	Weighted bool // the ranking is by the metric's weighted values
	Baseline string
	Per      string
	Metrics  []score.Metric
	Slices   []Slice
	// Of the whole alone: the metric that choosing each series' best contender afterwards
	// would give, the distance of mean ranks that counts, and how many series there are.
	Hindsight        float64
	CriticalDistance float64
	Series           int
	Newcomers        *Newcomers // nil where there are none
}

// Rank reads the standings by a metric; empty means the plan's.
func (t *Tally) Rank(metric string) (*Standings, error) {
	if metric == "" {
		metric = t.e.Plan.Metric
	}
	m, err := FindRanking(metric, &t.e.Plan)
	if err != nil {
		return nil, asked("metric", err)
	}
	m.Weighted = m.Weighted && t.per == ""
	out := &Standings{Metric: m.Name, Weighted: m.Weighted, Baseline: t.e.Plan.Baseline, Per: t.per, Metrics: t.metrics, Hindsight: math.NaN(),
		CriticalDistance: math.NaN()}
	base := t.e.Plan.Contender(t.e.Plan.Baseline)
	for i, name := range t.names {
		out.Slices = append(out.Slices, Slice{name, t.rankSlice(i, base, m)})
	}
	t.arrange(out.Slices)
	if t.per == "" && len(out.Slices) == 1 {
		t.over(out, m.Metric, base)
		out.Newcomers = t.newcomers()
	}
	return out, nil
}

// arrange sorts slices by the order that their cuts have, or by name.
func (t *Tally) arrange(slicesOf []Slice) {
	places := make([]map[string]int, len(t.cuts))
	for i, c := range t.cuts {
		places[i] = map[string]int{}
		for k, name := range c.order {
			places[i][name] = k
		}
	}
	slices.SortStableFunc(slicesOf, func(a, b Slice) int {
		as, bs := strings.SplitN(a.Name, CutSeparator, len(t.cuts)), strings.SplitN(b.Name, CutSeparator, len(t.cuts))
		for i := range t.cuts {
			if i >= len(as) || i >= len(bs) {
				break
			}
			if c := cmp.Or(cmp.Compare(places[i][as[i]], places[i][bs[i]]), cmp.Compare(as[i], bs[i])); c != 0 {
				return c
			}
		}
		return 0
	})
}

func (t *Tally) rankSlice(i, base int, m Ranking) []Standing {
	rows := make([]Standing, len(t.e.Plan.Contenders))
	order := make(map[string]float64, len(rows))
	absolute := make(map[string]float64, len(rows)) // settles the order of equals, not their rank
	for c := range rows {
		acc := &t.accs[i][c]
		own, other := m.Value(acc), m.Value(&t.accs[i][base])
		if m.Weighted {
			own, other = t.weighed(c, m.Metric), t.weighed(base, m.Metric)
		}
		skill := math.NaN()
		if m.HasSkill() {
			skill = score.Skill(own, other)
		}
		name := t.e.Plan.Contenders[c].Name
		order[name] = m.Order(own)
		absolute[name] = acc.SumAbs
		rows[c] = Standing{Contender: name, Points: int(acc.N), Filled: t.filled[i][c], Values: t.values(acc), Skill: skill}
	}
	mostly := t.mostlyFilled
	slices.SortStableFunc(rows, func(a, b Standing) int {
		return cmp.Or(cmp.Compare(mostly(&a), mostly(&b)), cmp.Compare(order[a.Contender], order[b.Contender]),
			cmp.Compare(absolute[a.Contender], absolute[b.Contender]))
	})
	for r := range rows {
		rows[r].Rank = r + 1
		if r > 0 && order[rows[r].Contender] == order[rows[r-1].Contender] {
			rows[r].Rank = rows[r-1].Rank
		}
		if mostly(&rows[r]) > 0 {
			rows[r].Rank = 0
		}
	}
	return rows
}

// weighed is the weighted mean of a contender's metric over series and windows.
func (t *Tally) weighed(c int, m score.Metric) float64 {
	k := slices.IndexFunc(t.metrics, func(x score.Metric) bool { return x.Name == m.Name })
	return t.weighted[c].values[k] / t.weighted[c].weights[k]
}

// mostlyFilled is 1 for a contender whose figures are mostly the fallback's: it comes last,
// without a rank.
func (t *Tally) mostlyFilled(r *Standing) int {
	c := t.e.Plan.Contender(r.Contender)
	if t.e.Plan.Fallback != LeaveOut && 2*t.failed[c] > t.placed[c] {
		return 1
	}
	return 0
}

func (t *Tally) values(acc *score.Acc) []float64 {
	out := make([]float64, len(t.metrics))
	for j, metric := range t.metrics {
		out[j] = metric.Value(acc)
	}
	return out
}

// over fills in what the whole tells over its series.
func (t *Tally) over(out *Standings, m score.Metric, base int) {
	rows := out.Slices[0].Rows
	values, ranks := t.seriesValues(m)
	for _, v := range values[0] {
		if v == v {
			out.Series++
		}
	}
	out.CriticalDistance = score.CriticalDistance(len(t.e.Plan.Contenders), len(ranks))
	out.Hindsight = t.hindsight(m, values)
	lead := t.e.Plan.Contender(rows[0].Contender)
	var behind []score.Between
	if !out.Weighted { // luck is told of points that count alike
		behind = t.behind(m, lead)
	}
	for i := range rows {
		c := t.e.Plan.Contender(rows[i].Contender)
		o := &Over{Mean: mean(values[c]), Median: median(values[c]), MeanRank: math.NaN(),
			Train: trainValues(t.values(&t.train[c]), t.metrics, &t.train[c]), P: math.NaN(), Behind: score.Between{Low: math.NaN(), High: math.NaN()}}
		o.rank(m, values, ranks, c, base)
		if behind != nil {
			o.Behind = behind[c]
			o.LikeLeader = c == lead || o.Behind.Low <= 0
		} else if p, ok := t.testFew(c, lead); ok && !out.Weighted {
			o.P, o.LikeLeader = p, c == lead || !(p < 0.05)
		}
		for k := range t.weighted[c].values {
			o.Weighted = append(o.Weighted, t.weighted[c].values[k]/t.weighted[c].weights[k])
		}
		rows[i].Over = o
	}
}

// trainValues are the metrics of plain and scaled errors; the others are not known of
// training parts.
func trainValues(values []float64, metrics []score.Metric, acc *score.Acc) []float64 {
	for i, m := range metrics {
		if !m.KnownInTraining() || acc.N == 0 {
			values[i] = math.NaN()
		}
	}
	return values
}

// seriesValues gives every contender's metric on every series, and the ranks of the
// contenders on each series that all have a value for.
func (t *Tally) seriesValues(m score.Metric) (values, ranks [][]float64) {
	values = make([][]float64, len(t.e.Plan.Contenders))
	for c := range values {
		values[c] = make([]float64, len(t.e.Chosen))
		for s := range values[c] {
			values[c][s] = m.Value(&t.bySeries[c][s])
		}
	}
	for s := range t.e.Chosen {
		one := make([]float64, len(values))
		known := true
		for c := range values {
			one[c] = m.Order(values[c][s])
			known = known && values[c][s] == values[c][s]
		}
		if known {
			ranks = append(ranks, score.Ranks(one))
		}
	}
	return values, ranks
}

func (o *Over) rank(m score.Metric, values, ranks [][]float64, c, base int) {
	if len(ranks) > 0 {
		sum := 0.0
		for _, r := range ranks {
			sum += r[c]
		}
		o.MeanRank = sum / float64(len(ranks))
	}
	n := 0.0
	for s, v := range values[c] {
		if v != v {
			continue
		}
		n++
		best := true
		for k := range values {
			best = best && !(m.Order(values[k][s]) < m.Order(v))
		}
		if best {
			o.Won++
		}
		if m.Order(v) < m.Order(values[base][s]) {
			o.Beats++
		}
	}
	o.Won /= n
	o.Beats /= n
}

// hindsight is the metric of choosing each series' best contender after the fact, among
// those that make their own forecasts.
func (t *Tally) hindsight(m score.Metric, values [][]float64) float64 {
	whole := score.NewAcc(len(t.e.Plan.Levels))
	for s := range t.e.Chosen {
		best := -1
		for c := range values {
			if t.e.Lineup.combines(c) == nil && values[c][s] == values[c][s] && (best < 0 || m.Order(values[c][s]) < m.Order(values[best][s])) {
				best = c
			}
		}
		if best >= 0 {
			whole.Merge(&t.bySeries[best][s])
		}
	}
	return m.Value(&whole)
}

// behind are the intervals of each contender's metric less the leader's; nil where series are
// too few or the metric is no ratio of sums.
func (t *Tally) behind(m score.Metric, lead int) []score.Between {
	scored := 0
	for s := range t.e.Chosen {
		if t.bySeries[lead][s].N > 0 {
			scored++
		}
	}
	if scored < fewSeries || t.cells == nil || t.cellsBy.Name != m.Name {
		return nil
	}
	out := make([]score.Between, len(t.cells))
	for c := range out {
		out[c] = score.Difference(t.cells[c], t.cells[lead], m.Ratio, m.Order)
	}
	return out
}

// testFew tests the mean absolute errors of a contender and the leader, window by window, as
// means over the few series, each in units of its leader's mean.
func (t *Tally) testFew(c, lead int) (p float64, ok bool) {
	a, b := make([]float64, len(t.e.Windows)), make([]float64, len(t.e.Windows))
	counts := make([]float64, len(a))
	for s := range t.means[lead] {
		unit := mean(t.means[lead][s])
		if !(unit > 0) {
			continue
		}
		for w := range a {
			if x, y := t.means[c][s][w]/unit, t.means[lead][s][w]/unit; x == x && y == y {
				a[w], b[w], counts[w] = a[w]+x, b[w]+y, counts[w]+1
			}
		}
	}
	for w, n := range counts {
		a[w], b[w] = a[w]/n, b[w]/n // unknown where no series is
	}
	got, err := score.TestWindows(t.e.lone(a), t.e.lone(b))
	return got.P, err == nil && got.P == got.P
}

func absolute(x []float64) []float64 {
	out := make([]float64, len(x))
	for i, v := range x {
		out[i] = math.Abs(v)
	}
	return out
}

// mean of the known values.
func mean(x []float64) float64 {
	sum, n := 0.0, 0.0
	for _, v := range x {
		if v == v {
			sum += v
			n++
		}
	}
	return sum / n
}

func median(x []float64) float64 {
	known := make([]float64, 0, len(x))
	for _, v := range x {
		if v == v {
			known = append(known, v)
		}
	}
	if len(known) == 0 {
		return math.NaN()
	}
	slices.Sort(known)
	return (known[(len(known)-1)/2] + known[len(known)/2]) / 2
}

// Keep drops the values of every metric but one.
func (s *Standings) Keep(metric string) {
	at := slices.IndexFunc(s.Metrics, func(m score.Metric) bool { return m.Name == metric })
	s.Metrics = s.Metrics[at : at+1]
	for _, slice := range s.Slices {
		for i := range slice.Rows {
			slice.Rows[i].Values = slice.Rows[i].Values[at : at+1]
		}
	}
	s.Newcomers = nil // of whose figures that one need not be known
}

// Ranked gives, for a standings cut by series, each series' contenders among those that are
// allowed, the leading one first.
func (s *Standings) Ranked(allowed func(contender string) bool) map[string][]string {
	out := make(map[string][]string, len(s.Slices))
	for _, sl := range s.Slices {
		for _, r := range sl.Rows {
			if allowed(r.Contender) {
				out[sl.Name] = append(out[sl.Name], r.Contender)
			}
		}
	}
	return out
}
