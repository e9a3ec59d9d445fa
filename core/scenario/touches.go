package scenario

import (
	"slices"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// Touches says whether a changed panel has other drivers or events for a series than the base has.
func Touches(base, changed *panel.Panel, series int) bool {
	own, other := base.Series[series].Drivers, changed.Series[series].Drivers
	return !slices.EqualFunc(own, other, func(a, b []float64) bool {
		return slices.EqualFunc(a, b, func(x, y float64) bool { return x == y || !panel.Known(x) && !panel.Known(y) })
	}) || !slices.EqualFunc(base.EventsOf(series), changed.EventsOf(series), func(a, b *calendar.Event) bool {
		return a.Name == b.Name && slices.Equal(a.Occasions, b.Occasions)
	})
}
