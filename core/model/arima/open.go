package arima

import "paperkettle/core/panel"

// Open is where a series stands of which values are unknown: the filter's state.
type Open struct {
	Parts  []float64 // of the differenced process
	Levels []float64 // the last ones, less the regressors, the latest first
	Live   []int     // lags of those that are unknown
	Cov    []float64 // of the parts and the unknown levels, in units of the errors' variance
}

// opened is the state of a series without unknown values as one in which some may be: what
// was seen for long tells the state all but exactly, so that its next value is unknown by the
// next error alone.
func (s *State) opened() *Open {
	sh := &shape{}
	sh.set(s.Order, s.X)
	o := &Open{Parts: append([]float64(nil), s.Arma...), Cov: make([]float64, sh.r*sh.r)}
	for i := len(s.Tail) - 1; i >= 0; i-- {
		o.Levels = append(o.Levels, s.Tail[i])
	}
	for i := range sh.r {
		for j := range sh.r {
			o.Cov[i*sh.r+j] = sh.thetaAt(i) * sh.thetaAt(j)
		}
	}
	return o
}

// resume is the filter and the one column at the state.
func (s *State) resume(o *Open) (*skipper, *track) {
	sh := &shape{}
	sh.set(s.Order, s.X)
	k := &skipper{}
	k.set(sh)
	k.mean = s.constant()
	k.live = append([]int(nil), o.Live...)
	k.cov = append([]float64(nil), o.Cov...)
	k.look()
	t := &track{parts: make([]float64, k.r+1), levels: append([]float64(nil), o.Levels...)}
	copy(t.parts, o.Parts)
	return k, t
}

// kept is the filter's state as it is kept.
func (k *skipper) kept(t *track) *Open {
	return &Open{Parts: append([]float64(nil), t.parts[:k.r]...), Levels: append([]float64(nil), t.levels...),
		Live: append([]int(nil), k.live...), Cov: append([]float64(nil), k.cov...)}
}

// see takes the next value of the column, less the constant's and the regressors' part, or
// goes on over one that is unknown; ahead is what the filter expected.
func (k *skipper) see(t *track, level float64) (ahead float64) {
	k.look()
	ahead = k.forecast(t)
	if !panel.Known(level) {
		k.move(t, 0, ahead)
		k.advance(false)
		return ahead
	}
	k.move(t, level-ahead, level)
	k.take()
	k.advance(true)
	return ahead
}
