package cli

import (
	"fmt"
	"slices"
	"strings"

	"paperkettle/api"
)

// showNewcomers tells how series without a past were forecast, beneath the standings. CSV and JSON of the
// standings hold the ranking alone, or all there is.
func (a *app) showNewcomers(st api.Standings) error {
	n := st.Newcomers
	if n == nil || a.output != "table" {
		return nil
	}
	fmt.Fprintf(a.out, "\nNewcomers: %s\n\n", n.Meaning)
	if err := a.print(st, a.newcomersSheet(st)); err != nil {
		return err
	}
	shown := min(len(n.Series), 5)
	fmt.Fprintf(a.out, "\nThey are %s", strings.Join(n.Series[:shown], "; "))
	if more := n.Count - shown; more > 0 {
		fmt.Fprintf(a.out, " and %d more", more)
	}
	fmt.Fprintln(a.out, ".")
	for _, r := range n.Rows {
		if r.Why != "" {
			fmt.Fprintf(a.err, "%s has no forecast at %d of %d: %s.\n", r.Contender, r.Failed, n.Places, r.Why)
		}
	}
	return nil
}

func (a *app) newcomersSheet(st api.Standings) *sheet {
	var metrics []api.Metric
	for _, m := range st.Metrics {
		if slices.Contains(st.Newcomers.Metrics, m.Name) {
			metrics = append(metrics, m)
		}
	}
	s := &sheet{head: []string{"contender"}}
	for _, m := range metrics {
		s.head = append(s.head, ">"+m.Name)
	}
	s.head = append(s.head, ">points", ">failed")
	for _, r := range st.Newcomers.Rows {
		cells := []string{r.Contender}
		for _, m := range metrics {
			if m.Share {
				cells = append(cells, a.share(r.Values[m.Name]))
			} else {
				cells = append(cells, a.figure(r.Values[m.Name]))
			}
		}
		s.add(append(cells, whole(r.Points), whole(r.Failed))...)
	}
	return s
}
