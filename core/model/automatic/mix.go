package automatic

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"paperkettle/core/forecast"
	"paperkettle/core/model"
	"paperkettle/core/model/boosting"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// Mix is the forms that were trained, with each series' weights.
//
// Source of mixing quantiles: Lichtendahl, Grushka-Cockayne and Winkler, Is it better to
// average probabilities or quantiles?, Management Science 59 (2013).
type Mix struct {
	Bounds single.Bounds
	Why    string
	Series int
	Forms  []string
	Scores [][]float64 // of each series and form
	Failed []string    // forms that were to take part and could not be trained, with the reason
	Parts  []Part

	Widenings []single.Widening // of each series' intervals

	rest    *outlook.Rest // what drivers and events left, as last seen; not written, nil where nothing is taken out
	workers int
}

// Use sets how many goroutines a model that was read may use.
func (m *Mix) Use(workers int) {
	m.workers = workers
	for _, p := range m.Parts {
		if u, ok := p.trained.(interface{ Use(workers int) }); ok {
			u.Use(workers)
		}
	}
}

// Part is a trained form and the series that have it in their mix.
type Part struct {
	Name    string
	Places  []int
	Weights []float64 // of each of those series; 0 where it is only learnt from
	Rest    bool      // it forecasts what drivers and events leave, as the first part explains them
	trained model.Trained
	at      map[int]int
}

// train trains a form for the series that give it weight; one that pools learns from all. Where explain says so,
// the first form tells the others what drivers and events leave.
func (m *Mix) train(ctx context.Context, v panel.View, env model.Env, f form, k int, weights [][]float64, explain bool) error {
	p := Part{Name: f.name, Rest: f.blind && m.rest != nil}
	used := explain && f.name == explains
	for i, w := range weights {
		used = used || w[k] > 0
		if w[k] > 0 || f.pools {
			p.Places, p.Weights = append(p.Places, i), append(p.Weights, w[k])
		}
	}
	if !used {
		return nil
	}
	final := f.model
	if f.settled != nil {
		final = f.settled
	}
	if trees, ok := final.(boosting.Model); ok {
		trees.Ready = func(v panel.View) model.Trained { return m.whole(trees.Base, v.Len()) }
		final = trees
	}
	var err error
	if p.trained, err = final.Train(ctx, m.given(p, v).Pick(p.Places).View, env); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		m.Failed = append(m.Failed, fmt.Sprintf("%s was to take part and could not be trained: %v", f.name, err))
		return nil // the others stand in
	}
	m.Parts = append(m.Parts, p)
	if explain && f.name == explains {
		return m.takeOut(ctx, p.trained, v, 0)
	}
	return nil
}

// takeOut takes out of a view what drivers and events bring, as one that was trained tells it.
func (m *Mix) takeOut(ctx context.Context, by model.Trained, v panel.View, horizon int) error {
	r, err := outlook.RestOf(ctx, by, v, horizon, m.workers)
	m.rest = &r
	return err
}

// whole is a part that was trained on all series as they are; nil where there is none.
func (m *Mix) whole(name string, series int) model.Trained {
	for _, p := range m.Parts {
		if p.Name == name && !p.Rest && len(p.Places) == series {
			return p.trained
		}
	}
	return nil
}

// apart takes out of a view what drivers and events bring, where parts ask for that.
func (m *Mix) apart(ctx context.Context, v panel.View, horizon int) error {
	if slices.ContainsFunc(m.Parts, func(p Part) bool { return p.Rest }) {
		return m.takeOut(ctx, m.Parts[0].trained, v, horizon)
	}
	return nil
}

// given is what a part is to forecast of a view from which apart has taken out what it is to.
func (m *Mix) given(p Part, v panel.View) outlook.Rest {
	if p.Rest {
		return *m.rest
	}
	return outlook.AsIs(v)
}

// Forecast mixes the parts' forecasts, by the weights of those that have one.
func (m *Mix) Forecast(ctx context.Context, v panel.View, horizon int) (model.Result, error) {
	out := model.Result{Series: make([]forecast.Rows, m.Series), Err: make([]error, m.Series)}
	total := make([]float64, m.Series)
	failed := make([]error, m.Series)
	if err := m.apart(ctx, v, horizon); err != nil {
		return out, err
	}
	for _, p := range m.Parts {
		res, err := m.given(p, v).Pick(p.Places).Forecast(ctx, p.trained, horizon)
		if err != nil {
			return out, err
		}
		for j, i := range p.Places {
			switch w := p.Weights[j]; {
			case w == 0:
			case res.Err[j] != nil:
				failed[i] = errors.Join(failed[i], fmt.Errorf("%s: %w", p.Name, res.Err[j]))
			default:
				if out.Series[i].Mean == nil {
					out.Series[i] = forecast.NewRows(horizon)
				}
				out.Series[i].Add(res.Series[j], w)
				total[i] += w
			}
		}
	}
	for i := range out.Series {
		if total[i] == 0 {
			if out.Err[i] = failed[i]; failed[i] == nil {
				out.Err[i] = errors.New("no form of the mix could be trained on it")
			}
			continue
		}
		out.Series[i].Scale(1 / total[i])
		values, _ := v.Values(i)
		m.Widenings[i].Stretch(out.Series[i], single.Trailing(values))
		m.Bounds.Keep(out.Series[i])
		out.Err[i] = out.Series[i].Check()
	}
	return out, nil
}

// Advance moves every part on.
func (m *Mix) Advance(ctx context.Context, v panel.View) error {
	if v.Len() != m.Series {
		return fmt.Errorf("the model was trained on %d series and is advanced with %d", m.Series, v.Len())
	}
	if err := m.apart(ctx, v, 0); err != nil {
		return err
	}
	for _, p := range m.Parts {
		if err := p.trained.Advance(ctx, m.given(p, v).Pick(p.Places).View); err != nil {
			return err
		}
	}
	return nil
}

// find is the place of a series in a part that gives it weight, or -1.
func (p *Part) find(i int) int {
	if j := p.place(i); j >= 0 && p.Weights[j] > 0 {
		return j
	}
	return -1
}

// place is the place of a series in a part, or -1.
func (p *Part) place(i int) int {
	if p.at == nil {
		p.at = make(map[int]int, len(p.Places))
		for j, x := range p.Places {
			p.at[x] = j
		}
	}
	if j, ok := p.at[i]; ok {
		return j
	}
	return -1
}

// Fitted mixes the fitted values of the parts that have some.
func (m *Mix) Fitted(i, n int) []float64 {
	out, total := make([]float64, n), make([]float64, n)
	for k := range m.Parts {
		p := &m.Parts[k]
		told, ok := p.trained.(model.Fitted)
		j := p.find(i)
		if !ok || j < 0 {
			continue
		}
		fitted := told.Fitted(j, n)
		if p.Rest && m.rest != nil {
			fitted = m.rest.Fitted(i, fitted)
		}
		for t, x := range fitted {
			if panel.Known(x) {
				out[t], total[t] = out[t]+p.Weights[j]*x, total[t]+p.Weights[j]
			}
		}
	}
	for t := range out {
		if out[t] /= total[t]; total[t] == 0 {
			out[t] = panel.Unknown
		}
	}
	return out
}

// Brief names the forms of a series' mix with their shares.
func (m *Mix) Brief(i int) string {
	var names []string
	var weights []float64
	for k := range m.Parts {
		if j := m.Parts[k].find(i); j >= 0 {
			names, weights = append(names, m.Parts[k].Name), append(weights, m.Parts[k].Weights[j])
		}
	}
	return model.Shares(names, weights)
}

// Describe describes the part with the most weight, and says what it is mixed with.
func (m *Mix) Describe(i int) model.Description {
	type share struct {
		part   *Part
		j      int
		weight float64
	}
	var shares []share
	total := 0.0
	for k := range m.Parts {
		if j := m.Parts[k].find(i); j >= 0 {
			shares = append(shares, share{&m.Parts[k], j, m.Parts[k].Weights[j]})
			total += m.Parts[k].Weights[j]
		}
	}
	if len(shares) == 0 {
		return model.Description{Form: "not fitted", Cautions: []string{"no form of the mix could be trained on it"}}
	}
	slices.SortStableFunc(shares, func(a, b share) int { return cmp.Compare(b.weight, a.weight) })
	d := shares[0].part.trained.Describe(shares[0].j)
	if len(shares) > 1 {
		names := make([]string, len(shares))
		for k, s := range shares {
			names[k] = fmt.Sprintf("%s %.0f %%", s.part.Name, 100*s.weight/total)
		}
		d.Form = "a mix of " + strings.Join(names, ", ") + "; most of it is " + d.Form
	}
	if shares[0].part.Rest {
		d.Form += ", on what drivers and events leave"
		d.Effects = m.Parts[0].trained.Describe(m.Parts[0].place(i)).Effects
	}
	if words := m.Widenings[i].Words(); !strings.Contains(d.Form, words) { // which the form itself may have said
		d.Form += words
	}
	d.Why = m.Why
	d.Cautions = append(d.Cautions, m.Failed...)
	d.Criterion, d.Choices = "log of the loss next to the best form's", nil
	for k, name := range m.Forms {
		if v := m.Scores[i][k]; !math.IsNaN(v) {
			d.Choices = append(d.Choices, model.Candidate{Form: name, Value: v})
		}
	}
	slices.SortStableFunc(d.Choices, func(a, b model.Candidate) int { return cmp.Compare(a.Value, b.Value) })
	return d
}

// Len is the number of series.
func (m *Mix) Len() int { return m.Series }

// written is a mix with what its parts' series share.
type written struct {
	Mix    *Mix
	Shared [][]byte
}

// Shared writes the mix and what its parts share.
func (m *Mix) Shared() ([]byte, error) {
	w := written{Mix: m}
	for _, p := range m.Parts {
		b, err := p.trained.Shared()
		if err != nil {
			return nil, err
		}
		w.Shared = append(w.Shared, b)
	}
	return model.Encode(w)
}

// Part writes the parts' fits of a series.
func (m *Mix) Part(i int) ([]byte, error) {
	own := make(model.Pieces, len(m.Parts))
	for k := range m.Parts {
		if j := m.Parts[k].place(i); j >= 0 {
			b, err := m.Parts[k].trained.Part(j)
			if err != nil {
				return nil, err
			}
			own[k] = b
		}
	}
	return model.Encode(own)
}

// read reads what a mix wrote.
func read(families model.Catalogue, p model.Parts) (model.Trained, error) {
	var w written
	if err := model.DecodeShared(p, &w); err != nil {
		return nil, fmt.Errorf("reading a mix: %w", err)
	}
	m := w.Mix
	if m == nil || len(w.Shared) != len(m.Parts) || p.Len() != m.Series {
		return nil, errors.New("reading a mix: parts are missing")
	}
	for k := range m.Parts {
		f, err := families.Find(m.Parts[k].Name)
		if err != nil {
			return nil, err
		}
		if m.Parts[k].trained, err = f.Read(model.Nested{Of: p, Piece: k, Common: w.Shared[k], Places: m.Parts[k].Places}); err != nil {
			return nil, err
		}
	}
	return m, nil
}
