package automatic

import (
	"context"
	"math"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// askAll tries all forms, those that know nothing of drivers and events on what these leave, if the first of
// them does better so.
func (e *evidence) askAll(ctx context.Context, v panel.View, env model.Env) ([][]loss, error) {
	list := e.forms
	sums, open := make([][]loss, len(list)), true
	for done, k := range poolsFirst(list) {
		if list[k].name == "boosting" {
			base, settled := e.bestBase(sums, env.Judge)
			list[k].startFrom(base, settled)
		}
		own := env.Within(float64(done)/float64(len(list)), float64(done+1)/float64(len(list)), "trying "+list[k].name)
		given := outlook.AsIs(v)
		if list[k].blind && e.rest != nil {
			given = *e.rest
		}
		var err error
		if sums[k], e.hearts[k], err = e.ask(ctx, given, own, k, sums); err != nil {
			return nil, err
		}
		if list[k].blind && e.rest != nil && open {
			open = false
			if err := e.askPlainly(ctx, v, own, k, sums); err != nil {
				return nil, err
			}
		}
	}
	return sums, nil
}

// askPlainly tries a form on the series as they are too: where it does better so, nothing is explained.
func (e *evidence) askPlainly(ctx context.Context, v panel.View, env model.Env, k int, sums [][]loss) error {
	losses, hearts, err := e.ask(ctx, outlook.AsIs(v), env, k, sums)
	if err == nil && meanLog(losses, env.Judge) < meanLog(sums[k], env.Judge)-outlook.Harm {
		sums[k], e.hearts[k], e.rest = losses, hearts, nil
	}
	return err
}

// explains is the form whose effects of drivers and events are taken out of what the others are given that
// know of neither.
const explains = "additive"

// poolsFirst lists the places of the forms, those that learn from all series together first:
// what they do on the few series that each other form is first asked of is known then. Trees come
// last: they start from what does best.
func poolsFirst(list []form) (out []int) {
	last := -1
	for _, pools := range []bool{true, false} {
		for k := range list {
			switch {
			case list[k].name == "boosting":
				last = k
			case list[k].pools == pools:
				out = append(out, k)
			}
		}
	}
	if last >= 0 {
		out = append(out, last)
	}
	return out
}

// bestBase is the form that trees start from: that of the least mean loss so far, of those that they
// can start from; settled is as it was chosen, nil where it was not.
func (e *evidence) bestBase(sums [][]loss, by model.Judge) (name string, settled model.Model) {
	name = "additive"
	least := math.Inf(1)
	for k, f := range e.forms {
		if f.name != "additive" && f.name != "linear" && f.name != "smoothing" || sums[k] == nil {
			continue
		}
		if mean := meanLog(sums[k], by); mean < least {
			name, settled, least = f.name, f.settled, mean
		}
	}
	if name == "smoothing" && e.rest != nil {
		return "explained-smoothing", nil
	}
	return name, settled
}

// meanLog is the mean of the logs of losses.
func meanLog(losses []loss, by model.Judge) float64 {
	sum := 0.0
	for _, l := range losses {
		if x := l.log(by); x == x {
			sum += x
		} else {
			sum += mostOwn // it failed
		}
	}
	return sum / float64(max(1, len(losses)))
}

const (
	// firstAsked is how many series a form is asked of before the rest.
	firstAsked = 16
	// hopeless is the log of how much worse than the best so far it must be on these, beyond
	// two standard errors, not to be asked any more.
	hopeless = 0.22
	// hopelessDear is that of a form that costs about as much as all the others together.
	hopelessDear = 0.03
)

// ask tries a form on some series first, where it learns from each alone, and on the rest unless
// it is far behind others.
func (e *evidence) ask(ctx context.Context, v outlook.Rest, env model.Env, k int, others [][]loss) ([]loss, [][]single.Heart, error) {
	n, actuals := v.Len(), e.actuals.Pick(e.places)
	if e.forms[k].pools || n <= 2*firstAsked {
		return e.try(ctx, v, actuals, env, &e.forms[k])
	}
	var rest []int
	few := num.Some(n, firstAsked)
	for i := range n {
		if _, first := slices.BinarySearch(few, i); !first {
			rest = append(rest, i)
		}
	}
	losses, hearts := make([]loss, n), make([][]single.Heart, n)
	for round, places := range [][]int{few, rest} {
		if round == 1 && e.behind(k, losses, others, few, env.Judge) {
			for _, i := range rest {
				losses[i].failed = true
			}
			break
		}
		some, heard, err := e.try(ctx, v.Pick(places), actuals.Pick(places), env, &e.forms[k])
		if err != nil {
			return nil, nil, err
		}
		for j, i := range places {
			losses[i], hearts[i] = some[j], heard[j]
		}
	}
	return losses, hearts, nil
}

// behind says that a form's losses on some series are hopelessly behind those of another before.
func (e *evidence) behind(k int, losses []loss, others [][]loss, places []int, by model.Judge) bool {
	limit := hopeless
	if e.forms[k].dear {
		limit = hopelessDear
	}
	for _, other := range others {
		if other == nil {
			continue
		}
		var sum, squares, n float64
		for _, i := range places {
			if d := losses[i].log(by) - other[i].log(by); d == d {
				d = max(-most, min(most, d))
				sum, squares, n = sum+d, squares+d*d, n+1
			}
		}
		mean := sum / n
		if n > 3 && mean-2*math.Sqrt(max(0, squares/n-mean*mean)/n) > limit {
			return true
		}
	}
	return false
}
