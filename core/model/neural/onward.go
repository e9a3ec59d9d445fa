package neural

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// onwardShare is of how many batches a network that goes on takes a part at most, and slower how
// much lower its rate of learning is: it knows most of what it sees.
const (
	onwardShare = 4
	slower      = 0.3
)

// GoesOn says that training goes on from networks that were trained before on less, where there
// are any.
func (m Model) GoesOn() bool { return !m.Anew && m.By != "" }

// earlier gives the networks to go on from, by the name of their group.
func (m Model) earlier(ctx context.Context, env model.Env) (map[string]*Group, error) {
	if env.Earlier == nil || !m.GoesOn() {
		return nil, nil
	}
	own := env.Within(0, 0.4, "for the last window, to go on from")
	own.Checkpoint = env.Checkpoint
	found, err := env.Earlier(ctx, own)
	if err != nil {
		return nil, err
	}
	out := map[string]*Group{}
	if t, ok := found.(*Trained); ok {
		for _, g := range t.Groups {
			out[g.Name] = g
		}
	}
	return out, nil
}

// nameOf names a group by what its series have in common.
func (m Model) nameOf(v panel.View, places []int) string {
	at := slices.Index(v.Attributes(), m.By)
	if at < 0 || m.By == single.Everything || len(places) == 0 {
		return ""
	}
	return v.Series(places[0]).Labels[at]
}

// onward lays a training out as the earlier one was. An error says why it can't go on from there.
//
// What was held out then lies before what is held out now, or is the same: nothing that the
// networks learnt from, before they learnt the last periods too, is judged.
func (l *Layout) onward(was *Group, members int) error {
	old := &was.Layout
	switch {
	case was.Failed != "":
		return errors.New("they could not be trained")
	case was.Untaught:
		return errors.New("they had too little to learn from")
	case len(was.Early) != members:
		return errors.New("there are fewer or more of them")
	case old.Ahead < l.Ahead || old.Onward != l.Onward || !old.Onward && old.Horizon < l.Horizon:
		return errors.New("they forecast fewer steps")
	case old.Window != l.Window || old.Longer != l.Longer:
		return errors.New("the history has become long enough to see more of it")
	case !slices.Equal(old.columns(), l.columns()):
		return fmt.Errorf("they know other columns (%s)", differing(old.columns(), l.columns()))
	case !slices.Equal(old.Names, l.Names):
		return errors.New("they know other attributes")
	}
	recipe, drivers := l.Recipe, l.Drivers
	*l = *old
	l.Recipe, l.Drivers = recipe, drivers
	return nil
}

// columns are the names of the recipe's columns.
func (l *Layout) columns() (out []string) {
	for _, c := range l.Recipe.Columns {
		out = append(out, c.Name)
	}
	return out
}

// differing names some of what one of two lists has alone, or says that the order differs.
func differing(old, now []string) string {
	var words []string
	for _, name := range now {
		if !slices.Contains(old, name) {
			words = append(words, name+" is new")
		}
	}
	for _, name := range old {
		if !slices.Contains(now, name) {
			words = append(words, name+" is gone")
		}
	}
	const told = 3
	switch n := len(words); {
	case n == 0:
		return "in another order"
	case n > told+1:
		words = append(words[:told], fmt.Sprintf("and %d more", n-told))
	}
	return strings.Join(words, ", ")
}

// since is the word on where a training went on from.
func since(v panel.View, was *Group) string {
	day := v.Cadence().Format(was.To)
	if len(was.Early) == 1 {
		return fmt.Sprintf("it went on from the network that had learnt up to %s", day)
	}
	return fmt.Sprintf("they went on from the networks that had learnt up to %s", day)
}

// stepsOf is how many batches a network that is gone on from was trained on.
func stepsOf(was *Group, member int) int {
	if was == nil {
		return 0
	}
	return was.Steps[member]
}
