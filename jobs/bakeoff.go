package jobs

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"paperkettle/core/bakeoff"
	"paperkettle/core/model"
	"paperkettle/results"
	"paperkettle/store"
)

// KindBakeoff is the job kind of a bake-off.
const KindBakeoff = "bake-off"

// Bakeoffs opens bake-off jobs.
func Bakeoffs(r *results.Repository) Opener {
	return func(ctx context.Context, ref uint) (Work, error) {
		var b store.Bakeoff
		if err := r.Store().Read(ctx).First(&b, ref).Error; err != nil {
			return nil, err
		}
		e, err := r.Engine(ctx, &b)
		if err != nil {
			return nil, err
		}
		basis, err := r.Basis(ctx, b.RevisionID, b.Plan)
		return &bakeoffWork{results: r, e: e, id: b.ID, basis: basis}, err
	}
}

type bakeoffWork struct {
	results *results.Repository
	e       *bakeoff.Engine
	id      uint
	basis   string
	ranking []byte // once all is done
}

func (w *bakeoffWork) Basis() string { return w.basis }

// Tasks puts contenders that combine others after those that they combine.
func (w *bakeoffWork) Tasks(ctx context.Context) ([]Task, error) {
	made, err := w.results.Made(ctx, w.id)
	if err != nil {
		return nil, err
	}
	var out []Task
	for _, t := range w.e.Tasks() {
		task := Task{ID: t.String(), Cores: 1, Made: w.e.Made(t, func(t bakeoff.Task) bool { return made[t] })}
		if w.e.Combines(t) {
			task.Stage = 1
		} else if w.e.Pools(t) {
			task.Cores = AllCores
		}
		out = append(out, task)
	}
	return out, nil
}

// Do runs a task and hands in its records as they come.
func (w *bakeoffWork) Do(ctx context.Context, task string, desk Desk) error {
	t, err := bakeoff.ParseTask(task)
	if err != nil {
		return err
	}
	begin, name := time.Now(), w.e.Plan.Contenders[t.Contender].Name
	return w.e.Run(ctx, t, bakeoff.Desk{
		Stored:     w.results.Stored(ctx, w.e, w.id),
		Checkpoint: desk.Checkpoint,
		Report:     named(name, desk.Report),
		Show:       shown(name, desk.Show),
		Hand: func(r *bakeoff.TaskResult) error {
			record, err := r.Record()
			if err != nil {
				return err
			}
			now := time.Now()
			record.Took, begin = int64(now.Sub(begin)), now
			b, err := record.MarshalBinary()
			if err != nil {
				return err
			}
			return desk.Hand(b)
		},
	})
}

// named puts a contender's name before what is reported of it.
func named(name string, report func(done float64, note string)) func(done float64, note string) {
	return func(done float64, note string) {
		if note == "" {
			note = "training"
		}
		report(done, fmt.Sprintf("%s: %s", name, note))
	}
}

// shown puts a contender's name before its curves'.
func shown(name string, show func([]model.Curve)) func([]model.Curve) {
	return func(curves []model.Curve) {
		for k := range curves {
			curves[k].Name = fmt.Sprintf("%s: %s", name, curves[k].Name)
		}
		show(curves)
	}
}

func (w *bakeoffWork) Keep(tx *gorm.DB, task string, result []byte) error {
	t, err := bakeoff.ParseTask(task)
	if err != nil {
		return err
	}
	var r bakeoff.Record
	if err := r.UnmarshalBinary(result); err != nil {
		return err
	}
	return results.Keep(tx, w.id, t.Contender, &r)
}

// Close ranks what is done, so that the standings are at hand from then on.
func (w *bakeoffWork) Close(ctx context.Context) (err error) {
	w.ranking, err = w.results.Rank(ctx, w.e, w.id)
	return err
}

// Finish drops what was ranked before contenders were added, however late it was kept.
func (w *bakeoffWork) Finish(tx *gorm.DB) error { return results.KeepRanking(tx, w.id, w.ranking) }

func (w *bakeoffWork) Abandon(*gorm.DB) error { return nil }
