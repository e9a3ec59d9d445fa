package results

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"

	"gorm.io/gorm"

	"paperkettle/core/bakeoff"
	"paperkettle/core/model"
	"paperkettle/store"
)

// Basis is a hash of all that results depend on besides their task: the plan, the data, and the
// families of the program.
func (r *Repository) Basis(ctx context.Context, revision uint, plan string) (string, error) {
	var rev store.Revision
	if err := r.store.Read(ctx).Select("id", "hash").First(&rev, revision).Error; err != nil {
		return "", err
	}
	h := sha256.New()
	fmt.Fprintf(h, "%s|%s|%s", versionsOf(r.catalogue), rev.Hash, plan)
	return hex.EncodeToString(h.Sum(nil)[:16]), nil
}

// BasisOf is the basis of what is made by a bake-off's plan of some data.
func (r *Repository) BasisOf(ctx context.Context, bakeoff, revision uint) (string, error) {
	var b store.Bakeoff
	if err := r.store.Read(ctx).First(&b, bakeoff).Error; err != nil {
		return "", err
	}
	return r.Basis(ctx, revision, b.Plan)
}

// resultsFormat is raised when what is stored of results changes its shape.
const resultsFormat = 2

// versionsOf writes down the formats and families that results are of.
func versionsOf(families model.Catalogue) string {
	versions := map[string]int{"results": resultsFormat}
	for _, f := range families {
		versions[f.Name] = f.Version
	}
	b, _ := json.Marshal(versions) // of a map of numbers: it can't fail
	return string(b)
}

// Versions writes down the formats and the versions of the families that a plan's results are of.
func (r *Repository) Versions(plan *bakeoff.Plan) string {
	var used model.Catalogue
	for _, c := range plan.Contenders {
		if f, err := r.catalogue.Find(c.Family); err == nil {
			used = append(used, *f)
		}
	}
	return versionsOf(used)
}

// Refresh has bake-offs run again whose results are of an older format, or of families that have
// changed since: their figures would not be those that the program gives now.
func (r *Repository) Refresh(ctx context.Context) error {
	var list []store.Bakeoff
	if err := r.store.Read(ctx).Find(&list).Error; err != nil {
		return err
	}
	for _, b := range list {
		var plan bakeoff.Plan
		if err := json.Unmarshal([]byte(b.Plan), &plan); err != nil {
			return fmt.Errorf("reading the plan of bake-off %d: %w", b.ID, err)
		}
		now := r.Versions(&plan)
		if b.Versions == now {
			continue
		}
		if err := r.store.Write(ctx, func(tx *gorm.DB) error { return startOver(tx, b.ID, b.JobID, now) }); err != nil {
			return err
		}
	}
	return nil
}

// startOver drops the results of a bake-off and queues it again, unless it was given up.
func startOver(tx *gorm.DB, id, job uint, versions string) error {
	for _, kept := range []any{&store.Result{}, &store.TaskFacts{}, &store.Summary{}} {
		if err := tx.Where("bakeoff_id = ?", id).Delete(kept).Error; err != nil {
			return err
		}
	}
	if err := forgetJob(tx, job); err != nil {
		return err
	}
	return tx.Model(&store.Bakeoff{}).Where("id = ?", id).Update("versions", versions).Error
}

// forgetJob puts a job that was done, or at work, back to its start.
func forgetJob(tx *gorm.DB, job uint) error {
	if err := tx.Where("job_id = ?", job).Delete(&store.Checkpoint{}).Error; err != nil {
		return err
	}
	return tx.Model(&store.Job{}).Where("id = ? AND state IN ?", job, []string{store.Done, store.Running}).
		Updates(map[string]any{"state": store.Queued, "done": 0, "finished_at": nil}).Error
}
