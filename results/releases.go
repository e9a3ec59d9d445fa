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

// Refit makes the refit of a stored release.
func (r *Repository) Refit(ctx context.Context, rel *store.Release) (*bakeoff.Refit, error) {
	var b store.Bakeoff
	if err := r.store.Read(ctx).First(&b, rel.BakeoffID).Error; err != nil {
		return nil, err
	}
	e, err := r.Engine(ctx, &b)
	if err != nil {
		return nil, err
	}
	usual, ranked := rel.Contender, map[string][]string(nil)
	if rel.Contender == bakeoff.BestPerSeries && e.Plan.Contender(rel.Contender) < 0 {
		bySeries, err := r.Standings(ctx, e, b.ID, "", "series")
		if err != nil {
			return nil, err
		}
		if usual, err = r.Leader(ctx, e, b.ID); err != nil {
			return nil, err
		}
		// What chooses per series is no choice for a series.
		ranked = bySeries.Ranked(func(name string) bool {
			return e.Plan.Contenders[e.Plan.Contender(name)].Family != bakeoff.BestPerSeries
		})
	}
	p, err := r.store.Panel(ctx, rel.RevisionID)
	if err != nil {
		return nil, err
	}
	refit, err := bakeoff.NewRefit(p, e.Plan, r.catalogue, usual, ranked, rel.Horizon)
	if err != nil {
		return nil, err
	}
	r.equip(refit.Lineup)
	if rel.State != store.Preparing {
		by := map[string]string{}
		if err := eachNote(r.store.Read(ctx), rel.ID, func(_ int, n bakeoff.Refitted) { by[n.Series] = n.Contender }); err != nil {
			return nil, err
		}
		refit.Published(by)
	}
	return refit, refit.Remember(e, r.Stored(ctx, e, b.ID))
}

// ReleasedSeries is one series of a stored release; Rows is empty where it was
// left out.
type ReleasedSeries struct {
	bakeoff.Refitted
	Rows forecast.Rows
}

// eachNote calls f for every series of a release, with its part, without its forecast.
func eachNote(db *gorm.DB, release uint, f func(part int, n bakeoff.Refitted)) error {
	var parts []store.ReleasePart
	if err := db.Where("release_id = ?", release).Order("part").Select("part", "notes").Find(&parts).Error; err != nil {
		return err
	}
	for _, p := range parts {
		var list []bakeoff.Refitted
		if err := json.Unmarshal([]byte(p.Notes), &list); err != nil {
			return fmt.Errorf("release %d: %w", release, err)
		}
		for _, n := range list {
			f(p.Part, n)
		}
	}
	return nil
}

// EachReleased calls f for every series of a release, in order.
func (r *Repository) EachReleased(ctx context.Context, rel *store.Release, f func(ReleasedSeries) error) error {
	query := func() *gorm.DB { return r.store.Read(ctx).Where("release_id = ?", rel.ID) }
	return store.EachPart(query, "part", func(p *store.ReleasePart) int { return p.Part }, func(p *store.ReleasePart) error {
		if err := eachInPart(p.Notes, p.Forecasts, rel.Horizon, f); err != nil {
			return fmt.Errorf("release %d: %w", rel.ID, err)
		}
		return nil
	})
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

// ReleasePart is a piece of a release as a worker makes it: notes on each of its series, and the
// packed forecasts of those that have one.
type ReleasePart struct {
	Notes  []bakeoff.Refitted
	Packed []byte
}

// KeepReleased writes a piece of a release, once.
func KeepReleased(tx *gorm.DB, release uint, number int, p *ReleasePart) error {
	notes, err := json.Marshal(p.Notes)
	if err != nil {
		return err
	}
	part := store.ReleasePart{ReleaseID: release, Part: number, Notes: string(notes), Forecasts: some(p.Packed)}
	return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&part).Error
}
