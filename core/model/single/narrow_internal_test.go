package single

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
)

// choosing is a method that chose a form, or has it.
type choosing struct{ form State }

func (choosing) Fit(context.Context, Input) (State, error) { return nil, nil }

func (c choosing) Narrow(_ Input, fitted State) Method { return choosing{fitted} }

// What a method is asked about inner windows by is the form that it has, however much was taken out of a series before, and
// whether or not the series had all of it.
func TestNarrowedThroughWhatIsTakenOut(t *testing.T) {
	take := func(in Input) (*Seasoned, Input) { return nil, in }
	form := newPlain([]float64{1, 2, 3})
	twice := takenOut{takenOut{choosing{}, take}, take}
	for _, fitted := range []State{&Seasoned{State: &Seasoned{State: form}}, &Seasoned{State: form}, form} {
		got := narrowed(twice, Input{}, fitted).(takenOut).Method.(takenOut).Method.(choosing)
		assert.Same(t, form, got.form)
	}
	// The form of what a season of few rounds leaves is chosen anew, by whoever takes that out.
	few := &Seasoned{State: form}
	assert.Equal(t, choosing{}, narrowed(choosing{}, Input{}, few))
	assert.Equal(t, seasoned{Method: choosing{}}, narrowed(seasoned{Method: choosing{}}, Input{}, few))
}
