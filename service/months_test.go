package service_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
)

// stallRows are daily cups of stalls with a price, from a day on; an empty cups column where only
// the price is known.
func stallRows(stalls []string, from string, days, known int) string {
	first, _ := time.Parse(time.DateOnly, from)
	var text strings.Builder
	text.WriteString("day,stall,cups,price\n")
	for k, stall := range stalls {
		for d := range days {
			cups := ""
			if d < known {
				cups = fmt.Sprint(20 + 5*k + d%7)
			}
			fmt.Fprintf(&text, "%s,%s,%s,%d\n", first.AddDate(0, 0, d).Format(time.DateOnly), stall, cups, 3+d%2)
		}
	}
	return text.String()
}

var stallColumns = api.LoadColumns{File: "stalls.csv", Time: "day", Measure: "cups", By: []string{"stall"}, Drivers: []string{"price"},
	KnownAhead: []string{"price"}}

func load(t *testing.T, c *client.Client, cols api.LoadColumns, text string) api.Loaded {
	loaded, err := c.Load(ctx, "stalls", cols, strings.NewReader(text))
	require.NoError(t, err)
	return loaded
}

func published(t *testing.T, c *client.Client, in api.PublishRequest) api.Release {
	rel, err := c.Publish(ctx, in, "")
	require.NoError(t, err)
	_, err = c.Wait(ctx, rel.Job.ID, nil)
	require.NoError(t, err)
	rel, err = c.Release(ctx, rel.ID)
	require.NoError(t, err)
	return rel
}

// A further load is as the one before: filter, columns and drivers are kept, a driver that the file
// lacks stays as it is, and each can be said anew.
func TestALaterLoadIsAsTheOneBefore(t *testing.T) {
	c, _ := start(t, t.TempDir())
	cols := stallColumns
	cols.Where = []string{"stall=quay"}
	load(t, c, cols, stallRows([]string{"quay", "mill"}, "2026-01-01", 60, 56))

	more := stallRows([]string{"quay", "mill"}, "2026-02-26", 2, 2)
	seen, err := c.Inspect(ctx, "stalls", api.LoadColumns{},
		strings.NewReader(strings.Replace(stallRows([]string{"quay", "mill"}, "2026-02-25", 2, 2), "20,3", "99,3", 1)))
	require.NoError(t, err)
	require.Empty(t, seen.Problem)
	assert.Equal(t, []any{0, 1, 1}, []any{seen.Changes.NewSeries, seen.Changes.NewValues, seen.Changes.RestatedCount})
	assert.Equal(t, []api.Restated{{Series: "quay", Period: "2026-02-25", Old: 26, New: 99}}, seen.Changes.Restated)

	arrived, err := c.LoadActuals(ctx, "stalls", api.LoadColumns{}, strings.NewReader(more))
	require.NoError(t, err)
	assert.Equal(t, []any{0, 2, 1}, []any{arrived.Changes.NewSeries, arrived.Changes.NewValues, arrived.Dataset.Series})
	assert.Contains(t, arrived.AsBefore, "where stall=quay")
	assert.Contains(t, arrived.AsBefore, "known_ahead price")

	bare := "day,stall,cups\n2026-02-28,quay,31\n"
	arrived, err = c.LoadActuals(ctx, "stalls", api.LoadColumns{}, strings.NewReader(bare))
	require.NoError(t, err)
	assert.Contains(t, strings.Join(arrived.Cautions, " "), "no column price")
	v, err := c.SeriesValues(ctx, "stalls", "quay")
	require.NoError(t, err)
	require.NotNil(t, v.Drivers[0].Values[58], "the price that was known ahead is still known")

	_, err = c.LoadActuals(ctx, "stalls", api.LoadColumns{Drivers: []string{"price"}}, strings.NewReader(bare))
	assert.ErrorContains(t, err, "price", "a driver that is named must be there")

	lifted := load(t, c, api.LoadColumns{Where: []string{"all"}}, more)
	assert.Equal(t, 2, lifted.Dataset.Series)
	assert.NotContains(t, strings.Join(lifted.AsBefore, ";"), "where")
	again := load(t, c, api.LoadColumns{}, stallRows([]string{"dock"}, "2026-02-26", 2, 2))
	assert.Equal(t, 3, again.Dataset.Series, "the lifted filter stays lifted")
}

// The newest revision can be taken back while nothing stands on it, with the flags that it raised.
func TestUndoAndDiff(t *testing.T) {
	c, _ := start(t, t.TempDir())
	load(t, c, stallColumns, stallRows([]string{"quay", "mill"}, "2026-01-01", 70, 56))
	_, err := c.Undo(ctx, "stalls", 1)
	assert.ErrorContains(t, err, "this revision alone")
	b := run(t, c, api.Plan{Dataset: "stalls", Horizon: 7, Contenders: contenders("naive", "seasonal-naive")})
	rel := published(t, c, api.PublishRequest{Bakeoff: b.ID, Contender: "seasonal-naive"})
	before, err := c.Dataset(ctx, "stalls")
	require.NoError(t, err)

	arrived, err := c.LoadActuals(ctx, "stalls", api.LoadColumns{},
		strings.NewReader("day,stall,cups,price\n2026-02-24,quay,28,3\n2026-02-26,quay,900,3\n"))
	require.NoError(t, err)
	assert.Equal(t, 1, arrived.Flags)
	d, err := c.Diff(ctx, "stalls", 0, 0)
	require.NoError(t, err)
	assert.Equal(t, []any{1, 2, 1, 1}, []any{d.From, d.To, d.NewValues, d.RestatedCount})
	back, err := c.Diff(ctx, "stalls", 2, 1)
	require.NoError(t, err)
	assert.Equal(t, []any{1, 1, d.Restated[0].Old}, []any{back.Gone, back.RestatedCount, back.Restated[0].New})

	_, err = c.Undo(ctx, "stalls", 1)
	assert.ErrorContains(t, err, "not the newest")
	now, err := c.Undo(ctx, "stalls", 2)
	require.NoError(t, err)
	assert.Equal(t, []any{1, before.Hash, before.Last}, []any{now.Revision, now.Hash, now.Last})
	flags, err := c.Flags(ctx, "", "all", 0)
	require.NoError(t, err)
	assert.Empty(t, flags)
	after, err := c.Release(ctx, rel.ID)
	require.NoError(t, err)
	assert.Equal(t, 0, after.Score.Points)

	load(t, c, api.LoadColumns{}, stallRows([]string{"quay"}, "2026-02-26", 3, 3))
	run(t, c, api.Plan{Dataset: "stalls", Horizon: 7, Contenders: contenders("naive")})
	_, err = c.Undo(ctx, "stalls", 2)
	assert.ErrorContains(t, err, "bake-2 stands on revision 2")
}

// A release that would surprise needs a word: a longer reach is refused, fewer series are held back
// from going live, and none at all fail. What was live comes back when its successor is withdrawn.
func TestPublishingNeedsConsent(t *testing.T) {
	c, _ := start(t, t.TempDir())
	load(t, c, stallColumns, stallRows([]string{"quay", "mill", "dock"}, "2026-01-01", 63, 56))
	b := run(t, c, api.Plan{Dataset: "stalls", Horizon: 7, Contenders: contenders("naive", "seasonal-naive")})
	first := published(t, c, api.PublishRequest{Bakeoff: b.ID})
	assert.Equal(t, []any{"live", 3}, []any{first.State, first.Series})

	long := api.PublishRequest{Bakeoff: b.ID, Horizon: 8}
	look, err := c.Preview(ctx, long)
	require.NoError(t, err)
	assert.Equal(t, []any{"rel-1", 3, api.LongerHorizon}, []any{look.Replaces, look.Series, look.Asks[0].Consent})
	assert.Contains(t, strings.Join(look.Cautions, " "), "price", "the driver ends a day before")
	_, err = c.Publish(ctx, long, "")
	assert.ErrorContains(t, err, `publish with the consent "longer-horizon"`)
	_, err = c.Publish(ctx, api.PublishRequest{Bakeoff: b.ID, Horizon: 4000, Consent: []api.Consent{api.LongerHorizon}}, "")
	assert.ErrorContains(t, err, "at most 20 times as far")

	// Four weeks pass for one stall alone: the others look discontinued.
	load(t, c, api.LoadColumns{}, stallRows([]string{"quay"}, "2026-02-26", 28, 28))
	look, err = c.Preview(ctx, api.PublishRequest{Bakeoff: b.ID})
	require.NoError(t, err)
	assert.Equal(t, []any{1, api.FewerSeries}, []any{look.Series, look.Asks[0].Consent})
	_, err = c.Publish(ctx, api.PublishRequest{Bakeoff: b.ID}, "")
	assert.ErrorContains(t, err, "it forecasts 1 series, and rel-1, which is live, forecasts 3")
	second := published(t, c, api.PublishRequest{Bakeoff: b.ID, Consent: []api.Consent{api.FewerSeries}})
	assert.Equal(t, "live", second.State)

	gone, err := c.Withdraw(ctx, second.ID, false)
	require.NoError(t, err)
	assert.Equal(t, []any{"withdrawn", "rel-1"}, []any{gone.State, gone.Back})
	first, err = c.Release(ctx, first.ID)
	require.NoError(t, err)
	assert.Equal(t, []any{"live", 7}, []any{first.State, first.Score.Points}, "what arrived meanwhile is held against it")
	again, err := c.PutLive(ctx, second.ID)
	require.NoError(t, err)
	assert.Equal(t, "live", again.State)
	alone, err := c.Withdraw(ctx, second.ID, true)
	require.NoError(t, err)
	assert.Empty(t, alone.Back)
	assert.ErrorContains(t, c.RemoveBakeoff(ctx, b.ID), "rel-1, rel-2 was published from bake-1")
	require.NoError(t, c.RemoveRelease(ctx, second.ID))
	_, err = c.Release(ctx, second.ID)
	assert.ErrorContains(t, err, "there is no release rel-2")
}

// What a contender fails on may leave a release with fewer series than could be told before: it is
// made, and waits for a word.
func TestAReleaseWithFewerSeriesIsHeld(t *testing.T) {
	c, _ := start(t, t.TempDir())
	text := stallRows([]string{"quay", "mill"}, "2026-01-01", 63, 56)
	load(t, c, api.LoadColumns{Time: "day", Measure: "cups", By: []string{"stall"}},
		strings.Replace(text, "2026-02-03,mill,30", "2026-02-03,mill,-4", 1))
	b := run(t, c, api.Plan{Dataset: "stalls", Horizon: 7, Contenders: contenders("naive", "intermittent")})
	require.Equal(t, "live", published(t, c, api.PublishRequest{Bakeoff: b.ID, Contender: "naive"}).State)
	held := published(t, c, api.PublishRequest{Bakeoff: b.ID, Contender: "intermittent"})
	assert.Equal(t, []any{"held", 1}, []any{held.State, held.Series})
	assert.Contains(t, held.Held, "it forecasts 1 series, and rel-1")
	live, err := c.PutLive(ctx, held.ID)
	require.NoError(t, err)
	assert.Equal(t, []any{"live", ""}, []any{live.State, live.Held})
	// The best of each series goes on to the next where the first fails.
	assert.Equal(t, 2, published(t, c, api.PublishRequest{Bakeoff: b.ID, Contender: "best-per-series"}).Series)
}

// What is added to a cancelled bake-off does not run what was cancelled, unless that is said.
func TestAddingToACancelledBakeoff(t *testing.T) {
	c, _ := start(t, t.TempDir())
	noisyShops(t, c)
	b, err := c.StartBakeoff(ctx, api.Plan{Dataset: "noisy", Horizon: 7, Windows: 3, Contenders: contenders("naive", "additive")}, "")
	require.NoError(t, err)
	_, err = c.CancelBakeoff(ctx, b.ID)
	require.NoError(t, err)
	job, err := c.Wait(ctx, b.Job.ID, nil)
	require.NoError(t, err)
	require.Equal(t, "cancelled", job.State)
	more := api.Added{Contenders: contenders("mean")}
	_, err = c.AddContenders(ctx, b.ID, more)
	assert.ErrorContains(t, err, "was cancelled with")
	more.Resume = true
	_, err = c.AddContenders(ctx, b.ID, more)
	require.NoError(t, err)
	job, err = c.Wait(ctx, b.Job.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, "done", job.State)
	require.NoError(t, c.RemoveBakeoff(ctx, b.ID))
	_, err = c.Bakeoff(ctx, b.ID)
	assert.Error(t, err)
}

// A mistyped condition replaces no good event.
func TestEventsThatConcernNothingAreRefused(t *testing.T) {
	c, _ := start(t, t.TempDir())
	load(t, c, stallColumns, stallRows([]string{"quay", "mill"}, "2026-01-01", 60, 56))
	fair := "event,date\nfair,2026-03-01\n"
	_, err := c.LoadEvents(ctx, "stalls", api.LoadColumns{}, 0, 0, strings.NewReader(fair))
	require.NoError(t, err)
	_, err = c.LoadEvents(ctx, "stalls", api.LoadColumns{Where: []string{"stall=key"}}, 0, 0, strings.NewReader(fair))
	assert.ErrorContains(t, err, "none has stall=key; stall has mill, quay")
	got, err := c.LoadEvents(ctx, "stalls", api.LoadColumns{}, 0, 0,
		strings.NewReader("event,date,stall\nfair,2026-03-02,quay\nfair,2026-03-03,nowhere\n"))
	require.NoError(t, err)
	assert.Len(t, got.Events, 1)
	assert.Contains(t, got.Cautions[0], "nowhere")
	_, err = c.LoadEvents(ctx, "stalls", api.LoadColumns{}, 0, 0,
		strings.NewReader("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:fair\r\nDTSTART:20260301T080000Z\r\nDTEND:20260301T100000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"))
	assert.ErrorContains(t, err, "say into which zone")
}

// Many flags are settled at once, all of them or none, and the queue can be narrowed.
func TestSettlingManyFlags(t *testing.T) {
	c, s := start(t, t.TempDir())
	load(t, c, stallColumns, stallRows([]string{"quay", "mill"}, "2026-01-01", 63, 56))
	b := run(t, c, api.Plan{Dataset: "stalls", Horizon: 7, Contenders: contenders("naive", "seasonal-naive")})
	published(t, c, api.PublishRequest{Bakeoff: b.ID, Contender: "seasonal-naive"})
	_, err := c.LoadActuals(ctx, "stalls", api.LoadColumns{},
		strings.NewReader("day,stall,cups,price\n2026-02-26,quay,900,3\n2026-02-27,quay,700,3\n2026-02-27,mill,800,3\n"))
	require.NoError(t, err)
	queue, err := c.Flags(ctx, "", "", 0)
	require.NoError(t, err)
	require.Len(t, queue, 3)
	for i, f := range queue {
		assert.Equal(t, fmt.Sprintf("flag-%d", i+1), f.ID, "numbered as they queue")
	}
	narrowed := read[api.Page[api.Flag]](t, s, "/flags?search=QUAY&dataset=stalls")
	assert.Equal(t, 2, narrowed.Total)
	for beyond, want := range map[float64]int{0: 3, 99: 3, 99.5: 0} {
		far, err := c.Flags(ctx, "", "", beyond)
		require.NoError(t, err)
		assert.Len(t, far, want, "%v deviations out", beyond)
	}
	_, err = c.SettleAll(ctx, api.SettleManyRequest{Flags: []string{"flag-1", "flag-9"}, SettleRequest: api.SettleRequest{As: "chance"}})
	assert.ErrorContains(t, err, "there is no flag flag-9")
	open, err := c.Flags(ctx, "", "open", 0)
	require.NoError(t, err)
	assert.Len(t, open, 3, "none was settled")
	done, err := c.SettleAll(ctx, api.SettleManyRequest{Flags: []string{"flag-1", "flag-3"},
		SettleRequest: api.SettleRequest{As: "real-change", Note: "a rival closed"}})
	require.NoError(t, err)
	assert.Equal(t, []string{"settled", "real-change", "a rival closed"}, []string{done[1].State, done[1].SettledAs, done[1].Note})
	open, err = c.Flags(ctx, "", "open", 0)
	require.NoError(t, err)
	assert.Len(t, open, 1)
}
