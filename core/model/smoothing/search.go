package smoothing

import (
	"cmp"
	"math"
	"slices"

	"paperkettle/core/num"
)

// limits say which forms may be tried.
type limits struct {
	Form   *Form   // this one alone
	Trends []Trend // none: all
	Season string  // additive, multiplicative, none, or empty for all that fit
	Errors string  // additive, multiplicative, or empty
}

func (l limits) allow(f Form) bool {
	if l.Form != nil {
		return f == *l.Form
	}
	season := map[string]byte{"none": 'N', "additive": 'A', "multiplicative": 'M'}
	if want, ok := season[l.Season]; ok && f.Season != want {
		return false
	}
	if want, ok := season[l.Errors]; ok && f.Error != want {
		return false
	}
	return len(l.Trends) == 0 || slices.Contains(l.Trends, f.Trend)
}

// enough stops a search a thousandth of a unit of log-likelihood from its end.
func enough(known int) num.Stop { return num.Stop{Steps: 120, Gain: 1e-3 / float64(known)} }

// beyondHope is how much higher the criterion of a form without a trend must be, on a long series, than the lowest
// without one and with the same kind of error, for the same form with trends not to be tried: where a season is left
// out, no trend makes up for it. Forms are mixed up to farthest.
const beyondHope = 60

// search fits every form that the limits and the data allow, best criterion first, but for those beyond hope.
// A form starts from the one it grew out of: multiplicative errors from additive ones, damped trends from straight
// ones, those from none.
func (f *fitter) search(allowed limits, positive bool, season int) []estimate {
	var out []estimate
	done := map[Form]*estimate{}
	hopeless := func(form Form) bool {
		plain := done[Form{form.Error, form.Season, NoTrend}]
		return f.known > longEnough && plain != nil && plain.aicc > lowestPlain(out, form.Error)+beyondHope
	}
	for _, form := range byTrend() {
		if form.Positive() && !positive || form.Season != 'N' && season < 2 || f.known < form.free(season)+2 {
			continue
		}
		if !allowed.allow(form) || form.Trend != NoTrend && hopeless(form) {
			continue
		}
		e, ok := f.fit(form, f.grow(form, done), enough(f.known))
		if !ok {
			continue
		}
		done[form] = &e
		out = append(out, e)
	}
	slices.SortStableFunc(out, func(a, b estimate) int { return cmp.Compare(a.aicc, b.aicc) })
	return out
}

// byTrend lists the forms, those without a trend first.
func byTrend() []Form {
	out := Forms()
	slices.SortStableFunc(out, func(a, b Form) int { return cmp.Compare(a.Trend, b.Trend) })
	return out
}

// lowestPlain is the lowest criterion of the forms without a trend and with a kind of error.
func lowestPlain(list []estimate, kind byte) float64 {
	low := math.Inf(1)
	for _, e := range list {
		if e.form.Trend == NoTrend && e.form.Error == kind {
			low = min(low, e.aicc)
		}
	}
	return low
}

// grow gives the start of a form from one that is done, or nil.
func (f *fitter) grow(form Form, done map[Form]*estimate) []float64 {
	var best []float64
	least := math.Inf(1)
	try := func(from *estimate, change func(*params)) {
		if from == nil {
			return
		}
		p := from.p
		change(&p)
		x := f.gather(form, &p, nil)
		f.form = form
		if v := f.value(x); v < least {
			best, least = x, v
		}
	}
	if form.Error == 'M' && form.Season != 'M' {
		try(done[Form{'A', form.Season, form.Trend}], func(*params) {})
	}
	if form.Trend != NoTrend {
		less := Form{form.Error, form.Season, form.Trend - 1}
		try(done[less], func(p *params) {
			if form.Trend == Straight {
				p.Beta = 0.05 * p.Alpha
			} else {
				p.Phi = 0.95
			}
		})
	}
	if best == nil {
		return nil
	}
	return best
}
