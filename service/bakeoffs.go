package service

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
	"paperkettle/core/split"
	"paperkettle/jobs"
	"paperkettle/results"
	"paperkettle/store"
)

// BakeoffPath names a bake-off in a route.
type BakeoffPath struct {
	Bakeoff string `path:"bakeoff" doc:"its ID, as bake-3, or its name"`
}

func (s *Server) registerBakeoffs() {
	handle(s, api.DrawSplit, func(ctx context.Context, in *struct{ Body api.Plan }) (api.Split, error) {
		e, _, _, err := s.prepare(ctx, in.Body)
		if err != nil {
			return api.Split{}, err
		}
		return splitOf(e), nil
	})
	handle(s, api.ListBakeoffs, s.listBakeoffs)
	handle(s, api.StartBakeoff, s.startBakeoff)
	handle(s, api.GetBakeoff, s.getBakeoff)
	handle(s, api.CancelBakeoff, func(ctx context.Context, in *BakeoffPath) (api.Bakeoff, error) {
		b, err := s.findBakeoff(ctx, in.Bakeoff)
		if err != nil {
			return api.Bakeoff{}, err
		}
		if _, err := s.cancel(ctx, b.JobID); err != nil {
			return api.Bakeoff{}, err
		}
		return s.bakeoffOf(ctx, b, false)
	})
	handle(s, api.ResumeBakeoff, s.resumeBakeoff)
	handle(s, api.PauseBakeoff, s.pauseBakeoff)
	handleEmpty(s, api.RemoveBakeoff, s.removeBakeoff)
	handle(s, api.AddContenders, s.addContenders)
	handle(s, api.GetStandings, s.getStandings)
	handle(s, api.GetTuning, s.getTuning)
	handle(s, api.GetDuel, s.getDuel)
	handle(s, api.GetResiduals, s.getResiduals)
	handle(s, api.GetFit, s.getFit)
	handle(s, api.GetCurves, s.getCurves)
	handleStream(s, api.ExportBakeoff, "text/csv", s.exportBakeoff)
	handleStream(s, api.ExportStandings, "text/csv", s.exportStandings)
	handleStream(s, api.GetReport, "text/html; charset=utf-8", s.report)
}

// findBakeoff takes an ID or a name; the newest of a name wins.
func (s *Server) findBakeoff(ctx context.Context, text string) (*store.Bakeoff, error) {
	var b store.Bakeoff
	err := s.store.Read(ctx).Where("name = ?", text).Order("id DESC").First(&b).Error
	if errors.Is(err, store.ErrNotFound) {
		id, notID := identifier("bake", text)
		if notID != nil {
			return nil, notFound("no bake-off is called %q", text)
		}
		if err = s.store.Read(ctx).First(&b, id).Error; errors.Is(err, store.ErrNotFound) {
			return nil, notFound("there is no bake-off %s", text)
		}
	}
	return &b, err
}

func (s *Server) listBakeoffs(ctx context.Context, in *struct{ Paging }) (api.Page[api.Bakeoff], error) {
	return newest(in.Paging, s.store.Read(ctx).Model(&store.Bakeoff{}), func(b *store.Bakeoff) (api.Bakeoff, error) {
		return s.bakeoffOf(ctx, b, false)
	})
}

func (s *Server) startBakeoff(ctx context.Context, in *struct{ Body api.Plan }) (api.Bakeoff, error) {
	e, ds, rev, err := s.prepare(ctx, in.Body)
	if err != nil {
		return api.Bakeoff{}, err
	}
	plan, err := planJSON(e.Plan)
	if err != nil {
		return api.Bakeoff{}, err
	}
	now := time.Now().UTC()
	b := store.Bakeoff{Name: in.Body.Name, DatasetID: ds.ID, RevisionID: rev.ID, Plan: plan, Versions: s.results.Versions(&e.Plan), CreatedAt: now}
	if b.Name == "" {
		b.Name = defaultName(in.Body)
	}
	err = s.enqueue(ctx, store.Job{Kind: jobs.KindBakeoff, Total: len(e.Tasks())}, "start bake-off", "bake", b.Name,
		func(tx *gorm.DB, job uint) (uint, error) {
			b.JobID = job
			err := tx.Create(&b).Error
			return b.ID, err
		})
	if err != nil {
		return api.Bakeoff{}, err
	}
	return s.bakeoffOf(ctx, &b, false)
}

func (s *Server) resumeBakeoff(ctx context.Context, in *BakeoffPath) (api.Bakeoff, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return api.Bakeoff{}, err
	}
	err = s.store.Write(ctx, func(tx *gorm.DB) error {
		var job store.Job
		if err := tx.First(&job, b.JobID).Error; err != nil {
			return err
		}
		if job.State != store.Cancelled && job.State != store.Failed && job.State != store.Paused {
			return conflict("%s is %s: only a paused, cancelled or failed one can be resumed", idText("bake", b.ID), job.State)
		}
		job.State, job.Error, job.FinishedAt = store.Queued, "", nil
		if err := tx.Save(&job).Error; err != nil {
			return err
		}
		return note(ctx, tx, "resume bake-off", idText("bake", b.ID), b.Name)
	})
	if err != nil {
		return api.Bakeoff{}, err
	}
	s.jobs.Wake()
	return s.bakeoffOf(ctx, b, false)
}

func (s *Server) pauseBakeoff(ctx context.Context, in *BakeoffPath) (api.Bakeoff, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return api.Bakeoff{}, err
	}
	if err := s.jobs.Pause(ctx, b.JobID); err != nil {
		return api.Bakeoff{}, err
	}
	return s.bakeoffOf(ctx, b, false)
}

// addContenders enters further contenders into a bake-off. Those that ran keep their
// results.
func (s *Server) addContenders(ctx context.Context, in *struct {
	BakeoffPath
	Body api.Added
}) (api.Bakeoff, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return api.Bakeoff{}, err
	}
	e, err := s.engine(ctx, b)
	if err != nil {
		return api.Bakeoff{}, err
	}
	plan := e.Plan
	plan.Contenders = slices.Clone(plan.Contenders)
	for _, c := range in.Body.Contenders {
		plan.Contenders = append(plan.Contenders, contenderOf(c))
	}
	next, err := bakeoff.Prepare(e.Panel, plan, s.catalogue)
	if err != nil {
		return api.Bakeoff{}, err
	}
	text, err := planJSON(next.Plan)
	if err != nil {
		return api.Bakeoff{}, err
	}
	err = s.store.Write(ctx, func(tx *gorm.DB) error {
		var job store.Job
		if err := tx.First(&job, b.JobID).Error; err != nil {
			return err
		}
		if !job.Over() {
			return conflict("%s is %s: add contenders when it is over", idText("bake", b.ID), job.State)
		}
		if job.State != store.Done && !in.Body.Resume {
			return conflict("%s was %s with %d of %d tasks done, and what is added runs with all that is open: say that it is to be resumed too "+
				"(resume), or start another bake-off",
				idText("bake", b.ID), ended(job.State), job.Done, job.Total)
		}
		job.State, job.Error, job.FinishedAt, job.Total = store.Queued, "", nil, len(next.Tasks())
		return errors.Join(tx.Save(&job).Error, tx.Model(b).Updates(map[string]any{"plan": text,
			"versions": s.results.Versions(&next.Plan)}).Error, tx.Where("bakeoff_id = ?", b.ID).Delete(&store.Summary{}).Error,
			note(ctx, tx, "add contenders", idText("bake", b.ID), b.Name))
	})
	if err != nil {
		return api.Bakeoff{}, err
	}
	s.leaders.Delete(b.ID)
	s.jobs.Wake()
	return s.bakeoffOf(ctx, b, false)
}

func (s *Server) getBakeoff(ctx context.Context, in *BakeoffPath) (api.Bakeoff, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return api.Bakeoff{}, err
	}
	return s.bakeoffOf(ctx, b, true)
}

func (s *Server) bakeoffOf(ctx context.Context, b *store.Bakeoff, whole bool) (api.Bakeoff, error) {
	var ds store.Dataset
	var rev store.Revision
	var job store.Job
	err := errors.Join(s.store.Read(ctx).First(&ds, b.DatasetID).Error, s.store.Read(ctx).First(&rev, b.RevisionID).Error,
		s.store.Read(ctx).First(&job, b.JobID).Error)
	if err != nil {
		return api.Bakeoff{}, err
	}
	var plan bakeoff.Plan
	if err := json.Unmarshal([]byte(b.Plan), &plan); err != nil {
		return api.Bakeoff{}, err
	}
	meta, err := rev.ReadMeta()
	if err != nil {
		return api.Bakeoff{}, err
	}
	out := api.Bakeoff{ID: idText("bake", b.ID), Name: b.Name, Plan: s.planBack(b.Name, ds.Name, rev.Number, plan),
		Cadence: meta.Cadence.String(), Measure: meta.Measure,
		Job: s.jobNow(ctx, job), Created: b.CreatedAt}
	if whole {
		e, err := s.engine(ctx, b)
		if err != nil {
			return out, err
		}
		split := splitOf(e)
		out.Split = &split
	}
	if job.State == store.Done {
		lead, err := s.leader(ctx, b)
		out.Leader, out.Skill = lead.Contender, number(lead.Skill)
		return out, err
	}
	return out, nil
}

type curvesQuery struct {
	BakeoffPath
	Series string `query:"series" required:"true"`
}

func (s *Server) getCurves(ctx context.Context, in *curvesQuery) (api.Curves, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return api.Curves{}, err
	}
	e, err := s.engine(ctx, b)
	if err != nil {
		return api.Curves{}, err
	}
	i := e.Panel.Find(in.Series)
	if i < 0 {
		return api.Curves{}, noSeries(in.Series)
	}
	out := api.Curves{Series: in.Series, Levels: e.Plan.Levels, Periods: periods(e.Panel, 0, e.Panel.Length),
		Actual: actuals(e.Panel, i, e.Panel.Length), Curves: []api.Curve{}}
	for w, win := range e.Windows {
		for c := range e.Plan.Contenders {
			rows, ok, err := s.readRows(ctx, e, b.ID, w, c, i)
			if err != nil {
				return out, err
			}
			if !ok {
				continue
			}
			out.Curves = append(out.Curves, curveOf(e, win, c, rows))
		}
	}
	windows := e.NewIn(i)
	if len(windows) == 0 {
		return out, nil
	}
	err = s.results.EachNewcomers(ctx, e, b.ID, windows, func(t bakeoff.Task, list []bakeoff.Newcomer) error {
		for _, n := range list {
			if n.Series == in.Series && n.Rows.Mean != nil {
				curve := curveOf(e, e.Windows[t.Window], t.Contender, n.Rows)
				curve.Newcomer = true
				out.Curves = append(out.Curves, curve)
			}
		}
		return nil
	})
	return out, err
}

func curveOf(e *bakeoff.Engine, win split.Window, contender int, rows forecast.Rows) api.Curve {
	curve := api.Curve{Contender: e.Plan.Contenders[contender].Name, Window: win.Index, Start: win.AssessFirst(), Forecast: rows.Mean,
		Closed: closedSteps(rows)}
	curve.Low, curve.High = bands(rows, e.Plan.Levels)
	return curve
}

// readRows reads one record out of a stored shard, without reading the shard.
func (s *Server) readRows(ctx context.Context, e *bakeoff.Engine, id uint, window, contender, series int) (forecast.Rows, bool, error) {
	task, place, ok := e.Locate(window, contender, series)
	if !ok {
		return forecast.Rows{}, false, nil
	}
	of := s.store.Read(ctx).Table("results").Where("bakeoff_id = ? AND win = ? AND contender = ? AND shard = ?", id, task.Window,
		task.Contender, task.Shard)
	var packed, first []byte
	err := of.Session(&gorm.Session{}).Select("substr(forecasts, 1, 1)").Row().Scan(&first)
	if err == nil {
		size := forecast.RecordSize(first, e.Plan.Split.Horizon)
		err = of.Session(&gorm.Session{}).Select("substr(forecasts, ?, ?)", place*size+1, size).Row().Scan(&packed)
	}
	switch {
	case errors.Is(err, sql.ErrNoRows): // not run yet
		return forecast.Rows{}, false, nil
	case err != nil:
		return forecast.Rows{}, false, err
	}
	rows, err := results.ReadForecast(packed, 0, e.Plan.Split.Horizon)
	if errors.Is(err, forecast.ErrAbsent) { // left out
		return rows, false, nil
	}
	return rows, err == nil, err
}

func bands(rows forecast.Rows, levels []float64) (low, high [][]float64) {
	for _, level := range levels {
		lo, hi := make([]float64, len(rows.Mean)), make([]float64, len(rows.Mean))
		for h := range rows.Mean {
			lo[h], hi[h] = forecast.Interval(rows.At(h), level)
		}
		low, high = append(low, lo), append(high, hi)
	}
	return low, high
}

func actuals(p *panel.Panel, series, n int) []*float64 {
	out := make([]*float64, n)
	for i := range out {
		out[i] = number(p.Series[series].At(i))
	}
	return out
}
