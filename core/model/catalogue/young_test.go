package catalogue_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/panel"
)

// resting are the families that take out a season of few rounds.
var resting = []string{"smoothing", "theta", "arima", "decomposition", "additive", "linear", "boosting", "pretrained", "automatic"}

// yearOf are series with a year on them of which few rounds were seen, and what comes: shops of a few lengths.
func yearOf(c calendar.Cadence, period float64, size float64, h int, lengths ...int) (p *panel.Panel, truth [][]float64) {
	most := 0
	for _, n := range lengths {
		most = max(most, n)
	}
	p = &panel.Panel{Cadence: c, First: 2000, Length: most, Measure: "cups"}
	for i, n := range lengths {
		rnd := rand.New(rand.NewPCG(uint64(i), 41))
		level, from := math.Log(100)+0.5*rnd.NormFloat64(), most-n
		y, ahead := make([]float64, n), make([]float64, h)
		for k := range n + h {
			level += 0.01 * rnd.NormFloat64()
			x := 2 * math.Pi * float64(from+k) / period
			v := math.Exp(level + size*(math.Sin(x)+0.5*math.Sin(2*x)))
			if k < n {
				y[k] = math.Round(10*v*math.Exp(0.08*rnd.NormFloat64())) / 10
			} else {
				ahead[k-n] = v
			}
		}
		p.Series = append(p.Series, panel.Series{Key: string(rune('a' + i)), First: from, Values: y})
		truth = append(truth, ahead)
	}
	return p, truth
}

// missed is the mean error as a part of the truth.
func missed(t *testing.T, family string, p *panel.Panel, truth [][]float64) (miss float64) {
	t.Helper()
	trained, v := trainOn(t, family, nil, p, p.Length-1, len(truth[0]))
	return missedBy(t, trained, v, truth)
}

// missedBy is that of what was trained.
func missedBy(t *testing.T, trained model.Trained, v panel.View, truth [][]float64) (miss float64) {
	t.Helper()
	h := len(truth[0])
	res := result(t, trained, v, h)
	for i, r := range res.Series {
		require.NoError(t, res.Err[i])
		for k, m := range r.Mean {
			miss += math.Abs(m/truth[i][k]-1) / float64(h*len(truth))
		}
	}
	return miss
}

// A year of which a round and a half was seen is forecast by every family that has seasons, roughly so one of which not
// all was, and none is made up where there is none; new shops are forecast with the year that the old ones have.
func TestAYearOfWhichLittleWasSeen(t *testing.T) {
	t.Parallel()
	alike := func(n int) []int { return []int{n, n, n, n, n, n, n, n} }
	for _, family := range resting {
		for name, c := range map[string]struct {
			cadence calendar.Cadence
			period  float64
			lengths []int
			h       int
			most    float64
		}{
			"10 months": {monthly, 12, alike(10), 6, 0.15}, "18 months": {monthly, 12, alike(18), 6, 0.10}, "24 months": {monthly, 12, alike(24), 6, 0.08},
			"70 weeks": {weekly, 365.25 / 7, alike(70), 8, 0.09},
		} {
			p, truth := yearOf(c.cadence, c.period, 0.3, c.h, c.lengths...)
			miss := missed(t, family, p, truth)
			flat, ahead := yearOf(c.cadence, c.period, 0, c.h, c.lengths...)
			none := missed(t, family, flat, ahead)
			t.Logf("%-13s %s: off by %.3f; without a year %.3f", family, name, miss, none)
			assert.Less(t, miss, c.most, "%s, %s", family, name)
			assert.Less(t, none, 0.08, "%s, %s", family, name)
		}
		if family == "linear" || family == "boosting" || family == "automatic" {
			continue // one equation for all knows the old shops' season by itself, or mixes those that do
		}
		p, truth := yearOf(monthly, 12, 0.3, 6, 90, 90, 90, 14, 9)
		miss := missed(t, family, p, truth)
		t.Logf("%-13s with new shops: off by %.3f", family, miss)
		assert.Less(t, miss, 0.11, family)
	}
}

// One series with a cycle that no other has does not keep the year from families that have one equation for all.
func TestAYearOfWhichLittleWasSeenBesideAnotherCycle(t *testing.T) {
	t.Parallel()
	p, truth := yearOf(weekly, 365.25/7, 0.4, 8, slices.Repeat([]int{72}, 12)...)
	for k := range p.Series[5].Values {
		p.Series[5].Values[k] = 100 + 40*float64(k%9)
	}
	for k := range truth[5] {
		truth[5][k] = 100 + 40*float64((72+k)%9)
	}
	trained, v := trainOn(t, "linear", nil, p, p.Length-1, 8)
	res, miss := result(t, trained, v, 8), 0.0
	for i, r := range res.Series {
		for k, m := range r.Mean {
			if i != 5 {
				miss += math.Abs(m/truth[i][k]-1) / 88
			}
		}
	}
	t.Logf("the others are off by %.3f", miss)
	assert.Less(t, miss, 0.09)
}

// Families that learn from all series together are forecast alone as well, and a season that is set or ruled out stays so.
func TestAYearOfWhichLittleWasSeenAlone(t *testing.T) {
	t.Parallel()
	p, truth := yearOf(monthly, 12, 0.3, 6, 24, 24, 24, 24)
	for _, family := range []string{"additive", "linear"} {
		trained, v := trainOn(t, family, model.Values{"together": "none"}, p, 23, 6)
		miss := missedBy(t, trained, v, truth)
		t.Logf("%s alone: off by %.3f", family, miss)
		assert.Less(t, miss, 0.1, family)
	}
	for family, settings := range map[string]model.Values{"smoothing": {"season": "none"}, "theta": {"length": 4.0}, "arima": {"length": 4.0},
		"decomposition": {"length": 6.0}, "additive": {"seasons": []string{"year"}}, "linear": {"features": []string{"lag 1"}}} {
		trained, _ := trainOn(t, family, settings, p, 23, 6)
		assert.NotContains(t, trained.Describe(0).Form, "few rounds", family)
	}
}

// A fit of what a season leaves is written and read, moved on and described like any other.
func TestASeasonTakenOutIsKept(t *testing.T) {
	t.Parallel()
	for _, family := range []string{"smoothing", "theta", "arima", "decomposition", "additive", "linear"} {
		p, _ := yearOf(monthly, 12, 0.3, 6, 24, 24, 24, 24)
		trained, early := trainOn(t, family, nil, p, 20, 6)
		d := trained.Describe(0)
		assert.Contains(t, d.Form, "of what a season of 12 leaves, a factor", family)
		found := false
		for _, c := range d.Components {
			if c.Name == "season of 12" {
				found = true
				assert.True(t, c.Factor, family)
				assert.Len(t, c.Past, 21, family)
				require.Len(t, c.Ahead, 6, family)
				assert.InDelta(t, c.Past[9], c.Ahead[0], 1e-9, "%s: a year later", family)
			}
		}
		assert.True(t, found, family)
		f, err := whole().Find(family)
		require.NoError(t, err)
		written, err := model.Write(trained)
		require.NoError(t, err)
		read, err := f.Read(written)
		require.NoError(t, err)
		late := panel.NewView(p, all(p), 0, 23)
		for _, m := range []model.Trained{trained, read} {
			require.NoError(t, m.Advance(t.Context(), early))
			require.NoError(t, m.Advance(t.Context(), late))
		}
		assert.Equal(t, result(t, trained, late, 6), result(t, read, late, 6), family)
	}
}

// What is kept of a season of few rounds is read back: forecasts, futures and words are as before, and go on so.
func TestASeasonOfFewRoundsIsReadBack(t *testing.T) {
	t.Parallel()
	p, _ := yearOf(monthly, 12, 0.3, 6, 18, 18, 18, 18, 18, 18)
	later := panel.NewView(p, all(p), 0, 17)
	for _, family := range []string{"smoothing", "additive", "pretrained", "automatic"} {
		f, err := whole().Find(family)
		require.NoError(t, err)
		before, _ := trainOn(t, family, nil, p, 12, 6)
		b, err := model.Write(before)
		require.NoError(t, err)
		again, err := model.Write(before)
		require.NoError(t, err)
		assert.Equal(t, b, again, "%s is written alike each time", family)
		after, err := f.Read(b)
		require.NoError(t, err)
		require.NoError(t, before.Advance(t.Context(), later))
		require.NoError(t, after.Advance(t.Context(), later))
		assert.Equal(t, result(t, before, later, 6), result(t, after, later, 6), family)
		assert.Equal(t, text(before.Describe(0)), text(after.Describe(0)))
		if family != "automatic" {
			assert.Contains(t, before.Describe(0).Form, "few rounds", family)
		}
	}
}
