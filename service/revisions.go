package service

import (
	"context"
	"time"

	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/core/panel"
	"paperkettle/results"
	"paperkettle/store"
)

// namesShown is how many series an answer names.
const namesShown = 100

// diffRevisions sets two revisions side by side.
func (s *Server) diffRevisions(ctx context.Context, in *struct {
	DatasetPath
	From int `query:"from" minimum:"0" doc:"a revision; the one before the other where left out"`
	To   int `query:"to" minimum:"0" doc:"a revision; the latest where left out"`
}) (api.Difference, error) {
	out := api.Difference{Dataset: in.Dataset}
	_, to, err := s.revisionOf(ctx, in.Dataset, in.To)
	if err != nil {
		return out, err
	}
	if in.From == 0 {
		in.From = to.Number - 1
	}
	if in.From < 1 {
		return out, invalid("query.from", "revision %d is the first of dataset %q: there is none before it", to.Number, in.Dataset)
	}
	_, from, err := s.revisionOf(ctx, in.Dataset, in.From)
	if err != nil {
		return out, err
	}
	old, err := s.store.Panel(ctx, from.ID)
	if err != nil {
		return out, err
	}
	now, err := s.store.Panel(ctx, to.ID)
	if err != nil {
		return out, err
	}
	d, err := panel.Diff(old, now)
	if err != nil {
		return out, conflict("revisions %d and %d: %v", from.Number, to.Number, err)
	}
	out.From, out.To, out.Changes, out.Gone, out.Lost = from.Number, to.Number, changesOf(d.Changes), d.GoneValues, len(d.GoneSeries)
	out.Added, out.Removed = d.NewSeries[:min(namesShown, len(d.NewSeries))], d.GoneSeries[:min(namesShown, len(d.GoneSeries))]
	return out, nil
}

// undoRevision takes the newest revision back, with what it made of the live release.
func (s *Server) undoRevision(ctx context.Context, in *struct {
	DatasetPath
	Revision int `path:"revision" minimum:"1"`
}) (api.Dataset, error) {
	s.loading.Lock()
	defer s.loading.Unlock()
	ds, newest, err := s.dataset(ctx, in.Dataset)
	if err != nil {
		return api.Dataset{}, err
	}
	if in.Revision != newest.Number {
		return api.Dataset{}, conflict("revision %d is not the newest of dataset %q: only the newest, %d, can be taken back", in.Revision,
			in.Dataset, newest.Number)
	}
	if newest.Number == 1 {
		return api.Dataset{}, conflict("dataset %q has this revision alone: remove the dataset instead", in.Dataset)
	}
	_, before, err := s.revisionOf(ctx, in.Dataset, newest.Number-1)
	if err != nil {
		return api.Dataset{}, err
	}
	old, err := s.store.Panel(ctx, before.ID)
	if err != nil {
		return api.Dataset{}, err
	}
	watched, err := s.results.Watch(ctx, ds.ID, old)
	if err != nil {
		return api.Dataset{}, err
	}
	err = s.store.Write(ctx, func(tx *gorm.DB) error {
		if err := standsOn(tx, newest); err != nil {
			return err
		}
		if err := tx.Delete(&store.Revision{}, newest.ID).Error; err != nil {
			return err
		}
		if watched != nil {
			if err := unflag(tx, watched); err != nil {
				return err
			}
		}
		return note(ctx, tx, "undo", in.Dataset, newest.Source)
	})
	if err != nil {
		return api.Dataset{}, err
	}
	return s.showDataset(ctx, in.Dataset, 0)
}

// standsOn refuses where something rests on a revision.
func standsOn(tx *gorm.DB, rev *store.Revision) error {
	for _, what := range []struct {
		kind   string
		record any
	}{{"rel", &store.Release{}}, {"bake", &store.Bakeoff{}}, {"scen", &store.Scenario{}}} {
		var ids []uint
		if err := tx.Model(what.record).Where("revision_id = ?", rev.ID).Order("id").Limit(namesShown).Pluck("id", &ids).Error; err != nil {
			return err
		}
		if len(ids) > 0 {
			return conflict("%s stands on revision %d: remove that first, or load what is right as a further revision", idList(what.kind, ids), rev.Number)
		}
	}
	return nil
}

// unflag keeps what the actuals that are left say of a release; open flags of others go.
func unflag(tx *gorm.DB, w *results.Watched) error {
	var open []uint
	of := tx.Model(&store.Flag{}).Where("release_id = ? AND state = ?", w.Release.ID, store.FlagOpen)
	if err := of.Pluck("id", &open).Error; err != nil {
		return err
	}
	if err := w.Keep(tx, time.Now().UTC()); err != nil || len(open) == 0 {
		return err
	}
	return tx.Where("id IN ? AND state = ?", open, store.FlagRestated).Delete(&store.Flag{}).Error
}
