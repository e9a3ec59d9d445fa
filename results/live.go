package results

import (
	"fmt"

	"gorm.io/gorm"

	"paperkettle/core/bakeoff"
	"paperkettle/store"
)

// FewerSeries is the word by which a release may go live with fewer series than the live one.
const FewerSeries = "fewer-series"

// Covered counts the series of a release that have a forecast, and gives the reason of the first
// that has none.
func Covered(db *gorm.DB, release uint) (n int, reason string, err error) {
	err = eachNote(db, release, func(_ int, s bakeoff.Refitted) {
		switch {
		case s.LeftOut == "":
			n++
		case reason == "":
			reason = s.Series + " " + s.LeftOut
		}
	})
	return n, reason, err
}

// LiveRelease is the dataset's live release; its ID is 0 where there is none.
func LiveRelease(db *gorm.DB, dataset uint) (rel store.Release, err error) {
	err = db.Where("dataset_id = ? AND state = ?", dataset, store.Live).Limit(1).Find(&rel).Error
	return rel, err
}

// FewerThanLive says by how much a release falls short of the live one; empty where it does not.
func FewerThanLive(db *gorm.DB, dataset uint, covered int) (string, error) {
	live, err := LiveRelease(db, dataset)
	if err != nil || live.ID == 0 {
		return "", err
	}
	now, _, err := Covered(db, live.ID)
	if err != nil || now <= covered {
		return "", err
	}
	return fmt.Sprintf("it forecasts %d series, and rel-%d, which is live, forecasts %d", covered, live.ID, now), nil
}

// GoLive puts a release in place of the dataset's live one.
func GoLive(tx *gorm.DB, rel *store.Release) error {
	err := tx.Model(&store.Release{}).Where("dataset_id = ? AND state = ?", rel.DatasetID, store.Live).Update("state", store.Superseded).Error
	if err != nil {
		return err
	}
	rel.State, rel.Held = store.Live, ""
	return tx.Model(&store.Release{}).Where("id = ?", rel.ID).Updates(map[string]any{"state": rel.State, "held": ""}).Error
}

// Hold keeps a release that is ready from going live.
func Hold(tx *gorm.DB, rel *store.Release, why string) error {
	rel.State, rel.Held = store.Held, why
	return tx.Model(&store.Release{}).Where("id = ?", rel.ID).Updates(map[string]any{"state": rel.State, "held": why}).Error
}

// Before is the release that was live before another: the newest that was superseded. Its ID is 0
// where there is none.
func Before(tx *gorm.DB, dataset uint) (rel store.Release, err error) {
	err = tx.Where("dataset_id = ? AND state = ?", dataset, store.Superseded).Order("id DESC").Limit(1).Find(&rel).Error
	return rel, err
}
