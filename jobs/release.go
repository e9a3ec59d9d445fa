package jobs

import (
	"bytes"
	"cmp"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"

	"paperkettle/core/bakeoff"
	"paperkettle/results"
	"paperkettle/store"
)

// KindRelease is the job kind of a release.
const KindRelease = "release"

// Releases opens release jobs.
func Releases(r *results.Repository) Opener {
	return func(ctx context.Context, ref uint) (Work, error) {
		w := &releaseWork{results: r}
		if err := r.Store().Read(ctx).First(&w.release, ref).Error; err != nil {
			return nil, err
		}
		// A release that can't be made ready must still be marked as failed, so there is work to
		// abandon.
		if w.refit, w.broken = r.Refit(ctx, &w.release); w.broken == nil {
			w.basis, w.broken = r.BasisOf(ctx, w.release.BakeoffID, w.release.RevisionID)
		}
		return w, nil
	}
}

type releaseWork struct {
	results *results.Repository
	release store.Release
	refit   *bakeoff.Refit
	basis   string
	broken  error
}

func (w *releaseWork) Basis() string { return w.basis }

func (w *releaseWork) Tasks(ctx context.Context) ([]Task, error) {
	if w.broken != nil {
		return nil, w.broken
	}
	var have []int
	err := w.results.Store().Read(ctx).Model(&store.ReleasePart{}).Where("release_id = ?", w.release.ID).Pluck("part", &have).Error
	return pieces(w.refit, have), err
}

// pieces are the tasks of a refit, of which some are made.
func pieces(r *bakeoff.Refit, have []int) []Task {
	out := make([]Task, r.Parts())
	for i := range out {
		out[i] = Task{ID: fmt.Sprintf("part %d", i), Cores: 1}
		if r.Pools() {
			out[i].Cores = AllCores
		}
	}
	for _, i := range have {
		if i < len(out) {
			out[i].Made = true
		}
	}
	return out
}

// pieceOf reads a task of a refit.
func pieceOf(task string) (int, error) {
	var i int
	if _, err := fmt.Sscanf(task, "part %d", &i); err != nil {
		return 0, fmt.Errorf("no task is called %s", strconv.Quote(task))
	}
	return i, nil
}

func (w *releaseWork) Do(ctx context.Context, task string, desk Desk) error {
	i, err := pieceOf(task)
	if err != nil {
		return err
	}
	var part results.ReleasePart
	if part.Notes, part.Packed, err = w.refit.Run(ctx, i, bakeoff.Desk{Report: desk.Report, Show: desk.Show, Checkpoint: desk.Checkpoint}); err != nil {
		return err
	}
	var b bytes.Buffer
	if err := gob.NewEncoder(&b).Encode(part); err != nil {
		return err
	}
	return desk.Hand(b.Bytes())
}

func (w *releaseWork) Keep(tx *gorm.DB, task string, result []byte) error {
	i, err := pieceOf(task)
	if err != nil {
		return err
	}
	var part results.ReleasePart
	if err := gob.NewDecoder(bytes.NewReader(result)).Decode(&part); err != nil {
		return err
	}
	return results.KeepReleased(tx, w.release.ID, i, &part)
}

// Close refuses a release without a forecast.
func (w *releaseWork) Close(ctx context.Context) error {
	n, reason, err := results.Covered(w.results.Store().Read(ctx), w.release.ID)
	if err == nil && n == 0 {
		err = fmt.Errorf("no series got a forecast: %s", cmp.Or(reason, "the dataset has none"))
	}
	return err
}

// Finish puts the release in place of the one that was live, unless it has fewer series and
// nobody agreed to that.
func (w *releaseWork) Finish(tx *gorm.DB) error {
	if !slices.Contains(strings.Fields(w.release.Consent), results.FewerSeries) {
		n, _, err := results.Covered(tx, w.release.ID)
		if err != nil {
			return err
		}
		if why, err := results.FewerThanLive(tx, w.release.DatasetID, n); err != nil {
			return err
		} else if why != "" {
			return errors.Join(results.Hold(tx, &w.release, why), w.tell(tx, "held", why))
		}
	}
	return errors.Join(results.GoLive(tx, &w.release), w.tell(tx, "live", ""))
}

// tell writes what became of the release into the audit: no request of anyone's does.
func (w *releaseWork) tell(tx *gorm.DB, action, why string) error {
	return tx.Create(&store.Audit{At: time.Now().UTC(), Who: "service", Action: action, Object: fmt.Sprintf("rel-%d", w.release.ID), Detail: why}).Error
}

func (w *releaseWork) Abandon(tx *gorm.DB) error {
	return errors.Join(tx.Model(&store.Release{}).Where("id = ?", w.release.ID).Update("state", store.Broken).Error, w.tell(tx, "not published", ""))
}
