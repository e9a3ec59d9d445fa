package service

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/num"
	"paperkettle/core/panel"
	"paperkettle/core/scenario"
	"paperkettle/export"
	"paperkettle/jobs"
	"paperkettle/store"
)

// ScenarioPath names a scenario in a route.
type ScenarioPath struct {
	Scenario string `path:"scenario" doc:"its ID, as scen-1, or its name"`
}

func (s *Server) registerScenarios() {
	handle(s, api.ListScenarios, s.listScenarios)
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
	out := api.Page[api.Scenario]{Items: []api.Scenario{}}
	offset, err := in.offset()
	if err != nil {
		return out, err
	}
	query := s.store.Read(ctx).Model(&store.Scenario{})
	if in.Release != "" {
		rel, err := s.findRelease(ctx, in.Release)
		if err != nil {
			return out, err
		}
		query = query.Where("release_id = ?", rel.ID)
	}
	var total int64
	var list []store.Scenario
	err = errors.Join(query.Session(&gorm.Session{}).Count(&total).Error, query.Session(&gorm.Session{}).Order("id DESC").Offset(offset).Limit(in.Limit).Find(&list).Error)
	if err != nil {
		return out, err
	}
	for i := range list {
		sc, err := s.scenarioOf(ctx, &list[i], false)
		if err != nil {
			return out, err
		}
		out.Items = append(out.Items, sc)
	}
	out.Total, out.Cursor = int(total), nextCursor(offset, len(list), int(total))
	return out, nil
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
	_, _, cautions, err := jobs.OpenScenario(ctx, s.store, s.catalogue, sc)
	if err != nil {
		return api.Scenario{}, invalid("body.cases", "%v", err)
	}
	if text, err = json.Marshal(cautions); err != nil {
		return api.Scenario{}, err
	}
	sc.Cautions = string(text)
	err = s.store.Write(ctx, func(tx *gorm.DB) error {
		job := store.Job{Kind: jobs.KindScenario, State: store.Queued, CreatedAt: sc.CreatedAt}
		if err := tx.Create(&job).Error; err != nil {
			return err
		}
		sc.JobID = job.ID
		if err := tx.Create(sc).Error; err != nil {
			return err
		}
		if err := tx.Model(&job).Update("ref_id", sc.ID).Error; err != nil {
			return err
		}
		return note(ctx, tx, "scenario", idText("scen", sc.ID), sc.Name)
	})
	if err != nil {
		return api.Scenario{}, err
	}
	s.jobs.Wake()
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
			return nil, invalid("body.contender", "%s is of %s: leave the contender out, or name the bake-off %s", in.Release, found.Contender, idText("bake", found.BakeoffID))
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
		if err := s.store.Read(ctx).Model(&store.Revision{}).Where("dataset_id = ?", rel.DatasetID).Order("number DESC").Limit(1).Select("id").Scan(&rel.RevisionID).Error; err != nil {
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
	return &store.Scenario{DatasetID: rel.DatasetID, RevisionID: rel.RevisionID, BakeoffID: rel.BakeoffID, ReleaseID: rel.ID, Contender: rel.Contender, Horizon: rel.Horizon, Levels: rel.Levels}, nil
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
	err := errors.Join(s.store.Read(ctx).First(&ds, sc.DatasetID).Error, s.store.Read(ctx).First(&rev, sc.RevisionID).Error, s.store.Read(ctx).First(&job, sc.JobID).Error)
	if err != nil {
		return api.Scenario{}, err
	}
	meta, err := rev.ReadMeta()
	if err != nil {
		return api.Scenario{}, err
	}
	last := meta.First + int64(meta.Length) - 1
	out := api.Scenario{ID: idText("scen", sc.ID), Name: sc.Name, Dataset: ds.Name, Bakeoff: idText("bake", sc.BakeoffID), Contender: sc.Contender, Measure: meta.Measure, Horizon: sc.Horizon,
		Fill: sc.Fill, State: sc.State, First: meta.Cadence.Format(last + 1), Last: meta.Cadence.Format(last + int64(sc.Horizon)), Job: s.jobNow(ctx, job), Created: sc.CreatedAt, Cautions: []string{}}
	if sc.ReleaseID > 0 {
		out.Release = idText("rel", sc.ReleaseID)
	}
	if err := errors.Join(json.Unmarshal([]byte(sc.Levels), &out.Levels), json.Unmarshal([]byte(sc.Cases), &out.Cases), json.Unmarshal([]byte(sc.Cautions), &out.Cautions)); err != nil {
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

// sums adds outcomes up over series, whose futures are drawn apart from each other.
type sums struct {
	series int
	lines  []*scenario.Outcome
}

func (t *sums) add(list []scenario.Outcome) {
	t.series++
	for k := range list {
		o := &list[k]
		if k == len(t.lines) {
			h := len(o.Mean)
			t.lines = append(t.lines, &scenario.Outcome{Mean: make([]float64, h), Change: make([]float64, h), StepVariance: make([]float64, h), ChangeVariance: make([]float64, h)})
		}
		sum := t.lines[k]
		for i := range o.Mean {
			sum.Mean[i] += o.Mean[i]
			sum.Change[i] += o.Change[i]
			sum.StepVariance[i] += o.StepVariance[i]
			sum.ChangeVariance[i] += o.ChangeVariance[i]
		}
		sum.Total.Value += o.Total.Value
		sum.Total.Variance += o.Total.Variance
		sum.TotalChange.Value += o.TotalChange.Value
		sum.TotalChange.Variance += o.TotalChange.Variance
	}
}

// widths turns the sums' variances into normal intervals.
func (t *sums) widths(levels []float64) {
	for _, o := range t.lines {
		for _, level := range levels {
			z := num.NormalQuantile(0.5 + level/200)
			low, high, changeLow, changeHigh := around(o.Mean, o.StepVariance, z), around(o.Mean, o.StepVariance, -z), around(o.Change, o.ChangeVariance, z), around(o.Change, o.ChangeVariance, -z)
			o.Low, o.High, o.ChangeLow, o.ChangeHi = append(o.Low, low), append(o.High, high), append(o.ChangeLow, changeLow), append(o.ChangeHi, changeHigh)
			for _, sum := range []*scenario.Sum{&o.Total, &o.TotalChange} {
				wide := z * math.Sqrt(sum.Variance)
				sum.Low, sum.High = append(sum.Low, sum.Value-wide), append(sum.High, sum.Value+wide)
			}
		}
	}
}

func around(center, variance []float64, z float64) []float64 {
	out := make([]float64, len(center))
	for i := range out {
		out[i] = center[i] - z*math.Sqrt(variance[i])
	}
	return out
}

func (s *Server) scenarioTotals(ctx context.Context, sc *store.Scenario, out *api.Scenario) error {
	var all sums
	err := jobs.EachScenario(ctx, s.store, sc.ID, func(x *bakeoff.ScenarioSeries) error {
		if x.LeftOut != "" {
			out.LeftOut = append(out.LeftOut, api.LeftOut{Series: x.Series, Reason: x.LeftOut})
			return nil
		}
		all.add(x.Outcomes)
		return nil
	})
	if err != nil {
		return err
	}
	all.widths(out.Levels)
	out.Series = all.series
	for k, o := range all.lines {
		out.Totals = append(out.Totals, totalOf(caseName(out.Cases, k), o, all.lines[0]))
	}
	if all.series > 1 {
		out.Cautions = append(out.Cautions, "Intervals of sums over series take their errors to be independent: where all series err together, they are too narrow.")
	}
	if n := len(out.LeftOut); n > 0 {
		out.Cautions = append(out.Cautions, fmt.Sprintf("%d series got no forecast: %s, for one, %s.", n, out.LeftOut[0].Series, out.LeftOut[0].Reason))
	}
	return nil
}

func caseName(cases []api.ScenarioCase, k int) string {
	if k == 0 {
		return "base"
	}
	return cases[k-1].Name
}

func totalOf(name string, o, base *scenario.Outcome) api.ScenarioTotal {
	t := api.ScenarioTotal{Case: name, Total: o.Total.Value, Low: o.Total.Low, High: o.Total.High, Change: o.TotalChange.Value, ChangeLow: o.TotalChange.Low, ChangeHigh: o.TotalChange.High}
	if base.Total.Value != 0 {
		t.ChangeShare = number(o.TotalChange.Value / base.Total.Value)
	}
	return t
}

// scenarioCurve is one series under all cases, or their sum.
func (s *Server) scenarioCurve(ctx context.Context, in *struct {
	ScenarioPath
	Series string `query:"series" doc:"the sum over all where left out"`
}) (api.ScenarioCurve, error) {
	out := api.ScenarioCurve{Series: in.Series}
	sc, err := s.findScenario(ctx, in.Scenario)
	if err != nil {
		return out, err
	}
	about, err := s.scenarioOf(ctx, sc, false)
	if err != nil {
		return out, err
	}
	if sc.State != store.ScenarioReady {
		return out, conflict("%s is %s", about.ID, sc.State)
	}
	p, err := s.store.Panel(ctx, sc.RevisionID)
	if err != nil {
		return out, err
	}
	out.Levels, out.Start, out.Periods = about.Levels, p.Length, periods(p, 0, p.Length+sc.Horizon)
	out.Actual = make([]*float64, len(out.Periods))
	var all sums
	found := false
	sum := make([]float64, p.Length)
	err = jobs.EachScenario(ctx, s.store, sc.ID, func(x *bakeoff.ScenarioSeries) error {
		out.Keys = append(out.Keys, x.Series)
		if in.Series != "" && x.Series != in.Series {
			return nil
		}
		found = true
		if out.LeftOut = x.LeftOut; x.LeftOut != "" {
			return nil
		}
		out.Contender = x.Contender
		i := p.Find(x.Series)
		if in.Series != "" {
			out.Actual = actuals(p, i, len(out.Periods))
			scenarioLines(&out, x.Outcomes, about.Cases)
			return nil
		}
		all.add(x.Outcomes)
		for t := range sum {
			if v := p.Series[i].At(t); panel.Known(v) {
				sum[t] += v
			}
		}
		return nil
	})
	switch {
	case err != nil:
		return out, err
	case !found:
		return out, noSeries(in.Series)
	case in.Series == "":
		out.LeftOut, out.Contender = "", sc.Contender
		all.widths(about.Levels)
		list := make([]scenario.Outcome, len(all.lines))
		for k, o := range all.lines {
			list[k] = *o
		}
		scenarioLines(&out, list, about.Cases)
		for t, v := range sum {
			out.Actual[t] = number(v)
		}
	}
	return out, nil
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

// exportScenario streams every series, case and step.
func (s *Server) exportScenario(ctx context.Context, in *struct {
	ScenarioPath
	Format string `query:"format" enum:"csv,json,jsonl,xlsx,parquet" default:"csv"`
}) (stream, error) {
	sc, err := s.findScenario(ctx, in.Scenario)
	if err != nil {
		return stream{}, err
	}
	format, mediaType, err := asFormat(in.Format)
	if err != nil {
		return stream{}, err
	}
	about, err := s.scenarioOf(ctx, sc, false)
	if err != nil {
		return stream{}, err
	}
	if sc.State != store.ScenarioReady {
		return stream{}, conflict("%s is %s: there is nothing to export", about.ID, sc.State)
	}
	p, err := s.store.Panel(ctx, sc.RevisionID)
	if err != nil {
		return stream{}, err
	}
	return stream{name: about.ID + "." + format, mediaType: mediaType, write: func(w *bufio.Writer) error {
		t, err := export.NewTable(w, format, scenarioColumns(p, about.Levels))
		if err != nil {
			return err
		}
		err = jobs.EachScenario(s.ctx, s.store, sc.ID, func(x *bakeoff.ScenarioSeries) error {
			for k := range x.Outcomes {
				for h := range x.Outcomes[k].Mean {
					if err := t.Row(scenarioRow(p, x, caseName(about.Cases, k), k, h)); err != nil {
						return err
					}
				}
			}
			return nil
		})
		return errors.Join(err, t.Close())
	}}, nil
}

func scenarioColumns(p *panel.Panel, levels []float64) []export.Column {
	var out []export.Column
	for _, a := range p.Attributes {
		out = append(out, export.Column{Name: a.Name, Kind: export.Text})
	}
	out = append(out, export.Column{Name: "case", Kind: export.Text}, export.Column{Name: "contender", Kind: export.Text}, export.Column{Name: "step", Kind: export.Whole}, export.Column{Name: "period", Kind: export.Text}, export.Column{Name: "forecast", Kind: export.Number})
	for _, l := range levels {
		out = append(out, export.Column{Name: fmt.Sprintf("low%v", l), Kind: export.Number}, export.Column{Name: fmt.Sprintf("high%v", l), Kind: export.Number})
	}
	out = append(out, export.Column{Name: "change", Kind: export.Number})
	for _, l := range levels {
		out = append(out, export.Column{Name: fmt.Sprintf("change_low%v", l), Kind: export.Number}, export.Column{Name: fmt.Sprintf("change_high%v", l), Kind: export.Number})
	}
	return out
}

func scenarioRow(p *panel.Panel, x *bakeoff.ScenarioSeries, name string, k, h int) []export.Cell {
	var row []export.Cell
	for _, label := range p.Labels(p.Find(x.Series)) {
		row = append(row, export.Cell{Text: label})
	}
	o := &x.Outcomes[k]
	row = append(row, export.Cell{Text: name}, export.Cell{Text: x.Contender}, export.Cell{Number: float64(h + 1)}, export.Cell{Text: p.Period(p.Length + h)}, export.Cell{Number: o.Mean[h]})
	for l := range o.Low {
		row = append(row, export.Cell{Number: o.Low[l][h]}, export.Cell{Number: o.High[l][h]})
	}
	row = append(row, export.Cell{Number: o.Change[h]})
	for l := range o.Low {
		row = append(row, export.Cell{Number: o.ChangeLow[l][h]}, export.Cell{Number: o.ChangeHi[l][h]})
	}
	return row
}

// scenarioLines puts the base and the cases into a curve.
func scenarioLines(out *api.ScenarioCurve, list []scenario.Outcome, cases []api.ScenarioCase) {
	for k := range list {
		o := &list[k]
		out.Cases = append(out.Cases, api.ScenarioLine{Case: caseName(cases, k), Forecast: o.Mean, Low: o.Low, High: o.High, Change: o.Change, ChangeLow: o.ChangeLow, ChangeHigh: o.ChangeHi})
		out.Totals = append(out.Totals, totalOf(caseName(cases, k), o, &list[0]))
	}
}
