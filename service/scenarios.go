package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
	"paperkettle/core/scenario"
	"paperkettle/jobs"
	"paperkettle/store"
)

// ScenarioPath names a scenario in a route.
type ScenarioPath struct {
	Scenario string `path:"scenario" doc:"its ID, as scen-1, or its name"`
}

func (s *Server) registerScenarios() {
	handle(s, api.ListScenarios, s.listScenarios)
	handleEmpty(s, api.RemoveScenario, s.removeScenario)
	handle(s, api.RunScenario, s.runScenario)
	handle(s, api.GetScenario, func(ctx context.Context, in *ScenarioPath) (api.Scenario, error) {
		sc, err := s.findScenario(ctx, in.Scenario)
		if err != nil {
			return api.Scenario{}, err
		}
		return s.scenarioOf(ctx, sc, true)
	})
	handle(s, api.GetScenarioCurve, s.scenarioCurve)
	handleStream(s, api.ExportScenario, "text/csv", s.exportScenario)
	handle(s, api.GetDriversAhead, s.driversAhead)
}

func (s *Server) findScenario(ctx context.Context, text string) (*store.Scenario, error) {
	var sc store.Scenario
	query := s.store.Read(ctx).Order("id DESC")
	if id, err := identifier("scen", text); err == nil {
		query = query.Where("id = ?", id)
	} else {
		query = query.Where("name = ?", text)
	}
	err := query.First(&sc).Error
	if errors.Is(err, store.ErrNotFound) {
		err = notFound("there is no scenario %s", text)
	}
	return &sc, err
}

func (s *Server) listScenarios(ctx context.Context, in *struct {
	Paging
	Release string `query:"release" doc:"only those of a release"`
}) (api.Page[api.Scenario], error) {
	query := s.store.Read(ctx).Model(&store.Scenario{})
	if in.Release != "" {
		rel, err := s.findRelease(ctx, in.Release)
		if err != nil {
			return api.Page[api.Scenario]{}, err
		}
		query = query.Where("release_id = ?", rel.ID)
	}
	return newest(in.Paging, query, func(x *store.Scenario) (api.Scenario, error) { return s.scenarioOf(ctx, x, false) })
}

// runScenario checks the cases on the data they are of, and queues the rest.
func (s *Server) runScenario(ctx context.Context, in *struct{ Body api.ScenarioRequest }) (api.Scenario, error) {
	sc, err := s.scenarioBase(ctx, &in.Body)
	if err != nil {
		return api.Scenario{}, err
	}
	cases, err := namedCases(in.Body.Cases)
	if err != nil {
		return api.Scenario{}, err
	}
	text, err := json.Marshal(cases)
	if err != nil {
		return api.Scenario{}, err
	}
	sc.Cases, sc.Fill, sc.State, sc.CreatedAt = string(text), in.Body.Fill, store.Preparing, time.Now().UTC()
	if sc.Name = in.Body.Name; sc.Name == "" {
		sc.Name = cases[0].Name
	}
	_, _, cautions, err := s.results.Scenario(ctx, sc)
	if err != nil {
		return api.Scenario{}, invalid("body.cases", "%v", err)
	}
	if text, err = json.Marshal(cautions); err != nil {
		return api.Scenario{}, err
	}
	sc.Cautions = string(text)
	err = s.enqueue(ctx, store.Job{Kind: jobs.KindScenario}, "scenario", "scen", sc.Name, func(tx *gorm.DB, job uint) (uint, error) {
		sc.JobID = job
		err := tx.Create(sc).Error
		return sc.ID, err
	})
	if err != nil {
		return api.Scenario{}, err
	}
	return s.scenarioOf(ctx, sc, false)
}

// scenarioBase finds the release, or makes one in thought of a bake-off's contender.
func (s *Server) scenarioBase(ctx context.Context, in *api.ScenarioRequest) (*store.Scenario, error) {
	if (in.Release == "") == (in.Bakeoff == "") {
		return nil, invalid("body.release", "name a release or a bake-off, one of them")
	}
	var rel store.Release
	if in.Release != "" {
		found, err := s.findRelease(ctx, in.Release)
		if err != nil {
			return nil, err
		}
		if in.Contender != "" && in.Contender != found.Contender {
			return nil, invalid("body.contender", "%s is of %s: leave the contender out, or name the bake-off %s", in.Release, found.Contender,
				idText("bake", found.BakeoffID))
		}
		rel = *found
	} else {
		b, err := s.findBakeoff(ctx, in.Bakeoff)
		if err != nil {
			return nil, err
		}
		e, err := s.engine(ctx, b)
		if err != nil {
			return nil, err
		}
		rel = store.Release{DatasetID: b.DatasetID, BakeoffID: b.ID, Contender: in.Contender}
		if err := s.completeRelease(ctx, &rel, e, b, in.Levels); err != nil {
			return nil, err
		}
		if err := s.store.Read(ctx).Model(&store.Revision{}).Where("dataset_id = ?",
			rel.DatasetID).Order("number DESC").Limit(1).Select("id").Scan(&rel.RevisionID).Error; err != nil {
			return nil, err
		}
	}
	if in.Horizon > 0 {
		rel.Horizon = in.Horizon
	}
	for _, l := range in.Levels {
		if err := forecast.CheckLevel(l); err != nil {
			return nil, invalid("body.levels", "%v", err)
		}
	}
	if len(in.Levels) > 0 {
		levels := slices.Compact(slices.Sorted(slices.Values(in.Levels)))
		text, err := json.Marshal(levels)
		if err != nil {
			return nil, err
		}
		rel.Levels = string(text)
	}
	return &store.Scenario{DatasetID: rel.DatasetID, RevisionID: rel.RevisionID, BakeoffID: rel.BakeoffID, ReleaseID: rel.ID,
		Contender: rel.Contender, Horizon: rel.Horizon, Levels: rel.Levels}, nil
}

// namedCases gives every case a name of its own.
func namedCases(list []api.ScenarioCase) ([]scenario.Case, error) {
	seen := map[string]bool{"base": true}
	out := make([]scenario.Case, len(list))
	for i, c := range list {
		if c.Name == "" && len(c.Changes) > 0 {
			c.Name = c.Changes[0]
		}
		if c.Name == "" {
			c.Name = fmt.Sprintf("case %d", i+1)
		}
		if seen[c.Name] {
			return nil, invalid(fmt.Sprintf("body.cases[%d].name", i), "two cases are called %q, or it is called base: give each a name of its own", c.Name)
		}
		if len(c.Changes) == 0 && len(c.Values) == 0 {
			return nil, invalid(fmt.Sprintf("body.cases[%d]", i), "the case %q changes nothing: give it a line, as \"price +10 %%\", or values", c.Name)
		}
		seen[c.Name] = true
		out[i] = scenario.Case{Name: c.Name, Changes: c.Changes}
		for _, v := range c.Values {
			out[i].Values = append(out[i].Values, scenario.Value(v))
		}
	}
	return out, nil
}

func (s *Server) scenarioOf(ctx context.Context, sc *store.Scenario, whole bool) (api.Scenario, error) {
	var ds store.Dataset
	var rev store.Revision
	var job store.Job
	err := errors.Join(s.store.Read(ctx).First(&ds, sc.DatasetID).Error, s.store.Read(ctx).First(&rev, sc.RevisionID).Error,
		s.store.Read(ctx).First(&job, sc.JobID).Error)
	if err != nil {
		return api.Scenario{}, err
	}
	meta, err := rev.ReadMeta()
	if err != nil {
		return api.Scenario{}, err
	}
	last := meta.First + int64(meta.Length) - 1
	out := api.Scenario{ID: idText("scen", sc.ID), Name: sc.Name, Dataset: ds.Name, Bakeoff: idText("bake", sc.BakeoffID),
		Contender: sc.Contender, Measure: meta.Measure, Horizon: sc.Horizon,
		Fill: sc.Fill, State: sc.State, First: meta.Cadence.Format(last + 1), Last: meta.Cadence.Format(last + int64(sc.Horizon)),
		Job: s.jobNow(ctx, job), Created: sc.CreatedAt, Cautions: []string{}}
	if sc.ReleaseID > 0 {
		out.Release = idText("rel", sc.ReleaseID)
	}
	if err := errors.Join(json.Unmarshal([]byte(sc.Levels), &out.Levels), json.Unmarshal([]byte(sc.Cases), &out.Cases),
		json.Unmarshal([]byte(sc.Cautions), &out.Cautions)); err != nil {
		return out, err
	}
	if out.Cautions == nil {
		out.Cautions = []string{}
	}
	if whole && sc.State == store.ScenarioReady {
		err = s.scenarioTotals(ctx, sc, &out)
	}
	return out, err
}

// driversAhead lists what a release knows of drivers and events past its origin.
func (s *Server) driversAhead(ctx context.Context, in *struct {
	ReleasePath
	Series string `query:"series" doc:"the first where left out"`
}) (api.DriversAhead, error) {
	rel, err := s.findRelease(ctx, in.Release)
	if err != nil {
		return api.DriversAhead{}, err
	}
	p, err := s.store.Panel(ctx, rel.RevisionID)
	if err != nil {
		return api.DriversAhead{}, err
	}
	at := 0
	if in.Series != "" {
		if at = p.Find(in.Series); at < 0 {
			return api.DriversAhead{}, noSeries(in.Series)
		}
	}
	x := &p.Series[at]
	out := api.DriversAhead{Series: x.Key, Periods: periods(p, p.Length, rel.Horizon), Drivers: []api.DriverAhead{}, Events: []api.EventAhead{}}
	for i := range p.Series {
		out.Keys = append(out.Keys, p.Series[i].Key)
	}
	for d, driver := range p.Drivers {
		if driver.KnownAhead && d < len(x.Drivers) {
			out.Drivers = append(out.Drivers, driverAhead(p, x, d, rel.Horizon))
		}
	}
	for _, e := range p.EventsOf(at) {
		ahead := api.EventAhead{Name: e.Name}
		for h := range rel.Horizon {
			if e.Share(p.Cadence, p.Ordinal(p.Length+h), 0) > 0 {
				ahead.Periods = append(ahead.Periods, out.Periods[h])
			}
		}
		if ahead.Periods != nil {
			out.Events = append(out.Events, ahead)
		}
	}
	return out, nil
}

func driverAhead(p *panel.Panel, x *panel.Series, d, horizon int) api.DriverAhead {
	out := api.DriverAhead{Name: p.Drivers[d].Name, Values: make([]*float64, horizon)}
	low, high := math.Inf(1), math.Inf(-1)
	for i, v := range x.Drivers[d] {
		switch at := x.First + i - p.Length; {
		case !panel.Known(v):
		case at < 0:
			low, high = math.Min(low, v), math.Max(high, v)
		case at < horizon:
			out.Values[at] = number(v)
		}
	}
	out.Low, out.High = number(low), number(high)
	return out
}
