package bakeoff

import (
	"fmt"

	"paperkettle/core/model/single"
	"paperkettle/core/panel"
)

// EndedSeries says which series have ended and are forecast as nothing, in a sentence; none where there are none.
func EndedSeries(p *panel.Panel, series []int) []string {
	v := panel.NewView(p, series, 0, p.Length-1)
	count, one, since := 0, "", ""
	for i := range series {
		s := v.Series(i)
		end := single.Ended(s)
		if end < 0 {
			continue
		}
		if count++; count == 1 {
			one, since = s.Key, p.Period(s.First+end)
		}
	}
	const then = "forecast as nothing by every family but intermittent and the baselines"
	switch count {
	case 0:
		return nil
	case 1:
		return []string{fmt.Sprintf("Series %s is taken to have ended, with zeros alone since %s: it is %s.", one, since, then)}
	}
	return []string{fmt.Sprintf("%d series are taken to have ended (%s with zeros alone since %s): they are %s.", count, one, since, then)}
}
