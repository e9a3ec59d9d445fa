package results_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"paperkettle/core/bakeoff"
	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/panel"
	"paperkettle/core/split"
	"paperkettle/results"
	"paperkettle/store"
)

// counter is weekly sales of some counters, from a level of 100 on.
func counters(series, length int) *panel.Panel {
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Week}, First: 2900, Length: length, Measure: "units",
		Attributes: []panel.Attribute{{Name: "counter"}, {Name: "kind", Values: []string{"tea", "pot"}}}}
	rnd := rand.New(rand.NewPCG(2, 7))
	for i := range series {
		key := fmt.Sprintf("counter %02d", i)
		s := panel.Series{Key: key}
		for range length {
			s.Values = append(s.Values, 100+float64(i)+5*rnd.NormFloat64())
		}
		p.Attributes[0].Values = append(p.Attributes[0].Values, key)
		p.Attributes[0].Codes = append(p.Attributes[0].Codes, int32(i))
		p.Attributes[1].Codes = append(p.Attributes[1].Codes, int32(i%2))
		p.Series = append(p.Series, s)
	}
	return p
}

// desk is a store with a dataset and a bake-off of it that has not run.
type desk struct {
	t     *testing.T
	store *store.Store
	r     *results.Repository
	panel *panel.Panel
	rev   *store.Revision
	b     store.Bakeoff
	job   store.Job
	e     *bakeoff.Engine
}

func (d *desk) write(f func(tx *gorm.DB) error) {
	d.t.Helper()
	require.NoError(d.t, d.store.Write(d.t.Context(), f))
}

func newDesk(t *testing.T, p *panel.Panel, contenders ...bakeoff.Contender) *desk {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	d := &desk{t: t, store: s, r: results.Open(s, catalogue.Standard(), 1, 0), panel: p}
	d.rev, err = s.AddRevision(t.Context(), store.Load{Dataset: "counters", Panel: p}, nil)
	require.NoError(t, err)
	plan := bakeoff.Plan{Split: split.Spec{Horizon: 4, Windows: 2}, Contenders: contenders}
	require.NoError(t, plan.Complete(catalogue.Standard()))
	text, err := json.Marshal(plan)
	require.NoError(t, err)
	d.job = store.Job{Kind: "bakeoff", State: store.Queued}
	d.b = store.Bakeoff{DatasetID: d.rev.DatasetID, RevisionID: d.rev.ID, Plan: string(text), Versions: d.r.Versions(&plan)}
	d.write(func(tx *gorm.DB) error {
		if err := tx.Create(&d.job).Error; err != nil {
			return err
		}
		d.b.JobID = d.job.ID
		return tx.Create(&d.b).Error
	})
	d.e, err = d.r.Engine(t.Context(), &d.b)
	require.NoError(t, err)
	return d
}

// run does some of the tasks, and keeps what they make, twice: once is enough.
func (d *desk) run(which func(bakeoff.Task) bool) {
	d.t.Helper()
	for _, task := range d.e.Tasks() {
		if !which(task) {
			continue
		}
		err := d.e.Run(d.t.Context(), task, bakeoff.Desk{Stored: d.r.Stored(d.t.Context(), d.e, d.b.ID), Hand: func(res *bakeoff.TaskResult) error {
			record, err := res.Record()
			if err != nil {
				return err
			}
			record.Took = 1e9
			for range 2 {
				d.write(func(tx *gorm.DB) error { return results.Keep(tx, d.b.ID, task.Contender, record) })
			}
			return nil
		}})
		require.NoError(d.t, err)
	}
}

func all(bakeoff.Task) bool { return true }

func (d *desk) finish() {
	d.write(func(tx *gorm.DB) error { return tx.Model(&d.job).Update("state", store.Done).Error })
}

// publish makes a release by a contender, and puts it live.
func (d *desk) publish(contender string, horizon int) *store.Release {
	d.t.Helper()
	rel := &store.Release{DatasetID: d.rev.DatasetID, RevisionID: d.rev.ID, BakeoffID: d.b.ID, JobID: d.job.ID, Contender: contender, Horizon: horizon,
		Levels: "[80,95]", State: store.Preparing}
	d.write(func(tx *gorm.DB) error { return tx.Create(rel).Error })
	refit, err := d.r.Refit(d.t.Context(), rel)
	require.NoError(d.t, err)
	for part := range refit.Parts() {
		notes, packed, err := refit.Run(d.t.Context(), part, bakeoff.Desk{})
		require.NoError(d.t, err)
		piece := &results.ReleasePart{Notes: notes, Packed: packed}
		d.write(func(tx *gorm.DB) error { return results.KeepReleased(tx, rel.ID, part, piece) })
	}
	d.write(func(tx *gorm.DB) error { return results.GoLive(tx, rel) })
	return rel
}

func naive() bakeoff.Contender  { return bakeoff.Contender{Family: "naive"} }
func steady() bakeoff.Contender { return bakeoff.Contender{Family: "mean"} }

// Standings of what is stored count only windows that every contender has finished, are kept once the job
// is done, and are ranked anew once that is dropped.
func TestStandingsOfWhatIsStored(t *testing.T) {
	d := newDesk(t, counters(70, 60), naive(), steady()) // two shards
	ctx := t.Context()
	st, err := d.r.Standings(ctx, d.e, d.b.ID, "", "")
	require.NoError(t, err)
	assert.Empty(t, st.Slices, "nothing is finished")
	_, err = d.r.Leader(ctx, d.e, d.b.ID)
	assert.ErrorIs(t, err, results.ErrNoStandings)

	d.run(func(task bakeoff.Task) bool { return task.Window == 0 || task.Contender == 0 })
	st, err = d.r.Standings(ctx, d.e, d.b.ID, "", "")
	require.NoError(t, err)
	require.Len(t, st.Slices, 1)
	for _, row := range st.Slices[0].Rows {
		assert.Equal(t, 70*4, row.Points, "the second window is finished by one alone")
	}
	d.run(all)
	d.finish()
	st, err = d.r.Standings(ctx, d.e, d.b.ID, "", "")
	require.NoError(t, err)
	assert.Equal(t, 2*70*4, st.Slices[0].Rows[0].Points)
	leader, err := d.r.Leader(ctx, d.e, d.b.ID)
	require.NoError(t, err)
	assert.Equal(t, "mean", leader, "of noise around a level")

	costs, err := d.r.Costs(ctx, d.e, d.b.ID)
	require.NoError(t, err)
	assert.Equal(t, 4.0, costs[0].Seconds, "two windows of two shards, a second each")

	// What is kept is what is read again; a damaged result is not looked at any more.
	d.write(func(tx *gorm.DB) error { return tx.Where("win = 1").Delete(&store.Result{}).Error })
	kept, err := d.r.Standings(ctx, d.e, d.b.ID, "", "")
	require.NoError(t, err)
	for i, row := range st.Slices[0].Rows {
		assert.Equal(t, row.Values, kept.Slices[0].Rows[i].Values, row.Contender)
		assert.Equal(t, row.Over.Behind, kept.Slices[0].Rows[i].Over.Behind, row.Contender)
	}
	bySeries, err := d.r.Standings(ctx, d.e, d.b.ID, "mae", "series")
	require.NoError(t, err)
	assert.Len(t, bySeries.Slices, 70)
	fresh, err := d.r.Rank(ctx, d.e, d.b.ID)
	require.NoError(t, err)
	d.write(func(tx *gorm.DB) error { return results.KeepRanking(tx, d.b.ID, fresh) })
	var summaries int64
	require.NoError(t, d.store.Read(ctx).Model(&store.Summary{}).Where("bakeoff_id = ?", d.b.ID).Count(&summaries).Error)
	assert.EqualValues(t, 1, summaries, "what was ranked before is dropped")
}

// Results of an older version of a family are dropped and queued again; those of what has not changed stay.
func TestResultsOfOlderVersionsAreRunAgain(t *testing.T) {
	d := newDesk(t, counters(3, 40), naive(), steady())
	d.run(all)
	d.finish()
	require.NoError(t, d.r.Refresh(t.Context()))
	have, err := d.r.Made(t.Context(), d.b.ID)
	require.NoError(t, err)
	assert.Len(t, have, 4)

	d.write(func(tx *gorm.DB) error {
		return tx.Model(&d.b).Update("versions", `{"mean":0,"naive":1,"results":2}`).Error
	})
	require.NoError(t, d.r.Refresh(t.Context()))
	have, err = d.r.Made(t.Context(), d.b.ID)
	require.NoError(t, err)
	assert.Empty(t, have)
	var job store.Job
	require.NoError(t, d.store.Read(t.Context()).First(&job, d.job.ID).Error)
	assert.Equal(t, store.Queued, job.State)
	require.NoError(t, d.r.Refresh(t.Context()), "once is enough")

	d.write(func(tx *gorm.DB) error {
		return tx.Model(&d.b).Update("plan", "{").Error
	})
	d.write(func(tx *gorm.DB) error { return tx.Model(&d.b).Update("versions", "").Error })
	assert.ErrorContains(t, d.r.Refresh(t.Context()), "reading the plan of bake-off 1")
}

// What work rests on changes with the plan and the data, and with nothing else.
func TestBasisIsOfPlanAndData(t *testing.T) {
	d := newDesk(t, counters(3, 40), naive(), steady())
	one, err := d.r.BasisOf(t.Context(), d.b.ID, d.rev.ID)
	require.NoError(t, err)
	again, err := d.r.Basis(t.Context(), d.rev.ID, d.b.Plan)
	require.NoError(t, err)
	assert.Equal(t, one, again)
	other, err := d.r.Basis(t.Context(), d.rev.ID, d.b.Plan+" ")
	require.NoError(t, err)
	assert.NotEqual(t, one, other)
	moved := counters(3, 40)
	moved.Series[2].Values[7]++
	rev, err := d.store.AddRevision(t.Context(), store.Load{Dataset: "counters", Panel: moved}, nil)
	require.NoError(t, err)
	other, err = d.r.BasisOf(t.Context(), d.b.ID, rev.ID)
	require.NoError(t, err)
	assert.NotEqual(t, one, other)
	_, err = d.r.Basis(t.Context(), 99, d.b.Plan)
	assert.Error(t, err)
}

// One series of a release is read without the others, to the same as all of them in a row.
func TestReleasedSeriesAreReadAlone(t *testing.T) {
	p := counters(70, 60)
	for t := 5; t < 60; t++ {
		p.Series[5].Values[t] = math.NaN() // looks discontinued
	}
	d := newDesk(t, p, naive(), steady())
	d.run(all)
	d.finish()
	rel := d.publish(bakeoff.BestPerSeries, 6)
	assert.Equal(t, store.Live, rel.State)

	var list []results.ReleasedSeries
	require.NoError(t, d.r.EachReleased(t.Context(), rel, func(one results.ReleasedSeries) error {
		list = append(list, one)
		return nil
	}))
	require.Len(t, list, 70)
	contenders := map[string]int{}
	for _, want := range list {
		one, keys, err := d.r.Released(t.Context(), rel, want.Series)
		require.NoError(t, err)
		require.Len(t, keys, 69)
		assert.Equal(t, want.Refitted, one.Refitted)
		assert.Equal(t, want.Rows.Mean, one.Rows.Mean)
		contenders[one.Contender]++
	}
	assert.NotEmpty(t, list[5].LeftOut)
	assert.Empty(t, list[5].Rows.Mean)
	assert.Greater(t, contenders["mean"], contenders["naive"], "each series has its own best")
	assert.Positive(t, contenders["naive"])
	first, _, err := d.r.Released(t.Context(), rel, "")
	require.NoError(t, err)
	assert.Equal(t, list[0].Series, first.Series)
	none, _, err := d.r.Released(t.Context(), rel, "nobody")
	require.NoError(t, err)
	assert.Nil(t, none)

	n, reason, err := results.Covered(d.store.Read(t.Context()), rel.ID)
	require.NoError(t, err)
	assert.Equal(t, 69, n)
	assert.Contains(t, reason, "counter 05 has no known value")
	short, err := results.FewerThanLive(d.store.Read(t.Context()), rel.DatasetID, 68)
	require.NoError(t, err)
	assert.Equal(t, "it forecasts 68 series, and rel-1, which is live, forecasts 69", short)
	short, err = results.FewerThanLive(d.store.Read(t.Context()), rel.DatasetID, 69)
	require.NoError(t, err)
	assert.Empty(t, short)

	next := d.publish("mean", 4)
	live, err := results.LiveRelease(d.store.Read(t.Context()), rel.DatasetID)
	require.NoError(t, err)
	assert.Equal(t, next.ID, live.ID)
	before, err := results.Before(d.store.Read(t.Context()), rel.DatasetID)
	require.NoError(t, err)
	assert.Equal(t, rel.ID, before.ID)
	d.write(func(tx *gorm.DB) error { return results.Hold(tx, next, "fewer") })
	live, err = results.LiveRelease(d.store.Read(t.Context()), rel.DatasetID)
	require.NoError(t, err)
	assert.Zero(t, live.ID, "what is held is not live")
}

// Actuals past a release's origin are scored, and those outside the widest interval flagged, farthest first;
// what is settled stays so while its actual is the same, and what moved inside is restated.
func TestActualsAreHeldAgainstARelease(t *testing.T) {
	p := counters(6, 60)
	d := newDesk(t, p, naive(), steady())
	d.run(all)
	d.finish()
	ctx := context.Background()
	none, err := d.r.Watch(ctx, d.rev.DatasetID, p)
	require.NoError(t, err)
	assert.Nil(t, none, "there is no release yet")
	rel := d.publish("mean", 4)

	arrive := func(values map[int][]float64) *results.Watched {
		t.Helper()
		newer := counters(6, 60)
		newer.Length = 62
		for i := range newer.Series {
			next := values[i]
			if next == nil {
				next = []float64{100 + float64(i), 100 + float64(i)}
			}
			newer.Series[i].Values = append(newer.Series[i].Values, next...)
		}
		w, err := d.r.Watch(ctx, d.rev.DatasetID, newer)
		require.NoError(t, err)
		d.write(func(tx *gorm.DB) error { return w.Keep(tx, time.Unix(1_800_000_000, 0)) })
		return w
	}
	flags := func() (list []store.Flag) {
		require.NoError(t, d.store.Read(ctx).Where("release_id = ?", rel.ID).Order("id").Find(&list).Error)
		return list
	}

	w := arrive(map[int][]float64{1: {130, 101}, 4: {104, 40}, 5: {105, math.NaN()}})
	assert.Equal(t, 11, w.Score.Points, "an unknown actual is not scored")
	assert.Equal(t, 2, w.Score.Outside)
	assert.Equal(t, 95.0, w.Score.Level)
	assert.NotNil(t, w.Score.Skill)
	list := flags()
	require.Len(t, list, 2)
	assert.Equal(t, "counter 04", list[0].Series, "60 below is farther out than 29 above")
	assert.Equal(t, 2, list[0].Step)
	assert.Negative(t, list[0].Severity)
	assert.Positive(t, list[1].Severity)
	assert.Equal(t, 130.0, list[1].Actual)
	assert.Greater(t, 130.0, list[1].High)

	d.write(func(tx *gorm.DB) error {
		return tx.Model(&list[1]).Updates(map[string]any{"state": store.FlagSettled, "settled_as": "explained", "note": "a coach party"}).Error
	})
	arrive(map[int][]float64{1: {130, 101}})
	list = flags()
	require.Len(t, list, 2)
	assert.Equal(t, store.FlagRestated, list[0].State, "its actual moved inside")
	assert.Equal(t, store.FlagSettled, list[1].State, "what was settled stays so")
	assert.Equal(t, "a coach party", list[1].Note)

	arrive(map[int][]float64{1: {140, 101}})
	list = flags()
	assert.Equal(t, store.FlagOpen, list[1].State, "another actual is another question")
	var kept store.Release
	require.NoError(t, d.store.Read(ctx).First(&kept, rel.ID).Error)
	var score results.LiveScore
	require.NoError(t, json.Unmarshal([]byte(kept.Live), &score))
	assert.Equal(t, 1, score.Outside)
	assert.Equal(t, 12, score.Points)
}

// Series without a past are kept apart with the standings, and read back as they were.
func TestNewcomersAreKept(t *testing.T) {
	p := counters(12, 60)
	for i := range 55 {
		p.Series[11].Values[i] = math.NaN() // new before the last window, and not in the first
	}
	d := newDesk(t, p, naive(), bakeoff.Contender{Family: "boosting", Settings: model.Values{"from": "naive", "trees": 10}})
	d.run(all)
	d.finish()
	st, err := d.r.Standings(t.Context(), d.e, d.b.ID, "", "")
	require.NoError(t, err)
	require.NotNil(t, st.Newcomers)
	assert.Equal(t, []string{"counter 11"}, st.Newcomers.Series)
	again, err := d.r.Standings(t.Context(), d.e, d.b.ID, "", "")
	require.NoError(t, err)
	require.Len(t, again.Newcomers.Rows, 2)
	assert.Equal(t, st.Newcomers.Rows[0].Points, again.Newcomers.Rows[0].Points)
	var found []string
	got, err := d.r.Found(t.Context(), d.e, d.b.ID)
	require.NoError(t, err)
	for key := range got[1] {
		found = append(found, key)
	}
	assert.Contains(t, found, "counter 00")
}
