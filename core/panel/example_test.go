package panel_test

import (
	"fmt"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// A view ends at its origin: what comes later is not there to be read, but for drivers that are
// known ahead.
func ExampleView() {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: 5,
		Drivers: []panel.Driver{{Name: "price", KnownAhead: true}},
		Series:  []panel.Series{{Key: "Quay", Values: []float64{7, 8, 9, 10, 11}, Drivers: [][]float64{{1, 1, 2, 2, 3}}}}}
	v := panel.NewView(p, []int{0}, 0, 2).WithAhead(nil, 2)
	s := v.Series(0)
	fmt.Println(s.Values)
	fmt.Println(s.Driver(0, 5))
	// Output:
	// [7 8 9]
	// [1 1 2 2 3]
}

// Closed periods are told by lines; they hold for series that hardly sell anything then.
func ExamplePanel_WithClosed() {
	p := counters(70) // from a Monday on
	p.Closed = []string{"sunday"}
	q := p.WithClosed(p.Length - 1)
	for i, s := range q.Series {
		fmt.Println(s.Key, q.IsClosed(i, 76), q.IsClosed(i, 77))
	}
	// Output:
	// shut true false
	// zeros true false
	// open false false
}
