package jobs

import (
	"context"
	"errors"
	"unicode/utf8"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"paperkettle/core/model"
	"paperkettle/store"
)

// Work is a job made ready to run.
type Work interface {
	// Basis is a hash of all that the results depend on besides the task.
	Basis() string
	// Tasks lists all tasks, in order.
	Tasks(ctx context.Context) ([]Task, error)
	// Do computes a task and hands its results in. It is called from several goroutines.
	Do(ctx context.Context, task string, desk Desk) error
	// Keep writes a result, once: one that is there already stays as it is.
	Keep(tx *gorm.DB, task string, result []byte) error
	// Finish is called in the transaction that marks the job done.
	Finish(tx *gorm.DB) error
	// Abandon is called in the transaction that marks it failed or cancelled.
	Abandon(tx *gorm.DB) error
}

// Task is a piece of a job.
type Task struct {
	ID    string
	Stage int // those of a later one need the results of all earlier ones
	Cores int // how many it can keep busy: 1, or AllCores
	Made  bool
}

// Desk is where a task hands over what it makes.
type Desk struct {
	Hand       func(result []byte) error
	Report     func(done float64, note string)
	Show       func(curves []model.Curve)
	Checkpoint model.Checkpoint
}

// Closer is Work with something to do once all its tasks are done, before Finish.
type Closer interface {
	Close(ctx context.Context) error
}

// Opener makes the work of a job ready; ref is the job's RefID.
type Opener func(ctx context.Context, ref uint) (Work, error)

// checkpoint keeps the state of a task in the store.
type checkpoint struct {
	ctx   context.Context
	store *store.Store
	job   uint
	task  string
	saved func() // is called when there is one
}

// Load gives what was saved last, or nil.
func (c checkpoint) Load() ([]byte, error) {
	var kept store.Checkpoint
	err := c.store.Read(c.ctx).Where("job_id = ? AND task = ?", c.job, c.task).First(&kept).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err == nil {
		c.saved()
	}
	return kept.Data, err
}

// Save keeps a state in place of the one before.
func (c checkpoint) Save(data []byte) error {
	c.saved()
	return c.store.Write(c.ctx, func(tx *gorm.DB) error {
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&store.Checkpoint{JobID: c.job, Task: c.task, Data: data}).Error
	})
}

// partMark stands between the name of a task and those of a checkpoint's parts, which have rows of their own.
const partMark = "\x1f"

// Part is a part of the checkpoint that is kept apart.
func (c checkpoint) Part(name string) model.Checkpoint {
	c.task += partMark + name
	return c
}

// forget drops the checkpoint of a task with its parts, or of all tasks of a job where it is empty.
func forget(tx *gorm.DB, job uint, task string) error {
	query := tx.Where("job_id = ?", job)
	if own := task + partMark; task != "" {
		query = query.Where("task = ? OR substr(task, 1, ?) = ?", task, utf8.RuneCountInString(own), own)
	}
	return query.Delete(&store.Checkpoint{}).Error
}
