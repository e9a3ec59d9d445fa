package bakeoff

import (
	"fmt"

	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// DoubtfulEnds says of which series the last value is left out, since it looks like a mistake or is of a
// period that is not over, in a sentence; none where there are none.
func DoubtfulEnds(p *panel.Panel, series []int) []string {
	v := panel.NewView(p, series, 0, p.Length-1)
	var found []int
	for i := range series {
		s := v.Series(i)
		if s.First+len(s.Values) == p.Length && single.LastOdd(s) {
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
