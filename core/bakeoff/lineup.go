package bakeoff

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"time"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
	"paperkettle/core/score"
)

// Lineup is a plan's contenders, ready to be trained: the one place where that happens, whether
// for a window, for what lies before the first, for a release, a description or a scenario. It is
// safe for concurrent use.
type Lineup struct {
	plan     *Plan
	entrants []entrant
	fallback model.Model // nil to leave series out

	// Workers is how many may train a contender that learns from all series at once. Results
	// do not depend on it.
	Workers int
	// Clock tells the time to what is trained within a time; nil where none is kept.
	Clock func() time.Duration
	// Keep holds what was trained; nil keeps nothing.
	Keep Keeper
}

// Keeper keeps trained contenders under what they were trained on. What it does not keep is
// trained again, to the same.
type Keeper interface {
	// Find gives what is kept under a key; nil where nothing is.
	Find(ctx context.Context, key string) (model.Parts, error)
	// Save keeps a trained contender, if it can.
	Save(ctx context.Context, key, contender string, trained model.Parts)
	// Once runs f for a key unless another does already, and then waits for that.
	Once(key string, f func() error) error
}

// entrant is a contender with its model.
type entrant struct {
	Contender
	family   *model.Family
	model    model.Model
	combiner *combiner // nil for one that makes its own forecasts
	across   bool      // one fit learns from all series
	print    string    // of what it is made of
}

// combiner is a contender that combines others.
type combiner struct {
	model.Combiner
	members []int
	usual   int // place among members
}

// newLineup makes a plan's contenders for what they may see, and a number of steps ahead.
func newLineup(plan *Plan, cat model.Catalogue, whole panel.View, reach int) (*Lineup, error) {
	l := &Lineup{plan: plan, entrants: make([]entrant, len(plan.Contenders))}
	for i := range plan.Contenders {
		if err := l.enter(cat, i, whole, reach); err != nil {
			return nil, ofContender(i, err)
		}
	}
	return l, nil
}

func (l *Lineup) enter(cat model.Catalogue, i int, whole panel.View, reach int) error {
	c := l.plan.Contenders[i]
	given := c.Given()
	if err := cat.CheckCadence(c.Family, given, whole.Cadence()); err != nil {
		return fmt.Errorf("contender %q: %w", c.Name, err)
	}
	if err := cat.CheckData(c.Family, given, whole, reach); err != nil {
		return fmt.Errorf("contender %q: %w", c.Name, err)
	}
	m, f, err := cat.New(c.Family, given)
	if err != nil {
		return err
	}
	e := entrant{Contender: c, family: f, model: m, across: cat.Across(c.Family, given)}
	if c.Tune != nil {
		if e.model, err = tuned(l.plan, cat, c, whole.Cadence(), reach); err != nil {
			return fmt.Errorf("contender %q: tune: %w", c.Name, err)
		}
		e.across = e.across || c.Tune.Per == TuneAll
	}
	if f.Combine != nil {
		if e.combiner, err = l.combinerOf(cat, i); err != nil {
			return fmt.Errorf("contender %q: %w", c.Name, err)
		}
	}
	made, err := json.Marshal([]any{f.Name, f.Version, c.Name, given, c.Tune, l.plan.Seed, l.plan.Metric, l.plan.ScaleLag})
	e.print = string(made)
	l.entrants[i] = e
	return err
}

func (l *Lineup) combinerOf(cat model.Catalogue, contender int) (*combiner, error) {
	c := l.plan.Contenders[contender]
	made, err := cat.NewCombiner(c.Family, c.Given())
	if err != nil {
		return nil, err
	}
	co := &combiner{Combiner: made}
	for _, name := range made.Members() {
		i := l.plan.Contender(name)
		switch {
		case i < 0:
			return nil, fmt.Errorf("its member %q is not among the contenders", name)
		case cat.Combines(l.plan.Contenders[i].Family):
			return nil, fmt.Errorf("its member %q combines others itself: name contenders that make their own forecasts", name)
		case slices.Contains(co.members, i):
			return nil, fmt.Errorf("its member %q is named twice", name)
		}
		co.members = append(co.members, i)
	}
	if len(co.members) < 2 {
		return nil, errors.New("it needs at least two members: enter more contenders")
	}
	co.usual = max(0, slices.Index(co.members, l.plan.Contender(l.plan.Baseline)))
	return co, nil
}

// combines gives the combiner that a contender is, or nil.
func (l *Lineup) combines(contender int) *combiner { return l.entrants[contender].combiner }

// welcoming names the contenders whose forecasts of series without a past can be assessed.
func (l *Lineup) welcoming() (names []string) {
	for i, e := range l.entrants {
		if _, ok := l.host(i, nil); ok {
			names = append(names, e.Name)
		}
	}
	return names
}

// host is the model that forecasts series without a past for a contender: of a search over settings, the one
// with those that most series of its fits have, or with the first ones where there is no fit yet.
func (l *Lineup) host(contender int, fits []*fit) (model.Welcoming, bool) {
	m := l.entrants[contender].model
	if t, ok := m.(*tunedModel); ok {
		m = t.models[favourite(fits)]
	}
	host, ok := m.(model.Welcoming)
	return host, ok
}

// pools says whether one fit of a contender learns from all series.
func (l *Lineup) pools(contender int) bool { return l.entrants[contender].across }

// pooled says whether any contender does.
func (l *Lineup) pooled() bool {
	return slices.ContainsFunc(l.entrants, func(e entrant) bool { return e.across })
}

// workers is how many may train a contender: one, for tasks run side by side, unless it
// learns from all series in one task.
func (l *Lineup) workers(contender int) int {
	if l.pools(contender) {
		return max(1, l.Workers)
	}
	return 1
}

// occasion is what a contender is trained on, and how.
type occasion struct {
	view    panel.View
	horizon int
	stream  string // names the random streams: a window's number, "before" or "release"
	workers int
	report  func(done float64, note string)
	show    func(curves []model.Curve)
	check   model.Checkpoint
	keep    bool     // it will be asked for again
	earlier *earlier // what training goes on from; nil where it starts anew
}

// earlier is a contender trained for an earlier origin.
type earlier struct {
	key  func() string
	find func(ctx context.Context, env model.Env) (model.Trained, error)
}

func (l *Lineup) env(contender int, o occasion) model.Env {
	env := model.Env{Horizon: o.horizon, Workers: max(1, o.workers), Judge: judge(plainMetric(l.plan.Metric)),
		Random: l.random(contender, o.stream), Report: o.report, Show: o.show, Clock: l.Clock, Checkpoint: o.check}
	if o.earlier != nil {
		env.Earlier = o.earlier.find
	}
	return env
}

// goesOn says that a contender's training goes on from an earlier one.
func (l *Lineup) goesOn(contender int) bool {
	c, ok := l.entrants[contender].model.(model.Continuing)
	return ok && c.GoesOn()
}

func (l *Lineup) random(contender int, stream string) func(series string) *rand.Rand {
	return func(series string) *rand.Rand {
		return num.Stream(l.plan.Seed, series, stream, l.plan.Contenders[contender].Name)
	}
}

// train gives a contender trained: as it is kept, or else anew.
func (l *Lineup) train(ctx context.Context, contender int, o occasion) (trained model.Trained, err error) {
	if !o.keep || !l.keeps(contender) {
		return l.fit(ctx, contender, o)
	}
	key, here := l.key(contender, o), false
	err = l.Keep.Once(key, func() error {
		here = true
		if trained, err = l.find(ctx, contender, key, o.view); trained != nil || err != nil {
			return err
		}
		if trained, err = l.fit(ctx, contender, o); err == nil && !model.HasFailed(trained) {
			l.Keep.Save(ctx, key, l.plan.Contenders[contender].Name, trained)
		}
		return err
	})
	if !here && ctx.Err() == nil { // another did it, or was stopped in it
		if trained, err = l.kept(ctx, contender, o); err == nil && trained == nil {
			return l.fit(ctx, contender, o)
		}
	}
	return trained, err
}

// fit trains a contender; one that breaks down, or can't be trained, fails alone. What the training
// could not keep on its way is no fault of the contender's.
func (l *Lineup) fit(ctx context.Context, contender int, o occasion) (trained model.Trained, err error) {
	env := l.env(contender, o)
	var kept failures
	if o.check != nil {
		env.Checkpoint = keeping{o.check, &kept}
	}
	err = model.Guard(func() (err error) {
		trained, err = l.entrants[contender].model.Train(ctx, o.view, env)
		return err
	})
	if err == nil || ctx.Err() != nil || kept.err != nil {
		return trained, errors.Join(err, kept.err)
	}
	return model.Failed(o.view.Len(), err), nil
}

// keeping notes whether a checkpoint, or a part of it, failed.
type keeping struct {
	model.Checkpoint
	failed *failures
}

// failures are those of a checkpoint and its parts, which may be kept from several goroutines.
type failures struct {
	mu  sync.Mutex
	err error
}

func (f *failures) note(err error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.err = errors.Join(f.err, err)
}

func (k keeping) Load() ([]byte, error) {
	b, err := k.Checkpoint.Load()
	k.failed.note(err)
	return b, err
}

func (k keeping) Save(b []byte) error {
	err := k.Checkpoint.Save(b)
	k.failed.note(err)
	return err
}

func (k keeping) Part(name string) model.Checkpoint {
	part := model.PartOf(k.Checkpoint, name)
	if part == nil {
		return nil
	}
	return keeping{part, k.failed}
}

// keeps says whether a contender is kept once it is trained: not what is trained again as fast.
func (l *Lineup) keeps(contender int) bool {
	e := &l.entrants[contender]
	return l.Keep != nil && (e.Tune != nil || !e.family.Quick)
}

// kept is a contender as it is kept; nil where it is not.
func (l *Lineup) kept(ctx context.Context, contender int, o occasion) (model.Trained, error) {
	if !l.keeps(contender) {
		return nil, nil
	}
	return l.find(ctx, contender, l.key(contender, o), o.view)
}

func (l *Lineup) find(ctx context.Context, contender int, key string, v panel.View) (model.Trained, error) {
	parts, err := l.Keep.Find(ctx, key)
	if err != nil || parts == nil {
		return nil, err
	}
	e := &l.entrants[contender]
	var trained model.Trained
	if t, ok := e.model.(*tunedModel); ok {
		trained, err = t.read(parts, e.family)
	} else {
		trained, err = e.family.Read(parts)
	}
	if w, ok := trained.(interface{ Use(workers int) }); ok && err == nil {
		w.Use(l.workers(contender))
	}
	if err == nil {
		err = trained.Advance(ctx, v) // it learns of its series
	}
	if err != nil {
		return nil, nil // what can't be read is made again
	}
	return trained, nil
}

// keyFormat is raised when what is written changes its shape.
const keyFormat = "1"

// key says all that a trained contender depends on.
func (l *Lineup) key(contender int, o occasion) string {
	h := sha256.New()
	fmt.Fprintf(h, "%s|%s|%s|%d|%s", keyFormat, l.entrants[contender].print, o.stream, o.horizon, o.view.Fingerprint())
	if o.earlier != nil {
		fmt.Fprintf(h, "|%s", o.earlier.key())
	}
	return hex.EncodeToString(h.Sum(nil)[:16])
}

// forecast trains a contender and continues its series. errs holds each series' own failure.
func (l *Lineup) forecast(ctx context.Context, contender int, o occasion) (rows []forecast.Rows, errs []error, err error) {
	trained, err := l.train(ctx, contender, o)
	if err != nil {
		return nil, nil, err
	}
	res, err := trained.Forecast(ctx, o.view, o.horizon)
	return res.Series, res.Err, err
}

// standIn is the fallback's forecast of one series for a contender that failed on it.
func (l *Lineup) standIn(ctx context.Context, contender int, o occasion) (forecast.Rows, error) {
	rows, errs, err := Forecast(ctx, l.fallback, o.view, l.env(contender, o))
	if err != nil {
		return forecast.Rows{}, err
	}
	return rows[0], errs[0]
}

// Forecast trains a model on a view and continues its series. errs holds each series' own
// failure.
func Forecast(ctx context.Context, m model.Model, v panel.View, env model.Env) (rows []forecast.Rows, errs []error, err error) {
	trained, err := m.Train(ctx, v, env)
	if err != nil {
		return nil, nil, err
	}
	res, err := trained.Forecast(ctx, v, env.Horizon)
	return res.Series, res.Err, err
}

// judge is the kind of error that a metric sums up.
func judge(metric string) model.Judge {
	switch metric {
	case "mae", "medae", "wape", "mape", "smape", "mase", "pinball50":
		return model.AbsoluteErrors
	case "mse", "rmse", "rmsse", "r2":
		return model.SquaredErrors
	}
	return model.BothErrors
}

// metric is what a plan ranks by.
func (l *Lineup) metric() (score.Metric, error) {
	return score.FindMetric(plainMetric(l.plan.Metric), l.plan.Levels)
}
