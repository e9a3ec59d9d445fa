package service

import (
	"context"
	"time"

	"gorm.io/gorm"

	"paperkettle/store"
)

// enqueue writes a record with the job that will do its work, and a line of audit, all or nothing, and
// wakes the queue. put takes the job's ID, writes the record and gives its ID.
func (s *Server) enqueue(ctx context.Context, job store.Job, action, kind, name string, put func(tx *gorm.DB, job uint) (uint, error)) error {
	job.State, job.CreatedAt = store.Queued, time.Now().UTC()
	err := s.store.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(&job).Error; err != nil {
			return err
		}
		id, err := put(tx, job.ID)
		if err != nil {
			return err
		}
		if err := tx.Model(&job).Update("ref_id", id).Error; err != nil {
			return err
		}
		return note(ctx, tx, action, idText(kind, id), name)
	})
	if err == nil {
		s.jobs.Wake()
	}
	return err
}
