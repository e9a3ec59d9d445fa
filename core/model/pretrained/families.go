package pretrained

import (
	"encoding/binary"
	"encoding/hex"

	"paperkettle/core/model"
	"paperkettle/core/model/single"
)

// Families is the family of a network whose weights were read; nothing without any.
func Families(w *Weights) model.Catalogue {
	if w == nil {
		return nil
	}
	soonest := 0.001
	return model.Catalogue{{
		Name: "pretrained",
		Summary: "A network that has learnt from made-up series to forecast ones it has never seen: nothing is fitted, so it needs no long " +
			"history and is quick.",
		Reference:    "Oreshkin and others, Meta-learning framework with applications to zero-shot time-series forecasting, AAAI 2021",
		AcrossSeries: true,
		Version:      w.version(),
		Settings: append([]model.Setting{
			{Name: "explain", Kind: model.Switch, Default: true,
				Meaning: "what the additive regression says of drivers and events is taken out first, and put back, unless held-out windows lose by it"},
			{Name: "tune", Kind: model.Switch, Default: false, Meaning: "the network goes on learning from these series, as long as held-out windows gain"},
			{Name: "within", Kind: model.Amount, Min: &soonest, Meaning: "minutes that tuning may take", Auto: "as long as held-out windows gain"},
		}, single.UsualSettings()...),
		New: func(v model.Values) (model.Model, error) {
			m := Model{Weights: w, Bounds: single.BoundsOf(v)}
			m.Explain, _ = v["explain"].(bool)
			m.Tune, _ = v["tune"].(bool)
			m.Within, _ = v["within"].(float64)
			return m, nil
		},
		Read: w.read,
	}}
}

// version tells weights apart: what was kept with others is made again.
func (w *Weights) version() int {
	// of using them: medians where absolute errors rank, mistakes and pauses left out, units changed, seasons, what days
	// do and feasts out, on weekends too
	const way = 20
	b, err := hex.DecodeString(w.Hash)
	if err != nil || len(b) < 4 {
		return 0
	}
	return int(binary.BigEndian.Uint32(b)>>1) ^ way
}
