package service

import (
	"cmp"
	"context"
	"math"
	"runtime"
	"slices"
	"sync/atomic"
	"time"

	"paperkettle/api"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// survey is a look over a revision, made once, in the background where nobody can wait: first at what each series is
// like, and then at what of it families will not learn from as it is, which takes longer.
type survey struct {
	done, whole chan struct{}
	look        panel.Survey // without the findings
	told        atomic.Pointer[told]
}

// told is what a survey found so far.
type told struct {
	checks []api.Check
	marks  [][]string // kinds of findings of each series, the worst first
}

// mostMarks bounds the marks of a series in a list.
const mostMarks = 4

// surveyOf starts the look over a revision if nobody did.
func (s *Server) surveyOf(revision uint, p *panel.Panel) *survey {
	fresh := &survey{done: make(chan struct{}), whole: make(chan struct{})}
	got, running := s.surveys.LoadOrStore(revision, fresh)
	if !running {
		go func() {
			defer close(fresh.whole)
			workers := runtime.GOMAXPROCS(0)
			found := panel.Look(p, workers)
			fresh.look = found
			fresh.told.Store(tell(p, found.Findings))
			close(fresh.done)
			found.Add(single.Review(p, workers))
			fresh.told.Store(tell(p, found.Findings))
		}()
	}
	return got.(*survey)
}

// tell is what is told of findings.
func tell(p *panel.Panel, findings []panel.Finding) *told {
	out := &told{checks: checksOf(p, findings), marks: make([][]string, len(p.Series))}
	for _, f := range findings {
		for _, i := range f.Series {
			if m := out.marks[i]; len(m) < mostMarks && !slices.Contains(m, f.Kind) {
				out.marks[i] = append(m, f.Kind)
			}
		}
	}
	return out
}

// lookOver is what there is to see in a panel, and what of it families will not learn from as it is.
func lookOver(p *panel.Panel) panel.Survey {
	workers := runtime.GOMAXPROCS(0)
	out := panel.Look(p, workers)
	out.Add(single.Review(p, workers))
	return out
}

// patience is how long a list waits for a look that is not over.
const patience = 250 * time.Millisecond

// ready says whether what each series is like is known, and whether all is, waiting a little or, where it must, till all
// is.
func (v *survey) ready(ctx context.Context, must bool) (some, all bool) {
	timer := time.NewTimer(patience)
	defer timer.Stop()
	late := timer.C
	if must {
		late = nil
	}
	select {
	case <-v.whole:
		return true, true
	case <-late:
	case <-ctx.Done():
	}
	select {
	case <-v.done:
		return true, false
	default:
		return false, false
	}
}

func checksOf(p *panel.Panel, findings []panel.Finding) []api.Check {
	out := []api.Check{}
	for _, f := range findings {
		c := api.Check{Kind: f.Kind, Grade: f.Grade, Series: len(f.Series), Meaning: f.Meaning}
		for _, i := range f.Series[:min(5, len(f.Series))] {
			c.Example = append(c.Example, p.Series[i].Key)
		}
		out = append(out, c)
	}
	return out
}

// mark adds what the look tells of series i.
func (v *survey) mark(row *api.SeriesRow, i int) {
	row.Trend, row.Season = number(v.look.Trend[i]), number(v.look.Season[i])
	row.Demand = v.look.Demand[i]
	row.Marks = append([]string{}, v.told.Load().marks[i]...)
}

// sortBy orders series by a number of each; what is unknown comes last either way.
func sortBy(chosen []int, down bool, value func(i int) float64) {
	keys := make(map[int]float64, len(chosen))
	for _, i := range chosen {
		v := value(i)
		if down {
			v = -v
		}
		if math.IsNaN(v) {
			v = math.Inf(1)
		}
		keys[i] = v
	}
	slices.SortStableFunc(chosen, func(a, b int) int { return cmp.Compare(keys[a], keys[b]) })
}
