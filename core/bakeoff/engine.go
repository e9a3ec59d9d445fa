package bakeoff

import (
	"errors"
	"fmt"
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/core/split"
)

// ShardSize is how many of the chosen series a shard spans. It is fixed, since stored
// results are laid out by it.
const ShardSize = 64

// MinKnown is the fewest known values a training part may have: below it no
// interval can be given.
const MinKnown = 2

// Engine is a plan made ready to run on a panel. It is safe for concurrent use.
type Engine struct {
	Panel     *panel.Panel
	Plan      Plan
	Windows   []split.Window
	Chosen    []int   // the series that the filter keeps
	Qualified [][]int // for each window the series that take part, in the order of Chosen
	SetAside  []SetAside
	Lineup    *Lineup
	places    [][]int32 // for each window, of each place in Chosen its place in Qualified, or -1
	chosenAt  map[int]int
	bunch     []int       // of each window, the bunch of overlapping ones that it is in
	alone     []bool      // of each window, whether it is its bunch's own
	ends      map[int]int // for each chosen series the axis' length up to its last known value; nil where windows are for all
	scaled    *scaleCache
	fillings  panel.Fillings
	units     []panel.UnitChange
	beside    *panel.Neighbours // nil where their drivers are not seen
	carried   []panel.Carried
	before    rehearsals
	holes     holeCount
}

// SetAside is a series that takes no part in a window, with the reason.
type SetAside struct {
	Series int    `json:"-"`
	Key    string `json:"series"`
	Window int    `json:"window"`
	Reason string `json:"reason"`
}

// Task names one piece of work: a contender on a shard of series, from the window at
// which its model is trained up to the next such window, or all windows where it combines
// others. Window and Contender are indices from 0.
type Task struct{ Window, Contender, Shard int }

// String names the task, as ParseTask reads it.
func (t Task) String() string { return fmt.Sprintf("w%d/c%d/s%d", t.Window, t.Contender, t.Shard) }

// ParseTask reads a task's name.
func ParseTask(text string) (t Task, err error) {
	if _, err = fmt.Sscanf(text, "w%d/c%d/s%d", &t.Window, &t.Contender, &t.Shard); err != nil {
		err = fmt.Errorf("no task is called %q", text)
	}
	return t, err
}

// Filled is a series on which a contender failed; the fallback stands in, or the series
// is left out of its scores.
type Filled struct {
	Series  string `json:"series"`
	Reason  string `json:"reason"`
	LeftOut bool   `json:"left_out,omitempty"`
}

// TaskResult is what a task made of one shard in one window. Packed holds one forecast record a
// series of the shard, in order; Series and Steps hold the sums of scores for each
// series and, over the shard, for each step; Train those of the fits within the training
// parts, one step ahead, where the models tell. Errors holds the forecast less the actual
// for each series and step, NaN where unknown.
type TaskResult struct {
	Window int
	Shard  int
	Packed []byte
	Series []score.Acc
	Steps  []score.Acc
	Train  score.Acc
	Errors []float64
	Filled []Filled
	Tuned  *Tuned
	// Found says in a few words what the contender found for each series, where this is the last
	// window that it is trained for.
	Found []string
	// Newcomers are the series of the window that are assessed apart, in the result of its first shard.
	Newcomers []Newcomer
	Held      int64 // bytes that the fits to the shard's series take in writing, where it was measured
}

// Prepare completes and checks a plan, lays its windows on the panel and finds
// which series take part in each.
func Prepare(p *panel.Panel, plan Plan, cat model.Catalogue) (*Engine, error) {
	if err := plan.Complete(cat); err != nil {
		return nil, err
	}
	e := &Engine{Panel: p, Plan: plan, scaled: &scaleCache{}}
	var err error
	if e.Chosen, err = p.Where(plan.Where); err != nil {
		return nil, &FieldError{"where", err}
	}
	if len(e.Chosen) == 0 {
		return nil, &FieldError{"where", errors.New("no series has all the attribute values of the filter")}
	}
	if err := e.lay(); err != nil {
		return nil, &FieldError{"split", err}
	}
	e.bunch, e.alone = bunches(e.Windows)
	e.Panel = plan.seen(p, e.Windows[0].Origin)
	p = e.Panel
	var fallback model.Model
	if plan.Fallback != LeaveOut {
		if fallback, _, err = cat.New(plan.Fallback, nil); err == nil {
			err = cat.CheckCadence(plan.Fallback, nil, p.Cadence)
		}
		if err != nil {
			return nil, &FieldError{"fallback", err}
		}
	}
	if weights, err := panel.ParseWeights(plan.Weights); err != nil || weights.Check(p) != nil {
		return nil, &FieldError{"weights", errors.Join(err, weights.Check(p))}
	}
	if err := panel.CheckAhead(p, plan.Ahead); err != nil {
		return nil, &FieldError{"drivers_ahead", err}
	}
	if e.fillings, err = panel.ParseFillings(p, plan.Gaps); err != nil {
		return nil, &FieldError{"driver_gaps", err}
	}
	e.units = p.UnitChanges(e.fillings)
	e.Panel = p.WithUnits(e.units)
	if err := e.findInfluence(); err != nil {
		return nil, err
	}
	if e.Lineup, err = newLineup(&e.Plan, cat, e.whole(), e.Reach()); err != nil {
		return nil, err
	}
	e.Lineup.fallback = fallback
	e.qualify()
	for _, q := range e.Qualified {
		if len(q) > 0 {
			return e, e.checkHoles()
		}
	}
	return nil, &FieldError{"split", fmt.Errorf("no series can take part in any window: %s, for one, %s", e.SetAside[0].Key, e.SetAside[0].Reason)}
}

// lay lays the windows, from the end of the data or from those of the chosen series.
func (e *Engine) lay() (err error) {
	if e.Plan.Split.Ends != split.OwnEnds {
		e.Windows, err = split.Make(e.Plan.Split, e.Panel.Length)
		return err
	}
	lengths := make([]int, len(e.Chosen))
	e.ends = make(map[int]int, len(e.Chosen))
	for k, s := range e.Chosen {
		lengths[k] = lastKnown(&e.Panel.Series[s]) + 1
		e.ends[s] = lengths[k]
	}
	e.Windows, err = split.MakeOwn(e.Plan.Split, slices.DeleteFunc(lengths, func(n int) bool { return n == 0 }))
	return err
}

// lastKnown is the axis index of a series' last known value, or -1.
func lastKnown(s *panel.Series) int {
	for i := s.End() - 1; i >= s.First; i-- {
		if panel.Known(s.At(i)) {
			return i
		}
	}
	return -1
}

// isFor says whether a window is for a series: not where it counts back from another's end.
func (e *Engine) isFor(series int, w split.Window) bool { return w.End == 0 || w.End == e.ends[series] }

// LastWindow is the last window that a series takes part in, or -1.
func (e *Engine) LastWindow(series int) int {
	at, ok := e.chosenAt[series]
	for w := len(e.Windows) - 1; ok && w >= 0; w-- {
		if e.places[w][at] >= 0 {
			return w
		}
	}
	return -1
}

// view shows series as a contender sees them at a window's origin.
func (e *Engine) view(series []int, w split.Window) panel.View {
	v := panel.NewView(e.Panel, series, w.TrainFirst, w.Origin)
	if len(e.Panel.Drivers) == 0 {
		return v
	}
	return v.WithAhead(e.Plan.Ahead, e.Reach()).WithFillings(e.fillings).WithNeighbours(e.beside).WithCarried(e.carried)
}

// whole shows all series that the plan keeps, up to the end of the data.
func (e *Engine) whole() panel.View {
	return e.view(e.Chosen, split.Window{Origin: e.Panel.Length - 1})
}

func (e *Engine) qualify() {
	e.Qualified = make([][]int, len(e.Windows))
	e.places = make([][]int32, len(e.Windows))
	e.chosenAt = make(map[int]int, len(e.Chosen))
	for at, s := range e.Chosen {
		e.chosenAt[s] = at
	}
	for i, w := range e.Windows {
		e.places[i] = make([]int32, len(e.Chosen))
		for at, s := range e.Chosen {
			e.places[i][at] = -1
			if !e.isFor(s, w) {
				continue
			}
			if reason := e.disqualify(s, w); reason != "" {
				e.SetAside = append(e.SetAside, SetAside{s, e.Panel.Series[s].Key, w.Index, reason})
				continue
			}
			e.places[i][at] = int32(len(e.Qualified[i]))
			e.Qualified[i] = append(e.Qualified[i], s)
		}
	}
	e.leaveShort()
}

// leaveShort sets aside the series that end too early for windows of their own.
func (e *Engine) leaveShort() {
	if e.ends == nil {
		return
	}
	laid := map[int]bool{}
	for _, w := range e.Windows {
		laid[w.End] = true
	}
	for _, s := range e.Chosen {
		if !laid[e.ends[s]] {
			e.SetAside = append(e.SetAside, SetAside{s, e.Panel.Series[s].Key, 0,
				fmt.Sprintf("ends too early for %d of its own: its last known value is of %s", e.Plan.Split.Windows, e.endName(s))})
		}
	}
}

func (e *Engine) endName(series int) string {
	if e.ends[series] == 0 {
		return "no period at all"
	}
	return e.Panel.Period(e.ends[series] - 1)
}

func (e *Engine) disqualify(series int, w split.Window) string {
	s := &e.Panel.Series[series]
	if n := knownBetween(s, w.TrainFirst, w.Origin, MinKnown); n < MinKnown {
		return fmt.Sprintf("has %s up to the origin %s, and training needs at least %d", knownValues(n), e.Panel.Period(w.Origin), MinKnown)
	}
	if knownBetween(s, w.AssessFirst(), w.AssessLast, 1) == 0 {
		return fmt.Sprintf("has no known value from %s to %s to be assessed on", e.Panel.Period(w.AssessFirst()), e.Panel.Period(w.AssessLast))
	}
	return ""
}

func knownValues(n int) string {
	if n == 1 {
		return "1 known value"
	}
	return fmt.Sprintf("%d known values", n)
}

// knownBetween counts known values on axis indices from..to, up to enough.
func knownBetween(s *panel.Series, from, to, enough int) (n int) {
	for i := max(from, s.First); i <= min(to, s.End()-1) && n < enough; i++ {
		if panel.Known(s.At(i)) {
			n++
		}
	}
	return n
}

// Tasks lists all pieces of work in a fixed order: window by window, so that early
// results already compare all contenders; those that combine others come last.
func (e *Engine) Tasks() []Task {
	var own, combined []Task
	for w := range e.Windows {
		for shard := range e.shards() {
			for c := range e.Plan.Contenders {
				switch {
				case e.Lineup.combines(c) != nil:
					// One task goes through all windows: it remembers what it has read.
					if w == 0 && len(e.taskWindows(Task{w, c, shard})) > 0 {
						combined = append(combined, Task{w, c, shard})
					}
				case e.Plan.Split.Refit.Leads(w) != w, shard > 0 && e.Lineup.pools(c):
				case len(e.taskWindows(Task{w, c, shard})) > 0:
					own = append(own, Task{w, c, shard})
				}
			}
		}
	}
	return append(own, combined...)
}

// Finished says whether every contender's result on a shard in a window is there. Where a
// contender learns from all series at once, all shards must be.
func (e *Engine) Finished(window, shard int, have func(Task) bool) bool {
	first, last := shard, shard
	if e.Lineup.pooled() {
		first, last = 0, e.shards()-1
	}
	for s := first; s <= last; s++ {
		for c := range e.Plan.Contenders {
			t := Task{window, c, s}
			if len(e.Shard(t)) > 0 && !have(t) {
				return false
			}
		}
	}
	return true
}

// Combines says whether a task needs the results of others.
func (e *Engine) Combines(t Task) bool { return e.Lineup.combines(t.Contender) != nil }

// Pools says whether a task trains on all series at once.
func (e *Engine) Pools(t Task) bool { return e.Lineup.pools(t.Contender) }

// taskWindows are the windows that a task serves, but for those in which none of its
// series takes part.
func (e *Engine) taskWindows(t Task) (out []int) {
	for w := t.Window; w < len(e.Windows) && (w == t.Window || e.Lineup.combines(t.Contender) != nil || e.Plan.Split.Refit.Leads(w) == t.Window); w++ {
		if len(e.served(w, t)) > 0 {
			out = append(out, w)
		}
	}
	return out
}

// served lists the series that a task forecasts in a window.
func (e *Engine) served(w int, t Task) []int {
	if e.Lineup.pools(t.Contender) {
		return e.Qualified[w]
	}
	return e.members(w, t.Shard)
}

func (e *Engine) shards() int { return (len(e.Chosen) + ShardSize - 1) / ShardSize }

// members lists the series of a shard that take part in a window.
func (e *Engine) members(window, shard int) []int {
	places := e.places[window]
	lo, hi := shard*ShardSize, min((shard+1)*ShardSize, len(e.Chosen))
	first, n := -1, 0
	for at := lo; at < hi; at++ {
		if p := int(places[at]); p >= 0 {
			if first < 0 {
				first = p
			}
			n++
		}
	}
	if n == 0 {
		return nil
	}
	return e.Qualified[window][first : first+n]
}

// Shard lists the series of a task's shard that take part in its window, as panel
// indices.
func (e *Engine) Shard(t Task) []int { return e.members(t.Window, t.Shard) }

// results lists what a task makes: a result in each window that it serves, of its shard or of
// all shards where its contender learns from all series.
func (e *Engine) results(t Task) (out []Task) {
	first, last := t.Shard, t.Shard
	if e.Lineup.pools(t.Contender) {
		first, last = 0, e.shards()-1
	}
	for _, w := range e.taskWindows(t) {
		for shard := first; shard <= last; shard++ {
			if r := (Task{w, t.Contender, shard}); len(e.Shard(r)) > 0 {
				out = append(out, r)
			}
		}
	}
	return out
}

// Made says whether all results of a task are there.
func (e *Engine) Made(t Task, have func(Task) bool) bool {
	for _, r := range e.results(t) {
		if !have(r) {
			return false
		}
	}
	return true
}

// Locate finds the record of a series in a window: the result that holds it, and the place in
// its shard; ok is false where the series takes no part.
func (e *Engine) Locate(window, contender, series int) (t Task, place int, ok bool) {
	at, ok := e.chosenAt[series]
	if !ok || e.places[window][at] < 0 {
		return Task{}, 0, false
	}
	shard := at / ShardSize
	for _, p := range e.places[window][shard*ShardSize : at] {
		if p >= 0 {
			place++
		}
	}
	return Task{window, contender, shard}, place, true
}

// ScaleLag is the lag of MASE and RMSSE.
func (e *Engine) ScaleLag() int { return e.Plan.scaleLag(e.Panel.Cadence) }

func (p *Plan) scaleLag(cadence calendar.Cadence) int {
	if p.ScaleLag > 0 {
		return p.ScaleLag
	}
	return cadence.Season()
}

func (e *Engine) newAccs(n int) []score.Acc {
	out, levels := make([]score.Acc, n), len(e.Plan.Levels)
	room := make([]score.LevelAcc, n*levels) // one piece of memory for all
	for i := range out {
		out[i].Levels = room[i*levels : (i+1)*levels : (i+1)*levels]
	}
	return out
}
