package automatic

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/floats"

	"paperkettle/core/panel"
)

// A series' own windows have this much to say beside those of all others of its kind, per
// series that was asked: with few others it is heard more.
const (
	ownSay  = 0.3
	fewSays = 4.0
	mostOwn = 4 // log of how much worse a form can be on the series itself
)

// leaning is the log of how much more a form is doubted that forecasts what another leaves of drivers and events:
// where that one errs, both do.
const leaning = 0.1

// learning is the log of how much smaller the errors of forms that learn from the series become next to those of plain ones,
// by e times as many values: what these do on the inner windows, after a part of the history, is what they will do.
const learning = 0.3

// trees is the same for boosting next to all others: trees learn from all series together what families of their own shape
// are told beforehand, and need more of it.
const trees = 0.2

// score is the log of a form's expected loss on a series next to the best's: its own windows
// held towards what all of its kind show. Unknown where neither tells.
func (e *evidence) score(i, k int) float64 {
	if !e.suits(i, k) {
		return panel.Unknown
	}
	own := panel.Unknown
	if best := lowestKnown(e.own[i]); panel.Known(best) {
		own = mostOwn
		if v := e.own[i][k]; panel.Known(v) {
			own = min(mostOwn, v-best)
		}
	}
	pooled := e.pooled[e.kinds[i]]
	if pooled == nil {
		return own
	}
	few := fewSays / (fewSays + float64(e.asked))
	before := e.forms[k].doubt * few * few
	if e.forms[k].blind && e.rest != nil {
		before += leaning
	}
	if e.forms[k].plain && !e.forms[k].counts {
		before += learning * e.grew
	}
	if e.forms[k].name == "boosting" {
		before -= trees * e.grew
	}
	if !panel.Known(own) {
		return before + pooled[k]
	}
	share := max(ownSay, fewSays/(fewSays+float64(e.asked)))
	return before + share*own + (1-share)*pooled[k]
}

// leastWeight is the weight, next to the best form's, below which a form is left out.
const leastWeight = 0.08

// weigh gives each series' weights of the forms: exponentially less the larger the loss, the
// more sharply the more was seen.
func (e *evidence) weigh(alone bool) [][]float64 {
	out := make([][]float64, e.series)
	sharp, ruled := sharpness(e.rounds, e.asked), e.rule()
	for i := range out {
		scores := make([]float64, len(e.forms))
		for k := range scores {
			scores[k] = e.score(i, k)
		}
		best := lowestKnown(scores)
		w := make([]float64, len(scores))
		if !panel.Known(best) {
			e.byRule(w, i, alone)
			out[i] = w
			continue
		}
		chosen := false
		for k, v := range scores {
			switch {
			case !panel.Known(v), alone && (chosen || v > best):
			case v == best:
				w[k], chosen = 1, true
			default:
				// A form that is twice as bad is hardly so by chance, however little was seen.
				d := v - best
				w[k] = math.Exp(-sharp*d - 0.2*d*d)
			}
		}
		if !alone {
			floats.Mul(w, ruled)
			floats.Scale(1/floats.Max(w), w)
		}
		for k := range w {
			if w[k] < leastWeight {
				w[k] = 0
			}
		}
		out[i] = w
	}
	return out
}

// explain says that some form with weight is to forecast what another leaves of drivers and events.
func (e *evidence) explain(weights [][]float64) bool {
	return (e.rest != nil || e.unproved) && slices.ContainsFunc(weights, func(w []float64) bool {
		for k, f := range e.forms {
			if f.blind && w[k] > 0 {
				return true
			}
		}
		return false
	})
}

// sharpness is how many times the weight falls by e for a loss that is e times as large: by
// how many horizons the inner windows span, of how many series.
func sharpness(rounds float64, asked int) float64 {
	seen := max(0, rounds-1) * math.Sqrt(float64(asked))
	return 0.5 + 20*seen/(seen+12)
}

// ruled are the weights of the forms that lose least on histories too short for inner windows, in the mean: the
// network has seen many a young series.
var ruled = map[string]float64{"pretrained": 4, "smoothing": 2, "theta": 2, "additive": 2, "linear": 1}

// unruled are the weights of forms that have no part in the rule; plain ones have leastRuled.
var unruled = map[string]float64{"arima": 0.5, "decomposition": 0.5, "boosting": 0.25, "intermittent": ruledCounts}

const (
	ruledCounts = 3
	leastRuled  = 0.2
	mostRuled   = 4
	// ruledUntil is over how many horizons inner windows must go for the rule to tell nothing.
	ruledUntil = 1.5
)

// rule is what the forms weigh before the inner windows tell: where few rounds of a season were seen, the more as on
// histories too short for inner windows the less these tell; else alike.
func (e *evidence) rule() []float64 {
	left := max(0, min(1, (ruledUntil-e.rounds)/(ruledUntil-1)))
	if !e.young {
		left = 0
	}
	out := make([]float64, len(e.forms))
	for k, f := range e.forms {
		own := max(ruled[f.name], unruled[f.name], leastRuled)
		out[k] = math.Pow(own/mostRuled, left)
	}
	return out
}

// byRule mixes the forms that lose least on short histories, or takes the first alone.
func (e *evidence) byRule(w []float64, i int, alone bool) {
	for k, f := range e.forms {
		switch {
		case k == 0:
			w[k] = ruled[f.name]
		case alone || f.counts && !e.kinds[i].sparse:
		case f.counts:
			w[k] = ruledCounts
		default:
			w[k] = ruled[f.name]
		}
	}
}
