package jobs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/store"
)

// KindRelease is the job kind of a publication.
const KindRelease = "release"

// OpenRefit makes the refit of a stored release.
func OpenRefit(ctx context.Context, s *store.Store, cat model.Catalogue, rel *store.Release) (*bakeoff.Refit, error) {
	var b store.Bakeoff
	if err := s.Read(ctx).First(&b, rel.BakeoffID).Error; err != nil {
		return nil, err
	}
	e, err := OpenEngine(ctx, s, cat, &b)
	if err != nil {
		return nil, err
	}
	usual, chosen := rel.Contender, map[string]string(nil)
	if rel.Contender == bakeoff.BestPerSeries && e.Plan.Contender(rel.Contender) < 0 {
		bySeries, err := ReadStandings(ctx, s, e, b.ID, "", "series")
		if err != nil {
			return nil, err
		}
		if usual, err = Leader(ctx, s, e, b.ID); err != nil {
			return nil, err
		}
		// What chooses per series is no choice for a series.
		chosen = bySeries.Best(func(name string) bool {
			return e.Plan.Contenders[e.Plan.Contender(name)].Family != bakeoff.BestPerSeries
		})
	}
	p, err := s.Panel(ctx, rel.RevisionID)
	if err != nil {
		return nil, err
	}
	r, err := bakeoff.NewRefit(p, e.Plan, cat, usual, chosen, rel.Horizon)
	if err != nil {
		return nil, err
	}
	r.Workers = runtime.GOMAXPROCS(0)
	return r, r.Remember(e, StoredResults(ctx, s, e, b.ID))
}

// ErrNoStandings says that a bake-off has nothing to rank yet.
var ErrNoStandings = errors.New("the bake-off has no finished window yet: wait for it, or start it again")

// Leader is the contender that leads a bake-off by its plan's metric.
func Leader(ctx context.Context, s *store.Store, e *bakeoff.Engine, id uint) (string, error) {
	st, err := ReadStandings(ctx, s, e, id, "", "")
	if err != nil {
		return "", err
	}
	if len(st.Slices) == 0 {
		return "", ErrNoStandings
	}
	return st.Slices[0].Rows[0].Contender, nil
}

// Releases opens release jobs.
func Releases(s *store.Store, cat model.Catalogue) Opener {
	return func(ctx context.Context, ref uint) (Work, error) {
		w := &releaseWork{store: s}
		if err := s.Read(ctx).First(&w.release, ref).Error; err != nil {
			return nil, err
		}
		r, err := OpenRefit(ctx, s, cat, &w.release)
		w.refit = r
		if err != nil {
			// The release must still be marked as failed, so there is work to abandon.
			return &brokenRelease{releaseWork: w, err: err}, nil
		}
		return w, nil
	}
}

type releaseWork struct {
	store   *store.Store
	release store.Release
	refit   *bakeoff.Refit
}

// brokenRelease fails as soon as it starts.
type brokenRelease struct {
	*releaseWork
	err error
}

func (w *brokenRelease) Total() int                             { return 0 }
func (w *brokenRelease) Pending(context.Context) ([]int, error) { return nil, w.err }

func (w *releaseWork) Total() int { return w.refit.Parts() }

func (w *releaseWork) Pending(ctx context.Context) ([]int, error) {
	var have []int
	err := w.store.Read(ctx).Model(&store.ReleasePart{}).Where("release_id = ?", w.release.ID).Pluck("part", &have).Error
	if err != nil {
		return nil, err
	}
	stored := map[int]bool{}
	for _, p := range have {
		stored[p] = true
	}
	var out []int
	for i := range w.refit.Parts() {
		if !stored[i] {
			out = append(out, i)
		}
	}
	return out, nil
}

func (w *releaseWork) Do(ctx context.Context, i int) (func(tx *gorm.DB) error, error) {
	notes, packed, err := w.refit.Run(ctx, i)
	if err != nil {
		return nil, err
	}
	text, err := json.Marshal(notes)
	if err != nil {
		return nil, err
	}
	if packed == nil {
		packed = []byte{}
	}
	part := store.ReleasePart{ReleaseID: w.release.ID, Part: i, Notes: string(text), Forecasts: packed}
	return func(tx *gorm.DB) error {
		return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&part).Error
	}, nil
}

// Finish makes the release live in place of the dataset's last one.
func (w *releaseWork) Finish(tx *gorm.DB) error {
	err := tx.Model(&store.Release{}).Where("dataset_id = ? AND state = ?", w.release.DatasetID, store.Live).Update("state", store.Superseded).Error
	if err != nil {
		return err
	}
	return tx.Model(&store.Release{}).Where("id = ?", w.release.ID).Update("state", store.Live).Error
}

func (w *releaseWork) Abandon(tx *gorm.DB) error {
	return tx.Model(&store.Release{}).Where("id = ?", w.release.ID).Update("state", store.Broken).Error
}

// ReleasedSeries is one series of a stored release; Rows is empty where it was
// left out.
type ReleasedSeries struct {
	bakeoff.Refitted
	Rows forecast.Rows
}

// EachReleased calls f for every series of a release, in order.
func EachReleased(ctx context.Context, s *store.Store, rel *store.Release, f func(ReleasedSeries) error) error {
	rows, err := s.Read(ctx).Model(&store.ReleasePart{}).Where("release_id = ?", rel.ID).Order("part").Select("notes", "forecasts").Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var notes string
		var packed []byte
		if err := rows.Scan(&notes, &packed); err != nil {
			return err
		}
		if err := eachInPart(notes, packed, rel.Horizon, f); err != nil {
			return fmt.Errorf("release %d: %w", rel.ID, err)
		}
	}
	return rows.Err()
}

func eachInPart(notes string, packed []byte, horizon int, f func(ReleasedSeries) error) error {
	var list []bakeoff.Refitted
	if err := json.Unmarshal([]byte(notes), &list); err != nil {
		return err
	}
	place := 0
	for _, n := range list {
		out := ReleasedSeries{Refitted: n}
		if n.LeftOut == "" {
			var err error
			if out.Rows, err = ReadForecast(packed, place, horizon); err != nil {
				return err
			}
			place++
		}
		if err := f(out); err != nil {
			return err
		}
	}
	return nil
}
