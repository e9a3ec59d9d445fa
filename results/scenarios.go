package results

import (
	"bytes"
	"context"
	"encoding/gob"
	"encoding/json"
	"errors"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"paperkettle/core/bakeoff"
	"paperkettle/core/panel"
	"paperkettle/core/scenario"
	"paperkettle/store"
)

// Scenario lays a stored scenario out: the refit on the base's drivers, a panel a case,
// and what gives its numbers less trust.
func (r *Repository) Scenario(ctx context.Context, sc *store.Scenario) (refit *bakeoff.Refit, cases []*panel.Panel, cautions []string, err error) {
	rel := store.Release{DatasetID: sc.DatasetID, RevisionID: sc.RevisionID, BakeoffID: sc.BakeoffID, Contender: sc.Contender, Horizon: sc.Horizon}
	if refit, err = r.Refit(ctx, &rel); err != nil {
		return nil, nil, nil, err
	}
	var list []scenario.Case
	if err = json.Unmarshal([]byte(sc.Cases), &list); err != nil {
		return nil, nil, nil, err
	}
	base, filled, err := scenario.Complete(refit.Panel, refit.Forecast(), sc.Horizon, sc.Fill, refit.Fillings())
	if err != nil {
		return nil, nil, nil, err
	}
	cautions = append(cautions, filled...)
	for _, c := range list {
		p, err := scenario.Apply(base, refit.Forecast(), sc.Horizon, c)
		if err != nil {
			return nil, nil, nil, err
		}
		cautions = append(cautions, scenario.Beyond(base, p, refit.Forecast(), sc.Horizon, c.Name, refit.Fillings())...)
		cautions = append(cautions, scenario.Unseen(base, p, c.Name)...)
		cases = append(cases, p)
	}
	refit.Panel = base
	return refit, cases, cautions, nil
}

// EachScenario calls f for every series of a scenario, in order.
func (r *Repository) EachScenario(ctx context.Context, id uint, f func(*bakeoff.ScenarioSeries) error) error {
	query := func() *gorm.DB { return r.store.Read(ctx).Where("scenario_id = ?", id) }
	return store.EachPart(query, "part", func(p *store.ScenarioPart) int { return p.Part }, func(p *store.ScenarioPart) error {
		var list []bakeoff.ScenarioSeries
		if err := gob.NewDecoder(bytes.NewReader(p.Data)).Decode(&list); err != nil {
			return errors.Join(errors.New("reading a scenario"), err)
		}
		for i := range list {
			if err := f(&list[i]); err != nil {
				return err
			}
		}
		return nil
	})
}

// PackScenario writes what the cases come to for some series.
func PackScenario(list []bakeoff.ScenarioSeries) ([]byte, error) {
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode(list)
	return b.Bytes(), err
}

// KeepScenario writes a packed piece of a scenario, once.
func KeepScenario(tx *gorm.DB, id uint, number int, packed []byte) error {
	return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&store.ScenarioPart{ScenarioID: id, Part: number, Data: packed}).Error
}
