package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sync"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/panel"
	"paperkettle/results"
	"paperkettle/store"
)

// ReleasePath names a release in a route.
type ReleasePath struct {
	Release string `path:"release" doc:"its ID, as rel-2"`
}

func (s *Server) registerReleases() {
	handle(s, api.ListReleases, s.listReleases)
	handle(s, api.PublishRelease, s.publish)
	handle(s, api.GetRelease, func(ctx context.Context, in *ReleasePath) (api.Release, error) {
		rel, err := s.findRelease(ctx, in.Release)
		if err != nil {
			return api.Release{}, err
		}
		return s.releaseOf(ctx, rel, true)
	})
	handle(s, api.GetReleaseCurve, s.releaseCurve)
	handle(s, api.GetTotals, s.releaseTotals)
	handleStream(s, api.ExportRelease, "text/csv", s.exportRelease)
	handle(s, api.WithdrawRelease, s.withdraw)
	handle(s, api.PreviewRelease, s.previewRelease)
	handle(s, api.ReviveRelease, s.revive)
	handleEmpty(s, api.RemoveRelease, s.removeRelease)
}

func (s *Server) findRelease(ctx context.Context, text string) (*store.Release, error) {
	id, err := identifier("rel", text)
	if err != nil {
		return nil, err
	}
	var rel store.Release
	err = s.store.Read(ctx).First(&rel, id).Error
	if errors.Is(err, store.ErrNotFound) {
		err = notFound("there is no release %s", text)
	}
	return &rel, err
}

func (s *Server) listReleases(ctx context.Context, in *struct {
	Paging
	Dataset string `query:"dataset" doc:"only those of a dataset"`
}) (api.Page[api.Release], error) {
	query := s.store.Read(ctx).Model(&store.Release{})
	if in.Dataset != "" {
		ds, _, err := s.dataset(ctx, in.Dataset)
		if err != nil {
			return api.Page[api.Release]{}, err
		}
		query = query.Where("dataset_id = ?", ds.ID)
	}
	return newest(in.Paging, query, func(r *store.Release) (api.Release, error) { return s.releaseOf(ctx, r, false) })
}

func levelsOf(rel *store.Release) ([]float64, error) {
	var levels []float64
	err := json.Unmarshal([]byte(rel.Levels), &levels)
	return levels, err
}

func scoreOf(l results.LiveScore) api.LiveScore {
	return api.LiveScore{Points: l.Points, Outside: l.Outside, Level: l.Level, Through: l.Through, Metrics: l.Metrics, Skill: l.Skill}
}

func (s *Server) releaseOf(ctx context.Context, rel *store.Release, whole bool) (api.Release, error) {
	var ds store.Dataset
	var rev store.Revision
	var job store.Job
	var open int64
	err := errors.Join(s.store.Read(ctx).First(&ds, rel.DatasetID).Error, s.store.Read(ctx).First(&rev, rel.RevisionID).Error,
		s.store.Read(ctx).First(&job, rel.JobID).Error,
		s.store.Read(ctx).Model(&store.Flag{}).Where("release_id = ? AND state = ?", rel.ID, store.FlagOpen).Count(&open).Error)
	if err != nil {
		return api.Release{}, err
	}
	meta, err := rev.ReadMeta()
	if err != nil {
		return api.Release{}, err
	}
	levels, err := levelsOf(rel)
	if err != nil {
		return api.Release{}, err
	}
	last := meta.First + int64(meta.Length) - 1
	out := api.Release{ID: idText("rel", rel.ID), Dataset: ds.Name, Revision: rev.Number, Bakeoff: idText("bake", rel.BakeoffID),
		Contender: rel.Contender, Horizon: rel.Horizon,
		Levels: levels, State: rel.State, Held: rel.Held, Origin: meta.Cadence.Format(last), First: meta.Cadence.Format(last + 1),
		Last:    meta.Cadence.Format(last + int64(rel.Horizon)),
		Cadence: meta.Cadence.String(), Measure: meta.Measure, Job: s.jobNow(ctx, job), Created: rel.CreatedAt, OpenFlags: int(open)}
	if rel.Live != "" {
		var live results.LiveScore
		if err := json.Unmarshal([]byte(rel.Live), &live); err != nil {
			return out, err
		}
		score := scoreOf(live)
		out.Score = &score
	}
	if whole {
		err = s.describeRelease(ctx, rel, &out)
	}
	return out, err
}

func (s *Server) describeRelease(ctx context.Context, rel *store.Release, out *api.Release) error {
	used := map[string]int{}
	err := s.results.EachReleased(ctx, rel, func(r results.ReleasedSeries) error {
		if r.LeftOut != "" {
			out.LeftOut = append(out.LeftOut, api.LeftOut{Series: r.Series, Reason: r.LeftOut})
			return nil
		}
		out.Series++
		out.ClosedPeriods += len(closedSteps(r.Rows))
		used[r.Contender]++
		return nil
	})
	if err != nil {
		return err
	}
	for name, n := range used {
		out.Used = append(out.Used, api.Used{Contender: name, Series: n})
	}
	slices.SortFunc(out.Used, func(a, b api.Used) int {
		if a.Series != b.Series {
			return b.Series - a.Series
		}
		return slices.Compare([]string{a.Contender}, []string{b.Contender})
	})
	if n := len(out.LeftOut); n > 0 {
		out.Cautions = append(out.Cautions, fmt.Sprintf("%d series got no forecast: %s, for one, %s.", n, out.LeftOut[0].Series, out.LeftOut[0].Reason))
	}
	ahead, err := s.cautionsAhead(ctx, rel)
	if err != nil {
		return err
	}
	out.Cautions = append(out.Cautions, ahead...)
	if sc := out.Score; sc != nil && sc.Points >= 100 {
		share := 1 - float64(sc.Outside)/float64(sc.Points)
		if share < sc.Level/100-0.05 {
			out.Cautions = append(out.Cautions, fmt.Sprintf("Only %.0f %% of the actuals so far lie inside the %v %% interval: it is too narrow.",
				100*share, sc.Level))
		}
	}
	return nil
}

// cautionsAhead says which drivers a release had to take for known ahead, and how, and which last values
// it left out.
func (s *Server) cautionsAhead(ctx context.Context, rel *store.Release) ([]string, error) {
	p, err := s.store.Panel(ctx, rel.RevisionID)
	if err != nil {
		return nil, err
	}
	var b store.Bakeoff
	if err := s.store.Read(ctx).First(&b, rel.BakeoffID).Error; err != nil {
		return nil, err
	}
	e, err := s.engine(ctx, &b)
	if err != nil {
		return nil, err
	}
	// Every driver of every series is looked at for that, and pages ask for it again and again.
	return s.ahead.of(outlook{rel.RevisionID, b.Plan, rel.Horizon}, func() []string { return bakeoff.CautionsAhead(p, e.Plan, rel.Horizon) }), nil
}

// outlook is what cautions on a release are told of: none of it ever changes.
type outlook struct {
	revision uint
	plan     string
	horizon  int
}

// releasePanels are the panel a release was trained on and the latest one.
func (s *Server) releasePanels(ctx context.Context, rel *store.Release) (old, now *panel.Panel, err error) {
	if old, err = s.store.Panel(ctx, rel.RevisionID); err != nil {
		return nil, nil, err
	}
	var latest store.Revision
	if err := s.store.Read(ctx).Where("dataset_id = ?", rel.DatasetID).Order("number DESC").First(&latest).Error; err != nil {
		return nil, nil, err
	}
	now, err = s.store.Panel(ctx, latest.ID)
	return old, now, err
}

type releaseCurveQuery struct {
	ReleasePath
	Series  string `query:"series" doc:"the first with a forecast where left out"`
	History int    `query:"history" minimum:"0" doc:"periods before the forecast that are asked for; all where left out"`
	Brief   bool   `query:"brief" doc:"without the keys of all series, and without the components of the fit"`
	Fit     bool   `query:"fit" doc:"how the forecast was made too: it is trained once more for that, with all series where they lean on each other"`
}

func (s *Server) releaseCurve(ctx context.Context, in *releaseCurveQuery) (api.ReleaseCurve, error) {
	rel, err := s.findRelease(ctx, in.Release)
	if err != nil {
		return api.ReleaseCurve{}, err
	}
	levels, err := levelsOf(rel)
	if err != nil {
		return api.ReleaseCurve{}, err
	}
	out := api.ReleaseCurve{Series: in.Series, Levels: levels, Flags: []api.Flag{}, Forecast: []float64{}, Low: [][]float64{}, High: [][]float64{}}
	found, keys, err := s.results.Released(ctx, rel, in.Series)
	if err != nil {
		return out, err
	}
	if !in.Brief {
		out.Keys = keys
	}
	if found == nil {
		return out, noSeries(in.Series)
	}
	old, now, err := s.releasePanels(ctx, rel)
	if err != nil {
		return out, err
	}
	out.Series, out.Contender, out.LeftOut = found.Series, found.Contender, found.LeftOut
	shift := int(old.First - now.First) // the latest revision may begin earlier
	out.Start = old.Length + shift
	out.Periods = periods(now, 0, max(now.Length, out.Start+rel.Horizon))
	out.Actual = make([]*float64, len(out.Periods))
	if i := now.Find(found.Series); i >= 0 {
		out.Actual = actuals(now, i, len(out.Periods))
	}
	if found.LeftOut == "" {
		out.Forecast = found.Rows.Mean
		out.Low, out.High = bands(found.Rows, levels)
		out.Closed = closedSteps(found.Rows)
	}
	if n := out.Start - in.History; in.History > 0 && n > 0 {
		out.Periods, out.Actual, out.Start = out.Periods[n:], out.Actual[n:], in.History
	}
	if in.Fit {
		if out.Fit, err = s.describeFit(ctx, rel, old, found.Series); err != nil {
			return out, err
		}
		if in.Brief && out.Fit != nil {
			out.Fit.Periods, out.Fit.Components = nil, nil
		}
	}
	var flags []store.Flag
	err = s.store.Read(ctx).Where("release_id = ? AND series = ?", rel.ID, found.Series).Order("step").Find(&flags).Error
	for _, f := range flags {
		out.Flags = append(out.Flags, flagOf(f, ""))
	}
	return out, err
}

// describeFit explains how a released series was forecast; nil where it was not.
func (s *Server) describeFit(ctx context.Context, rel *store.Release, p *panel.Panel, series string) (*api.Fit, error) {
	refit, err := s.refits.open(rel.ID, func() (*bakeoff.Refit, error) { return s.results.Refit(ctx, rel) })
	if err != nil {
		return nil, err
	}
	d, ok, err := refit.Describe(ctx, p.Find(series))
	if err != nil || !ok {
		return nil, err
	}
	return fitOf(p, d), nil
}

// refits keeps the refit of the release that was last asked how it was made: it remembers
// what it has trained, and releases never change.
type refits struct {
	mu   sync.Mutex
	id   uint
	last *bakeoff.Refit
}

func (r *refits) open(id uint, make func() (*bakeoff.Refit, error)) (*bakeoff.Refit, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.last != nil && r.id == id {
		return r.last, nil
	}
	refit, err := make()
	if err == nil {
		r.id, r.last = id, refit
	}
	return refit, err
}
