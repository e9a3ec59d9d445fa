package automatic

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// What the errors of series with a past ask for changes no newcomer's width, but where its point goes.
func TestNewcomersKeepTheirWidths(t *testing.T) {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Month}, Length: 8, Series: []panel.Series{
		{Key: "old", Values: []float64{1, 2, 3, 4, 5, 6, 7, 8}}, {Key: "new", First: 5, Values: []float64{3, 4, 5}},
		{Key: "mostly unknown", Values: []float64{1, panel.Unknown, panel.Unknown, panel.Unknown, panel.Unknown, 2, 3, 4}}}}
	asked := single.Widening{Near: 0.7, Far: 0.8, Tail: 1.1, Steps: 3, Point: 0.5, Little: 0.2}
	list := []single.Widening{asked, asked, asked}
	ownWidths(panel.NewView(p, []int{0, 1, 2}, 0, 7), list)
	kept := single.Widening{Near: 1, Far: 1, Tail: 1, Steps: 3, Point: 0.5}
	assert.Equal(t, []single.Widening{asked, kept, kept}, list)
}
