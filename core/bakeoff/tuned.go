package bakeoff

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// fit trains the chosen combinations on the whole training part.
func (m *tunedModel) fit(ctx context.Context, v panel.View, env model.Env, choice []int, report *Tuned) (model.Trained, error) {
	out := &tunedFit{n: v.Len(), report: report}
	for k, candidate := range m.models {
		var places []int
		for i, c := range choice {
			if c == k {
				places = append(places, i)
			}
		}
		if len(places) == 0 {
			continue
		}
		trained, err := candidate.Train(ctx, v.Pick(places), env)
		if err != nil {
			return nil, err
		}
		out.parts = append(out.parts, tunedPart{k, m.settings[k], places, trained})
	}
	return out, nil
}

// tunedFit holds a trained model for each combination that was chosen.
type tunedFit struct {
	n      int
	parts  []tunedPart
	report *Tuned
}

type tunedPart struct {
	which    int // of the combinations
	settings model.Values
	places   []int
	trained  model.Trained
}

// favourite is the combination that most series of some fits have; the earlier one where two have as many.
func favourite(fits []*fit) (best int) {
	counts := map[int]int{}
	for _, f := range fits {
		if t, ok := f.trained.(*tunedFit); ok {
			for _, p := range t.parts {
				counts[p.which] += len(p.places)
			}
		}
	}
	for _, which := range slices.Sorted(maps.Keys(counts)) {
		if counts[which] > counts[best] {
			best = which
		}
	}
	return best
}

func (f *tunedFit) Tuned() *Tuned { return f.report }

func (f *tunedFit) Forecast(ctx context.Context, v panel.View, horizon int) (model.Result, error) {
	out := model.Result{Series: make([]forecast.Rows, f.n), Err: make([]error, f.n)}
	for _, p := range f.parts {
		res, err := p.trained.Forecast(ctx, v.Pick(p.places), horizon)
		if err != nil {
			return out, err
		}
		for i, at := range p.places {
			out.Series[at], out.Err[at] = res.Series[i], res.Err[i]
		}
	}
	return out, nil
}

func (f *tunedFit) Advance(ctx context.Context, v panel.View) error {
	for _, p := range f.parts {
		if err := p.trained.Advance(ctx, v.Pick(p.places)); err != nil {
			return err
		}
	}
	return nil
}

// find gives the part of the i-th series and its place in it.
func (f *tunedFit) find(i int) (*tunedPart, int) {
	for k := range f.parts {
		if at := slices.Index(f.parts[k].places, i); at >= 0 {
			return &f.parts[k], at
		}
	}
	return nil, 0
}

func (f *tunedFit) Fitted(i, n int) []float64 {
	p, at := f.find(i)
	if told, ok := p.trained.(model.Fitted); ok {
		return told.Fitted(at, n)
	}
	return nil
}

// settingsText writes settings in the order of their names.
func settingsText(v model.Values) string {
	var words []string
	for _, name := range slices.Sorted(maps.Keys(v)) {
		words = append(words, fmt.Sprintf("%s %v", name, v[name]))
	}
	return strings.Join(words, ", ")
}

// Brief is what the combination of settings that was chosen found, and that combination.
func (f *tunedFit) Brief(i int) string {
	p, at := f.find(i)
	found := settingsText(p.settings)
	if brief := model.Brief(p.trained, at); brief != "" {
		found += ", " + brief
	}
	return found
}

func (f *tunedFit) Describe(i int) model.Description {
	p, at := f.find(i)
	d := p.trained.Describe(at)
	d.Form += fmt.Sprintf("; its settings (%s) were chosen on inner windows of the training part", settingsText(p.settings))
	return d
}

// Len is the number of series.
func (f *tunedFit) Len() int { return f.n }

// writtenTuned is what the series of a tuned contender share: what was searched and chosen, and
// what each chosen combination's series share.
type writtenTuned struct {
	Series int
	Report *Tuned
	Places [][]int
	Which  []int // of the combinations
	Shared [][]byte
}

// Shared writes what was chosen and what its parts share.
func (f *tunedFit) Shared() ([]byte, error) {
	w := writtenTuned{Series: f.n, Report: f.report}
	for _, p := range f.parts {
		b, err := p.trained.Shared()
		if err != nil {
			return nil, err
		}
		w.Places, w.Which, w.Shared = append(w.Places, p.places), append(w.Which, p.which), append(w.Shared, b)
	}
	return json.Marshal(w)
}

// Part writes a series' fit under the settings chosen for it.
func (f *tunedFit) Part(i int) ([]byte, error) {
	p, at := f.find(i)
	return p.trained.Part(at)
}

// tunedPieces are the parts of one combination among those of all.
type tunedPieces struct {
	of     model.Parts
	shared []byte
	places []int
}

func (p tunedPieces) Len() int                   { return len(p.places) }
func (p tunedPieces) Shared() ([]byte, error)    { return p.shared, nil }
func (p tunedPieces) Part(i int) ([]byte, error) { return p.of.Part(p.places[i]) }

// read reads what a tuned contender of a family wrote.
func (m *tunedModel) read(parts model.Parts, family *model.Family) (model.Trained, error) {
	b, err := parts.Shared()
	if err != nil {
		return nil, err
	}
	var w writtenTuned
	if err := json.Unmarshal(b, &w); err != nil {
		return nil, fmt.Errorf("reading a tuned model: %w", err)
	}
	out := &tunedFit{n: w.Series, report: w.Report}
	for k, which := range w.Which {
		if which >= len(m.settings) || k >= len(w.Places) || k >= len(w.Shared) {
			return nil, errors.New("reading a tuned model: it was made of other settings")
		}
		trained, err := family.Read(tunedPieces{parts, w.Shared[k], w.Places[k]})
		if err != nil {
			return nil, err
		}
		out.parts = append(out.parts, tunedPart{which, m.settings[which], w.Places[k], trained})
	}
	return out, nil
}
