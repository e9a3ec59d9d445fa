package pretrained

import (
	"fmt"
	"slices"

	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// Describe says what the network saw of a series, and how it was used.
func (t *Trained) Describe(i int) model.Description {
	d := model.Description{Form: t.form()}
	if t.now.by != nil {
		d.Form += "; what the additive regression says of drivers and events is taken out before, and put back after"
		d.Effects = describing(t.now.by, i).Effects
		switch {
		case t.Gain != t.Gain:
		case t.Gain < outlook.Harm/10:
			d.Why = "explaining drivers and events first made no difference to held-out windows; "
		default:
			d.Why = fmt.Sprintf("explaining drivers and events first lowered the loss of held-out windows by %.1f %%; ", 100*t.Gain)
		}
	} else if t.Gain < 0 {
		d.Why = fmt.Sprintf("explaining drivers and events first made held-out windows worse, by %.1f %%, so they are left out; ", -100*t.Gain)
	}
	d.Form += t.Widening.Words()
	d.Why += fmt.Sprintf("its intervals are widened by what %d held-out windows ask for", t.Judged)
	if t.Judged == 0 {
		d.Why = "no history is long enough to hold anything out: its intervals are as it gives them"
	}
	d.Parameters = append(d.Parameters, model.Parameter{Name: "weights", Value: float64(t.networks.size()),
		Meaning: "numbers of the networks, by hash " + t.Hash[:min(12, len(t.Hash))]})
	if t.Judged > 0 {
		d.Parameters = append(d.Parameters, model.Parameter{Name: "held-out loss", Value: t.Loss,
			Meaning: "mean pinball loss on held-out windows, in usual changes"})
	}
	if len(t.Curve) > 1 {
		d.Learning = append(d.Learning, model.Curve{Name: "held-out windows", Of: "batches", Every: tuneEvery, Values: t.Curve})
	}
	d.Cautions = slices.Clone(t.Cautions)
	if t.view != nil {
		t.tell(&d, i)
	}
	return d
}

// form says in a sentence what forecasts.
func (t *Trained) form() string {
	who := fmt.Sprintf("a network of %d numbers that learnt from made-up series: it sees up to %d last values, weighs %d plain forecasts of "+
		"each step, corrects their mix and gives quantiles", t.networks[0].Size(), Reach, anchors)
	if k := len(t.networks); k > 1 {
		who += fmt.Sprintf("; the mean of %d such networks", k)
	}
	if who += t.Lean.words(); t.Own != nil {
		return fmt.Sprintf("%s; it went on learning from these series, by which the loss of held-out windows fell by %.1f %%", who, 100*t.TuneGain)
	}
	return who + "; nothing is fitted"
}

// describing is what a model says of a series, where it says anything.
func describing(t model.Trained, i int) model.Description {
	if d, ok := t.(interface{ Describe(int) model.Description }); ok {
		return d.Describe(i)
	}
	return model.Description{}
}

// tell says what was seen of the series.
func (t *Trained) tell(d *model.Description, i int) {
	s, mended := single.Mend(t.view.Series(i))
	d.LeftOut = append(d.LeftOut, mended.Odd...)
	d.Cautions = append(d.Cautions, mended.Cautions(s)...)
	known := panel.CountKnown(s.Values)
	d.From, d.To, d.Known = s.First, s.View().Origin(), known
	if !single.Tells(s.Values) {
		d.Form, d.Why, d.Parameters = "the last value, repeated", "", nil
		d.Cautions = append(d.Cautions, fmt.Sprintf("%d known values tell too little for the network", known))
		return
	}
	outside, _ := t.now.of(*t.view, s, i, 0)
	season, long := t.seasons(t.now, s, i)
	for _, told := range t.now.told {
		if season, ok := told[i]; ok {
			d.Form += single.SeasonWords(&season)
		}
	}
	z := outlook.Without(s.Values, outside)
	seen, ok := look(z[:len(z)-single.Trailing(z)], season, long)
	if !ok {
		return
	}
	d.Parameters = append(d.Parameters,
		model.Parameter{Name: "context", Value: float64(len(seen.z)), Meaning: "last values that it sees"},
		model.Parameter{Name: "season", Value: float64(season), Meaning: "periods after which it is told that a season comes back; 1 for none"},
		model.Parameter{Name: "level", Value: seen.level, Meaning: "mean of the last whole seasons, from which it counts"},
		model.Parameter{Name: "usual change", Value: seen.unit, Meaning: "unit that it counts in"})
	if long > 0 {
		d.Parameters = append(d.Parameters, model.Parameter{Name: "longer season", Value: float64(long),
			Meaning: "periods after which a longer season comes back"})
	}
	switch {
	case known < 16:
		d.Cautions = append(d.Cautions, fmt.Sprintf("only %d values are known: the network goes by what series in general do", known))
	case season > 1 && known < 2*season:
		d.Cautions = append(d.Cautions, "less than two seasons are known: which season there is can hardly be seen")
	}
	d.Cautions = append(d.Cautions, single.GapCautions(single.InputOf(s, t.Horizon, nil), known)...)
	if t.Horizon > Farthest {
		d.Cautions = append(d.Cautions, fmt.Sprintf("beyond step %d it goes on from its own forecasts", Farthest))
	}
}
