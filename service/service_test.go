package service_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"math"
	"net/http"
	"sort"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
	"paperkettle/demo"
	"paperkettle/service"
)

// start runs a service on loopback over a data folder and gives its client.
func start(t *testing.T, data string) (*client.Client, *service.Server) {
	t.Helper()
	s, err := service.Start(service.Config{Data: data, Listen: "127.0.0.1:0", Workers: 2})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	c, err := client.New(s.Address())
	require.NoError(t, err)
	return c, s
}

var ctx = context.Background()

// months makes a monthly CSV of one series.
func months(values ...string) io.Reader {
	text := "month,units\n"
	for i, v := range values {
		text += fmt.Sprintf("%d-%02d,%s\n", 2024+i/12, i%12+1, v)
	}
	return strings.NewReader(text)
}

func counted(from, to int) (out []string) {
	for i := from; i <= to; i++ {
		out = append(out, strconv.Itoa(i))
	}
	return out
}

var monthly = api.LoadColumns{Time: "month", Measure: "units", File: "units.csv"}

func contenders(families ...string) (out []api.Contender) {
	for _, f := range families {
		out = append(out, api.Contender{Family: f})
	}
	return out
}

func run(t *testing.T, c *client.Client, plan api.Plan) api.Bakeoff {
	t.Helper()
	b, err := c.StartBakeoff(ctx, plan, "")
	require.NoError(t, err)
	job, err := c.Wait(ctx, b.Job.ID, nil)
	require.NoError(t, err)
	require.Equal(t, "done", job.State, job.Error)
	b, err = c.Bakeoff(ctx, b.ID)
	require.NoError(t, err)
	return b
}

// The thin path on a series 1..20, every number by hand.
func TestFromAFileToAFlag(t *testing.T) {
	c, _ := start(t, t.TempDir())
	loaded, err := c.Load(ctx, "units", monthly, months(counted(1, 20)...))
	require.NoError(t, err)
	assert.Equal(t, "month", loaded.Dataset.Cadence)
	assert.Equal(t, "2025-08", loaded.Dataset.Last, "months are named as they came")

	b := run(t, c, api.Plan{Dataset: "units", Horizon: 4, Contenders: contenders("naive", "drift")})
	assert.Equal(t, "drift", b.Leader)
	st, err := c.Standings(ctx, b.ID, "mae", "")
	require.NoError(t, err)
	naive := st.Slices[0].Rows[1]
	assert.Equal(t, []float64{2.5, 2.5}, []float64{*naive.Values["mae"], *naive.Values["mase"]})
	assert.Equal(t, "drift leads by 100.0 % over naive on MAE over 4 points in 1 window; with a single window the lead may be chance.", st.Sentence)
	curves, err := c.Curves(ctx, b.ID, "all")
	require.NoError(t, err)
	assert.Equal(t, []float64{16, 16, 16, 16}, curves.Curves[0].Forecast)

	rel, err := c.Publish(ctx, api.PublishRequest{Bakeoff: b.ID, Contender: "naive"}, "")
	require.NoError(t, err)
	_, err = c.Wait(ctx, rel.Job.ID, nil)
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, c.ExportRelease(ctx, rel.ID, &out))
	lines := strings.Split(strings.TrimSpace(out.String()), "\n")
	assert.Equal(t, "contender,origin,step,period,actual,forecast,low80,high80,low95,high95", lines[0])
	assert.True(t, strings.HasPrefix(lines[1], "naive,2025-08,1,2025-09,,20,"), lines[1])

	arrived, err := c.LoadActuals(ctx, "units", api.LoadColumns{File: "more.csv"}, strings.NewReader("month,units\n2025-09,21\n2025-10,90\n"))
	require.NoError(t, err)
	assert.Equal(t, []int{2, 1, 1}, []int{arrived.Score.Points, arrived.Score.Outside, arrived.Flags})
	flags, err := c.Flags(ctx, rel.ID, "", 0)
	require.NoError(t, err)
	require.Len(t, flags, 1)
	assert.Equal(t, []any{"2025-10", 90.0, 2}, []any{flags[0].Period, flags[0].Actual, flags[0].Step})
	assert.Greater(t, flags[0].Severity, 1.96)
	settled, err := c.Settle(ctx, flags[0].ID, api.SettleRequest{As: "data-error", Note: "a nought too many"})
	require.NoError(t, err)
	assert.Equal(t, "local", settled.SettledBy)

	// The same actuals again settle nothing anew; a corrected one clears the open flag.
	_, err = c.LoadActuals(ctx, "units", api.LoadColumns{}, strings.NewReader("month,units\n2025-09,99\n2025-10,90\n"))
	require.NoError(t, err)
	all, err := c.Flags(ctx, rel.ID, "all", 0)
	require.NoError(t, err)
	require.Len(t, all, 2)
	arrived, err = c.LoadActuals(ctx, "units", api.LoadColumns{}, strings.NewReader("month,units\n2025-09,21\n"))
	require.NoError(t, err)
	assert.Equal(t, 1, arrived.Changes.RestatedCount)
	states := map[string]string{}
	all, err = c.Flags(ctx, rel.ID, "all", 0)
	require.NoError(t, err)
	for _, f := range all {
		states[f.Period] = f.State
	}
	assert.Equal(t, map[string]string{"2025-09": "restated", "2025-10": "settled"}, states)
}

// Every figure of the standings comes back from the exported points alone.
func TestExportReproducesStandings(t *testing.T) {
	c, _ := start(t, withDemo(t))
	st, err := c.Standings(ctx, "bake-1", "", "")
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, c.ExportBakeoff(ctx, "bake-1", &out))
	records, err := csv.NewReader(&out).ReadAll()
	require.NoError(t, err)
	got := recompute(t, records)
	require.Len(t, st.Slices[0].Rows, len(demo.Plan().Contenders))
	for _, row := range st.Slices[0].Rows {
		for name, v := range row.Values {
			require.NotNil(t, v, name)
			if name == "crps" || name == "weighted_quantile_loss" || name == "pinball50" {
				continue // of quantiles that the points leave out
			}
			assert.InDelta(t, *v, got[row.Contender][name], 1e-9*math.Max(1, math.Abs(*v)), "%s %s", row.Contender, name)
		}
	}
	// The demo's planted oddities are what the flags lead with.
	flags, err := c.Flags(ctx, "rel-1", "", 0)
	require.NoError(t, err)
	planted := map[string]bool{}
	for _, o := range demo.New(demo.Seed).Truth {
		planted[o.Town+" / "+o.Channel+" / "+o.Line+" "+o.Date.Format("2006-01-02")] = true
	}
	hits := 0
	for _, f := range flags[:10] {
		if planted[f.Series+" "+f.Period] {
			hits++
		}
	}
	assert.GreaterOrEqual(t, hits, 5, "planted oddities among the ten farthest out")
}

// recompute takes the metrics of each contender straight from their definitions.
func recompute(t *testing.T, records [][]string) map[string]map[string]float64 {
	column := map[string]int{}
	for i, n := range records[0] {
		column[n] = i
	}
	type sums struct{ n, abs, sq, e, ape, nape, sape, y, sumY, ase, pe, c80, w80, s80, c95, w95, s95, ss80, ss95, p10, p90, p2, p97 float64 }
	all, group, scale := map[string]*sums{}, map[string]*[2]float64{}, map[string]float64{}
	ys, errs := map[string][]float64{}, map[string][]float64{}
	pinball := func(y, q, p float64) float64 { return math.Max(p*(y-q), (p-1)*(y-q)) }
	for _, r := range records[1:] {
		num := func(name string) float64 {
			v, err := strconv.ParseFloat(r[column[name]], 64)
			require.NoError(t, err)
			return v
		}
		if r[column["actual"]] == "" {
			continue
		}
		name := r[column["contender"]]
		s := all[name]
		if s == nil {
			s = &sums{}
			all[name] = s
		}
		y, f := num("actual"), num("forecast")
		abs := math.Abs(f - y)
		s.n++
		s.abs += abs
		s.sq += abs * abs
		s.e += f - y
		if y != 0 {
			s.pe += (f - y) / y
			s.ape += abs / math.Abs(y)
			s.nape++
		}
		if y != 0 || f != 0 {
			s.sape += 2 * abs / (math.Abs(y) + math.Abs(f))
		}
		s.y += math.Abs(y)
		s.sumY += y
		s.ase += abs / num("mase_scale")
		ys[name] = append(ys[name], y)
		errs[name] = append(errs[name], abs)
		for _, l := range []struct {
			level                 string
			alpha                 float64
			c, w, s, ss, low, top *float64
		}{{"80", 0.2, &s.c80, &s.w80, &s.s80, &s.ss80, &s.p10, &s.p90}, {"95", 0.05, &s.c95, &s.w95, &s.s95, &s.ss95, &s.p2, &s.p97}} {
			low, high := num("low"+l.level), num("high"+l.level)
			if low <= y && y <= high {
				*l.c++
			}
			*l.w += high - low
			winkler := high - low + 2/l.alpha*math.Max(0, math.Max(low-y, y-high))
			*l.s += winkler
			*l.ss += winkler / num("mase_scale")
			*l.low += pinball(y, low, l.alpha/2)
			*l.top += pinball(y, high, 1-l.alpha/2)
		}
		key := strings.Join([]string{r[0], r[1], r[2], name, r[column["window"]]}, "|")
		if group[key] == nil {
			group[key] = &[2]float64{}
		}
		group[key][0] += abs * abs
		group[key][1]++
		scale[key] = num("rmsse_scale")
	}
	out := map[string]map[string]float64{}
	for name, s := range all {
		ss, rmsse, groups := 0.0, 0.0, 0.0
		for _, y := range ys[name] {
			ss += (y - s.sumY/s.n) * (y - s.sumY/s.n)
		}
		for key, g := range group {
			if strings.Contains(key, "|"+name+"|") {
				rmsse += math.Sqrt(g[0]/g[1]) / scale[key]
				groups++
			}
		}
		sort.Float64s(errs[name])
		middle := (errs[name][(len(errs[name])-1)/2] + errs[name][len(errs[name])/2]) / 2
		out[name] = map[string]float64{"mse": s.sq / s.n, "medae": middle, "mpe": s.pe / s.nape, "scaled_interval_score80": s.ss80 / s.n,
			"scaled_interval_score95": s.ss95 / s.n,
			"pinball10":               s.p10 / s.n, "pinball90": s.p90 / s.n, "pinball2.5": s.p2 / s.n, "pinball97.5": s.p97 / s.n,
			"mae": s.abs / s.n, "rmse": math.Sqrt(s.sq / s.n), "bias": s.e / s.n, "mape": s.ape / s.nape, "smape": s.sape / s.n, "wape": s.abs / s.y,
			"mase": s.ase / s.n, "rmsse": rmsse / groups, "r2": 1 - s.sq/ss, "coverage80": s.c80 / s.n, "width80": s.w80 / s.n,
			"interval_score80": s.s80 / s.n,
			"coverage95":       s.c95 / s.n, "width95": s.w95 / s.n, "interval_score95": s.s95 / s.n}
	}
	return out
}

// A refused load leaves nothing behind, and says where the fault is.
func TestARefusedLoadLeavesNothing(t *testing.T) {
	c, _ := start(t, t.TempDir())
	_, err := c.Load(ctx, "units", monthly, strings.NewReader("month,units\n2026-01,1\n2026-02,many\n"))
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, 422, p.Status)
	assert.Equal(t, []api.ProblemField{{Location: "units.csv:3",
		Message: `column "units": "many" is not a number: write 12.5, or leave the field empty where the value is unknown`}}, p.Errors)
	list, err := c.Datasets(ctx)
	require.NoError(t, err)
	assert.Empty(t, list)

	_, err = c.Load(ctx, "units", monthly, months(counted(1, 5)...))
	require.NoError(t, err)
	_, err = c.Load(ctx, "units", monthly, strings.NewReader("month,units\n2026-01-01,1\n2026-01-02,2\n"))
	assert.ErrorContains(t, err, "does not fit dataset \"units\": the dataset is by month, the file is by day")
	d, err := c.Dataset(ctx, "units")
	require.NoError(t, err)
	assert.Equal(t, 1, d.Revision)
}

// Each load is a revision of its own; a bake-off keeps the one it ran on, and its plan
// reruns to the same points.
func TestRevisionsAndRerun(t *testing.T) {
	c, _ := start(t, t.TempDir())
	first, err := c.Load(ctx, "units", monthly, months(counted(1, 30)...))
	require.NoError(t, err)
	b := run(t, c, api.Plan{Dataset: "units", Horizon: 3, Windows: 2, Contenders: contenders("naive", "mean"), Seed: 7})
	again, err := c.Load(ctx, "units", monthly, months(counted(1, 31)...))
	require.NoError(t, err)
	assert.Equal(t, []int{2, 1, 0}, []int{again.Dataset.Revision, again.Changes.NewValues, again.Changes.RestatedCount})
	assert.NotEqual(t, first.Dataset.Hash, again.Dataset.Hash)
	same, err := c.Load(ctx, "copy", monthly, months(counted(1, 30)...))
	require.NoError(t, err)
	assert.Equal(t, first.Dataset.Hash, same.Dataset.Hash)

	rerun := run(t, c, b.Plan)
	var x, y bytes.Buffer
	require.NoError(t, c.ExportBakeoff(ctx, b.ID, &x))
	require.NoError(t, c.ExportBakeoff(ctx, rerun.ID, &y))
	assert.Equal(t, x.String(), y.String())
	assert.Equal(t, b.Plan, rerun.Plan)
}

// A correction of two distant periods touches no period between them, whatever a gap
// means in the dataset; and what is left out of a further load stays as it was said.
func TestACorrectionLeavesItsNeighboursAlone(t *testing.T) {
	for _, gaps := range []string{"zero", "carry", "interpolate"} {
		c, _ := start(t, t.TempDir())
		cols := monthly
		cols.Gaps, cols.Floor = gaps, "0"
		_, err := c.Load(ctx, "units", cols, months(counted(1, 12)...))
		require.NoError(t, err)
		arrived, err := c.LoadActuals(ctx, "units", api.LoadColumns{}, strings.NewReader("month,units\n2024-02,20\n2024-11,110\n"))
		require.NoError(t, err)
		assert.Equal(t, 2, arrived.Changes.RestatedCount, gaps)
		further, err := c.Load(ctx, "units", monthly, strings.NewReader("month,units\n2024-03,30\n2025-02,14\n"))
		require.NoError(t, err)
		assert.Equal(t, []any{1, gaps, 0.0}, []any{further.Changes.RestatedCount, further.Dataset.Gaps, *further.Dataset.Floor})
		values, err := c.SeriesValues(ctx, "units", "all")
		require.NoError(t, err)
		got := []float64{}
		for _, v := range values.Values {
			got = append(got, *v)
		}
		between := map[string]float64{"zero": 0, "carry": 12, "interpolate": 13}[gaps]
		assert.Equal(t, []float64{1, 20, 30, 4, 5, 6, 7, 8, 9, 10, 110, 12, between, 14}, got, gaps)
	}
}

// Drivers of another table join by name, make a revision, and do not stand in the way
// of further loads or actuals.
func TestAttachedDriversStayThroughFurtherLoads(t *testing.T) {
	c, _ := start(t, t.TempDir())
	cols := api.LoadColumns{Time: "day", Measure: "sold", By: []string{"shop"}}
	_, err := c.Load(ctx, "sales", cols, strings.NewReader("day,shop,sold\n2026-01-05,a,1\n2026-01-06,a,2\n2026-01-05,b,3\n2026-01-06,b,4\n"))
	require.NoError(t, err)
	got, err := c.Attach(ctx, "sales", api.LoadColumns{Time: "week", By: []string{"shop"}, Drivers: []string{"price", "promo"},
		KnownAhead: []string{"price"}},
		strings.NewReader("week;shop;price;promo\n2026-W02;a;1,5;0\n2026-W03;a;2,5;1\n2026-W02;x;9,5;0\n"))
	require.NoError(t, err)
	assert.Equal(t, 2, got.Dataset.Revision)
	price := got.Drivers[0]
	assert.Equal(t, []any{"price", true, 1, 1, 12, []string{"b"}, 1},
		[]any{price.Name, price.KnownAhead, price.Matched, price.Unmatched, price.AheadTo, price.Missing, price.UnusedAll})
	arrived, err := c.LoadActuals(ctx, "sales", api.LoadColumns{}, strings.NewReader("day,shop,sold\n2026-01-07,a,5\n"))
	require.NoError(t, err)
	assert.Len(t, arrived.Dataset.Drivers, 2)
	values, err := c.SeriesValues(ctx, "sales", "a")
	require.NoError(t, err)
	require.Len(t, values.Drivers[0].Values, 14)
	assert.Equal(t, 2.5, *values.Drivers[0].Values[13])
	_, err = c.Attach(ctx, "sales", api.LoadColumns{Time: "day", By: []string{"shop"}, Drivers: []string{"heat"}},
		strings.NewReader("day,shop,heat\n2026-01-05,q,1\n2026-01-06,q,1\n"))
	assert.ErrorContains(t, err, "nothing in the file matches a series")
}

func TestTokensAndRoles(t *testing.T) {
	data := t.TempDir()
	open, s := start(t, data)
	_, err := open.CreateToken(ctx, api.TokenRequest{Name: "eve", Role: api.Reader})
	assert.ErrorContains(t, err, "must be an admin's")
	admin, err := open.CreateToken(ctx, api.TokenRequest{Name: "ada", Role: api.Admin})
	require.NoError(t, err)
	_, err = open.Datasets(ctx)
	assert.ErrorContains(t, err, "a token is needed", "once there is a token, everyone needs one")
	boss, err := client.New(s.Address(), client.WithToken(admin.Secret))
	require.NoError(t, err)
	token, err := boss.CreateToken(ctx, api.TokenRequest{Name: "rita", Role: api.Reader})
	require.NoError(t, err)
	reader, err := client.New(s.Address(), client.WithToken(token.Secret))
	require.NoError(t, err)
	_, err = reader.Datasets(ctx)
	require.NoError(t, err)
	_, err = reader.Load(ctx, "units", monthly, months("1", "2"))
	assert.ErrorContains(t, err, "needs the role analyst")
	require.NoError(t, boss.RevokeToken(ctx, "rita"))
	_, err = reader.Datasets(ctx)
	assert.ErrorContains(t, err, "a token is needed")

	_, err = service.Start(service.Config{Data: t.TempDir(), Listen: "0.0.0.0:0"})
	assert.ErrorContains(t, err, "refusing to listen on 0.0.0.0:0 without a token")
	_, err = service.Start(service.Config{Data: data, Listen: "127.0.0.1:0"})
	assert.ErrorContains(t, err, "in use by another paperkettle")
}

func TestAnIdempotencyKeyRunsOnce(t *testing.T) {
	c, _ := start(t, t.TempDir())
	_, err := c.Load(ctx, "units", monthly, months(counted(1, 20)...))
	require.NoError(t, err)
	plan := api.Plan{Dataset: "units", Horizon: 2, Contenders: contenders("naive")}
	a, err := c.StartBakeoff(ctx, plan, "once")
	require.NoError(t, err)
	b, err := c.StartBakeoff(ctx, plan, "once")
	require.NoError(t, err)
	assert.Equal(t, a.ID, b.ID)
	plan.Horizon = 3
	_, err = c.StartBakeoff(ctx, plan, "once")
	assert.ErrorContains(t, err, "was used for another request")
}

// Refusals are problem details with a pointer to the field, on every door.
func TestProblemsPointAtTheirField(t *testing.T) {
	c, s := start(t, t.TempDir())
	_, err := c.Load(ctx, "units", monthly, months(counted(1, 20)...))
	require.NoError(t, err)
	for where, plan := range map[string]api.Plan{
		"body.windows":              {Dataset: "units", Horizon: 3, Windows: 99, Contenders: contenders("naive")},
		"body.contenders":           {Dataset: "units", Horizon: 2},
		"body.contenders[1].family": {Dataset: "units", Horizon: 2, Contenders: contenders("naive", "oracle")},
		"body.contenders[0].settings.season": {Dataset: "units", Horizon: 2,
			Contenders: []api.Contender{{Family: "seasonal-naive", Settings: map[string]any{"season": "long"}}}},
		"body.contenders[0].settings.colour": {Dataset: "units", Horizon: 2,
			Contenders: []api.Contender{{Family: "naive", Settings: map[string]any{"colour": 1}}}},
		"body.levels":  {Dataset: "units", Horizon: 2, Contenders: contenders("naive"), Levels: []float64{20}},
		"body.horizon": {Dataset: "units", Contenders: contenders("naive")},
	} {
		_, err := c.StartBakeoff(ctx, plan, "")
		var p *api.Problem
		require.ErrorAs(t, err, &p, where)
		assert.Equal(t, 422, p.Status)
		require.NotEmpty(t, p.Errors, where)
		assert.Equal(t, where, p.Errors[0].Location)
	}
	b := run(t, c, api.Plan{Dataset: "units", Horizon: 2, Contenders: contenders("naive", "drift")})
	for where, ask := range map[string]func() error{
		"query.metric": func() error { _, err := c.Standings(ctx, b.ID, "luck", ""); return err },
		"query.per":    func() error { _, err := c.Standings(ctx, b.ID, "", "luck"); return err },
		"query.b":      func() error { _, err := c.Duel(ctx, b.ID, "naive", "luck", ""); return err },
	} {
		var p *api.Problem
		require.ErrorAs(t, ask(), &p, where)
		require.NotEmpty(t, p.Errors, where)
		assert.Equal(t, []any{422, where}, []any{p.Status, p.Errors[0].Location})
	}
	// What is not the asker's fault is no bad field.
	gone, stop := context.WithCancel(ctx)
	stop()
	_, err = c.Standings(gone, b.ID, "mae", "")
	assert.ErrorIs(t, err, context.Canceled)
	_, err = c.Dataset(ctx, "sales")
	assert.ErrorContains(t, err, `no dataset is called "sales": there are units`)
	for path, status := range map[string]int{"/api/v1/nowhere": 404, "/api/v1/bakeoffs/bake-9": 404, "/healthz": 200, "/readyz": 200,
		"/metrics": 200, "/": 503} {
		res, err := http.Get(s.Address() + path)
		require.NoError(t, err)
		res.Body.Close()
		assert.Equal(t, status, res.StatusCode, path)
		if status >= 400 {
			assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"), path)
		}
	}
	req, _ := http.NewRequest(http.MethodPost, s.Address()+"/api/v1/split", strings.NewReader("{}"))
	req.Header.Set("Origin", "http://elsewhere.example")
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, 403, res.StatusCode, "another site's page can't write")
}

// A cancelled bake-off keeps what is done, resumes, and ends with the numbers of one
// that was never stopped.
func TestCancelAndResume(t *testing.T) {
	c, _ := start(t, t.TempDir())
	var text strings.Builder
	text.WriteString("day,item,units\n")
	for i := range 400 {
		for d := range 28 {
			for m := 1; m <= 6; m++ {
				fmt.Fprintf(&text, "2026-%02d-%02d,item %d,%d\n", m, d+1, i, (i*31+d*d+m*7)%50)
			}
		}
	}
	cols := api.LoadColumns{Time: "day", Measure: "units", By: []string{"item"}, Cadence: "day"}
	_, err := c.Load(ctx, "items", cols, strings.NewReader(text.String()))
	require.NoError(t, err)
	plan := api.Plan{Dataset: "items", Horizon: 14, Windows: 5, Contenders: contenders("naive", "seasonal-naive", "mean", "drift", "calendar-mean")}
	b, err := c.StartBakeoff(ctx, plan, "")
	require.NoError(t, err)
	_, err = c.CancelBakeoff(ctx, b.ID)
	require.NoError(t, err)
	job, err := c.Wait(ctx, b.Job.ID, nil)
	require.NoError(t, err)
	require.Equal(t, "cancelled", job.State)
	_, err = c.ResumeBakeoff(ctx, b.ID)
	require.NoError(t, err)
	job, err = c.Wait(ctx, b.Job.ID, nil)
	require.NoError(t, err)
	require.Equal(t, "done", job.State, job.Error)
	whole := run(t, c, plan)
	var x, y bytes.Buffer
	require.NoError(t, c.ExportBakeoff(ctx, b.ID, &x))
	require.NoError(t, c.ExportBakeoff(ctx, whole.ID, &y))
	assert.Equal(t, y.String(), x.String())
}
