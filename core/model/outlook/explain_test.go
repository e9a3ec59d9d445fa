package outlook_test

import (
	"math/rand/v2"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/model"
	"paperkettle/core/model/additive"
	"paperkettle/core/model/outlook"
	"paperkettle/core/panel"
)

// drawers is a checkpoint whose parts are kept by name.
type drawers struct {
	at   string
	kept map[string][]byte
}

func (d drawers) Part(name string) model.Checkpoint { return drawers{d.at + "/" + name, d.kept} }

func (d drawers) Load() ([]byte, error) { return d.kept[d.at], nil }

func (d drawers) Save(b []byte) error {
	d.kept[d.at] = slices.Clone(b)
	return nil
}

// What explains drivers is kept once it is done, where it took long: after a stop it is there at once, and the same to
// the last bit.
func TestExplainingIsKept(t *testing.T) {
	const n, h = 60, 4
	v := panel.NewView(promoted(n, h), []int{0, 1, 2}, 0, n-1)
	kept := drawers{"task", map[string][]byte{}}
	tick := 2 * time.Second
	explain := func(v panel.View) (trained model.Trained, streams int64) {
		var asked, now atomic.Int64
		env := model.Env{Horizon: h, Workers: 2, Checkpoint: kept, Random: func(string) *rand.Rand {
			asked.Add(1)
			return rand.New(rand.NewPCG(3, 4))
		}, Clock: func() time.Duration { return time.Duration(now.Add(int64(tick))) }}
		trained, err := outlook.Explain(t.Context(), v, env.Piece(0, 1, "", "explained"))
		require.NoError(t, err)
		return trained, asked.Load()
	}
	facts := func(trained model.Trained, v panel.View) (out [][]float64, written *model.Written) {
		for i := range v.Len() {
			o, err := outlook.OutsideOf(trained, v, i, 0)
			require.NoError(t, err)
			values, _ := v.Values(i)
			out = append(out, outlook.Without(values, o))
		}
		res, err := trained.Forecast(t.Context(), v, h)
		require.NoError(t, err)
		for _, rows := range res.Series {
			out = append(out, rows.Quantiles)
		}
		written, err = model.Write(trained)
		require.NoError(t, err)
		return out, written
	}
	_, asked := explain(v)
	assert.NotZero(t, asked)
	assert.Empty(t, kept.kept, "what is quick is made again")
	tick = 11 * time.Second
	trained, asked := explain(v)
	assert.NotZero(t, asked)
	require.Len(t, kept.kept, 1)
	assert.Contains(t, kept.kept, "task/explained", "apart from what is saved while networks are trained")
	want, bytes := facts(trained, v)

	again, asked := explain(v)
	assert.Zero(t, asked, "nothing is fitted again")
	got, same := facts(again, v)
	assert.Equal(t, want, got)
	assert.Equal(t, bytes, same)

	earlier := v.Before(n - 9)
	other, asked := explain(earlier)
	assert.NotZero(t, asked, "of another history nothing is taken up")
	got, _ = facts(other, earlier)
	assert.NotEqual(t, want[0][:n-9], got[0])

	kept.kept["task/explained"] = kept.kept["task/explained"][:50]
	_, asked = explain(v)
	assert.NotZero(t, asked, "what is cut short is made again")
}

// Where a view remembers, what explains is trained once for all who ask, and each has its own: moving one on leaves the
// others where they are.
func TestExplainingIsTrainedOnce(t *testing.T) {
	const n, h = 120, 4
	p := promoted(n, h)
	v, later := panel.NewView(p, []int{0, 1, 2}, 0, n-5).Remembering(), panel.NewView(p, []int{0, 1, 2}, 0, n-1)
	draws := 0
	env := model.Env{Horizon: h, Workers: 2, Random: func(string) *rand.Rand { draws++; return rand.New(rand.NewPCG(3, 4)) }}
	train := func(m model.Model) model.Trained {
		trained, err := m.Train(t.Context(), v, env)
		require.NoError(t, err)
		return trained
	}
	forecast := func(trained model.Trained, v panel.View) model.Result {
		res, err := trained.Forecast(t.Context(), v, h)
		require.NoError(t, err)
		return res
	}
	plain := train(model.Bare(plainly(t)))
	first := train(outlook.Explainer())
	asked := draws
	second := train(outlook.Explainer())
	assert.Equal(t, asked, draws, "nothing was trained again")
	assert.Equal(t, forecast(plain, v), forecast(first, v), "to the bit")
	assert.Equal(t, forecast(first, v), forecast(second, v))

	require.NoError(t, first.Advance(t.Context(), later))
	assert.NotEqual(t, forecast(first, later), forecast(second, v))
	third := train(outlook.Explainer())
	assert.Equal(t, forecast(second, v), forecast(third, v))

	v.Forget()
	asked = draws
	train(outlook.Explainer())
	assert.Greater(t, draws, asked, "what is forgotten is trained again")
}

func plainly(t *testing.T) model.Model {
	m, _, err := additive.Families().New("additive", nil)
	require.NoError(t, err)
	return m
}
