package num

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Whatever recurs, and however few are looked at, all of its places have their turn, each about as often.
func TestThinIsOutOfStep(t *testing.T) {
	for _, recurs := range []int{2, 3, 4, 5, 7, 8, 10, 11, 12, 24, 48, 52} {
		for every := 1; every <= 60; every++ {
			const rounds = 40
			seen := make([]int, recurs)
			for k := range rounds * recurs {
				seen[Thin(k, every)%recurs]++
			}
			for place, n := range seen {
				assert.InDelta(t, rounds, n, 0.7*rounds, "place %d of %d, one of every %d", place, recurs, every)
			}
		}
	}
}

func TestThinTakesOneOfEveryRun(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		every, k := rapid.IntRange(1, 500).Draw(t, "every"), rapid.IntRange(0, 100_000).Draw(t, "k")
		assert.Equal(t, k, Thin(k, every)/every)
	})
}

func TestSomeAreSpreadOverAll(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n, most := rapid.IntRange(0, 5000).Draw(t, "n"), rapid.IntRange(1, 300).Draw(t, "most")
		some := Some(n, most)
		assert.Len(t, some, min(n, most))
		for i, place := range some {
			assert.Less(t, place, n)
			if i > 0 {
				assert.Greater(t, place, some[i-1])
			}
		}
		if n <= most {
			assert.Len(t, some, n, "all of few")
		}
	})
	assert.Empty(t, Some(0, 10))
}
