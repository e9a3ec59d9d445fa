package pretrained

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model"
	"paperkettle/core/model/outlook"
)

const leantAhead = 6

// climbing are histories that go on as the last season went, a slope each.
func climbing(series int, rnd *rand.Rand) (sights []*sight, ahead [][]float64) {
	for range series {
		slope := 0.5 + rnd.Float64()
		z := make([]float64, 60)
		for t := range z {
			z[t] = 20 + slope*float64(t)
		}
		s, _ := look(z, 4, 0)
		sights = append(sights, s)
		var next []float64
		for h := range leantAhead {
			next = append(next, 20+slope*float64(len(z)+h))
		}
		ahead = append(ahead, next)
	}
	return sights, ahead
}

// level are quantiles around a value, at every step.
func level(middle float64) (out []float64) {
	for range leantAhead {
		for j := range wide {
			out = append(out, middle+float64(j-outlook.Middle))
		}
	}
	return out
}

// Quantiles that stay where the last value was are moved to what held-out windows went to, and keep their
// width; what a plain forecast gains at all origins but one moves nothing, nor does what is chance.
func TestLeaning(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	sights, ahead := climbing(8, rnd)
	for _, by := range []model.Judge{model.AbsoluteErrors, model.SquaredErrors, model.BothErrors} {
		l := newLeant(by)
		for origin := range 4 {
			for i, s := range sights {
				l.take(i, origin, s.plainly(leantAhead), level(s.now.last), ahead[i], 1)
			}
		}
		lean := l.lean()
		require.Equal(t, 0.75, lean.Share)
		assert.Contains(t, []int{3, 13, 18, 19, 20, 21}, lean.Anchor, "one that goes on by a slope")
		assert.Greater(t, lean.Gain, 0.5)
		assert.Contains(t, lean.words(), "; moved by 75 % towards the ")

		moved := level(sights[0].now.last)
		lean.move(sights[0], moved)
		for h := range leantAhead {
			row := moved[h*wide : (h+1)*wide]
			assert.InDelta(t, sights[0].now.last+0.75*(ahead[0][h]-sights[0].now.last), row[outlook.Middle], 2.5)
			assert.InDelta(t, wide-1, row[wide-1]-row[0], 1e-9, "as wide as it was")
		}

		for i, s := range sights { // a fifth origin, at which all stayed
			still := make([]float64, leantAhead)
			for h := range still {
				still[h] = s.now.last
			}
			l.take(i, 4, s.plainly(leantAhead), level(s.now.last), still, 1)
		}
		assert.Zero(t, l.lean())
	}

	few := newLeant(model.AbsoluteErrors)
	for origin := range 2 {
		for i, s := range sights {
			few.take(i, origin, s.plainly(leantAhead), level(s.now.last), ahead[i], 1)
		}
	}
	assert.Zero(t, few.lean(), "two origins are no evidence of a third")
	assert.Empty(t, few.lean().words())
}

// Of values around a level that nothing foretells, hardly ever anything is found.
func TestLeaningOnChance(t *testing.T) {
	found := 0
	for seed := range uint64(20) {
		rnd := rand.New(rand.NewPCG(seed, 5))
		l := newLeant(model.AbsoluteErrors)
		for i := range 10 {
			z := make([]float64, 60)
			for t := range z {
				z[t] = 20 + rnd.NormFloat64()
			}
			s, _ := look(z, 4, 0)
			for origin := range 4 {
				next := make([]float64, leantAhead)
				for h := range next {
					next[h] = 20 + rnd.NormFloat64()
				}
				l.take(i, origin, s.plainly(leantAhead), level(20), next, 1)
			}
		}
		if l.lean().Share > 0 {
			found++
		}
	}
	assert.Zero(t, found)
}

// What gains at most of many origins and loses at some is usual, though no rule of every origin has it; words say of how many
// origins the gain is the mean. What gains at half of them is luck.
func TestUsuallyLeaning(t *testing.T) {
	sights, ahead := climbing(8, rand.New(rand.NewPCG(1, 2)))
	told := func(back int) *leant {
		l := newLeant(model.BothErrors)
		for origin := range mostFar {
			for i, s := range sights {
				next := slices.Clone(ahead[i])
				for h := range next {
					if origin < back { // it went back as far
						next[h] = 2*s.now.last - next[h]
					}
				}
				l.take(i, origin, s.plainly(leantAhead), level(s.now.last), next, 1)
			}
		}
		return l
	}
	l := told(2)
	assert.Zero(t, l.lean(), "it does not gain at every origin")
	lean := l.usually()
	require.NotZero(t, lean.Share)
	assert.Contains(t, []int{3, 13, 18, 19, 20, 21}, lean.Anchor, "one that goes on by a slope")
	assert.Contains(t, lean.words(), "in the mean of 12 origins")
	assert.Zero(t, told(mostFar/2).usually())
}

// Only where a third of the histories holds many horizons are origins far back asked.
func TestOriginsFarBack(t *testing.T) {
	assert.Zero(t, farOrigins(365, 28))
	assert.Equal(t, 8, farOrigins(730, 28))
	assert.Equal(t, mostFar, farOrigins(4320, 72))
	assert.Zero(t, farOrigins(0, 1))
}
