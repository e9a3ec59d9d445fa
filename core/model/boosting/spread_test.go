package boosting_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
)

// waves makes series that go up and down every so many periods, each at a time and a level of its own.
func waves(n, length, period int, c calendar.Cadence) *panel.Panel {
	p := &panel.Panel{Cadence: c, Length: length}
	rnd := rand.New(rand.NewPCG(3, 5))
	for i := range n {
		level, start := math.Exp(4+rnd.NormFloat64()), rnd.IntN(period)
		s := panel.Series{Key: fmt.Sprint("line ", i)}
		for t := range length {
			s.Values = append(s.Values, level*(2+math.Sin(2*math.Pi*float64(t+start)/float64(period))+0.05*rnd.NormFloat64()))
		}
		p.Series = append(p.Series, s)
	}
	return p
}

// Periods that are plain numbers, and years, have no calendar to look at, and are learnt from all the same.
func TestPlainNumbersAndYears(t *testing.T) {
	for _, c := range []calendar.Cadence{{Unit: calendar.Number}, {Unit: calendar.Year}} {
		p := waves(12, 120, 8, c)
		whole := p.Series
		p.Length = 112
		for i := range p.Series {
			p.Series[i].Values = whole[i].Values[:112]
		}
		_, _, res := train(t, family(t, nil), p, 8)
		future := waves(12, 120, 8, c)
		for i, rows := range res.Series {
			level, miss := 0.0, 0.0
			for k, y := range rows.Mean {
				actual := future.Series[i].Values[112+k]
				level, miss = level+actual, miss+math.Abs(actual-y)
			}
			assert.Less(t, miss, 0.15*level, "%v, series %d", c, i)
		}
	}
}
