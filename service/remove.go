package service

import (
	"context"
	"errors"
	"strings"

	"gorm.io/gorm"

	"paperkettle/store"
)

// ended is a job's state in a sentence on what it was.
func ended(state string) string {
	if state == store.Failed {
		return "broken off by a failure"
	}
	return state
}

// removeBakeoff drops a bake-off that nothing was published from.
func (s *Server) removeBakeoff(ctx context.Context, in *BakeoffPath) error {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return err
	}
	id := idText("bake", b.ID)
	err = s.store.Write(ctx, func(tx *gorm.DB) error {
		if err := refuseBusy(tx, "SELECT job_id FROM bakeoffs WHERE id = ?", b.ID, id); err != nil {
			return err
		}
		var releases []uint
		if err := tx.Model(&store.Release{}).Where("bakeoff_id = ?", b.ID).Order("id").Pluck("id", &releases).Error; err != nil {
			return err
		}
		if len(releases) > 0 {
			return conflict("%s was published from %s: remove that first", idList("rel", releases), id)
		}
		return errors.Join(tx.Delete(&store.Bakeoff{}, b.ID).Error, tx.Delete(&store.Job{}, b.JobID).Error, note(ctx, tx, "remove bake-off", id, b.Name))
	})
	if err == nil {
		s.leaders.Delete(b.ID)
	}
	return err
}

// idList writes IDs for a sentence.
func idList(kind string, ids []uint) string {
	out := make([]string, len(ids))
	for i, id := range ids {
		out[i] = idText(kind, id)
	}
	return strings.Join(out, ", ")
}

// removeScenario drops a scenario.
func (s *Server) removeScenario(ctx context.Context, in *ScenarioPath) error {
	sc, err := s.findScenario(ctx, in.Scenario)
	if err != nil {
		return err
	}
	return s.store.Write(ctx, func(tx *gorm.DB) error {
		if err := refuseBusy(tx, "SELECT job_id FROM scenarios WHERE id = ?", sc.ID, in.Scenario); err != nil {
			return err
		}
		return errors.Join(tx.Delete(&store.Scenario{}, sc.ID).Error, tx.Delete(&store.Job{}, sc.JobID).Error,
			note(ctx, tx, "remove scenario", in.Scenario, sc.Name))
	})
}

// removeRelease drops a release that nobody reads from, with its flags and scenarios.
func (s *Server) removeRelease(ctx context.Context, in *ReleasePath) error {
	rel, err := s.findRelease(ctx, in.Release)
	if err != nil {
		return err
	}
	return s.store.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.First(rel, rel.ID).Error; err != nil {
			return err
		}
		if rel.State == store.Live || rel.State == store.Preparing {
			return conflict("%s is %s: withdraw or cancel it first", in.Release, rel.State)
		}
		if err := refuseBusy(tx, "SELECT job_id FROM scenarios WHERE release_id = ?", rel.ID, in.Release); err != nil {
			return err
		}
		return errors.Join(tx.Where("release_id = ?", rel.ID).Delete(&store.Scenario{}).Error, tx.Delete(&store.Release{}, rel.ID).Error,
			tx.Delete(&store.Job{}, rel.JobID).Error, note(ctx, tx, "remove release", in.Release, ""))
	})
}

// refuseBusy refuses where a job of those that a query gives is at work or may be.
func refuseBusy(tx *gorm.DB, jobsOf string, id uint, what string) error {
	var busy int64
	err := tx.Model(&store.Job{}).Where("state IN ?", []string{store.Queued, store.Running, store.Paused}).Where("id IN ("+jobsOf+")",
		id).Count(&busy).Error
	if err == nil && busy > 0 {
		err = conflict("%s has work in progress: cancel it first", what)
	}
	return err
}
