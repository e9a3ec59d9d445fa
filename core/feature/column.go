package feature

import "paperkettle/core/panel"

// FillColumn puts one column for a step past origins from, from+stride, ... into out: what Fill gives row by row. Nothing
// after an origin is looked at but what is known ahead.
func (x *Rows) FillColumn(k, from, stride, step int, out []float64) {
	c := &x.recipe.Columns[k]
	switch c.Kind {
	case kindLag:
		x.laggedAll(from, from+1-c.Lag, stride, out)
	case kindSeasonLag:
		m := x.recipe.Season
		x.laggedAll(from, from+step-m*((step+m-1)/m+c.Lag-1), stride, out)
	case kindAttribute:
		for i := range out {
			out[i] = x.fixed[k]
		}
	case kindDifference, kindMean, kindSpread, kindQuantile, kindScale, kindGroup:
		for i := range out {
			out[i] = x.value(k, x.y[:from+i*stride+1], step)
		}
	default:
		x.shifted(x.ahead[k], from+step, stride, out)
	}
}

// laggedAll puts the values of places as far from each origin as the first's into out.
func (x *Rows) laggedAll(origin, at, stride int, out []float64) {
	for i := range out {
		if at >= 0 {
			x.shifted(x.y, at, stride, out[i:])
			return
		}
		out[i] = x.lagged(x.y[:min(origin+1, len(x.y))], at)
		origin, at = origin+stride, at+stride
	}
}

// shifted puts every few values from a place on into out; unknown where there are none.
func (x *Rows) shifted(values []float64, from, stride int, out []float64) {
	for i := range out {
		if out[i] = panel.Unknown; from >= 0 && from < len(values) {
			out[i] = values[from]
		}
		from += stride
	}
}

// AtStep says that a column changes with the step: other ones are the same for all steps past an origin.
func (c *Column) AtStep() bool { return c.Known != AtOrigin && c.Kind != kindAttribute }
