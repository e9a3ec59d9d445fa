package jobs

import (
	"bytes"
	"context"
	"encoding/gob"
	"encoding/json"
	"errors"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"paperkettle/core/bakeoff"
	"paperkettle/core/model"
	"paperkettle/core/panel"
	"paperkettle/core/scenario"
	"paperkettle/store"
)

// KindScenario is the job kind of a scenario.
const KindScenario = "scenario"

// OpenScenario lays a stored scenario out: the refit on the base's drivers, a panel a case,
// and what gives its numbers less trust.
func OpenScenario(ctx context.Context, s *store.Store, cat model.Catalogue, sc *store.Scenario) (r *bakeoff.Refit, cases []*panel.Panel, cautions []string, err error) {
	rel := store.Release{DatasetID: sc.DatasetID, RevisionID: sc.RevisionID, BakeoffID: sc.BakeoffID, Contender: sc.Contender, Horizon: sc.Horizon}
	if r, err = OpenRefit(ctx, s, cat, &rel); err != nil {
		return nil, nil, nil, err
	}
	var list []scenario.Case
	if err = json.Unmarshal([]byte(sc.Cases), &list); err != nil {
		return nil, nil, nil, err
	}
	base, filled, err := scenario.Complete(r.Panel, r.Forecast(), sc.Horizon, sc.Fill, r.Fillings())
	if err != nil {
		return nil, nil, nil, err
	}
	cautions = append(cautions, filled...)
	for _, c := range list {
		p, err := scenario.Apply(base, r.Forecast(), sc.Horizon, c)
		if err != nil {
			return nil, nil, nil, err
		}
		cautions = append(cautions, scenario.Beyond(base, p, r.Forecast(), sc.Horizon, c.Name)...)
		cautions = append(cautions, scenario.Unseen(base, p, c.Name)...)
		cases = append(cases, p)
	}
	r.Panel = base
	return r, cases, cautions, nil
}

// Scenarios opens scenario jobs.
func Scenarios(s *store.Store, cat model.Catalogue) Opener {
	return func(ctx context.Context, ref uint) (Work, error) {
		w := &scenarioWork{store: s}
		if err := s.Read(ctx).First(&w.scenario, ref).Error; err != nil {
			return nil, err
		}
		if err := json.Unmarshal([]byte(w.scenario.Levels), &w.levels); err != nil {
			return nil, err
		}
		w.refit, w.cases, _, w.err = OpenScenario(ctx, s, cat, &w.scenario)
		return w, nil
	}
}

type scenarioWork struct {
	store    *store.Store
	scenario store.Scenario
	levels   []float64
	refit    *bakeoff.Refit
	cases    []*panel.Panel
	err      error
}

func (w *scenarioWork) Total() int {
	if w.err != nil {
		return 0
	}
	return w.refit.Parts()
}

func (w *scenarioWork) Pending(ctx context.Context) (out []int, err error) {
	if w.err != nil {
		return nil, w.err // so that the record is marked as failed
	}
	var have []int
	err = w.store.Read(ctx).Model(&store.ScenarioPart{}).Where("scenario_id = ?", w.scenario.ID).Pluck("part", &have).Error
	stored := map[int]bool{}
	for _, p := range have {
		stored[p] = true
	}
	for i := range w.refit.Parts() {
		if !stored[i] {
			out = append(out, i)
		}
	}
	return out, err
}

func (w *scenarioWork) Do(ctx context.Context, i int) (func(tx *gorm.DB) error, error) {
	list, err := w.refit.Scenario(ctx, i, w.cases, w.levels)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := gob.NewEncoder(&b).Encode(list); err != nil {
		return nil, err
	}
	part := store.ScenarioPart{ScenarioID: w.scenario.ID, Part: i, Data: b.Bytes()}
	return func(tx *gorm.DB) error {
		return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&part).Error
	}, nil
}

func (w *scenarioWork) Finish(tx *gorm.DB) error { return w.mark(tx, store.ScenarioReady) }

func (w *scenarioWork) Abandon(tx *gorm.DB) error { return w.mark(tx, store.Broken) }

func (w *scenarioWork) mark(tx *gorm.DB, state string) error {
	return tx.Model(&store.Scenario{}).Where("id = ?", w.scenario.ID).Update("state", state).Error
}

// EachScenario calls f for every series of a scenario, in order.
func EachScenario(ctx context.Context, s *store.Store, id uint, f func(*bakeoff.ScenarioSeries) error) error {
	rows, err := s.Read(ctx).Model(&store.ScenarioPart{}).Where("scenario_id = ?", id).Order("part").Select("data").Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var data []byte
		if err := rows.Scan(&data); err != nil {
			return err
		}
		var list []bakeoff.ScenarioSeries
		if err := gob.NewDecoder(bytes.NewReader(data)).Decode(&list); err != nil {
			return errors.Join(errors.New("reading a scenario"), err)
		}
		for i := range list {
			if err := f(&list[i]); err != nil {
				return err
			}
		}
	}
	return rows.Err()
}
