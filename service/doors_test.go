package service_test

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
	"paperkettle/service"
)

// get reads an address with some headers.
func get(t *testing.T, address string, headers ...string) (*http.Response, string) {
	t.Helper()
	req, err := http.NewRequest(http.MethodGet, address, nil)
	require.NoError(t, err)
	for i := 0; i < len(headers); i += 2 {
		if headers[i] == "Host" {
			req.Host = headers[i+1]
		}
		req.Header.Set(headers[i], headers[i+1])
	}
	res, err := (&http.Transport{DisableCompression: true}).RoundTrip(req)
	require.NoError(t, err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res, string(b)
}

// The console's files: hashed ones for ever, the page never from a cache and for every
// deep link, a missing file never the page.
func TestTheConsolesFiles(t *testing.T) {
	page, script := "<html>page</html>", strings.Repeat("let a = 1;", 500)
	s, err := service.Start(service.Config{Data: t.TempDir(), Listen: "127.0.0.1:0", Console: fstest.MapFS{
		"index.html": {Data: []byte(page)}, "assets/app-1.js": {Data: []byte(script)}, ".gitkeep": {}}})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	for _, path := range []string{"/", "/data/daily", "/bakeoffs/bake-1?per=channel", "/index.html"} {
		res, body := get(t, s.Address()+path)
		assert.Equal(t, []any{200, page, "no-cache", "text/html; charset=utf-8"},
			[]any{res.StatusCode, body, res.Header.Get("Cache-Control"), res.Header.Get("Content-Type")}, path)
	}
	res, body := get(t, s.Address()+"/assets/app-1.js")
	assert.Equal(t, []any{script, "public, max-age=31536000, immutable", "text/javascript; charset=utf-8"},
		[]any{body, res.Header.Get("Cache-Control"), res.Header.Get("Content-Type")})
	zipped, small := get(t, s.Address()+"/assets/app-1.js", "Accept-Encoding", "gzip")
	assert.Equal(t, "gzip", zipped.Header.Get("Content-Encoding"))
	assert.Less(t, len(small), len(script)/10)
	same, _ := get(t, s.Address()+"/assets/app-1.js", "If-None-Match", res.Header.Get("ETag"))
	assert.Equal(t, 304, same.StatusCode)
	for _, path := range []string{"/assets/app-0.js", "/.gitkeep", "/favicon.ico"} {
		res, body := get(t, s.Address()+path)
		assert.Equal(t, 404, res.StatusCode, path)
		assert.NotContains(t, body, "<html>", path)
	}
	foreign, _ := get(t, s.Address()+"/api/v1/datasets", "Host", "elsewhere.example")
	assert.Equal(t, 403, foreign.StatusCode, "a foreign name that points here reaches nothing")
}

// A file whose transfer breaks off is not loaded, and the connection's next request is
// not what was left of it.
func TestABrokenUploadLeavesNothing(t *testing.T) {
	c, s := start(t, t.TempDir())
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.Address(), "http://"))
	require.NoError(t, err)
	_, err = fmt.Fprintf(conn, "POST /api/v1/datasets/cut/loads?time=month&measure=units HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: "+
		"1000\r\n\r\nmonth,units\n2026-01,1\n2026-02,2\n")
	require.NoError(t, err)
	require.NoError(t, conn.Close())

	conn, err = net.Dial("tcp", strings.TrimPrefix(s.Address(), "http://"))
	require.NoError(t, err)
	defer conn.Close()
	refused := "no header at all\nDELETE /api/v1/datasets/units HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n"
	_, err = fmt.Fprintf(conn, "POST /api/v1/datasets/none/loads?time=month&measure=units HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: "+
		"%d\r\n\r\n%s", len(refused), refused)
	require.NoError(t, err)
	require.NoError(t, conn.SetReadDeadline(time.Now().Add(5*time.Second)))
	res, err := http.ReadResponse(bufio.NewReader(conn), nil)
	require.NoError(t, err)
	assert.Equal(t, 422, res.StatusCode)

	list, err := c.Datasets(ctx)
	require.NoError(t, err)
	assert.Empty(t, list)
}

// Progress comes as server-sent events, ends with the job, and a late reader gets the
// last state at once.
func TestProgressIsAStreamOfEvents(t *testing.T) {
	c, s := start(t, t.TempDir())
	_, err := c.Load(ctx, "units", monthly, months(counted(1, 40)...))
	require.NoError(t, err)
	b := run(t, c, api.Plan{Dataset: "units", Horizon: 3, Windows: 4, Contenders: contenders("naive", "mean")})
	res, body := get(t, s.Address()+"/api/v1/jobs/"+b.Job.ID+"/progress")
	assert.Equal(t, "text/event-stream", res.Header.Get("Content-Type"))
	event, data, ok := strings.Cut(strings.TrimSpace(body), "\n")
	require.True(t, ok)
	assert.Equal(t, "event: progress", event)
	var job api.Job
	require.NoError(t, json.Unmarshal([]byte(strings.TrimPrefix(data, "data: ")), &job))
	assert.Equal(t, []any{"done", 8, 8, b.ID}, []any{job.State, job.Done, job.Total, job.About})
	jobs, err := c.Jobs(ctx)
	require.NoError(t, err)
	assert.Len(t, jobs, 1)
	again, err := c.CancelJob(ctx, b.Job.ID)
	require.NoError(t, err)
	assert.Equal(t, "done", again.State, "what is over stays as it is")
	_, err = c.ResumeBakeoff(ctx, b.ID)
	assert.ErrorContains(t, err, "only a paused, cancelled or failed one can be resumed")
}

// While a network is trained, its losses are told look by look; what is over tells none.
func TestLossesAreToldWhileANetworkLearns(t *testing.T) {
	c, _ := start(t, t.TempDir())
	shops(t, c)
	b, err := c.StartBakeoff(ctx, api.Plan{Dataset: "shops", Horizon: 3, Windows: 2, Contenders: []api.Contender{{Family: "naive"},
		{Name: "net", Family: "perceptron", Settings: map[string]any{"passes": 80, "units": 16}}}}, "")
	require.NoError(t, err)
	most, names := 0, map[string]bool{}
	job, err := c.Wait(ctx, b.Job.ID, func(j api.Job) {
		for _, curve := range j.Learning {
			names[curve.Name], most = true, max(most, len(curve.Values))
			assert.Equal(t, "batches", curve.Of)
			assert.Positive(t, curve.Every)
		}
	})
	require.NoError(t, err)
	assert.Equal(t, "done", job.State)
	assert.Empty(t, job.Learning)
	assert.Greater(t, most, 1)
	assert.Contains(t, names, "net: held-out windows of network 1")
}

// shops is a table of two attributes with a driver.
func shops(t *testing.T, c *client.Client) {
	t.Helper()
	var text strings.Builder
	text.WriteString("day,shop,item,sold,price\n")
	for _, shop := range []string{"north", "south", "west"} {
		for _, item := range []string{"cup", "pot"} {
			for d := 1; d <= 28; d++ {
				fmt.Fprintf(&text, "2026-02-%02d,%s,%s,%d,%d\n", d, shop, item, d%7+len(shop), 3)
			}
		}
	}
	_, err := c.Load(ctx, "shops", api.LoadColumns{Time: "day", Measure: "sold", By: []string{"shop", "item"}, Drivers: []string{"price"}},
		strings.NewReader(text.String()))
	require.NoError(t, err)
}

func TestSeriesAreFilteredCountedAndPaged(t *testing.T) {
	c, s := start(t, t.TempDir())
	shops(t, c)
	list, err := c.Series(ctx, "shops", []string{"item=pot"}, "", "")
	require.NoError(t, err)
	require.Len(t, list, 3)
	assert.Equal(t, []any{"north / pot", "2026-02-01", "2026-02-28", 28}, []any{list[0].Key, list[0].First, list[0].Last, list[0].Known})
	_, body := get(t, s.Address()+"/api/v1/datasets/shops/series?"+url.Values{"search": {"WEST"}, "limit": {"1"}}.Encode())
	var page api.SeriesList
	require.NoError(t, json.Unmarshal([]byte(body), &page))
	assert.Equal(t, []any{1, 2, "1"}, []any{len(page.Items), page.Total, page.Cursor})
	assert.Equal(t, []api.Facet{{Attribute: "shop", Values: []api.FacetValue{{Value: "west", Count: 2}}},
		{Attribute: "item", Values: []api.FacetValue{{Value: "cup", Count: 1}, {Value: "pot", Count: 1}}}}, page.Facets)
	_, body = get(t, s.Address()+"/api/v1/datasets/shops/series?sort=-mean&limit=2")
	require.NoError(t, json.Unmarshal([]byte(body), &page))
	assert.Equal(t, []string{"north / cup", "north / pot"}, []string{page.Items[0].Key, page.Items[1].Key}, "equals stay in the order of their keys")
	_, body = get(t, s.Address()+"/api/v1/datasets/shops/series?sort=mean&limit=1")
	require.NoError(t, json.Unmarshal([]byte(body), &page))
	assert.Equal(t, "west / cup", page.Items[0].Key)
	_, err = c.Series(ctx, "shops", []string{"colour=red"}, "", "")
	assert.ErrorContains(t, err, `no attribute is called "colour": the dataset has shop, item`)
	_, err = c.SeriesValues(ctx, "shops", "north")
	assert.ErrorContains(t, err, "join")
	values, err := c.SeriesValues(ctx, "shops", "north / cup")
	require.NoError(t, err)
	assert.Len(t, values.Drivers[0].Values, 28)
	spread, err := c.Spread(ctx, "shops", []string{"item=cup"})
	require.NoError(t, err)
	assert.Equal(t, []any{3, 5.0, 6.0}, []any{spread.Series, *spread.Lines[0].Values[0], *spread.Lines[6].Values[0]})
	profile, err := c.Profile(ctx, "shops", "north / cup")
	require.NoError(t, err)
	assert.Equal(t, "weekday", profile.Cycles[0].By)
	assert.Equal(t, 6.0, *profile.Cycles[0].Places[6].Mean, "2026-02-01 was a Sunday")
}

// A bake-off on a part of the series, cut in every way, and its line in the audit.
func TestAFilteredBakeoffAndItsCuts(t *testing.T) {
	c, _ := start(t, t.TempDir())
	shops(t, c)
	split, err := c.Split(ctx, api.Plan{Dataset: "shops", Where: map[string]string{"item": "pot"}, Horizon: 4, Windows: 2,
		Contenders: contenders("naive", "seasonal-naive")})
	require.NoError(t, err)
	assert.Equal(t, []any{3, 2, 12, "2026-02-24", 0}, []any{split.Series, len(split.Windows), split.Fits, split.Windows[1].Origin, split.Aside})
	b := run(t, c, api.Plan{Name: "pots", Dataset: "shops", Where: map[string]string{"item": "pot"}, Horizon: 4, Windows: 2,
		Contenders: contenders("naive", "seasonal-naive")})
	assert.Equal(t, "seasonal-naive", b.Leader)
	for per, slices := range map[string][]string{"shop": {"north", "south", "west"}, "step": {"1", "2", "3", "4"}, "window": {"1", "2"},
		"series": {"north / pot", "south / pot", "west / pot"}, "all": {""}} {
		st, err := c.Standings(ctx, "pots", "rmse", per)
		require.NoError(t, err, per)
		var names []string
		for _, s := range st.Slices {
			names = append(names, s.Name)
			assert.Equal(t, "seasonal-naive", s.Rows[0].Contender)
		}
		assert.Equal(t, slices, names, per)
	}
	_, err = c.Standings(ctx, "pots", "luck", "")
	assert.ErrorContains(t, err, "no metric is called")
	lines, err := c.Audit(ctx, 10)
	require.NoError(t, err)
	assert.Equal(t, []string{"start bake-off", "load"}, []string{lines[0].Action, lines[1].Action})

	// What the plan left out is not published either.
	rel, err := c.Publish(ctx, api.PublishRequest{Bakeoff: "pots", Contender: "best-per-series", Levels: []float64{50, 90}}, "")
	require.NoError(t, err)
	_, err = c.Wait(ctx, rel.Job.ID, nil)
	require.NoError(t, err)
	rel, err = c.Release(ctx, rel.ID)
	require.NoError(t, err)
	assert.Equal(t, []any{"live", 3, []api.Used{{Contender: "seasonal-naive", Series: 3}}}, []any{rel.State, rel.Series, rel.Used})
	curve, err := c.ReleaseFit(ctx, rel.ID, "")
	require.NoError(t, err)
	assert.Equal(t, "north / pot", curve.Series)
	assert.Contains(t, curve.Fit.Form, "season of 7")
	for _, in := range []api.PublishRequest{{Bakeoff: "pots", Contender: "oracle"}, {Bakeoff: "pots", Levels: []float64{10}}, {Bakeoff: "bake-9"}} {
		_, err := c.Publish(ctx, in, "")
		assert.Error(t, err, "%+v", in)
	}

	// A second release supersedes the first, which can still be withdrawn, once.
	second, err := c.Publish(ctx, api.PublishRequest{Bakeoff: "pots"}, "")
	require.NoError(t, err)
	_, err = c.Wait(ctx, second.Job.ID, nil)
	require.NoError(t, err)
	old, err := c.Withdraw(ctx, rel.ID, false)
	require.NoError(t, err)
	assert.Equal(t, "withdrawn", old.State)
	_, err = c.Withdraw(ctx, rel.ID, false)
	assert.ErrorContains(t, err, "can't be withdrawn")
	require.NoError(t, c.RemoveDataset(ctx, "shops"))
	_, err = c.Bakeoff(ctx, "pots")
	assert.ErrorContains(t, err, `no bake-off is called "pots"`)
}

// A look at a file says what a load would do, and keeps nothing.
func TestInspectingKeepsNothing(t *testing.T) {
	c, _ := start(t, t.TempDir())
	text := "Tag;Laden;Menge\n01.02.2026;Nord;1.234,5\n02.02.2026;Nord;2,5\n15.02.2026;Süd;3\n"
	seen, err := c.Inspect(ctx, "", api.LoadColumns{File: "x.csv"}, strings.NewReader(text))
	require.NoError(t, err)
	assert.Empty(t, seen.Problem)
	assert.Equal(t, []any{"semicolon", "comma", "Tag", "Menge", []string{"Laden"}},
		[]any{seen.Proposal.Delimiter, seen.Proposal.Decimal, seen.Proposal.Time, seen.Proposal.Measure, seen.Proposal.By})
	assert.Equal(t, []any{3, 2, "2026-02-01", 1234.5}, []any{seen.Rows, seen.Dataset.Series, seen.First[0].Period, *seen.First[0].Value})
	unsure, err := c.Inspect(ctx, "", api.LoadColumns{}, strings.NewReader("d;y\n01/02/2026;1\n02/02/2026;2\n"))
	require.NoError(t, err)
	assert.Contains(t, unsure.Problem, "day first (2026-02-01) or month first (2026-01-02)")
	assert.Equal(t, "time", unsure.Columns[0].Part)
	list, err := c.Datasets(ctx)
	require.NoError(t, err)
	assert.Empty(t, list)
}
