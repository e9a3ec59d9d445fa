package bakeoff_test

import (
	"context"
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
	cat := append(catalogue.Standard(), model.Family{Name: "fragile", AcrossSeries: true, New: func(model.Values) (model.Model, error) { return fragile{}, nil }})
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
