package jobs

import (
	"context"
	"encoding/json"

	"gorm.io/gorm"

	"paperkettle/core/bakeoff"
	"paperkettle/core/panel"
	"paperkettle/results"
	"paperkettle/store"
)

// KindScenario is the job kind of a scenario.
const KindScenario = "scenario"

// Scenarios opens scenario jobs.
func Scenarios(r *results.Repository) Opener {
	return func(ctx context.Context, ref uint) (Work, error) {
		w := &scenarioWork{results: r}
		if err := r.Store().Read(ctx).First(&w.scenario, ref).Error; err != nil {
			return nil, err
		}
		if err := json.Unmarshal([]byte(w.scenario.Levels), &w.levels); err != nil {
			return nil, err
		}
		// One that can't be made ready is work to abandon.
		if w.refit, w.cases, _, w.broken = r.Scenario(ctx, &w.scenario); w.broken == nil {
			w.basis, w.broken = r.BasisOf(ctx, w.scenario.BakeoffID, w.scenario.RevisionID)
		}
		return w, nil
	}
}

type scenarioWork struct {
	results  *results.Repository
	scenario store.Scenario
	levels   []float64
	refit    *bakeoff.Refit
	cases    []*panel.Panel
	basis    string
	broken   error
}

func (w *scenarioWork) Basis() string { return w.basis }

func (w *scenarioWork) Tasks(ctx context.Context) ([]Task, error) {
	if w.broken != nil {
		return nil, w.broken // so that the record is marked as failed
	}
	var have []int
	err := w.results.Store().Read(ctx).Model(&store.ScenarioPart{}).Where("scenario_id = ?", w.scenario.ID).Pluck("part", &have).Error
	return pieces(w.refit, have), err
}

func (w *scenarioWork) Do(ctx context.Context, task string, desk Desk) error {
	i, err := pieceOf(task)
	if err != nil {
		return err
	}
	list, err := w.refit.Scenario(ctx, i, w.cases, w.levels, desk.Report)
	if err != nil {
		return err
	}
	b, err := results.PackScenario(list)
	if err != nil {
		return err
	}
	return desk.Hand(b)
}

func (w *scenarioWork) Keep(tx *gorm.DB, task string, result []byte) error {
	i, err := pieceOf(task)
	if err != nil {
		return err
	}
	return results.KeepScenario(tx, w.scenario.ID, i, result)
}

func (w *scenarioWork) Finish(tx *gorm.DB) error { return w.mark(tx, store.ScenarioReady) }

func (w *scenarioWork) Abandon(tx *gorm.DB) error { return w.mark(tx, store.Broken) }

func (w *scenarioWork) mark(tx *gorm.DB, state string) error {
	return tx.Model(&store.Scenario{}).Where("id = ?", w.scenario.ID).Update("state", state).Error
}
