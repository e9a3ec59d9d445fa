package bakeoff_test

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
)

// fragile breaks down in its training.
type fragile struct{}

func (fragile) Train(context.Context, panel.View, model.Env) (model.Trained, error) {
	var nothing []int
	return nil, []error{nil}[nothing[0]]
}

// A contender whose training breaks down has the fallback in its place, with the reason; the others
// are as they would be without it.
func TestATrainingThatBreaksDownFailsAlone(t *testing.T) {
	cat := append(catalogue.Standard(), model.Family{Name: "fragile", AcrossSeries: true,
		New: func(model.Values) (model.Model, error) { return fragile{}, nil }})
	plan := baselinePlan(7, 2)
	plan.Contenders = []bakeoff.Contender{{Family: "naive"}, {Family: "fragile"}}
	e, err := bakeoff.Prepare(dailyPanel(4, 60), plan, cat)
	require.NoError(t, err)
	for task, res := range runAll(t, e, 2, e.Tasks()) {
		if e.Plan.Contenders[task.Contender].Family == "naive" {
			assert.Empty(t, res.Filled)
			continue
		}
		require.Len(t, res.Filled, 4)
		assert.Contains(t, res.Filled[0].Reason, "broke down")
	}
}

// saver keeps something on its way, and ends where that fails.
type saver struct{ model.Model }

func (s saver) Train(ctx context.Context, v panel.View, env model.Env) (model.Trained, error) {
	if err := env.Checkpoint.Save([]byte("half")); err != nil {
		return nil, err
	}
	return s.Model.Train(ctx, v, env)
}

// full is where nothing can be kept any more.
type full struct{}

var errFull = errors.New("the disk is full")

func (full) Load() ([]byte, error) { return nil, nil }
func (full) Save([]byte) error     { return errFull }

// What could not be kept is the service's fault, not the contender's: the task fails, to be run again.
func TestAFullDiskIsNoFaultOfTheContenders(t *testing.T) {
	cat := append(catalogue.Standard(), model.Family{Name: "saver", AcrossSeries: true, New: func(model.Values) (model.Model, error) {
		m, _, err := catalogue.Standard().New("mean", nil)
		return saver{m}, err
	}})
	plan := baselinePlan(7, 1)
	plan.Contenders = []bakeoff.Contender{{Family: "naive"}, {Family: "saver"}}
	e, err := bakeoff.Prepare(dailyPanel(4, 60), plan, cat)
	require.NoError(t, err)
	for _, task := range e.Tasks() {
		if e.Plan.Contenders[task.Contender].Family == "saver" {
			err := e.Run(context.Background(), task, bakeoff.Desk{Checkpoint: full{},
				Hand: func(*bakeoff.TaskResult) error { return errors.New("a result was made") }})
			assert.ErrorIs(t, err, errFull)
		}
	}
}
