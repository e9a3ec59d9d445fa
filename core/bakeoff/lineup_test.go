package bakeoff_test

import (
	"context"
	"maps"
	"sync"
	"testing"

	"github.com/davecgh/go-spew/spew"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/core/bakeoff"
	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/split"
)

// shelf keeps trained contenders in memory.
type shelf struct {
	mu    sync.Mutex
	kept  map[string]*model.Written
	saved []string // whose they were
	found int
}

func (s *shelf) Find(_ context.Context, key string) (model.Parts, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if w := s.kept[key]; w != nil {
		s.found++
		return w, nil
	}
	return nil, nil
}

func (s *shelf) Save(_ context.Context, key, contender string, trained model.Parts) {
	w, err := model.Write(trained)
	if err != nil {
		panic(err)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.kept == nil {
		s.kept = map[string]*model.Written{}
	}
	s.kept[key], s.saved = w, append(s.saved, contender)
}

func (s *shelf) Once(_ string, f func() error) error { return f() }

func (s *shelf) count(contender string) (n int) {
	for _, name := range s.saved {
		if name == contender {
			n++
		}
	}
	return n
}

// text is a value as text, in which what is unknown equals itself.
func text(v any) string {
	return (&spew.ConfigState{Indent: " ", DisablePointerAddresses: true, DisableCapacities: true, SortKeys: true}).Sdump(v)
}

func learning() bakeoff.Plan {
	return bakeoff.Plan{Split: split.Spec{Horizon: 7, Windows: 2}, Seed: 3,
		Contenders: []bakeoff.Contender{{Family: "naive"}, {Family: "smoothing"}, {Family: "linear"},
			{Family: "additive"}, {Name: "tuned", Family: "moving-average", Tune: &bakeoff.Tune{Settings: map[string][]any{"length": {1, 7}}}},
			{Name: "each", Family: "smoothing", Tune: &bakeoff.Tune{Settings: map[string][]any{"trend": {"none", "damped"}}, Per: bakeoff.TuneSeries}}}}
}

// What is kept of a bake-off is told, of every contender and series, just as if it were trained
// anew: and it is not.
func TestKeptFitsTellTheSame(t *testing.T) {
	p := dailyPanel(70, 90)
	fresh, err := bakeoff.Prepare(p, learning(), catalogue.Standard())
	require.NoError(t, err)
	kept, err := bakeoff.Prepare(p, learning(), catalogue.Standard())
	require.NoError(t, err)
	keeper := &shelf{}
	kept.Lineup.Keep = keeper
	assert.Equal(t, runAll(t, fresh, 2, fresh.Tasks()), runAll(t, kept, 2, kept.Tasks()), "that it is kept changes nothing")
	assert.Equal(t, 0, keeper.count("naive"), "what is quick is not kept")
	assert.Equal(t, 2, keeper.count("smoothing"), "the last window's, a shard each")
	assert.Equal(t, 1, keeper.count("linear"), "all series at once")

	saved, w := len(keeper.saved), len(kept.Windows)-1
	for c := range kept.Plan.Contenders {
		for _, s := range []int{0, 1, 66} {
			want, err := fresh.Describe(t.Context(), w, c, s)
			require.NoError(t, err)
			got, err := kept.Describe(t.Context(), w, c, s)
			require.NoError(t, err)
			assert.Equal(t, text(want), text(got), kept.Plan.Contenders[c].Name)
		}
	}
	assert.Len(t, keeper.saved, saved, "nothing was trained to be told")
	assert.Equal(t, 5*3, keeper.found)

	// Of another window, one that learns from all is trained once, and kept then.
	for _, s := range []int{0, 1} {
		_, err := kept.Describe(t.Context(), 0, kept.Plan.Contender("linear"), s)
		require.NoError(t, err)
	}
	assert.Equal(t, 2, keeper.count("linear"))
}

// A release and a scenario train once between them, and data that differ train anew.
func TestRefitsShareWhatIsTrained(t *testing.T) {
	p, keeper := dailyPanel(30, 90), &shelf{}
	open := func(horizon int) *bakeoff.Refit {
		r, err := bakeoff.NewRefit(p, learning(), catalogue.Standard(), "linear", nil, horizon)
		require.NoError(t, err)
		r.Lineup.Keep = keeper
		return r
	}
	_, first, err := open(7).Run(t.Context(), 0, bakeoff.Desk{})
	require.NoError(t, err)
	_, second, err := open(7).Run(t.Context(), 0, bakeoff.Desk{})
	require.NoError(t, err)
	assert.Equal(t, first, second)
	_, ok, err := open(7).Describe(t.Context(), 4)
	require.NoError(t, err)
	assert.True(t, ok)
	assert.Equal(t, 1, keeper.count("linear"))

	_, _, err = open(8).Run(t.Context(), 0, bakeoff.Desk{})
	require.NoError(t, err)
	assert.Equal(t, 2, keeper.count("linear"), "another horizon is another fit")
	p.Series[3].Values[80]++
	_, _, err = open(7).Run(t.Context(), 0, bakeoff.Desk{})
	require.NoError(t, err)
	assert.Equal(t, 3, keeper.count("linear"), "one value of one series is another fit")
}

// What is kept and can't be read any more is made again.
func TestDamagedFitsAreMadeAgain(t *testing.T) {
	p, keeper := dailyPanel(8, 60), &shelf{}
	r, err := bakeoff.NewRefit(p, learning(), catalogue.Standard(), "linear", nil, 7)
	require.NoError(t, err)
	r.Lineup.Keep = keeper
	_, first, err := r.Run(t.Context(), 0, bakeoff.Desk{})
	require.NoError(t, err)
	for _, w := range keeper.kept {
		w.Common = w.Common[:len(w.Common)/2]
	}
	_, second, err := r.Run(t.Context(), 0, bakeoff.Desk{})
	require.NoError(t, err)
	assert.Equal(t, first, second)
	assert.Equal(t, 2, keeper.count("linear"))
}

// note is a checkpoint in memory.
type note struct {
	kept  []byte
	saves int
	stop  func(saves int)
}

func (n *note) Load() ([]byte, error) { return n.kept, nil }

func (n *note) Save(b []byte) error {
	n.kept = b
	n.saves++
	if n.stop != nil {
		n.stop(n.saves)
	}
	return nil
}

// A search that is stopped goes on where it was, to the same results.
func TestTuningGoesOnAfterAStop(t *testing.T) {
	plan := learning()
	plan.Contenders = []bakeoff.Contender{{Name: "tuned", Family: "moving-average",
		Tune: &bakeoff.Tune{Settings: map[string][]any{"length": {1, 2, 3, 4, 5, 6, 7}}}}}
	e, err := bakeoff.Prepare(dailyPanel(20, 90), plan, catalogue.Standard())
	require.NoError(t, err)
	task := e.Tasks()[0]
	whole, err := run(e, task, nil)
	require.NoError(t, err)

	ctx, cancel := context.WithCancel(t.Context())
	n := &note{stop: func(saves int) {
		if saves == 4 {
			cancel()
		}
	}}
	err = e.Run(ctx, task, bakeoff.Desk{Checkpoint: n, Hand: func(*bakeoff.TaskResult) error { return nil }})
	require.ErrorIs(t, err, context.Canceled)
	n.stop = nil
	var got []*bakeoff.TaskResult
	var told []float64
	require.NoError(t, e.Run(t.Context(), task, bakeoff.Desk{Checkpoint: n, Report: func(done float64, _ string) { told = append(told, done) },
		Hand: func(r *bakeoff.TaskResult) error { got = append(got, r); return nil }}))
	assert.Equal(t, text(whole), text(got))
	assert.Equal(t, 7, n.saves, "what was tried is not tried again")
	assert.IsIncreasing(t, compact(told))
	assert.Greater(t, told[0], 0.5, "it tells that it went on")

	other, err := bakeoff.Prepare(dailyPanel(21, 90), plan, catalogue.Standard())
	require.NoError(t, err)
	n.saves = 0
	require.NoError(t, other.Run(t.Context(), task, bakeoff.Desk{Checkpoint: n, Hand: func(*bakeoff.TaskResult) error { return nil }}))
	assert.Equal(t, 7, n.saves, "a search on other data begins anew")
}

func compact(x []float64) (out []float64) {
	for i, v := range x {
		if i == 0 || v != x[i-1] {
			out = append(out, v)
		}
	}
	return out
}

// A default that changes after a plan was made changes no rerun.
func TestPlansPinTheirDefaults(t *testing.T) {
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 7},
		Contenders: []bakeoff.Contender{{Family: "theta"}, {Name: "given", Family: "theta", Settings: model.Values{"kind": "optimised"}}}}
	e, err := bakeoff.Prepare(dailyPanel(3, 60), plan, catalogue.Standard())
	require.NoError(t, err)
	before, err := run(e, e.Tasks()[0], nil)
	require.NoError(t, err)

	later := catalogue.Standard()
	f, err := later.Find("theta")
	require.NoError(t, err)
	require.Equal(t, "standard", f.Settings[0].Default)
	f.Settings[0].Default = "optimised"
	again, err := bakeoff.Prepare(dailyPanel(3, 60), e.Plan, later)
	require.NoError(t, err)
	after, err := run(again, again.Tasks()[0], nil)
	require.NoError(t, err)
	assert.Equal(t, before[0].Packed, after[0].Packed)
	assert.Equal(t, "optimised", again.Plan.Contenders[1].Given()["kind"])
	fresh, err := bakeoff.Prepare(dailyPanel(3, 60), plan, later)
	require.NoError(t, err)
	other, err := run(fresh, fresh.Tasks()[0], nil)
	require.NoError(t, err)
	assert.NotEqual(t, before[0].Packed, other[0].Packed, "a new plan takes the new default")
}

// A release of a network goes on from what was trained for the last window, and is the same whether
// that is still kept or is trained again; where it is told to start anew, it does.
func TestAReleaseGoesOnFromTheLastWindow(t *testing.T) {
	settings := map[string]any{"passes": 3.0, "units": 8.0, "members": 1.0}
	released := func(keep bakeoff.Keeper, more map[string]any) (packed []byte, why string) {
		given := maps.Clone(settings)
		maps.Copy(given, more)
		plan := bakeoff.Plan{Split: split.Spec{Horizon: 7, Windows: 1}, Seed: 3,
			Contenders: []bakeoff.Contender{{Family: "naive"}, {Name: "net", Family: "perceptron", Settings: given}}}
		e, err := bakeoff.Prepare(dailyPanel(10, 90), plan, catalogue.Standard())
		require.NoError(t, err)
		e.Lineup.Keep = keep
		runAll(t, e, 2, e.Tasks())
		r, err := bakeoff.NewRefit(dailyPanel(10, 97), plan, catalogue.Standard(), "net", nil, 7)
		require.NoError(t, err)
		r.Lineup.Keep = keep
		require.NoError(t, r.Remember(e, nil))
		_, packed, err = r.Run(t.Context(), 0, bakeoff.Desk{})
		require.NoError(t, err)
		d, _, err := r.Describe(t.Context(), 0)
		require.NoError(t, err)
		return packed, d.Why
	}
	keeper := &shelf{}
	kept, why := released(keeper, nil)
	assert.Contains(t, why, "it went on from the network that had learnt up to")
	assert.Equal(t, 2, keeper.count("net"), "of the last window, and of the release")
	again, why := released(nil, nil)
	assert.Equal(t, kept, again)
	assert.Contains(t, why, "it went on")
	anew, why := released(nil, map[string]any{"anew": true})
	assert.NotEqual(t, kept, anew)
	assert.NotContains(t, why, "went on")
}
