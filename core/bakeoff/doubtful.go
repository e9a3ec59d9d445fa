package bakeoff

import (
	"fmt"
	"math"
	"slices"

	"paperkettle/core/model/single"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

// DoubtfulEnds says of which series the last value is left out, since it looks like a mistake or is of a
// period that is not over, in a sentence; none where there are none.
func DoubtfulEnds(p *panel.Panel, series []int) []string {
	v := panel.NewView(p, series, 0, p.Length-1)
	var found []int
	for i := range series {
		s := v.Series(i)
		at := p.Length - 1 - s.First
		if at >= 0 && at < len(s.Values) && strays(s.Values[:at+1]) && slices.Contains(single.Odd(s), at) {
			found = append(found, series[i])
		}
	}
	if len(found) == 0 {
		return nil
	}
	one, on := &p.Series[found[0]], p.Period(p.Length-1)
	if len(found) == 1 {
		return []string{fmt.Sprintf("The last value of series %s, %.6g in %s, is far from all before it: it is left out, as a mistake or of a period "+
			"that is not over, by every family but intermittent and the baselines.", one.Key, one.At(p.Length-1), on)}
	}
	return []string{fmt.Sprintf("The last values of %d series are far from all before them (of %s %.6g in %s): they are left out, as mistakes or of a "+
		"period that is not over, by every family but intermittent and the baselines.", len(found), one.Key, one.At(p.Length-1), on)}
}

const (
	endWithin = 15  // values before the last one that are looked at
	endBeyond = 0.7 // times their usual distance from their median is the least that strays
)

// strays says that the last value may be odd: what is nearer to those before it than they often are to each
// other need not be held against the whole series.
func strays(y []float64) bool {
	n := len(y) - 1
	before := num.Known(num.Tail(y[:n], endWithin))
	if len(before) < 2 || !panel.Known(y[n]) {
		return false
	}
	last := before[len(before)-1]
	slices.Sort(before)
	middle := before[len(before)/2]
	for k, v := range before {
		before[k] = math.Abs(v - middle)
	}
	slices.Sort(before)
	return min(math.Abs(y[n]-middle), math.Abs(y[n]-last)) > endBeyond*before[len(before)/2]
}
