package service

import (
	"context"
	"errors"

	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/jobs"
	"paperkettle/store"
)

// JobPath names a job in a route.
type JobPath struct {
	Job string `path:"job"`
}

func (s *Server) registerJobs() {
	handle(s, api.ListJobs, func(ctx context.Context, in *struct{ Paging }) (api.Page[api.Job], error) {
		out := api.Page[api.Job]{Items: []api.Job{}}
		offset, err := in.offset()
		if err != nil {
			return out, err
		}
		var total int64
		var list []store.Job
		err = errors.Join(s.store.Read(ctx).Model(&store.Job{}).Count(&total).Error,
			s.store.Read(ctx).Order("id DESC").Offset(offset).Limit(in.Limit).Find(&list).Error)
		for _, j := range list {
			out.Items = append(out.Items, s.jobNow(ctx, j))
		}
		out.Total, out.Cursor = int(total), nextCursor(offset, len(list), int(total))
		return out, err
	})
	handle(s, api.GetJob, func(ctx context.Context, in *JobPath) (api.Job, error) {
		_, p, err := s.progress(ctx, in.Job)
		return s.jobOf(p), err
	})
	handle(s, api.CancelJob, func(ctx context.Context, in *JobPath) (api.Job, error) {
		id, _, err := s.progress(ctx, in.Job)
		if err != nil {
			return api.Job{}, err
		}
		return s.cancel(ctx, id)
	})
	handle(s, api.SetPriority, func(ctx context.Context, in *struct {
		JobPath
		Body api.Urgency
	}) (api.Job, error) {
		id, _, err := s.progress(ctx, in.Job)
		if err != nil {
			return api.Job{}, err
		}
		err = s.store.Write(ctx, func(tx *gorm.DB) error {
			return tx.Model(&store.Job{}).Where("id = ? AND state IN ?", id, []string{store.Queued, store.Paused}).Update("priority", in.Body.Priority).Error
		})
		if err != nil {
			return api.Job{}, err
		}
		s.jobs.Wake()
		p, err := s.jobs.Progress(ctx, id)
		return s.jobOf(p), err
	})
	handleStream(s, api.WatchJob, "text/event-stream", func(ctx context.Context, in *JobPath) (stream, error) {
		id, p, err := s.progress(ctx, in.Job)
		return s.progressStream(id, p), err
	})
}

func (s *Server) progress(ctx context.Context, text string) (uint, jobs.Progress, error) {
	id, err := identifier("job", text)
	if err != nil {
		return 0, jobs.Progress{}, err
	}
	p, err := s.jobs.Progress(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		err = notFound("there is no job %s", text)
	}
	return id, p, err
}

func (s *Server) cancel(ctx context.Context, id uint) (api.Job, error) {
	if err := s.jobs.Cancel(ctx, id); err != nil {
		return api.Job{}, err
	}
	p, err := s.jobs.Progress(ctx, id)
	return s.jobOf(p), err
}

// jobNow is a stored job with its live progress, where it runs.
func (s *Server) jobNow(ctx context.Context, j store.Job) api.Job {
	if !j.Over() {
		if p, err := s.jobs.Progress(ctx, j.ID); err == nil {
			return s.jobOf(p)
		}
	}
	return s.jobOf(jobs.Progress{Job: j})
}

func (s *Server) jobOf(p jobs.Progress) api.Job {
	j := p.Job
	about := "bake"
	if j.Kind == jobs.KindRelease {
		about = "rel"
	}
	if j.Kind == jobs.KindScenario {
		about = "scen"
	}
	out := api.Job{ID: idText("job", j.ID), Kind: j.Kind, About: idText(about, j.RefID), State: j.State, Priority: j.Priority, Done: j.Done,
		Total: j.Total, Rate: p.Rate, Share: p.Share, Note: p.Note,
		Error: j.Error, Created: j.CreatedAt, Started: j.StartedAt, Finished: j.FinishedAt}
	for _, c := range p.Learning {
		out.Learning = append(out.Learning, lossCurveOf(c))
	}
	if j.State == store.Done {
		out.Share = 1
	} else if out.Share == 0 && j.Total > 0 {
		out.Share = float64(j.Done) / float64(j.Total)
	}
	if p.Rate > 0 {
		out.Left = (1 - out.Share) * float64(j.Total) / p.Rate
	}
	return out
}
