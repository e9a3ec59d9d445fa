package bakeoff

import (
	"fmt"
	"strings"

	"paperkettle/core/score"
)

// weightedBy begins the name of a metric that is weighed: "weighted mase".
const weightedBy = "weighted "

// Ranking is what standings are ranked by: a metric, over all points alike or, of the whole, as the
// mean over series and windows by the plan's weights.
type Ranking struct {
	score.Metric
	Weighted bool
}

// FindRanking reads the name of a metric, with "weighted" before it where the plan's weights
// are to count.
func FindRanking(name string, plan *Plan) (Ranking, error) {
	var r Ranking
	rest, weighted := strings.CutPrefix(strings.ToLower(name), weightedBy)
	var err error
	if r.Metric, err = score.FindMetric(strings.TrimSpace(rest), plan.Levels); err != nil {
		return r, err
	}
	if r.Weighted = weighted; weighted && plan.Weights == "" {
		return r, fmt.Errorf("the plan has no weights to rank by %q: give some, as volume:28", name)
	}
	return r, nil
}

// plainMetric is the name of a metric without what says that it is weighed.
func plainMetric(name string) string { return strings.TrimPrefix(name, weightedBy) }
