package split_test

import (
	"fmt"

	"paperkettle/core/split"
)

// Windows are counted back from the end: each trains up to its origin and is assessed on the
// horizon after it.
func ExampleMake() {
	windows, _ := split.Make(split.Spec{Horizon: 3, Windows: 2}, 12)
	for _, w := range windows {
		fmt.Printf("window %d trains on %d to %d and is assessed on %d to %d\n", w.Index, w.TrainFirst, w.Origin, w.AssessFirst(), w.AssessLast)
	}
	// Output:
	// window 1 trains on 0 to 5 and is assessed on 6 to 8
	// window 2 trains on 0 to 8 and is assessed on 9 to 11
}
