package results

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"slices"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"paperkettle/core/bakeoff"
	"paperkettle/core/score"
	"paperkettle/store"
)

func cutName(metric, per string) string { return metric + "|" + per }

func keepSummary(tx *gorm.DB, id uint, cut string, data []byte) error {
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&store.Summary{BakeoffID: id, Cut: cut, Data: data}).Error
}

func packStandings(st *bakeoff.Standings) ([]byte, error) {
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode(st)
	return b.Bytes(), err
}

// errOtherMetrics says that standings were kept under another list of metrics than the program
// has now: their figures would stand under wrong names.
var errOtherMetrics = errors.New("results: standings of another list of metrics")

func unpackStandings(b []byte, levels []float64) (*bakeoff.Standings, error) {
	var st bakeoff.Standings
	if err := gob.NewDecoder(bytes.NewReader(b)).Decode(&st); err != nil {
		return nil, err
	}
	now := score.Metrics(levels) // with their functions
	if !slices.EqualFunc(st.Metrics, now, func(a, b score.Metric) bool { return a.Name == b.Name }) {
		return nil, errOtherMetrics
	}
	st.Metrics = now
	return &st, nil
}

// Standings ranks a bake-off from its stored scores. Only windows and shards
// that every contender has finished count, so that a running one is fair. The ranking of
// one that is done is kept and read again.
func (r *Repository) Standings(ctx context.Context, e *bakeoff.Engine, id uint, metric, per string) (*bakeoff.Standings, error) {
	if metric == e.Plan.Metric {
		metric = ""
	}
	var kept store.Summary
	err := r.store.Read(ctx).Where("bakeoff_id = ? AND cut = ?", id, cutName(metric, per)).First(&kept).Error
	if err == nil {
		st, err := unpackStandings(kept.Data, e.Plan.Levels)
		if !errors.Is(err, errOtherMetrics) {
			return st, err
		}
	} else if !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	var done int64
	err = r.store.Read(ctx).Model(&store.Job{}).Where("id = (SELECT job_id FROM bakeoffs WHERE id = ?) AND state = ?", id, store.Done).Count(&done).Error
	if err != nil {
		return nil, err
	}
	st, err := r.rank(ctx, e, id, metric, per)
	if err != nil || done == 0 {
		return st, err
	}
	data, err := packStandings(st)
	if err != nil {
		return nil, err
	}
	return st, r.store.Write(ctx, func(tx *gorm.DB) error { return keepSummary(tx, id, cutName(metric, per), data) })
}

func (r *Repository) rank(ctx context.Context, e *bakeoff.Engine, id uint, metric, per string) (*bakeoff.Standings, error) {
	tally, err := bakeoff.NewTally(e, per)
	if err == nil {
		err = tally.By(metric)
	}
	if err != nil {
		return nil, err
	}
	if err := r.EachResult(ctx, e, id, Wanted{Forecasts: tally.NeedsForecasts()}, tally.Add); err != nil {
		return nil, err
	}
	if per == "" {
		if err := r.EachNewcomers(ctx, e, id, nil, func(t bakeoff.Task, list []bakeoff.Newcomer) error {
			tally.AddNewcomers(t, list)
			return nil
		}); err != nil {
			return nil, err
		}
	}
	return tally.Rank(metric)
}

// Rank ranks a bake-off that is done, in its plan's own way, as bytes to be kept by KeepRanking.
func (r *Repository) Rank(ctx context.Context, e *bakeoff.Engine, id uint) ([]byte, error) {
	st, err := r.rank(ctx, e, id, "", "")
	if err != nil {
		return nil, err
	}
	return packStandings(st)
}

// KeepRanking keeps what Rank gave, and drops what was ranked before.
func KeepRanking(tx *gorm.DB, id uint, ranking []byte) error {
	if err := tx.Where("bakeoff_id = ?", id).Delete(&store.Summary{}).Error; err != nil {
		return err
	}
	return keepSummary(tx, id, cutName("", ""), ranking)
}

// ErrNoStandings says that nothing is finished.
var ErrNoStandings = errors.New("the bake-off has no finished window yet: wait for it, or start it again")

// Leader is the contender that leads.
func (r *Repository) Leader(ctx context.Context, e *bakeoff.Engine, id uint) (string, error) {
	st, err := r.Standings(ctx, e, id, "", "")
	if err != nil {
		return "", err
	}
	if len(st.Slices) == 0 {
		return "", ErrNoStandings
	}
	return st.Slices[0].Rows[0].Contender, nil
}
