package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
	"paperkettle/jobs"
	"paperkettle/results"
	"paperkettle/store"
)

// intended is a release as it is asked for, with what it would rest on.
type intended struct {
	rel    store.Release
	engine *bakeoff.Engine
	latest store.Revision
	panel  *panel.Panel
}

// intend completes a request.
func (s *Server) intend(ctx context.Context, in *api.PublishRequest) (*intended, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return nil, err
	}
	out := &intended{}
	if out.engine, err = s.engine(ctx, b); err != nil {
		return nil, err
	}
	consent := make([]string, len(in.Consent))
	for i, c := range in.Consent {
		consent[i] = string(c)
	}
	out.rel = store.Release{DatasetID: b.DatasetID, BakeoffID: b.ID, Contender: in.Contender, Horizon: in.Horizon, State: store.Preparing,
		Consent: strings.Join(consent, " "), CreatedAt: time.Now().UTC()}
	if err := s.completeRelease(ctx, &out.rel, out.engine, b, in.Levels); err != nil {
		return nil, err
	}
	if err := s.store.Read(ctx).Where("dataset_id = ?", b.DatasetID).Order("number DESC").First(&out.latest).Error; err != nil {
		return nil, err
	}
	out.rel.RevisionID = out.latest.ID
	out.panel, err = s.store.Panel(ctx, out.latest.ID)
	return out, err
}

// mostAhead bounds how many times the assessed horizon a release may reach.
const mostAhead = 20

// questions are what a release needs consent for, as far as it can be told before it is made.
func (s *Server) questions(ctx context.Context, t *intended, series int) ([]api.Question, error) {
	out := []api.Question{}
	assessed := t.engine.Plan.Split.Horizon
	noun := t.panel.Cadence.Noun
	if t.rel.Horizon > mostAhead*assessed {
		return nil, invalid("body.horizon", "%s assessed %s ahead: a release reaches at most %d times as far", idText("bake", t.rel.BakeoffID),
			noun(assessed), mostAhead)
	}
	if t.rel.Horizon > assessed {
		out = append(out, api.Question{Consent: api.LongerHorizon,
			Why: fmt.Sprintf("it reaches %s ahead, and %s assessed %s: how good the rest is, nobody has seen", noun(t.rel.Horizon),
				idText("bake", t.rel.BakeoffID), noun(assessed))})
	}
	why, err := results.FewerThanLive(s.store.Read(ctx), t.rel.DatasetID, series)
	if why != "" {
		out = append(out, api.Question{Consent: api.FewerSeries, Why: why})
	}
	return out, err
}

// previewRelease says what publishing would give.
func (s *Server) previewRelease(ctx context.Context, in *struct{ Body api.PublishRequest }) (api.Preview, error) {
	t, err := s.intend(ctx, &in.Body)
	if err != nil {
		return api.Preview{}, err
	}
	ahead, err := bakeoff.LookAhead(t.panel, t.engine.Plan, t.rel.Horizon, s.welcomes(t))
	if err != nil {
		return api.Preview{}, conflict("%v", err)
	}
	var ds store.Dataset
	if err := s.store.Read(ctx).First(&ds, t.rel.DatasetID).Error; err != nil {
		return api.Preview{}, err
	}
	p := t.panel
	out := api.Preview{Dataset: ds.Name, Revision: t.latest.Number, Contender: t.rel.Contender, Horizon: t.rel.Horizon,
		Origin: p.Period(p.Length - 1), First: p.Period(p.Length),
		Last: p.Period(p.Length + t.rel.Horizon - 1), Series: ahead.Series, Cautions: ahead.Cautions}
	if n := ahead.LeftOut; n > 0 {
		out.Cautions = append(out.Cautions, fmt.Sprintf("%d series would get no forecast: one, for example, %s.", n, ahead.Reason))
	}
	if out.Asks, err = s.questions(ctx, t, ahead.Series); err != nil {
		return out, err
	}
	live, err := results.LiveRelease(s.store.Read(ctx), ds.ID)
	if live.ID != 0 {
		out.Replaces = idText("rel", live.ID)
	}
	return out, err
}

// publish queues the refit of a chosen contender on the dataset's latest revision.
func (s *Server) publish(ctx context.Context, in *struct{ Body api.PublishRequest }) (api.Release, error) {
	t, err := s.intend(ctx, &in.Body)
	if err != nil {
		return api.Release{}, err
	}
	ahead, err := bakeoff.LookAhead(t.panel, t.engine.Plan, t.rel.Horizon, s.welcomes(t))
	if err != nil {
		return api.Release{}, conflict("%v", err)
	}
	if ahead.Series == 0 {
		return api.Release{}, conflict("no series would get a forecast: one, for example, %s", ahead.Reason)
	}
	asks, err := s.questions(ctx, t, ahead.Series)
	if err != nil {
		return api.Release{}, err
	}
	for _, q := range asks {
		if !slices.Contains(in.Body.Consent, q.Consent) {
			return api.Release{}, conflict("%s: publish with the consent %q if that is meant", q.Why, q.Consent)
		}
	}
	rel := t.rel
	err = s.enqueue(ctx, store.Job{Kind: jobs.KindRelease}, "publish", "rel", rel.Contender, func(tx *gorm.DB, job uint) (uint, error) {
		rel.JobID = job
		err := tx.Create(&rel).Error
		return rel.ID, err
	})
	if err != nil {
		return api.Release{}, err
	}
	return s.releaseOf(ctx, &rel, false)
}

func (s *Server) completeRelease(ctx context.Context, rel *store.Release, e *bakeoff.Engine, b *store.Bakeoff, levels []float64) error {
	if rel.Horizon == 0 {
		rel.Horizon = e.Plan.Split.Horizon
	}
	if len(levels) == 0 {
		levels = slices.Clone(usualLevels)
	}
	levels = slices.Clone(levels)
	slices.Sort(levels)
	levels = slices.Compact(levels)
	for _, l := range levels {
		if err := forecast.CheckLevel(l); err != nil {
			return invalid("body.levels", "%v", err)
		}
	}
	text, err := json.Marshal(levels)
	if err != nil {
		return err
	}
	rel.Levels = string(text)
	if rel.Contender == "" {
		rel.Contender = "best"
	}
	if rel.Contender != "best" && rel.Contender != bakeoff.BestPerSeries && e.Plan.Contender(rel.Contender) < 0 {
		names := make([]string, len(e.Plan.Contenders))
		for i, c := range e.Plan.Contenders {
			names[i] = c.Name
		}
		return invalid("body.contender", "no contender of %s is called %q: it has %s, best and best-per-series", idText("bake", b.ID),
			rel.Contender, strings.Join(names, ", "))
	}
	// Even a named contender is published from a bake-off that has run.
	leader, err := s.results.Leader(ctx, e, b.ID)
	if errors.Is(err, results.ErrNoStandings) {
		return conflict("%v", err)
	}
	if rel.Contender == "best" {
		rel.Contender = leader
	}
	return err
}

// revive puts a release live that is held, or that another one replaced.
func (s *Server) revive(ctx context.Context, in *ReleasePath) (api.Release, error) {
	rel, err := s.findRelease(ctx, in.Release)
	if err != nil {
		return api.Release{}, err
	}
	s.loading.Lock() // what arrives meanwhile is held against one of the two
	defer s.loading.Unlock()
	watched, err := s.watchAgain(ctx, rel)
	if err != nil {
		return api.Release{}, err
	}
	err = s.store.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.First(rel, rel.ID).Error; err != nil {
			return err
		}
		if rel.State != store.Held && rel.State != store.Superseded && rel.State != store.Withdrawn {
			return conflict("%s is %s: only one that is held, superseded or withdrawn can be put live", in.Release, rel.State)
		}
		return errors.Join(results.GoLive(tx, rel), watched.Keep(tx, time.Now().UTC()), note(ctx, tx, "put live", in.Release, rel.Held))
	})
	if err != nil {
		return api.Release{}, err
	}
	return s.releaseOf(ctx, rel, true)
}

// watchAgain holds the newest actuals against a release that was not live when they came.
func (s *Server) watchAgain(ctx context.Context, rel *store.Release) (*results.Watched, error) {
	_, now, err := s.releasePanels(ctx, rel)
	if err != nil {
		return nil, err
	}
	return s.results.WatchRelease(ctx, *rel, now)
}

// withdraw takes a release back. Where it was live, the one that it replaced is live again.
func (s *Server) withdraw(ctx context.Context, in *struct {
	ReleasePath
	Alone bool `query:"alone" doc:"the one that it replaced stays superseded, so that none is live"`
}) (api.Withdrawn, error) {
	rel, err := s.findRelease(ctx, in.Release)
	if err != nil {
		return api.Withdrawn{}, err
	}
	s.loading.Lock()
	defer s.loading.Unlock()
	var watched *results.Watched
	if rel.State == store.Live && !in.Alone {
		before, err := results.Before(s.store.Read(ctx), rel.DatasetID)
		if err == nil && before.ID != 0 {
			watched, err = s.watchAgain(ctx, &before)
		}
		if err != nil {
			return api.Withdrawn{}, err
		}
	}
	var back string
	err = s.store.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.First(rel, rel.ID).Error; err != nil {
			return err
		}
		if rel.State != store.Live && rel.State != store.Superseded && rel.State != store.Held {
			return conflict("%s is %s and can't be withdrawn", in.Release, rel.State)
		}
		if rel.State == store.Live && watched != nil {
			if err := errors.Join(results.GoLive(tx, watched.Release), watched.Keep(tx, time.Now().UTC())); err != nil {
				return err
			}
			back = idText("rel", watched.Release.ID)
		}
		rel.State = store.Withdrawn
		if err := tx.Model(rel).Update("state", rel.State).Error; err != nil {
			return err
		}
		return note(ctx, tx, "withdraw", idText("rel", rel.ID), back)
	})
	if err != nil {
		return api.Withdrawn{}, err
	}
	shown, err := s.releaseOf(ctx, rel, true)
	return api.Withdrawn{Release: shown, Back: back}, err
}

// welcomes says whether what would be published forecasts series without a past too.
func (s *Server) welcomes(t *intended) bool {
	c := t.engine.Plan.Contender(t.rel.Contender)
	if c < 0 {
		return false
	}
	f, err := s.catalogue.Find(t.engine.Plan.Contenders[c].Family)
	return err == nil && f.Welcomes
}
