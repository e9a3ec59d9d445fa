package neural

import (
	"fmt"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// Describe says what the networks of a series' group are and how they learnt.
func (t *Trained) Describe(i int) model.Description {
	g, j := t.find(i)
	if g.Failed != "" {
		return model.Description{Form: "not fitted", Cautions: []string{g.Failed}}
	}
	d := model.Description{}
	if t.view != nil {
		s, mended := single.Mend(t.view.Series(i))
		d.From, d.To, d.Known, d.LeftOut = s.First, t.view.Origin(), panel.CountKnown(s.Values), mended.Odd
		d.Cautions = mended.Cautions(s)
	}
	if g.outside != nil { // whose effects are part of the forecast
		d.Effects = g.outside.Describe(j).Effects
	}
	return g.describe(d)
}

// words name a network.
func (s Shape) words() string {
	kind := map[string]string{kindPerceptron: "a perceptron of residual blocks", kindLSTM: "an LSTM", kindGRU: "a GRU"}[s.Kind]
	if s.Layers == 1 {
		return fmt.Sprintf("%s of %d units", kind, s.Units)
	}
	return fmt.Sprintf("%s, %d layers of %d units,", kind, s.Layers, s.Units)
}

func (g *Group) describe(d model.Description) model.Description {
	d.Form = fmt.Sprintf("%s reads the last %d values, scaled by their own level and usual change, and a decoder weighs %d plain forecasts "+
		"of each step, corrects their mix and gives %s",
		g.Shape.words(), g.Shape.Window, anchors, outWords[g.Shape.Out])
	if len(g.Weights) > 1 {
		d.Form += fmt.Sprintf("; the mean of %d such networks", len(g.Weights))
	}
	if g.outside != nil {
		d.Form += "; what the additive regression says of drivers and events is taken out before, and put back after"
	}
	learnt := fmt.Sprintf("learnt from %d windows of %d series, to the loss on held-out windows; then gently from these too", g.Windows, len(g.Places))
	if g.Untaught {
		learnt = "as it starts, without anything learnt"
	}
	d.Why = fmt.Sprintf("%s; computed in single precision, %s", learnt, map[string]string{"avx512": "on AVX-512",
		"avx2": "on AVX2 (the same numbers as on AVX-512)", "plain": "without vector units (numbers differ in their last places from those " +
			"made with them)"}[g.Kernels])
	if g.Since != "" {
		d.Why += "; " + g.Since
	}
	if len(g.Likely) > 0 {
		d.Criterion = "minus the log-likelihood of held-out windows, a value"
		for _, l := range g.Likely {
			d.Choices = append(d.Choices, model.Candidate{Form: outWords[l.Out], Value: l.Loss})
		}
	}
	size := 0
	if len(g.Weights) > 0 {
		size = len(g.Weights[0])
	}
	d.Parameters = append(d.Parameters,
		model.Parameter{Name: "weights", Value: float64(size), Meaning: "numbers of a network"},
		model.Parameter{Name: "windows", Value: float64(g.Windows), Meaning: "that it learnt from: series and origins"})
	for k, s := range g.Steps {
		name := ofMember(k, len(g.Steps))
		d.Parameters = append(d.Parameters,
			model.Parameter{Name: "batches" + name, Value: float64(s),
				Meaning: fmt.Sprintf("of %d windows, after which held-out windows were forecast best", batchSize)},
			model.Parameter{Name: "held-out loss" + name, Value: g.Losses[k], Meaning: g.Shape.lossWords()})
		d.Learning = append(d.Learning, curvesOf(name, g.Every, g.Curves[k], g.Helds[k])...)
	}
	d.Worths = g.Worths
	d.Form += g.Widening.Words()
	if g.Layout.Onward {
		d.Form += "; it forecasts one step and goes on from its own median"
	}
	if g.Hurried {
		d.Cautions = append(d.Cautions, "the time given was up before the training was done: what was reached is kept")
	}
	if g.Unexplained {
		d.Cautions = append(d.Cautions, "there was no time to explain drivers and events first: the network alone sees them")
	}
	switch {
	case g.Untaught:
		d.Cautions = append(d.Cautions, fmt.Sprintf("%d windows are too few for a network to learn from: it mixes plain forecasts by how they did there",
			g.Windows))
	case g.Windows < fewForNetworks:
		d.Cautions = append(d.Cautions, fmt.Sprintf("%d windows are few for a network: a simpler family may do as well", g.Windows))
	}
	return d
}

// ofMember names one of several networks.
func ofMember(k, members int) string {
	if members == 1 {
		return ""
	}
	return fmt.Sprintf(" of network %d", k+1)
}

// curvesOf are how a network's losses went.
func curvesOf(name string, every int, training, held []float64) []model.Curve {
	return []model.Curve{{Name: "training windows" + name, Of: "batches", Every: every, Values: training},
		{Name: "held-out windows" + name, Of: "batches", Every: every, Values: held}}
}

// fewForNetworks is below how many windows a network comes with a caution.
const fewForNetworks = 1000
