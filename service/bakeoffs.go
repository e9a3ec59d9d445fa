package service

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"sync"
	"time"

	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
	"paperkettle/jobs"
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
	handle(s, api.AddContenders, s.addContenders)
	handle(s, api.GetStandings, s.getStandings)
	handle(s, api.GetTuning, s.getTuning)
	handle(s, api.GetDuel, s.getDuel)
	handle(s, api.GetResiduals, s.getResiduals)
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
	out := api.Page[api.Bakeoff]{Items: []api.Bakeoff{}}
	offset, err := in.offset()
	if err != nil {
		return out, err
	}
	var total int64
	var list []store.Bakeoff
	err = errors.Join(s.store.Read(ctx).Model(&store.Bakeoff{}).Count(&total).Error,
		s.store.Read(ctx).Order("id DESC").Offset(offset).Limit(in.Limit).Find(&list).Error)
	if err != nil {
		return out, err
	}
	for i := range list {
		b, err := s.bakeoffOf(ctx, &list[i], false)
		if err != nil {
			return out, err
		}
		out.Items = append(out.Items, b)
	}
	out.Total, out.Cursor = int(total), nextCursor(offset, len(list), int(total))
	return out, nil
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
	b := store.Bakeoff{Name: in.Body.Name, DatasetID: ds.ID, RevisionID: rev.ID, Plan: plan, CreatedAt: now}
	if b.Name == "" {
		b.Name = defaultName(in.Body)
	}
	err = s.store.Write(ctx, func(tx *gorm.DB) error {
		job := store.Job{Kind: jobs.KindBakeoff, State: store.Queued, Total: len(e.Tasks()), CreatedAt: now}
		if err := tx.Create(&job).Error; err != nil {
			return err
		}
		b.JobID = job.ID
		if err := tx.Create(&b).Error; err != nil {
			return err
		}
		if err := tx.Model(&job).Update("ref_id", b.ID).Error; err != nil {
			return err
		}
		return note(ctx, tx, "start bake-off", idText("bake", b.ID), b.Name)
	})
	if err != nil {
		return api.Bakeoff{}, err
	}
	s.jobs.Wake()
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
		job.State, job.Error, job.FinishedAt, job.Total = store.Queued, "", nil, len(next.Tasks())
		return errors.Join(tx.Save(&job).Error, tx.Model(b).Update("plan", text).Error, tx.Where("bakeoff_id = ?", b.ID).Delete(&store.Summary{}).Error,
			note(ctx, tx, "add contenders", idText("bake", b.ID), b.Name))
	})
	if err != nil {
		return api.Bakeoff{}, err
	}
	s.leaders.Delete(b.ID)
	s.jobs.Wake()
	return s.bakeoffOf(ctx, b, false)
}

// engines keeps the engines used last: laying a large plan on its panel takes a while.
type engines struct {
	mu   sync.Mutex
	last []kept
}

type kept struct {
	id   uint
	plan string
	e    *bakeoff.Engine
}

// mostEngines is how many are kept.
const mostEngines = 4

// engine makes a stored bake-off's engine, or gives the one made before.
func (s *Server) engine(ctx context.Context, b *store.Bakeoff) (*bakeoff.Engine, error) {
	s.engines.mu.Lock()
	for _, k := range s.engines.last {
		if k.id == b.ID && k.plan == b.Plan {
			s.engines.mu.Unlock()
			return k.e, nil
		}
	}
	s.engines.mu.Unlock()
	e, err := jobs.OpenEngine(ctx, s.store, s.catalogue, b)
	if err != nil {
		return nil, err
	}
	s.engines.mu.Lock()
	defer s.engines.mu.Unlock()
	s.engines.last = append(s.engines.last, kept{b.ID, b.Plan, e})
	if n := len(s.engines.last); n > mostEngines {
		s.engines.last = slices.Delete(s.engines.last, 0, n-mostEngines)
	}
	return e, nil
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
	err := errors.Join(s.store.Read(ctx).First(&ds, b.DatasetID).Error, s.store.Read(ctx).First(&rev, b.RevisionID).Error, s.store.Read(ctx).First(&job, b.JobID).Error)
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
	out := api.Bakeoff{ID: idText("bake", b.ID), Name: b.Name, Plan: planBack(b.Name, ds.Name, rev.Number, plan), Cadence: meta.Cadence.String(), Measure: meta.Measure,
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

// leader is the first line of a finished bake-off's standings.
func (s *Server) leader(ctx context.Context, b *store.Bakeoff) (bakeoff.Standing, error) {
	if known, ok := s.leaders.Load(b.ID); ok {
		return known.(bakeoff.Standing), nil
	}
	e, err := s.engine(ctx, b)
	if err != nil {
		return bakeoff.Standing{}, err
	}
	st, err := jobs.ReadStandings(ctx, s.store, e, b.ID, "", "")
	if err != nil || len(st.Slices) == 0 {
		return bakeoff.Standing{Skill: math.NaN()}, err
	}
	s.leaders.Store(b.ID, st.Slices[0].Rows[0])
	return st.Slices[0].Rows[0], nil
}

type standingsQuery struct {
	BakeoffPath
	Metric string `query:"metric" doc:"the plan's where left out"`
	Per    string `query:"per" doc:"step, window, series, demand, volume, weekday, month, quarter, time-of-day or an attribute, or two of them apart by a comma; the whole where left out"`
	Brief  bool   `query:"brief" doc:"values of the ranking metric alone"`
}

func (s *Server) getStandings(ctx context.Context, in *standingsQuery) (api.Standings, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return api.Standings{}, err
	}
	return s.standings(ctx, b, in.Metric, in.Per, in.Brief)
}

func (s *Server) standings(ctx context.Context, b *store.Bakeoff, metric, per string, brief bool) (api.Standings, error) {
	e, err := s.engine(ctx, b)
	if err != nil {
		return api.Standings{}, err
	}
	if per == "all" {
		per = ""
	}
	st, err := jobs.ReadStandings(ctx, s.store, e, b.ID, metric, per)
	if err != nil {
		return api.Standings{}, invalid("query", "%v", err)
	}
	var job store.Job
	if err := s.store.Read(ctx).First(&job, b.JobID).Error; err != nil {
		return api.Standings{}, err
	}
	if brief {
		st.Keep(st.Metric)
	}
	out := standingsOf(st)
	out.Bakeoff, out.Complete = idText("bake", b.ID), job.State == store.Done
	if out.Filled, err = s.filled(ctx, e, b.ID); err != nil {
		return out, err
	}
	if per == "" {
		out.Weights = e.Plan.Weights
		if err := s.addCosts(ctx, &out, e, b.ID); err != nil {
			return out, err
		}
		out.Sentence = sentence(out, e)
	}
	return out, nil
}

func (s *Server) addCosts(ctx context.Context, out *api.Standings, e *bakeoff.Engine, id uint) error {
	costs, err := jobs.ReadCosts(ctx, s.store, e, id)
	if err != nil || len(out.Slices) == 0 {
		return err
	}
	for i := range out.Slices[0].Rows {
		r := &out.Slices[0].Rows[i]
		c := costs[e.Plan.Contender(r.Contender)]
		r.Seconds, r.Bytes = c.Seconds, c.Bytes
	}
	return nil
}

func standingsOf(st *bakeoff.Standings) api.Standings {
	out := api.Standings{Metric: st.Metric, Baseline: st.Baseline, Per: st.Per, Slices: []api.StandingsSlice{}, Series: st.Series}
	if st.Series > 0 {
		out.Hindsight, out.CriticalDistance = number(st.Hindsight), number(st.CriticalDistance)
	}
	for _, m := range st.Metrics {
		out.Metrics = append(out.Metrics, api.Metric{Name: m.Name, Meaning: m.Meaning, Share: m.Share, Unit: m.Unit})
	}
	byMetric := func(values []float64) map[string]*float64 {
		if values == nil {
			return nil
		}
		all := make(map[string]*float64, len(values))
		for i, m := range st.Metrics {
			all[m.Name] = number(values[i])
		}
		return all
	}
	for _, sl := range st.Slices {
		slice := api.StandingsSlice{Name: sl.Name}
		for _, r := range sl.Rows {
			row := api.StandingRow{Rank: r.Rank, Contender: r.Contender, Points: r.Points, Filled: r.Filled, Skill: number(r.Skill), Values: byMetric(r.Values)}
			if o := r.Over; o != nil && len(st.Metrics) == len(r.Values) && len(st.Metrics) > 1 {
				row.Train = known(byMetric(o.Train))
				if row.Over = overOf(o); !slices.ContainsFunc(o.Weighted, func(v float64) bool { return v == v }) {
					o.Weighted = nil
				}
				row.Weighted = byMetric(o.Weighted)
			}
			slice.Rows = append(slice.Rows, row)
		}
		out.Slices = append(out.Slices, slice)
	}
	return out
}

// known leaves out what is unknown.
func known(values map[string]*float64) map[string]*float64 {
	maps.DeleteFunc(values, func(_ string, v *float64) bool { return v == nil })
	return values
}

func overOf(o *bakeoff.Over) *api.OverSeries {
	return &api.OverSeries{Mean: number(o.Mean), Median: number(o.Median), MeanRank: number(o.MeanRank), Won: number(o.Won), Beats: number(o.Beats),
		BehindLow: number(o.Behind.Low), BehindHigh: number(o.Behind.High), P: number(o.P), LikeLeader: o.LikeLeader}
}

const filledShown = 100

func (s *Server) filled(ctx context.Context, e *bakeoff.Engine, id uint) ([]api.Filled, error) {
	byTask, err := jobs.ReadFilled(ctx, s.store, id)
	if err != nil {
		return nil, err
	}
	tasks := slices.SortedFunc(maps.Keys(byTask), func(a, b bakeoff.Task) int {
		return cmp.Or(cmp.Compare(a.Window, b.Window), cmp.Compare(a.Contender, b.Contender), cmp.Compare(a.Shard, b.Shard))
	})
	var out []api.Filled
	for _, t := range tasks {
		for _, f := range byTask[t] {
			if len(out) < filledShown {
				out = append(out, api.Filled{Contender: e.Plan.Contenders[t.Contender].Name, Window: e.Windows[t.Window].Index, Series: f.Series, Reason: f.Reason})
			}
		}
	}
	return out, nil
}

// sentence is the first line of the standings: who leads, by how much, whether it may be
// chance, and what it costs.
func sentence(st api.Standings, e *bakeoff.Engine) string {
	if len(st.Slices) == 0 {
		return "Nothing to rank yet: no window is finished by every contender."
	}
	rows := st.Slices[0].Rows
	lead := rows[0]
	text := lead.Contender + " leads"
	switch {
	case lead.Values[st.Metric] == nil:
		return fmt.Sprintf("No contender has a %s here, since what it divides by is zero: rank by another metric.", st.Metric)
	case len(rows) == 1:
		return fmt.Sprintf("%s ran alone: enter a second contender to compare it with.", lead.Contender)
	case rows[1].Rank == 1:
		text = fmt.Sprintf("%s and %s share the lead", lead.Contender, rows[1].Contender)
	case lead.Contender == st.Baseline:
		text = fmt.Sprintf("Nothing beats the baseline: %s leads", lead.Contender)
	case lead.Skill != nil:
		text = fmt.Sprintf("%s leads by %.1f %% over %s", lead.Contender, 100**lead.Skill, st.Baseline)
	}
	text += fmt.Sprintf(" on %s over %d points in %d %s", st.Metric, lead.Points, len(e.Windows), plural(len(e.Windows), "window"))
	if !st.Complete {
		text += ", so far"
	}
	if luck := luckOf(rows); luck != "" {
		text += "; " + luck
	} else if len(e.Windows) == 1 {
		text += "; with a single window the lead may be chance"
	}
	return text + costOf(rows) + "."
}

// luckOf names who can't be told from the leader; empty where nothing was tested.
func luckOf(rows []api.StandingRow) string {
	var like []string
	tested := false
	for _, r := range rows[1:] {
		if r.Over == nil || r.Over.BehindLow == nil && r.Over.P == nil || r.Rank == 1 {
			continue
		}
		tested = true
		if r.Over.LikeLeader {
			like = append(like, r.Contender)
		}
	}
	switch {
	case len(like) == 0 && tested:
		return "the lead over every other is more than chance"
	case len(like) == 1:
		return "the lead over " + like[0] + " may be chance"
	case len(like) > 1:
		return fmt.Sprintf("the lead over %s and %d more may be chance", like[0], len(like)-1)
	}
	return ""
}

// costOf says so where the leader takes far longer than the next.
func costOf(rows []api.StandingRow) string {
	a, b := rows[0].Seconds, rows[1].Seconds
	if a > 1 && b > 0 && a > 3*b {
		return fmt.Sprintf(". It takes %.0f times as long as %s", a/b, rows[1].Contender)
	}
	return ""
}

func plural(n int, word string) string {
	if n == 1 {
		return word
	}
	return word + "s"
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
	out := api.Curves{Series: in.Series, Levels: e.Plan.Levels, Periods: periods(e.Panel, 0, e.Panel.Length), Actual: actuals(e.Panel, i, e.Panel.Length), Curves: []api.Curve{}}
	for w, win := range e.Windows {
		for c := range e.Plan.Contenders {
			rows, ok, err := s.readRows(ctx, e, b.ID, w, c, i)
			if err != nil {
				return out, err
			}
			if !ok {
				continue
			}
			curve := api.Curve{Contender: e.Plan.Contenders[c].Name, Window: win.Index, Start: win.AssessFirst(), Forecast: rows.Mean}
			curve.Low, curve.High = bands(rows, e.Plan.Levels)
			out.Curves = append(out.Curves, curve)
		}
	}
	return out, nil
}

// readRows reads one record out of a stored shard, without reading the shard.
func (s *Server) readRows(ctx context.Context, e *bakeoff.Engine, id uint, window, contender, series int) (forecast.Rows, bool, error) {
	task, place, ok := e.Locate(window, contender, series)
	if !ok {
		return forecast.Rows{}, false, nil
	}
	size := forecast.PackedSize(e.Plan.Split.Horizon)
	var packed []byte
	row := s.store.Read(ctx).Raw("SELECT substr(forecasts, ?, ?) FROM results WHERE bakeoff_id = ? AND win = ? AND contender = ? AND shard = ?",
		place*size+1, size, id, task.Window, task.Contender, task.Shard).Row()
	switch err := row.Scan(&packed); {
	case errors.Is(err, sql.ErrNoRows): // not run yet
		return forecast.Rows{}, false, nil
	case err != nil:
		return forecast.Rows{}, false, err
	}
	rows, err := jobs.ReadForecast(packed, 0, e.Plan.Split.Horizon)
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
