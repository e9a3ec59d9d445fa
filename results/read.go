package results

import (
	"context"
	"encoding/json"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/store"
)

// Stored reads what was kept of a bake-off's tasks.
func (r *Repository) Stored(ctx context.Context, e *bakeoff.Engine, id uint) bakeoff.Stored {
	return func(t bakeoff.Task) (*bakeoff.TaskResult, error) {
		var kept store.Result
		err := r.store.Read(ctx).Where("bakeoff_id = ? AND win = ? AND contender = ? AND shard = ?", id, t.Window, t.Contender, t.Shard).First(&kept).Error
		if err != nil {
			return nil, fmt.Errorf("reading what %s made in window %d: %w", e.Plan.Contenders[t.Contender].Name, e.Windows[t.Window].Index, err)
		}
		return unpack(e, kept)
	}
}

// unpack reads a result; its forecasts are empty where they were not asked for.
func unpack(e *bakeoff.Engine, r store.Result) (*bakeoff.TaskResult, error) {
	return (&bakeoff.Record{Window: r.Win, Shard: r.Shard, Scores: r.Scores, Errors: r.Errors, Forecasts: r.Forecasts}).Result(&e.Plan)
}

// Keep writes a record of a contender of a bake-off, once.
func Keep(tx *gorm.DB, bakeoff uint, contender int, r *bakeoff.Record) error {
	result := store.Result{BakeoffID: bakeoff, Win: r.Window, Contender: contender, Shard: r.Shard, Scores: r.Scores, Errors: some(r.Errors),
		Forecasts: some(r.Forecasts)}
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&result).Error; err != nil {
		return err
	}
	return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&store.TaskFacts{BakeoffID: bakeoff, Win: r.Window, Contender: contender,
		Shard: r.Shard, Filled: string(r.Filled), Tuned: string(r.Tuned), Found: string(r.Found),
		Newcomers: string(r.Newcomers), Took: r.Took, Bytes: r.Held}).Error
}

// some is bytes that are not nil: the columns are never empty.
func some(b []byte) []byte {
	if b == nil {
		return []byte{}
	}
	return b
}

// Made lists the results that are stored of a bake-off.
func (r *Repository) Made(ctx context.Context, id uint) (map[bakeoff.Task]bool, error) {
	var stored []store.TaskFacts
	if err := r.store.Read(ctx).Where("bakeoff_id = ?", id).Select("win", "contender", "shard").Find(&stored).Error; err != nil {
		return nil, err
	}
	have := make(map[bakeoff.Task]bool, len(stored))
	for _, f := range stored {
		have[bakeoff.Task{Window: f.Win, Contender: f.Contender, Shard: f.Shard}] = true
	}
	return have, nil
}

// Cost is what a contender took.
type Cost struct {
	Seconds float64 // of a worker's time
	Bytes   int64   // that its fits to all series take, as they are written; 0 where that is not known
}

// Costs adds up what each contender took.
func (r *Repository) Costs(ctx context.Context, e *bakeoff.Engine, id uint) ([]Cost, error) {
	var rows []struct {
		Contender int
		Took      int64
		Bytes     int64
	}
	windows := r.store.Read(ctx).Model(&store.TaskFacts{}).Where("bakeoff_id = ?",
		id).Group("contender, win").Select("contender, SUM(took) AS took, SUM(bytes) AS bytes")
	err := r.store.Read(ctx).Table("(?)", windows).Group("contender").Select("contender, SUM(took) AS took, MAX(bytes) AS bytes").Scan(&rows).Error
	out := make([]Cost, len(e.Plan.Contenders))
	for _, r := range rows {
		out[r.Contender] = Cost{float64(r.Took) / 1e9, r.Bytes}
	}
	return out, err
}

// Wanted says what is read of results.
type Wanted struct {
	Forecasts  bool  // the packed ones too
	Contenders []int // these alone; nil for all
}

// EachResult calls f for every stored result of windows that all contenders have
// finished on the same series, window by window.
func (r *Repository) EachResult(ctx context.Context, e *bakeoff.Engine, id uint, want Wanted, f func(bakeoff.Task, *bakeoff.TaskResult) error) error {
	whole, err := r.finished(ctx, e, id)
	if err != nil {
		return err
	}
	filled, err := r.Filled(ctx, id)
	if err != nil {
		return err
	}
	columns := []string{"win", "contender", "shard", "scores", "errors"}
	if want.Forecasts {
		columns = append(columns, "forecasts")
	}
	query := func() *gorm.DB {
		q := r.store.Read(ctx).Where("bakeoff_id = ?", id)
		if want.Contenders != nil {
			q = q.Where("contender IN ?", want.Contenders)
		}
		return q
	}
	return store.EachResult(query, columns, func(kept *store.Result) error {
		if !whole(kept.Win, kept.Shard) {
			return nil
		}
		t := bakeoff.Task{Window: kept.Win, Contender: kept.Contender, Shard: kept.Shard}
		res, err := unpack(e, *kept)
		if err != nil {
			return err
		}
		res.Filled = filled[t]
		return f(t, res)
	})
}

// Found reads what each contender found for each series, by its place in the plan and the series' key.
func (r *Repository) Found(ctx context.Context, e *bakeoff.Engine, id uint) (map[int]map[string]string, error) {
	var rows []store.TaskFacts
	if err := r.store.Read(ctx).Where("bakeoff_id = ? AND found <> ''", id).Select("win", "contender", "shard", "found").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := map[int]map[string]string{}
	for _, f := range rows {
		var list []string
		if err := json.Unmarshal([]byte(f.Found), &list); err != nil {
			return nil, err
		}
		if out[f.Contender] == nil {
			out[f.Contender] = map[string]string{}
		}
		for i, s := range e.Shard(bakeoff.Task{Window: f.Win, Contender: f.Contender, Shard: f.Shard}) {
			if i < len(list) {
				out[f.Contender][e.Panel.Series[s].Key] = list[i]
			}
		}
	}
	return out, nil
}

// EachNewcomers calls f with what every contender's tasks tell of the newcomers of some windows, or of all where none
// are named.
func (r *Repository) EachNewcomers(ctx context.Context, e *bakeoff.Engine, id uint, windows []int, f func(bakeoff.Task, []bakeoff.Newcomer) error) error {
	var rows []store.TaskFacts
	q := r.store.Read(ctx).Where("bakeoff_id = ? AND newcomers <> ''", id).Select("win", "contender", "shard", "newcomers")
	if len(windows) > 0 {
		q = q.Where("win IN ?", windows)
	}
	if err := q.Order("win, contender, shard").Find(&rows).Error; err != nil {
		return err
	}
	for _, row := range rows {
		list, err := bakeoff.ReadNewcomers([]byte(row.Newcomers), &e.Plan)
		if err != nil {
			return err
		}
		if err := f(bakeoff.Task{Window: row.Win, Contender: row.Contender, Shard: row.Shard}, list); err != nil {
			return err
		}
	}
	return nil
}

// Filled reads where contenders failed, by task.
func (r *Repository) Filled(ctx context.Context, id uint) (map[bakeoff.Task][]bakeoff.Filled, error) {
	var rows []store.TaskFacts
	if err := r.store.Read(ctx).Where("bakeoff_id = ? AND filled <> ''", id).Select("win", "contender", "shard", "filled").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make(map[bakeoff.Task][]bakeoff.Filled, len(rows))
	for _, f := range rows {
		var list []bakeoff.Filled
		if err := json.Unmarshal([]byte(f.Filled), &list); err != nil {
			return nil, err
		}
		out[bakeoff.Task{Window: f.Win, Contender: f.Contender, Shard: f.Shard}] = list
	}
	return out, nil
}

// finished says of which windows and shards every contender's result is stored.
func (r *Repository) finished(ctx context.Context, e *bakeoff.Engine, id uint) (func(window, shard int) bool, error) {
	have, err := r.Made(ctx, id)
	if err != nil {
		return nil, err
	}
	known := map[[2]int]bool{}
	return func(window, shard int) bool {
		key := [2]int{window, shard}
		done, ok := known[key]
		if !ok {
			done = e.Finished(window, shard, func(t bakeoff.Task) bool { return have[t] })
			known[key] = done
		}
		return done
	}, nil
}

// ReadForecast reads one series' forecast from a packed shard.
func ReadForecast(packed []byte, place, horizon int) (forecast.Rows, error) {
	size := forecast.RecordSize(packed, horizon)
	rows := forecast.NewRows(horizon)
	if (place+1)*size > len(packed) {
		return rows, fmt.Errorf("stored forecasts are damaged")
	}
	err := rows.Unpack(packed[place*size : (place+1)*size])
	return rows, err
}
