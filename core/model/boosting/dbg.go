package boosting

import (
	"fmt"
	"os"
)

func dbg(f *Forest) {
	w, err := os.OpenFile("/tmp/boost.dbg", os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
	if err != nil {
		return
	}
	defer w.Close()
	fmt.Fprintf(w, "series %d origins %d tried %v wid %.2f %.2f %.2f\n", len(f.Places), len(f.Layout.Origins), f.Tried, f.Widening.Near, f.Widening.Far, f.Widening.Tail)
	for _, p := range f.Stems {
		n := 0
		if p.Trees != nil {
			n = len(p.Trees.Trees)
		}
		fmt.Fprintf(w, "   %s weight %.2f belief %.2f trees %d rows %d\n", p.Base, p.Weight, p.Belief, n, p.Rows)
	}
}
