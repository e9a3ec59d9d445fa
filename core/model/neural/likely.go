package neural

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/num/net"
	"paperkettle/core/panel"
)

// What a step's forecast is.
const (
	outQuantiles = "quantiles"
	outLikeliest = "distribution"
	outNormal    = "normal"
	outStudent   = "student"
	outCounts    = "counts"
)

var (
	distributions = map[string]net.Distribution{outNormal: net.Normal, outStudent: net.Student, outCounts: net.Counts}
	outWords      = map[string]string{"": "quantiles", outNormal: "a normal distribution", outStudent: "a Student distribution",
		outCounts: "a negative binomial distribution"}
)

// lossWords say what a network's loss is.
func (s Shape) lossWords() string {
	if s.Out == "" {
		return "mean pinball loss on held-out windows, in usual changes"
	}
	return "minus the log-likelihood of held-out windows, a value"
}

// likely is how likely held-out windows are under a distribution.
type likely struct {
	Out  string
	Loss float64 // minus the log-likelihood, a value
}

// mostTried is how many batches a distribution is tried for.
const mostTried = 200

// distribution gives the one that steps are to have.
func (k *task) distribution(ctx context.Context, asked string, env model.Env, sh Shape, batches int, held []window, c *course,
	save func() error) (string, error) {
	switch {
	case asked == outLikeliest:
		return k.likeliest(ctx, env, sh, batches, held, c, save)
	case asked == outCounts && !k.counts():
		return "", errors.New("output: counts are whole numbers that are never below zero, once drivers and events are taken out: take quantiles, " +
			"another distribution, or explain: false")
	}
	return asked, nil
}

// likeliest trains a network for each distribution a little, and gives the one under which held-out
// windows are the likeliest. Only whole numbers that are never below zero are counts.
func (k *task) likeliest(ctx context.Context, env model.Env, sh Shape, batches int, held []window, c *course, save func() error) (string, error) {
	if len(c.Chosen) > 0 {
		return c.Chosen[0].Out, nil
	}
	if len(held) == 0 {
		return outStudent, nil // which nearly is normal where it has to be
	}
	tried := []string{outNormal, outStudent}
	if k.counts() {
		tried = append(tried, outCounts)
	}
	start := k.lay.lean(k.list, k.cut, k.windows)
	var found []likely
	for i, out := range tried {
		one := *k
		sh.Out = out
		one.net = newNetwork(sh, rand.New(rand.NewPCG(k.seed, 1)))
		one.net.lean(start)
		own := &course{}
		part := env.Within(0.15*float64(i)/float64(len(tried)), 0.15*float64(i+1)/float64(len(tried)), fmt.Sprintf("trying %s", outWords[out]))
		part.Show = nil
		if err := one.run(ctx, part, min(batches, mostTried), held, own, func() error { return nil }); err != nil {
			if ctx.Err() != nil || !errors.Is(err, net.ErrDiverged) {
				return "", err
			}
			continue
		}
		if own.Least < math.Inf(1) {
			found = append(found, likely{out, own.Least})
		}
	}
	if len(found) == 0 {
		return outStudent, nil
	}
	slices.SortStableFunc(found, func(a, b likely) int { return cmp.Compare(a.Loss, b.Loss) })
	c.Chosen, c.Spent = found, k.clock.Spent()
	return found[0].Out, save()
}

// counts says whether all that is known are whole numbers, and none below zero.
func (k *task) counts() bool {
	for _, q := range k.list {
		if q == nil {
			continue
		}
		for _, z := range q.z {
			if panel.Known(z) && (z < 0 || z != math.Trunc(z)) {
				return false
			}
		}
	}
	return true
}
