package arima

import "paperkettle/core/panel"

// bridged is a series with its unknown values on the line between their neighbours, the
// season's mean deviation added: near enough to look for an order on.
func bridged(y []float64, season int) []float64 {
	if panel.CountKnown(y) == len(y) {
		return y
	}
	line := straight(y)
	shift := make([]float64, max(season, 1))
	if season > 1 {
		shift = phases(y, line, season)
	}
	out := make([]float64, len(y))
	for i, v := range y {
		out[i] = v - shift[i%len(shift)]
	}
	out = straight(out)
	for i := range out {
		out[i] += shift[i%len(shift)]
	}
	return out
}

// straight joins the known values by lines; the ends go on level.
func straight(y []float64) []float64 {
	out := append([]float64(nil), y...)
	last := -1
	for i, v := range y {
		if !panel.Known(v) {
			continue
		}
		for k := last + 1; k < i; k++ {
			out[k] = v
			if last >= 0 {
				out[k] = y[last] + (v-y[last])*float64(k-last)/float64(i-last)
			}
		}
		last = i
	}
	for k := last + 1; last >= 0 && k < len(y); k++ {
		out[k] = y[last]
	}
	return out
}

// phases are the mean deviations of the known values of each place in the season from the
// mean of a season around them; 0 where none is known.
func phases(y, line []float64, season int) []float64 {
	sums, counts := make([]float64, season), make([]float64, season)
	sum := 0.0
	for i := range line {
		sum += line[i]
		if i < season-1 {
			continue
		}
		if i >= season {
			sum -= line[i-season]
		}
		if at := i - season/2; panel.Known(y[at]) {
			sums[at%season] += y[at] - sum/float64(season)
			counts[at%season]++
		}
	}
	for k := range sums {
		sums[k] /= max(counts[k], 1)
	}
	return sums
}
