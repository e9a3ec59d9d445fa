package single_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// spoilt is a panel of shops, each spoilt in one way that a family does not learn from as it is.
func spoilt() *panel.Panel {
	const n = 700
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 19000, Length: n, Measure: "cups"}
	add := func(key string, spoil func(t int, v float64) float64) {
		values := shop(n, uint64(len(p.Series)))
		for t := range values {
			values[t] = spoil(t, values[t])
		}
		p.Series = append(p.Series, panel.Series{Key: key, Values: values})
	}
	within := func(from, to int, factor float64) func(int, float64) float64 {
		return func(t int, v float64) float64 {
			if t >= from && t < to {
				return v * factor
			}
			return v
		}
	}
	add("sound", within(0, 0, 1))
	add("ended", within(620, n, 0))
	add("began", within(0, 300, 0))
	add("paused", within(300, 345, 0))
	add("halved", within(640, n, 0.5))
	add("slipped", within(400, 401, 10))
	add("unfinished", within(n-1, n, 0.3))
	add("shut", func(t int, v float64) float64 {
		if t >= 640 && t%7 == 1 {
			return 0
		}
		return v
	})
	return p
}

// Each way in which a series is not learnt from as it is has its finding, and says when.
func TestReview(t *testing.T) {
	p := spoilt()
	want := map[string]struct{ series, says string }{
		"ended":             {"ended", `zeros alone since 2023-09-20`},
		"began after zeros": {"began", `zeros alone before 2022-11-04`},
		"pause":             {"paused", `2022-11-04 to 2022-12-18, a pause, of 45 values from 0 to 0`},
		"moved at once":     {"halved", `from 2023-10-10 on values are about 0\.\d+ times`},
		"mistakes":          {"slipped", `2023-02-12, \d+\.?\d* is far from`},
		"last value odd":    {"unfinished", `2023-12-08, \d+\.?\d* is far from`},
		"changed weekday":   {"shut", `Sundays alone: .* of the others then, 0 since 2023-10-15`},
	}
	for _, f := range single.Review(p, 2) {
		w, ok := want[f.Kind]
		require.True(t, ok, f.Kind)
		if assert.Len(t, f.Series, 1, f.Kind) {
			assert.Equal(t, w.series, p.Series[f.Series[0]].Key)
			assert.Regexp(t, `\(of `+w.series+`: .*`+w.says, f.Meaning)
		}
		delete(want, f.Kind)
	}
	assert.Empty(t, want)
}

// A finding that a review says more exactly is not told twice of a series, and stays for the others.
func TestAReviewStandsForWhatSaysLess(t *testing.T) {
	p := spoilt()
	survey := panel.Look(p, 1)
	told := func(kind string) (keys []string) {
		for _, f := range survey.Findings {
			if f.Kind == kind {
				for _, i := range f.Series {
					keys = append(keys, p.Series[i].Key)
				}
			}
		}
		return keys
	}
	require.Subset(t, told("level shift"), []string{"ended", "began"})
	require.Contains(t, told("outliers"), "slipped")
	before := slices.Clone(survey.Findings)
	survey.Add(single.Review(p, 1))
	assert.Empty(t, told("level shift"))
	assert.Empty(t, told("outliers"))
	assert.Equal(t, []string{"ended"}, told("ended"))
	assert.Equal(t, "last value odd", survey.Findings[0].Kind, "the worst first")
	for _, f := range before {
		assert.NotEmpty(t, f.Series, "what was there is not changed")
	}
	other := panel.Survey{Findings: []panel.Finding{{Kind: "outliers", Grade: "notable", Series: []int{0, 5}}}}
	other.Add(single.Review(p, 1))
	i := slices.IndexFunc(other.Findings, func(f panel.Finding) bool { return f.Kind == "outliers" })
	assert.Equal(t, []int{0}, other.Findings[i].Series)
}

// What a review tells is what fits do, for a fit says so itself.
func TestAReviewTellsWhatFitsDo(t *testing.T) {
	p := spoilt()
	told := map[int]bool{}
	for _, f := range single.Review(p, 1) {
		for _, i := range f.Series {
			told[i] = true
		}
	}
	for i := range p.Series {
		s := panel.NewView(p, []int{i}, 0, p.Length-1).Series(0)
		_, m := single.Mend(s)
		assert.Equal(t, told[i], len(m.Odd) > 0 || m.Unit != single.Unit{}, p.Series[i].Key)
	}
	values := spoilt().Series[5].Values
	closed := &panel.Panel{Cadence: p.Cadence, First: p.First, Length: p.Length, Series: []panel.Series{{Key: "a", Values: values[:0]}}}
	for _, f := range single.Review(closed, 1) {
		assert.Empty(t, f.Series, "of nothing there is nothing to tell")
	}
}

// A review of daily series of two years; set beside BenchmarkLook of the panel's own checks.
func BenchmarkReview(b *testing.B) {
	p := spoilt()
	for b.Loop() {
		single.Review(p, 1)
	}
}

func BenchmarkLook(b *testing.B) {
	p := spoilt()
	for b.Loop() {
		panel.Look(p, 1)
	}
}
