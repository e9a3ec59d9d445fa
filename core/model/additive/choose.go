package additive

import (
	"context"
	"fmt"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/arima"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// variant is a way to settle one thing that the settings leave open.
type variant struct {
	name   string // the same for the same way in every series
	method Method
	cost   float64 // by how much more than others it must beat the first
}

// stage settles one thing. The first variant is the one to keep to where inner windows don't tell; as a rule it is what the
// method did before the stage, so that its loss is known.
type stage struct {
	what     string
	variants func(m Method, in single.Input) []variant
	// late stages are settled by the late part of a long history, since how much of it is worth learning from is not known
	// yet, and what the oldest part says costs most.
	late bool
	// anew stages fit again on the way through inner windows that reach far: a level that keeps to its trend is not to be
	// blamed for being that of long ago.
	anew bool
}

// stages settle one thing after another: whether there is a season that the calendar does not
// know, whether the level keeps to the trend or wanders, whether parts add or multiply,
// whether there is a slope, how much of the history is worth learning from, and whether a
// season that was seen a few times only is worth having.
var stages = []stage{
	{what: "the season", variants: found, late: true}, {what: "the level", variants: levels, late: true, anew: true},
	{what: "the scale", variants: scales, late: true}, {what: "how drivers act", variants: zeroDrivers, late: true},
	{what: "the lines of drivers", variants: bentDrivers, late: true}, {what: "the trend", variants: trends, late: true},
	{what: "the memory", variants: memories}, {what: "the profile of the day", variants: profiles},
	{what: "the longest season", variants: years},
}

// A late part holds a few years, or more rounds of a shorter season where that is the longest: a few weeks of hours say too
// little.
const (
	lateYears  = 5
	lateRounds = 26
	aYear      = 300 // periods, at the least, of a longest season that is one of the year
)

// lateLength is of the late part that tells of late stages.
func lateLength(in single.Input) int {
	if in.Rounds(1) >= aYear {
		return in.Rounds(lateYears)
	}
	return in.Rounds(lateRounds)
}

// lately are variants that learn from the late part alone of a history that is half as long again.
func lately(list []variant, in single.Input) ([]variant, bool) {
	length := lateLength(in)
	if len(list) == 0 || list[0].method.Memory != 0 || 2*len(in.Values) < 3*length {
		return list, false
	}
	out := slices.Clone(list)
	for k := range out {
		out[k].method.Memory = length
	}
	return out, true
}

func levels(m Method, in single.Input) []variant {
	if m.Level != "" {
		return nil
	}
	if m.Trend == "saturating" || len(m.Growing) > 0 || m.Trend == "bending" {
		m.Level = steady
		return []variant{{name: "a steady trend", method: m}}
	}
	wander, still := m, m
	wander.Level, still.Level = wandering, steady
	return []variant{{name: "a level that wanders", method: wander}, {name: "a steady trend", method: still}}
}

func scales(m Method, in single.Input) []variant {
	if low, _ := extent(in.Values); m.Parts != "" || m.Trend == "saturating" || low < 0 || mostlyZero(in.Values) {
		return nil
	}
	add, multiply := m, m
	add.Parts, multiply.Parts = "add", "multiply"
	list := []variant{{name: "parts that add", method: add}, {name: "parts that multiply", method: multiply}}
	if !single.OftenZero(in.Values) && arima.SteadierInLogs(in) {
		slices.Reverse(list)
	}
	return list
}

// mostlyZero says that more than half of the known values are zero: what is usual is then no
// demand at all, of which logs make more than there is to it.
func mostlyZero(values []float64) bool {
	zeros := 0
	for _, v := range values {
		if v == 0 {
			zeros++
		}
	}
	return 2*zeros > panel.CountKnown(values)
}

// zeroDrivers are drivers with zeros as they are, or in logs.
func zeroDrivers(m Method, in single.Input) []variant {
	if !m.Drivers || m.ZeroLogs || m.Parts != "multiply" {
		return nil
	}
	for d, driver := range in.View().Drivers() {
		if driver.KnownAhead && single.ZeroShift(in.Driver(d, len(in.Values))) > 0 {
			logs := m
			logs.ZeroLogs = true
			return []variant{{name: "drivers with zeros as they are", method: m}, {name: "drivers with zeros in logs", method: logs}}
		}
	}
	return nil
}

func trends(m Method, _ single.Input) []variant {
	if m.Trend != "" {
		return nil
	}
	flat := m
	flat.Trend = "flat"
	return []variant{{name: "a trend as the data show", method: m}, {name: "a flat trend", method: flat}}
}

// memories are all of the history, and parts of it that hold several rounds of its longest
// season.
func memories(m Method, in single.Input) []variant {
	if m.Memory != 0 {
		return nil
	}
	n := len(in.Values)
	m.Memory = n
	out := []variant{{name: "all of the history", method: m}}
	for _, length := range in.Memories(n) {
		m.Memory = length
		out = append(out, variant{name: fmt.Sprintf("the last %d periods", length), method: m})
	}
	return out
}

// profiles are one profile of the day, or one of working days and one of weekends.
func profiles(m Method, in single.Input) []variant {
	if m.Seasons != nil {
		return nil
	}
	list, _ := seasonsOf(in.Cadence(), panel.CountKnown(in.Values), nil)
	if len(list) < 2 || list[0].Name != "day" || len(in.Values) < 4*int(list[1].Period) {
		return nil
	}
	apart := m
	apart.Seasons = []wish{{name: "day", pairs: -1, when: &Condition{Text: "weekend", Weekend: true}}}
	for _, s := range list[1:] {
		apart.Seasons = append(apart.Seasons, wish{name: s.Name, pairs: -1})
	}
	return []variant{{name: "one profile of the day", method: m}, {name: "a profile of the day for weekends", method: apart}}
}

// years are the seasons of the cadence, and those without the longest.
func years(m Method, in single.Input) []variant {
	if m.Seasons != nil {
		return nil
	}
	list, _ := seasonsOf(in.Cadence(), min(panel.CountKnown(in.Values), max(m.Memory, 1)), nil)
	if len(list) == 0 || in.Yearless {
		return nil
	}
	last := list[len(list)-1]
	out := []variant{{name: "with the season of the " + last.Name, method: m}}
	m.Seasons = []wish{}
	for _, s := range list[:len(list)-1] {
		m.Seasons = append(m.Seasons, wish{name: s.Name, pairs: -1})
	}
	return append(out, variant{name: "without the season of the " + last.Name, method: m})
}

// wishes are the seasons that were set; without the year, where that was taken out, those of the cadence that are left.
func (m Method) wishes(in single.Input) []wish {
	if m.Seasons != nil || !in.Yearless {
		return m.Seasons
	}
	out := []wish{}
	for _, name := range seasonNames(in.Cadence().Unit)[:len(in.Seasons())] {
		out = append(out, wish{name: name, pairs: -1})
	}
	return out
}

// found are the seasons as they are, and with one that the calendar does not know.
func found(m Method, in single.Input) []variant {
	period, usual := in.Season(), in.Cadence().Season()
	if period == usual && usual > mostLevels {
		period = panel.FindWithin(in.Values, usual)
	}
	if m.Seasons != nil || period == usual || period == 0 {
		return nil
	}
	out := []variant{{name: "seasons of the calendar", method: m}}
	list, _ := seasonsOf(in.Cadence(), panel.CountKnown(in.Values), m.wishes(in))
	for _, s := range list {
		m.Seasons = append(m.Seasons, wish{name: s.Name, pairs: -1})
	}
	own := wish{name: fmt.Sprintf("season of %d", period), period: float64(period), pairs: -1}
	m.Seasons = append(slices.Clip(m.Seasons), own)
	return append(out, variant{name: "a season that the calendar does not know", method: m}, variant{name: "that season alone", method: with(m, own)})
}

func with(m Method, w wish) Method {
	m.Seasons = []wish{w}
	return m
}

// The choice of a series leans on how the variants did on the others: ownSay is the weight of
// its own inner windows, and prefer by how much a later variant must beat the first.
const (
	ownSay = 0.2
	prefer = 0.01
)

// sampled is how many series are asked.
var sampled = num.Budget{Values: 30_000, Least: 40, Most: 100}

// choose settles what is open for each series. The inner windows of all of them tell, or of
// some where they are many.
func (m Method) choose(ctx context.Context, inputs []single.Input, env model.Env) ([]Method, error) {
	workers := env.Workers
	n := len(inputs)
	methods := slices.Repeat([]Method{m}, n)
	for i, in := range inputs {
		if in.Seasonless {
			methods[i].Seasons = []wish{}
		}
	}
	values := 0
	for _, in := range inputs {
		values += len(in.Values)
	}
	asked := make([]bool, n)
	for _, i := range sampled.Of(n, values) {
		asked[i] = true
	}
	known := slices.Repeat([]float64{panel.Unknown}, n) // losses of the methods as they are
	tallies := make([]single.Tally, n)
	partly := make([]bool, n) // they are of the late part alone
	for k, stage := range stages {
		env.Tell(float64(k)/float64(len(stages)), "choosing "+stage.what)
		lists, losses, told := make([][]variant, n), make([][]float64, n), make([][]single.Tally, n)
		err := num.Each(ctx, workers, n, func(i int) {
			lists[i] = stage.variants(methods[i], inputs[i])
			if len(lists[i]) > 0 && (len(lists[i]) == 1 || lists[i][0].method.Parts != methods[i].Parts) {
				known[i] = panel.Unknown // the first variant need not be what was tried before
			}
			if len(lists[i]) > 1 && asked[i] {
				list, part := lists[i], false
				if stage.late {
					list, part = lately(list, inputs[i])
				}
				anew := stage.anew && goesStale(inputs[i])
				if !part && partly[i] || anew {
					known[i] = panel.Unknown
				}
				partly[i] = part
				if anew {
					losses[i] = trialAnew(ctx, inputs[i], list)
				} else {
					losses[i], told[i] = trial(ctx, inputs[i], list, known[i], tallies[i])
				}
			}
		})
		if err != nil {
			return nil, err
		}
		pooled := pool(lists, losses)
		for i, list := range lists {
			if len(list) == 0 {
				continue
			}
			at := pick(list, losses[i], pooled, n > 1)
			if told[i] != nil {
				// How wide intervals must be is told by what all chose: by what a series chose itself its windows look better
				// than others will.
				known[i], tallies[i] = losses[i][at], told[i][pick(list, nil, pooled, n > 1)]
			}
			methods[i] = list[at].method
			methods[i].trials = append(slices.Clip(methods[i].trials), model.Candidate{Form: list[at].name})
		}
	}
	for i, part := range partly {
		if part {
			known[i] = panel.Unknown
		}
	}
	return methods, widen(ctx, methods, inputs, known, tallies, asked, env)
}

// widen tells each method by how much its intervals are to be widened: by what the inner
// windows of all series asked for, and those of its own.
func widen(ctx context.Context, methods []Method, inputs []single.Input, known []float64, tallies []single.Tally, asked []bool, env model.Env) error {
	err := num.Each(ctx, env.Workers, len(methods), func(i int) {
		if asked[i] && !panel.Known(known[i]) {
			_, told := trial(ctx, inputs[i], []variant{{method: methods[i]}}, panel.Unknown, single.Tally{})
			tallies[i] = told[0]
		}
	})
	all := single.Pooled(tallies).RankedBy(env.Judge)
	windows := single.Apart(inputs, env.Horizon)
	for i := range methods {
		methods[i].widening = tallies[i].Toward(all).Learnt(windows, freedom)
		if untold := single.Untold(inputs[i]); all.Steps == 0 && untold.Near > methods[i].widening.Near {
			methods[i].widening = untold
		}
	}
	return err
}

// freedom is how many parameters' worth the regression is learnt freely where there is little to learn from,
// and what chooses its form with it.
const freedom = 2

// pool is the mean over the series of the log of each variant's error next to the first's.
func pool(lists [][]variant, losses [][]float64) map[string]float64 {
	sums, counts := map[string]float64{}, map[string]float64{}
	for i, own := range losses {
		for k := range own {
			if r := ratio(own, k); panel.Known(r) {
				sums[lists[i][k].name] += r
				counts[lists[i][k].name]++
			}
		}
	}
	for name, n := range counts {
		sums[name] /= n
	}
	return sums
}

// ratio is the log of a variant's error next to the first's.
func ratio(losses []float64, k int) float64 {
	if losses == nil {
		return panel.Unknown
	}
	return single.Ratio(losses[k], losses[0])
}

// pick is the place of the variant to take.
func pick(list []variant, own []float64, pooled map[string]float64, others bool) int {
	best, least := 0, 0.0
	for k, v := range list {
		score, told := pooled[v.name]
		if r := ratio(own, k); panel.Known(r) {
			if score = ownSay*r + (1-ownSay)*score; !others {
				score = r
			}
			told = true
		}
		score += v.cost
		if told && k > 0 && score < least-prefer {
			best, least = k, score
		}
	}
	return best
}

// trial gives the mean absolute errors of variants on inner windows, with what these say of
// their widths; unknown where one fails or there is no room. That of the first may be known.
func trial(ctx context.Context, in single.Input, list []variant, first float64, its single.Tally) ([]float64, []single.Tally) {
	out, tallies := slices.Repeat([]float64{panel.Unknown}, len(list)), make([]single.Tally, len(list))
	t, ok := single.TrialOf(in)
	if !ok {
		return out, tallies
	}
	for k, v := range list {
		if ctx.Err() != nil {
			break
		}
		if k == 0 && panel.Known(first) {
			out[k], tallies[k] = first, its
			continue
		}
		if state, err := v.method.fit(ctx, t.Early(in)); err == nil {
			state.free = true // a form that has to be held is none to prefer
			out[k], tallies[k] = t.Run(state, in)
		}
	}
	return out, tallies
}

// stale is how many horizons a fit may be old in the last inner window.
const stale = 3

// goesStale says that the last inner window lies so far after the first that what was fitted before that is no longer what
// would be fitted.
func goesStale(in single.Input) bool {
	t, ok := single.TrialOf(in)
	return ok && (t.Windows-1)*t.Stride > stale*t.Horizon
}

// fits is how often variants are fitted on the way through the inner windows where they are fitted anew.
const fits = 3

// trialAnew gives the mean absolute errors of variants on inner windows, on the way through which they are fitted anew.
func trialAnew(ctx context.Context, in single.Input, list []variant) []float64 {
	out := slices.Repeat([]float64{panel.Unknown}, len(list))
	t, ok := single.TrialOf(in)
	if !ok {
		return out
	}
	for k, v := range list {
		sum, windows := 0.0, 0.0
		for _, part := range t.Parts(fits) {
			if ctx.Err() != nil {
				return out
			}
			state, err := v.method.fit(ctx, part.Early(in))
			if err != nil {
				sum = panel.Unknown
				break
			}
			state.free = true
			sum += part.Loss(state, in) * float64(part.Windows)
			windows += float64(part.Windows)
		}
		out[k] = sum / windows
	}
	return out
}
