package service_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
	"paperkettle/service"
)

// noisyShops loads a table of many noisy weekly patterns.
func noisyShops(t *testing.T, c *client.Client) {
	t.Helper()
	rnd := rand.New(rand.NewPCG(2, 3))
	var text strings.Builder
	text.WriteString("day,shop,item,sold\n")
	for s := range 12 {
		for d := range 84 {
			fmt.Fprintf(&text, "2026-%02d-%02d,shop %d,item %d,%d\n", 1+d/28, 1+d%28, s%3, s, 40+6*(d%7)+int(8*rnd.NormFloat64()))
		}
	}
	_, err := c.Load(ctx, "noisy", api.LoadColumns{Time: "day", Measure: "sold", By: []string{"shop", "item"}}, strings.NewReader(text.String()))
	require.NoError(t, err)
}

func read[T any](t *testing.T, s *service.Server, path string) (out T) {
	t.Helper()
	res, body := get(t, s.Address()+"/api/v1"+path)
	require.Equal(t, 200, res.StatusCode, body)
	require.NoError(t, json.Unmarshal([]byte(body), &out))
	return out
}

// A whole plan, its standings with their luck and cost, and every look at them.
func TestABakeoffThatCanBeArguedWith(t *testing.T) {
	c, s := start(t, t.TempDir())
	noisyShops(t, c)
	plan := api.Plan{Name: "argued", Dataset: "noisy", Horizon: 7, Windows: 3, Gap: 1, Weights: "volume:28", Fallback: "mean", Metric: "wape",
		Contenders: []api.Contender{{Family: "naive"}, {Family: "seasonal-naive"}, {Name: "four weeks", Family: "calendar-mean"},
			{Family: "blend", Settings: map[string]any{"weigh": "inverse-error", "take": "all"}},
			{Family: "best-per-series"}, {Name: "tuned", Family: "moving-average", Tune: &api.Tune{Settings: map[string][]any{"length": {1, 7, 28}}}}}}
	b := run(t, c, plan)
	assert.Equal(t, "naive,seasonal-naive,four weeks,tuned", b.Plan.Contenders[3].Settings["members"], "who is combined is written down")

	st, err := c.Standings(ctx, "argued", "", "")
	require.NoError(t, err)
	lead := st.Slices[0].Rows[0]
	assert.Equal(t, "four weeks", lead.Contender)
	assert.Contains(t, st.Sentence, "four weeks and best-per-series share the lead", "which takes it for every series")
	assert.Equal(t, []any{12, "volume:28", true}, []any{st.Series, st.Weights, lead.Over.LikeLeader})
	assert.Less(t, *st.Hindsight, 1.05**lead.Values["wape"])
	byName := map[string]api.StandingRow{}
	for _, r := range st.Slices[0].Rows {
		byName[r.Contender] = r
		assert.Positive(t, r.Seconds)
		assert.Equal(t, r.Contender != "blend" && r.Contender != "best-per-series", r.Bytes > 0, "what combines others holds nothing")
		assert.NotNil(t, r.Weighted["mae"])
	}
	assert.False(t, byName["naive"].Over.LikeLeader)
	assert.NotNil(t, byName["naive"].Train["mae"])
	assert.Empty(t, byName["blend"].Train)

	tuning := read[api.Page[api.Tuning]](t, s, "/bakeoffs/argued/tuning")
	require.Len(t, tuning.Items, 3)
	assert.Len(t, tuning.Items[0].Trials, 3)
	assert.Equal(t, "length", tuning.Items[0].Matter[0].Setting)

	duel := read[api.Duel](t, s, "/bakeoffs/argued/duel?a=four+weeks&b=naive")
	assert.Equal(t, []int{12, 12}, []int{duel.Wins + duel.Losses, len(duel.Series)})
	assert.Negative(t, *duel.High, "the whole interval is below zero")
	assert.Nil(t, duel.Series[0].P, "three windows are too few for a test")
	residuals := read[api.Residuals](t, s, "/bakeoffs/argued/residuals?contender=four+weeks")
	assert.Equal(t, []int{12 * 21, 21, 31}, []int{residuals.Points, len(residuals.Values), len(residuals.Bins)})
	one := read[api.Residuals](t, s, "/bakeoffs/argued/residuals?"+url.Values{"contender": {"naive"}, "series": {"shop 1 / item 4"}}.Encode())
	assert.Equal(t, 21, one.Points)

	crossed, err := c.Standings(ctx, "argued", "mae", "shop,weekday")
	require.NoError(t, err)
	assert.Equal(t, []any{21, "shop 0 × Monday"}, []any{len(crossed.Slices), crossed.Slices[0].Name})
	for _, format := range []string{"csv", "jsonl", "json", "xlsx", "parquet"} {
		res, body := get(t, s.Address()+"/api/v1/bakeoffs/argued/export?format="+format)
		assert.Equal(t, 200, res.StatusCode)
		assert.NotEmpty(t, body, format)
		res, _ = get(t, s.Address()+"/api/v1/bakeoffs/argued/standings/export?per=step&format="+format)
		assert.Equal(t, 200, res.StatusCode, format)
	}
	res, body := get(t, s.Address()+"/api/v1/bakeoffs/argued/report")
	assert.Equal(t, "text/html; charset=utf-8", res.Header.Get("Content-Type"))
	assert.Contains(t, body, "<svg")
	assert.NotContains(t, body, "src=", "it stands by itself")

	// The plan that is given back reruns to the same points.
	var first, second bytes.Buffer
	require.NoError(t, c.ExportBakeoff(ctx, b.ID, &first))
	again := b.Plan
	again.Name = "again"
	require.NoError(t, c.ExportBakeoff(ctx, run(t, c, again).ID, &second))
	assert.Equal(t, first.String(), second.String())
	rows, err := csv.NewReader(&first).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 1+12*21*6)

	// A blend can be published; who is in it is told.
	rel, err := c.Publish(ctx, api.PublishRequest{Bakeoff: "argued", Contender: "blend"}, "")
	require.NoError(t, err)
	job, err := c.Wait(ctx, rel.Job.ID, nil)
	require.NoError(t, err)
	require.Equal(t, "done", job.State, job.Error)
	curve, err := c.ReleaseFit(ctx, rel.ID, "")
	require.NoError(t, err)
	assert.Equal(t, "combines the forecasts of other contenders", curve.Fit.Form)
	assert.Len(t, curve.Fit.Parameters, 4)
}

// Further contenders run alone, and the standings hold them all.
func TestEnteringLater(t *testing.T) {
	c, _ := start(t, t.TempDir())
	noisyShops(t, c)
	b := run(t, c, api.Plan{Dataset: "noisy", Horizon: 7, Windows: 2, Contenders: contenders("naive", "mean")})
	var before bytes.Buffer
	require.NoError(t, c.ExportBakeoff(ctx, b.ID, &before))
	more, err := c.AddContenders(ctx, b.ID, api.Added{Contenders: contenders("seasonal-naive", "blend")})
	require.NoError(t, err)
	job, err := c.Wait(ctx, more.Job.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, []any{"done", 7}, []any{job.State, job.Total})
	st, err := c.Standings(ctx, b.ID, "", "")
	require.NoError(t, err)
	assert.Len(t, st.Slices[0].Rows, 4)
	var after bytes.Buffer
	require.NoError(t, c.ExportBakeoff(ctx, b.ID, &after))
	kept := 0
	for _, line := range strings.Split(after.String(), "\n") {
		if strings.Contains(before.String(), line+"\n") && line != "" {
			kept++
		}
	}
	assert.Equal(t, strings.Count(before.String(), "\n"), kept)
	_, err = c.AddContenders(ctx, b.ID, api.Added{Contenders: contenders("naive")})
	assert.ErrorContains(t, err, `two contenders are called "naive"`)
}

// A paused bake-off waits, and a more urgent one goes first.
func TestPauseAndPriority(t *testing.T) {
	c, _ := start(t, t.TempDir())
	noisyShops(t, c)
	long := api.Plan{Dataset: "noisy", Horizon: 1, Windows: 60, Stride: 1,
		Contenders: contenders("naive", "mean", "drift", "moving-average", "calendar-mean")}
	first, err := c.StartBakeoff(ctx, long, "")
	require.NoError(t, err)
	paused, err := c.PauseBakeoff(ctx, first.ID)
	require.NoError(t, err)
	if paused.Job.State != "done" { // it may have been quick
		assert.Equal(t, "paused", paused.Job.State)
		second := run(t, c, api.Plan{Name: "second", Dataset: "noisy", Horizon: 7, Contenders: contenders("naive")})
		assert.Equal(t, "done", second.Job.State)
		still, err := c.Bakeoff(ctx, first.ID)
		require.NoError(t, err)
		if still.Job.State == "done" { // the pause fell into its last tasks, which end what they began
			return
		}
		assert.Equal(t, "paused", still.Job.State)
		_, err = c.SetPriority(ctx, first.Job.ID, 5)
		require.NoError(t, err)
		resumed, err := c.ResumeBakeoff(ctx, first.ID)
		require.NoError(t, err)
		assert.Equal(t, 5, resumed.Job.Priority)
		job, err := c.Wait(ctx, first.Job.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, []any{"done", job.Total}, []any{job.State, job.Done})
	}
}

// What becomes of a driver that is not known ahead is said with the split, kept with the
// plan, and refused where it makes no sense.
func TestDriversPastTheOrigin(t *testing.T) {
	c, _ := start(t, t.TempDir())
	var text strings.Builder
	text.WriteString("day,sold,price,visits\n")
	for d := range 28 {
		fmt.Fprintf(&text, "2026-02-%02d,%d,%d,%d\n", 1+d, 40+d%7, 10, 300+d)
	}
	_, err := c.Load(ctx, "shop", api.LoadColumns{Time: "day", Measure: "sold", Drivers: []string{"price", "visits"},
		KnownAhead: []string{"price"}}, strings.NewReader(text.String()))
	require.NoError(t, err)
	plan := api.Plan{Dataset: "shop", Horizon: 3, Contenders: []api.Contender{{Family: "naive"}}}
	split, err := c.Split(ctx, plan)
	require.NoError(t, err)
	assert.Equal(t, []string{"The driver visits is not known ahead: no contender sees it. The plan's drivers_ahead can have it lagged or " +
		"forecast."}, split.Cautions)
	plan.Ahead = map[string]string{"visits": "lag"}
	b := run(t, c, plan)
	assert.Equal(t, plan.Ahead, b.Plan.Ahead)
	assert.Equal(t, []string{"The driver visits is not known ahead: contenders see what it was 3 days before."}, b.Split.Cautions)
	plan.Ahead = map[string]string{"price": "lag"}
	_, err = c.Split(ctx, plan)
	assert.ErrorContains(t, err, `"price" is known ahead`)
}

// A fit explains itself: what it is, what it rests on, and its parts over time.
func TestAFitExplainsItself(t *testing.T) {
	c, _ := start(t, t.TempDir())
	rnd := rand.New(rand.NewPCG(2, 3))
	var text strings.Builder
	text.WriteString("day,shop,sold\n")
	for _, shop := range []string{"east", "west"} {
		for d := range 77 {
			day := time.Date(2026, 1, 1+d, 0, 0, 0, 0, time.UTC)
			fmt.Fprintf(&text, "%s,%s,%d\n", day.Format("2006-01-02"), shop, 100+6*(d%7)+int(8*rnd.NormFloat64()))
		}
	}
	_, err := c.Load(ctx, "shops", api.LoadColumns{Time: "day", Measure: "sold", By: []string{"shop"}}, strings.NewReader(text.String()))
	require.NoError(t, err)
	plan := api.Plan{Name: "families", Dataset: "shops", Horizon: 7, Windows: 2,
		Contenders: contenders("naive", "arima", "decomposition", "automatic", "blend")}
	plan.Contenders = append(plan.Contenders, api.Contender{Name: "smoothing", Family: "smoothing",
		Settings: map[string]any{"errors": "additive", "season": "additive"}})
	run(t, c, plan)
	fit, err := c.Fit(ctx, "families", "smoothing", "west", 1)
	require.NoError(t, err)
	assert.Contains(t, fit.Form, "exponential smoothing")
	assert.Equal(t, []any{"smoothing", "west", 1, 63}, []any{fit.Contender, fit.Series, fit.Window, fit.Known})
	assert.Equal(t, "AICc", fit.Criterion)
	assert.Len(t, fit.Choices, 3)
	assert.Equal(t, "alpha", fit.Parameters[0].Name)
	assert.InDelta(t, 8, *fit.Sigma, 2, "the noise that was put in")
	assert.Len(t, fit.Periods, 70)
	require.Len(t, fit.Components, 2)
	for _, part := range fit.Components {
		assert.Len(t, part.Past, 63)
		assert.Len(t, part.Ahead, 7)
	}
	season := fit.Components[1].Ahead
	assert.InDelta(t, 36, *season[6]-*season[0], 12, "the last weekday sells that much more than the first")
	assert.Len(t, fit.Tests, 2)
	assert.NotNil(t, fit.Line)
	parts, err := c.Parts(ctx, "shops", "west")
	require.NoError(t, err)
	require.Len(t, parts.Components, 3)
	values, err := c.SeriesValues(ctx, "shops", "west")
	require.NoError(t, err)
	for i, v := range values.Values {
		assert.InDelta(t, *v, *parts.Components[0].Past[i]+*parts.Components[1].Past[i]+*parts.Components[2].Past[i], 1e-6, "the parts add up")
	}
	for _, contender := range []string{"naive", "arima", "decomposition", "automatic"} {
		other, err := c.Fit(ctx, "families", contender, "", 0)
		require.NoError(t, err)
		assert.NotEmpty(t, other.Form, contender)
		if contender != "naive" {
			assert.NotEmpty(t, other.Training, contender)
		}
	}
	_, err = c.Fit(ctx, "families", "blend", "", 0)
	assert.ErrorContains(t, err, "look at its members")
	_, err = c.Fit(ctx, "families", "smoothing", "", 9)
	assert.ErrorContains(t, err, "2 windows")
}
