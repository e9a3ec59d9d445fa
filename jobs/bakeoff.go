package jobs

import (
	"context"
	"encoding/json"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/score"
	"paperkettle/store"
)

// KindBakeoff is the job kind of a bake-off.
const KindBakeoff = "bake-off"

// OpenEngine makes a stored bake-off's engine.
func OpenEngine(ctx context.Context, s *store.Store, cat model.Catalogue, b *store.Bakeoff) (*bakeoff.Engine, error) {
	var plan bakeoff.Plan
	if err := json.Unmarshal([]byte(b.Plan), &plan); err != nil {
		return nil, fmt.Errorf("reading the plan of bake-off %d: %w", b.ID, err)
	}
	p, err := s.Panel(ctx, b.RevisionID)
	if err != nil {
		return nil, err
	}
	return bakeoff.Prepare(p, plan, cat)
}

// Bakeoffs opens bake-off jobs.
func Bakeoffs(s *store.Store, cat model.Catalogue) Opener {
	return func(ctx context.Context, ref uint) (Work, error) {
		var b store.Bakeoff
		if err := s.Read(ctx).First(&b, ref).Error; err != nil {
			return nil, err
		}
		e, err := OpenEngine(ctx, s, cat, &b)
		if err != nil {
			return nil, err
		}
		return &bakeoffWork{s, e, b.ID, e.Tasks()}, nil
	}
}

type bakeoffWork struct {
	store *store.Store
	e     *bakeoff.Engine
	id    uint
	tasks []bakeoff.Task
}

func (w *bakeoffWork) Total() int { return len(w.tasks) }

func (w *bakeoffWork) Pending(ctx context.Context) ([]int, error) {
	var stored []store.Result
	err := w.store.Read(ctx).Where("bakeoff_id = ?", w.id).Select("win", "contender", "shard").Find(&stored).Error
	if err != nil {
		return nil, err
	}
	have := make(map[bakeoff.Task]bool, len(stored))
	for _, r := range stored {
		have[bakeoff.Task{Window: r.Win, Contender: r.Contender, Shard: r.Shard}] = true
	}
	var out []int
	for i, t := range w.tasks {
		if !have[t] {
			out = append(out, i)
		}
	}
	return out, nil
}

func (w *bakeoffWork) Do(ctx context.Context, i int) (func(tx *gorm.DB) error, error) {
	t := w.tasks[i]
	res, err := w.e.Run(ctx, t)
	if err != nil {
		return nil, err
	}
	filled, err := json.Marshal(res.Filled)
	if err != nil {
		return nil, err
	}
	record := store.Result{BakeoffID: w.id, Win: t.Window, Contender: t.Contender, Shard: t.Shard,
		Scores: packScores(res), Filled: string(filled), Forecasts: res.Packed}
	return func(tx *gorm.DB) error {
		return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&record).Error
	}, nil
}

func (w *bakeoffWork) Finish(*gorm.DB) error  { return nil }
func (w *bakeoffWork) Abandon(*gorm.DB) error { return nil }

// packScores lays the sums of the steps before those of the series.
func packScores(r *bakeoff.TaskResult) []byte {
	var b []byte
	for i := range r.Steps {
		b = r.Steps[i].AppendPacked(b)
	}
	for i := range r.Series {
		b = r.Series[i].AppendPacked(b)
	}
	return b
}

func unpackScores(b []byte, steps, levels int) (stepAccs, seriesAccs []score.Acc, err error) {
	size := score.PackedSize(levels)
	n := len(b) / size
	all := make([]score.Acc, n)
	for i := range all {
		all[i] = score.NewAcc(levels)
		if err := all[i].Unpack(b[i*size : (i+1)*size]); err != nil {
			return nil, nil, err
		}
	}
	if n < steps || n*size != len(b) {
		return nil, nil, fmt.Errorf("stored scores are damaged")
	}
	return all[:steps], all[steps:], nil
}

// ReadStandings ranks a bake-off from its stored scores. Only windows and shards
// that every contender has finished count, so that a running one is fair.
func ReadStandings(ctx context.Context, s *store.Store, e *bakeoff.Engine, id uint, metric, per string) (*bakeoff.Standings, error) {
	tally, err := bakeoff.NewTally(e, per)
	if err != nil {
		return nil, err
	}
	rows, err := s.Read(ctx).Model(&store.Result{}).Where("bakeoff_id = ?", id).
		Order("win, shard, contender").Select("win", "contender", "shard", "scores", "filled").Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	expected := map[[2]int]int{}
	for _, t := range e.Tasks() {
		expected[[2]int{t.Window, t.Shard}]++
	}
	var group []store.Result
	flush := func() error {
		if len(group) > 0 && len(group) == expected[[2]int{group[0].Win, group[0].Shard}] {
			for _, r := range group {
				if err := addResult(tally, e, r); err != nil {
					return err
				}
			}
		}
		group = group[:0]
		return nil
	}
	for rows.Next() {
		var r store.Result
		if err := rows.Scan(&r.Win, &r.Contender, &r.Shard, &r.Scores, &r.Filled); err != nil {
			return nil, err
		}
		if len(group) > 0 && (group[0].Win != r.Win || group[0].Shard != r.Shard) {
			if err := flush(); err != nil {
				return nil, err
			}
		}
		group = append(group, r)
	}
	if err := errorsOf(flush(), rows.Err()); err != nil {
		return nil, err
	}
	return tally.Rank(metric)
}

func errorsOf(a, b error) error {
	if a != nil {
		return a
	}
	return b
}

func addResult(tally *bakeoff.Tally, e *bakeoff.Engine, r store.Result) error {
	steps, series, err := unpackScores(r.Scores, e.Plan.Split.Horizon, len(e.Plan.Levels))
	if err != nil {
		return err
	}
	var filled []bakeoff.Filled
	if err := json.Unmarshal([]byte(r.Filled), &filled); err != nil {
		return err
	}
	tally.Add(bakeoff.Task{Window: r.Win, Contender: r.Contender, Shard: r.Shard}, series, steps, filled)
	return nil
}

// ReadForecast reads one series' forecast from a packed shard.
func ReadForecast(packed []byte, place, horizon int) (forecast.Rows, error) {
	size := forecast.PackedSize(horizon)
	rows := forecast.NewRows(horizon)
	if (place+1)*size > len(packed) {
		return rows, fmt.Errorf("stored forecasts are damaged")
	}
	return rows, rows.Unpack(packed[place*size : (place+1)*size])
}
