// Package client is the Go client of a Paper Kettle service. It knows the contract
// in package api and nothing of the service behind it.
package client

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"paperkettle/api"
)

// Client talks to one service.
type Client struct {
	base  string
	token string
	http  *http.Client
}

// Option changes a new client.
type Option func(*Client)

// WithToken sends a token with every request.
func WithToken(token string) Option { return func(c *Client) { c.token = token } }

// WithHTTP uses another HTTP client.
func WithHTTP(h *http.Client) Option { return func(c *Client) { c.http = h } }

// New makes a client of the service at an address such as http://127.0.0.1:8484.
func New(server string, opts ...Option) (*Client, error) {
	u, err := url.Parse(server)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, fmt.Errorf("server %q is not an address: write http://127.0.0.1:8484", server)
	}
	c := &Client{base: strings.TrimRight(server, "/"), http: &http.Client{}}
	for _, o := range opts {
		o(c)
	}
	return c, nil
}

// call is one request: path parameters in the order of the route, then a query and a body.
type call struct {
	path  []string
	query url.Values
	body  any       // sent as JSON
	file  io.Reader // sent as it is
	key   string    // idempotency key
}

func (c *Client) address(r api.Route, in call) string {
	path := r.Path
	for _, v := range in.path {
		from, to := strings.Index(path, "{"), strings.Index(path, "}")
		path = path[:from] + url.PathEscape(v) + path[to+1:]
	}
	address := c.base + api.Prefix + path
	if len(in.query) > 0 {
		address += "?" + in.query.Encode()
	}
	return address
}

// send makes a request and turns a refusal into its *api.Problem.
func (c *Client) send(ctx context.Context, r api.Route, in call) (*http.Response, error) {
	var body io.Reader
	kind := ""
	switch {
	case in.file != nil:
		body, kind = in.file, "application/octet-stream"
	case in.body != nil:
		b, err := json.Marshal(in.body)
		if err != nil {
			return nil, err
		}
		body, kind = bytes.NewReader(b), "application/json"
	}
	req, err := http.NewRequestWithContext(ctx, r.Method, c.address(r, in), body)
	if err != nil {
		return nil, err
	}
	if kind != "" {
		req.Header.Set("Content-Type", kind)
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	if in.key != "" {
		req.Header.Set("Idempotency-Key", in.key)
	}
	res, err := c.http.Do(req)
	if err != nil {
		var op *url.Error
		if errors.As(err, &op) && ctx.Err() == nil {
			return nil, fmt.Errorf("no answer from %s (%v): is the service running? start it with 'paperkettle serve' or 'paperkettle demo'", c.base, op.Err)
		}
		return nil, err
	}
	if res.StatusCode >= 300 {
		defer res.Body.Close()
		return nil, readProblem(res)
	}
	return res, nil
}

func readProblem(res *http.Response) error {
	b, _ := io.ReadAll(io.LimitReader(res.Body, 1<<20))
	p := &api.Problem{Status: res.StatusCode}
	if json.Unmarshal(b, p) != nil || p.Detail == "" {
		p.Detail = fmt.Sprintf("the service answered %s: %s", res.Status, bytes.TrimSpace(b))
	}
	return p
}

func do[T any](ctx context.Context, c *Client, r api.Route, in call) (T, error) {
	var out T
	res, err := c.send(ctx, r, in)
	if err != nil {
		return out, err
	}
	defer res.Body.Close()
	if err := json.NewDecoder(res.Body).Decode(&out); err != nil {
		return out, fmt.Errorf("reading the answer to %s: %w", r.ID, err)
	}
	return out, nil
}

func doEmpty(ctx context.Context, c *Client, r api.Route, in call) error {
	res, err := c.send(ctx, r, in)
	if err == nil {
		err = res.Body.Close()
	}
	return err
}

// all reads every page of a list.
func all[T any](ctx context.Context, c *Client, r api.Route, in call) ([]T, error) {
	out := []T{}
	if in.query == nil {
		in.query = url.Values{}
	}
	in.query.Set("limit", "1000")
	for {
		page, err := do[api.Page[T]](ctx, c, r, in)
		if err != nil {
			return nil, err
		}
		out = append(out, page.Items...)
		if page.Cursor == "" {
			return out, nil
		}
		in.query.Set("cursor", page.Cursor)
	}
}

func path(v ...string) call { return call{path: v} }

// Datasets lists all datasets.
func (c *Client) Datasets(ctx context.Context) ([]api.Dataset, error) {
	return all[api.Dataset](ctx, c, api.ListDatasets, call{})
}

// Dataset shows one.
func (c *Client) Dataset(ctx context.Context, name string) (api.Dataset, error) {
	return do[api.Dataset](ctx, c, api.GetDataset, path(name))
}

// RemoveDataset removes one with all that hangs on it.
func (c *Client) RemoveDataset(ctx context.Context, name string) error {
	return doEmpty(ctx, c, api.RemoveDataset, path(name))
}

// Check says what in a dataset deserves a look.
func (c *Client) Check(ctx context.Context, name string) ([]api.Check, error) {
	return all[api.Check](ctx, c, api.CheckDataset, path(name))
}

func loadQuery(cols api.LoadColumns) url.Values {
	q := url.Values{}
	for name, v := range map[string]string{"time": cols.Time, "measure": cols.Measure, "cadence": cols.Cadence, "gaps": cols.Gaps, "floor": cols.Floor, "file": cols.File,
		"date_order": cols.DateOrder, "label": cols.Label, "zone": cols.Zone, "aggregate": cols.Aggregate, "duplicates": cols.Duplicates, "from": cols.From, "to": cols.To,
		"format": cols.Format, "encoding": cols.Encoding, "delimiter": cols.Delimiter, "decimal": cols.Decimal, "sheet": cols.Sheet, "codes": cols.Codes, "connection": cols.Connection,
		"by": strings.Join(cols.By, ","), "driver": strings.Join(cols.Drivers, ","), "known_ahead": strings.Join(cols.KnownAhead, ",")} {
		if v != "" {
			q.Set(name, v)
		}
	}
	for name, on := range map[string]bool{"wide": cols.Wide, "keep_part": cols.KeepPart} {
		if on {
			q.Set(name, "true")
		}
	}
	if cols.HeaderRow > 0 {
		q.Set("header_row", strconv.Itoa(cols.HeaderRow))
	}
	for _, w := range cols.Where {
		q.Add("where", w)
	}
	for _, line := range cols.Closed {
		q.Add("closed", line)
	}
	return q
}

// Attach joins drivers from another table to a dataset.
func (c *Client) Attach(ctx context.Context, dataset string, cols api.LoadColumns, file io.Reader) (api.Attached, error) {
	return do[api.Attached](ctx, c, api.AttachDrivers, call{path: []string{dataset}, query: loadQuery(cols), file: file})
}

// LoadEvents sends a file of events; before and after are days around each that may
// move too.
func (c *Client) LoadEvents(ctx context.Context, dataset string, cols api.LoadColumns, before, after int, file io.Reader) (api.EventsLoaded, error) {
	q := loadQuery(cols)
	q.Set("before", strconv.Itoa(before))
	q.Set("after", strconv.Itoa(after))
	return do[api.EventsLoaded](ctx, c, api.LoadEvents, call{path: []string{dataset}, query: q, file: file})
}

// Events lists a dataset's events.
func (c *Client) Events(ctx context.Context, dataset string) ([]api.Event, error) {
	return all[api.Event](ctx, c, api.ListEvents, path(dataset))
}

// Closed shows which periods of a dataset are known not to happen.
func (c *Client) Closed(ctx context.Context, dataset string) (api.ClosedReport, error) {
	return do[api.ClosedReport](ctx, c, api.GetClosed, path(dataset))
}

// SetClosed says which they are, in a new revision.
func (c *Client) SetClosed(ctx context.Context, dataset string, lines []string) (api.ClosedReport, error) {
	return do[api.ClosedReport](ctx, c, api.SetClosed, call{path: []string{dataset}, body: api.ClosedLines{Lines: lines}})
}

// RemoveEvent takes an event out of a dataset, in a new revision.
func (c *Client) RemoveEvent(ctx context.Context, dataset, event string) error {
	return doEmpty(ctx, c, api.RemoveEvent, path(dataset, event))
}

// Connections lists the databases that loads can ask.
func (c *Client) Connections(ctx context.Context) ([]api.Connection, error) {
	return all[api.Connection](ctx, c, api.ListConnections, call{})
}

// AddConnection adds one; its secret stays where it is kept.
func (c *Client) AddConnection(ctx context.Context, in api.Connection) (api.Connection, error) {
	return do[api.Connection](ctx, c, api.AddConnection, call{body: in})
}

// TryConnection sees whether its database answers.
func (c *Client) TryConnection(ctx context.Context, name string) (api.ConnectionTry, error) {
	return do[api.ConnectionTry](ctx, c, api.TryConnection, path(name))
}

// RemoveConnection removes one.
func (c *Client) RemoveConnection(ctx context.Context, name string) error {
	return doEmpty(ctx, c, api.RemoveConnection, path(name))
}

// Codes lists the calendars of period codes.
func (c *Client) Codes(ctx context.Context) ([]api.PeriodCodes, error) {
	return all[api.PeriodCodes](ctx, c, api.ListCodes, call{})
}

// LoadCodes sends a calendar that translates the codes in one of its columns.
func (c *Client) LoadCodes(ctx context.Context, name, column string, cols api.LoadColumns, file io.Reader) (api.PeriodCodes, error) {
	q := loadQuery(cols)
	q.Set("code", column)
	return do[api.PeriodCodes](ctx, c, api.LoadCodes, call{path: []string{name}, query: q, file: file})
}

// RemoveCodes removes them.
func (c *Client) RemoveCodes(ctx context.Context, name string) error {
	return doEmpty(ctx, c, api.RemoveCodes, path(name))
}

// Inspect says how a file would be read, without loading it.
func (c *Client) Inspect(ctx context.Context, cols api.LoadColumns, file io.Reader) (api.Inspected, error) {
	return do[api.Inspected](ctx, c, api.InspectFile, call{query: loadQuery(cols), file: file})
}

// Load sends a file as a dataset's next revision.
func (c *Client) Load(ctx context.Context, name string, cols api.LoadColumns, file io.Reader) (api.Loaded, error) {
	return do[api.Loaded](ctx, c, api.LoadDataset, call{path: []string{name}, query: loadQuery(cols), file: file})
}

// LoadActuals appends actuals; columns left out are those of the dataset.
func (c *Client) LoadActuals(ctx context.Context, name string, cols api.LoadColumns, file io.Reader) (api.Arrived, error) {
	return do[api.Arrived](ctx, c, api.LoadActuals, call{path: []string{name}, query: loadQuery(cols), file: file})
}

// Series lists the series of a dataset that match every attribute=value pair, in an
// order and weighed as asked for; empty texts leave them as they are.
func (c *Client) Series(ctx context.Context, dataset string, where []string, sort, weights string) ([]api.SeriesRow, error) {
	q := url.Values{"where": where, "wait": {"true"}}
	if sort != "" {
		q.Set("sort", sort)
	}
	if weights != "" {
		q.Set("weights", weights)
	}
	return all[api.SeriesRow](ctx, c, api.ListSeries, call{path: []string{dataset}, query: q})
}

// SeriesValues shows one series.
func (c *Client) SeriesValues(ctx context.Context, dataset, key string) (api.SeriesValues, error) {
	return do[api.SeriesValues](ctx, c, api.GetSeries, call{path: []string{dataset}, query: url.Values{"series": {key}}})
}

// Spread reads the distribution over the series that match every attribute=value pair.
func (c *Client) Spread(ctx context.Context, dataset string, where []string) (api.Spread, error) {
	return do[api.Spread](ctx, c, api.GetSpread, call{path: []string{dataset}, query: url.Values{"where": where}})
}

// Profile reads one series' seasonal profiles and autocorrelation.
func (c *Client) Profile(ctx context.Context, dataset, key string) (api.SeriesProfile, error) {
	return do[api.SeriesProfile](ctx, c, api.GetProfile, call{path: []string{dataset}, query: url.Values{"series": {key}}})
}

// Parts takes one series apart into trend, seasons and rest.
func (c *Client) Parts(ctx context.Context, dataset, key string) (api.Fit, error) {
	return do[api.Fit](ctx, c, api.GetParts, call{path: []string{dataset}, query: url.Values{"series": {key}}})
}

// Families lists the catalogue.
func (c *Client) Families(ctx context.Context) ([]api.Family, error) {
	return all[api.Family](ctx, c, api.ListFamilies, call{})
}

// Family shows one.
func (c *Client) Family(ctx context.Context, name string) (api.Family, error) {
	return do[api.Family](ctx, c, api.GetFamily, path(name))
}

// Split lays a plan's windows without running it.
func (c *Client) Split(ctx context.Context, plan api.Plan) (api.Split, error) {
	return do[api.Split](ctx, c, api.DrawSplit, call{body: plan})
}

// Bakeoffs lists them, newest first.
func (c *Client) Bakeoffs(ctx context.Context) ([]api.Bakeoff, error) {
	return all[api.Bakeoff](ctx, c, api.ListBakeoffs, call{})
}

// StartBakeoff queues one. A key makes a repeated call safe.
func (c *Client) StartBakeoff(ctx context.Context, plan api.Plan, key string) (api.Bakeoff, error) {
	return do[api.Bakeoff](ctx, c, api.StartBakeoff, call{body: plan, key: key})
}

// Bakeoff shows one.
func (c *Client) Bakeoff(ctx context.Context, id string) (api.Bakeoff, error) {
	return do[api.Bakeoff](ctx, c, api.GetBakeoff, path(id))
}

// CancelBakeoff stops one; what is done stays.
func (c *Client) CancelBakeoff(ctx context.Context, id string) (api.Bakeoff, error) {
	return do[api.Bakeoff](ctx, c, api.CancelBakeoff, path(id))
}

// ResumeBakeoff runs what a cancelled or failed one lacks.
func (c *Client) ResumeBakeoff(ctx context.Context, id string) (api.Bakeoff, error) {
	return do[api.Bakeoff](ctx, c, api.ResumeBakeoff, path(id))
}

// PauseBakeoff puts one aside; resuming goes on.
func (c *Client) PauseBakeoff(ctx context.Context, id string) (api.Bakeoff, error) {
	return do[api.Bakeoff](ctx, c, api.PauseBakeoff, path(id))
}

// AddContenders enters further contenders into one that is over.
func (c *Client) AddContenders(ctx context.Context, id string, list []api.Contender) (api.Bakeoff, error) {
	return do[api.Bakeoff](ctx, c, api.AddContenders, call{path: []string{id}, body: api.Added{Contenders: list}})
}

// SetPriority moves a job in the queue; higher goes first.
func (c *Client) SetPriority(ctx context.Context, job string, priority int) (api.Job, error) {
	return do[api.Job](ctx, c, api.SetPriority, call{path: []string{job}, body: api.Urgency{Priority: priority}})
}

// Tuning lists what the searches of a bake-off tried.
func (c *Client) Tuning(ctx context.Context, id string) ([]api.Tuning, error) {
	return all[api.Tuning](ctx, c, api.GetTuning, path(id))
}

// Duel sets two contenders against each other; an empty metric is the plan's.
func (c *Client) Duel(ctx context.Context, id, a, b, metric string) (api.Duel, error) {
	q := url.Values{"a": {a}, "b": {b}}
	if metric != "" {
		q.Set("metric", metric)
	}
	return do[api.Duel](ctx, c, api.GetDuel, call{path: []string{id}, query: q})
}

// ExportStandings streams them in a format, whole or cut.
func (c *Client) ExportStandings(ctx context.Context, id, per, format string, to io.Writer) error {
	return c.copy(ctx, api.ExportStandings, call{path: []string{id}, query: url.Values{"per": {per}, "format": {format}}}, to)
}

// Report writes a bake-off as one HTML page.
func (c *Client) Report(ctx context.Context, id string, to io.Writer) error {
	return c.copy(ctx, api.GetReport, path(id), to)
}

// Standings reads them; empty arguments take the plan's metric and the whole.
func (c *Client) Standings(ctx context.Context, id, metric, per string) (api.Standings, error) {
	q := url.Values{}
	if metric != "" {
		q.Set("metric", metric)
	}
	if per != "" {
		q.Set("per", per)
	}
	return do[api.Standings](ctx, c, api.GetStandings, call{path: []string{id}, query: q})
}

// Curves reads one series' actuals and forecasts.
func (c *Client) Curves(ctx context.Context, id, series string) (api.Curves, error) {
	return do[api.Curves](ctx, c, api.GetCurves, call{path: []string{id}, query: url.Values{"series": {series}}})
}

// ExportDataset streams the series that match every attribute=value pair as CSV, a row
// a period.
func (c *Client) ExportDataset(ctx context.Context, dataset string, where []string, to io.Writer) error {
	return c.copy(ctx, api.ExportDataset, call{path: []string{dataset}, query: url.Values{"where": where}}, to)
}

// ExportBakeoff streams every forecast point as CSV, or in the format of an option.
func (c *Client) ExportBakeoff(ctx context.Context, id string, to io.Writer, format ...string) error {
	return c.copy(ctx, api.ExportBakeoff, call{path: []string{id}, query: formatQuery(format)}, to)
}

func formatQuery(format []string) url.Values {
	if len(format) == 0 || format[0] == "" {
		return nil
	}
	return url.Values{"format": format[:1]}
}

// ExportRelease streams a release as CSV, or in the format of an option.
func (c *Client) ExportRelease(ctx context.Context, id string, to io.Writer, format ...string) error {
	return c.copy(ctx, api.ExportRelease, call{path: []string{id}, query: formatQuery(format)}, to)
}

func (c *Client) copy(ctx context.Context, r api.Route, in call, to io.Writer) error {
	res, err := c.send(ctx, r, in)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if _, err = io.Copy(to, res.Body); err != nil {
		return fmt.Errorf("the export broke off: %w", err)
	}
	return nil
}

// Jobs lists them, newest first.
func (c *Client) Jobs(ctx context.Context) ([]api.Job, error) {
	return all[api.Job](ctx, c, api.ListJobs, call{})
}

// Job shows one.
func (c *Client) Job(ctx context.Context, id string) (api.Job, error) {
	return do[api.Job](ctx, c, api.GetJob, path(id))
}

// CancelJob stops one.
func (c *Client) CancelJob(ctx context.Context, id string) (api.Job, error) {
	return do[api.Job](ctx, c, api.CancelJob, path(id))
}

// reconnects is how often in a row a broken progress stream is taken up again.
const reconnects = 5

// Wait follows a job until it is over; each state goes to seen, which may be nil.
// A stream that breaks is taken up again.
func (c *Client) Wait(ctx context.Context, id string, seen func(api.Job)) (api.Job, error) {
	for failures := 0; ; failures++ {
		job, err := c.follow(ctx, id, func(j api.Job) {
			failures = 0
			if seen != nil {
				seen(j)
			}
		})
		if err == nil && job.Over() {
			return job, nil
		}
		if ctx.Err() != nil {
			return job, ctx.Err()
		}
		var p *api.Problem
		if errors.As(err, &p) || failures >= reconnects {
			return job, err
		}
		select {
		case <-time.After(time.Second):
		case <-ctx.Done():
		}
	}
}

func (c *Client) follow(ctx context.Context, id string, seen func(api.Job)) (api.Job, error) {
	var job api.Job
	res, err := c.send(ctx, api.WatchJob, path(id))
	if err != nil {
		return job, err
	}
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	for lines.Scan() {
		data, ok := strings.CutPrefix(lines.Text(), "data: ")
		if !ok {
			continue
		}
		if err := json.Unmarshal([]byte(data), &job); err != nil {
			return job, err
		}
		seen(job)
	}
	return job, lines.Err()
}

// Releases lists them, newest first.
func (c *Client) Releases(ctx context.Context) ([]api.Release, error) {
	return all[api.Release](ctx, c, api.ListReleases, call{})
}

// Publish refits a contender on all data and queues its release.
func (c *Client) Publish(ctx context.Context, in api.PublishRequest, key string) (api.Release, error) {
	return do[api.Release](ctx, c, api.PublishRelease, call{body: in, key: key})
}

// Release shows one.
func (c *Client) Release(ctx context.Context, id string) (api.Release, error) {
	return do[api.Release](ctx, c, api.GetRelease, path(id))
}

// ReleaseCurve reads one series of a release; empty is its first.
func (c *Client) ReleaseCurve(ctx context.Context, id, series string) (api.ReleaseCurve, error) {
	q := url.Values{}
	if series != "" {
		q.Set("series", series)
	}
	return do[api.ReleaseCurve](ctx, c, api.GetReleaseCurve, call{path: []string{id}, query: q})
}

// ReleaseFit is ReleaseCurve with how the forecast was made.
func (c *Client) ReleaseFit(ctx context.Context, id, series string) (api.ReleaseCurve, error) {
	q := url.Values{"fit": {"true"}}
	if series != "" {
		q.Set("series", series)
	}
	return do[api.ReleaseCurve](ctx, c, api.GetReleaseCurve, call{path: []string{id}, query: q})
}

// Withdraw takes a release back.
func (c *Client) Withdraw(ctx context.Context, id string) (api.Release, error) {
	return do[api.Release](ctx, c, api.WithdrawRelease, path(id))
}

// Flags lists them, the farthest out first; empty arguments mean all releases and
// open flags.
func (c *Client) Flags(ctx context.Context, release, state string) ([]api.Flag, error) {
	q := url.Values{}
	if release != "" {
		q.Set("release", release)
	}
	if state != "" {
		q.Set("state", state)
	}
	return all[api.Flag](ctx, c, api.ListFlags, call{query: q})
}

// Flag shows one.
func (c *Client) Flag(ctx context.Context, id string) (api.Flag, error) {
	return do[api.Flag](ctx, c, api.GetFlag, path(id))
}

// Settle says what a flag was.
func (c *Client) Settle(ctx context.Context, id string, in api.SettleRequest) (api.Flag, error) {
	return do[api.Flag](ctx, c, api.SettleFlag, call{path: []string{id}, body: in})
}

// Tokens lists them without their secrets.
func (c *Client) Tokens(ctx context.Context) ([]api.Token, error) {
	return all[api.Token](ctx, c, api.ListTokens, call{})
}

// CreateToken makes one and shows its secret, this once.
func (c *Client) CreateToken(ctx context.Context, in api.TokenRequest) (api.Token, error) {
	return do[api.Token](ctx, c, api.CreateToken, call{body: in})
}

// RevokeToken ends one.
func (c *Client) RevokeToken(ctx context.Context, name string) error {
	return doEmpty(ctx, c, api.RevokeToken, path(name))
}

// Audit lists the newest lines of who did what.
func (c *Client) Audit(ctx context.Context, limit int) ([]api.AuditLine, error) {
	page, err := do[api.Page[api.AuditLine]](ctx, c, api.ListAudit, call{query: url.Values{"limit": {strconv.Itoa(limit)}}})
	return page.Items, err
}

// Fit explains how a contender was fitted to a series; empty and 0 stand for the leader, the
// first series and the last window.
func (c *Client) Fit(ctx context.Context, id, contender, series string, window int) (api.Fit, error) {
	q := url.Values{}
	for name, v := range map[string]string{"contender": contender, "series": series} {
		if v != "" {
			q.Set(name, v)
		}
	}
	if window > 0 {
		q.Set("window", strconv.Itoa(window))
	}
	return do[api.Fit](ctx, c, api.GetFit, call{path: []string{id}, query: q})
}

// Scenarios lists them, newest first; an empty release means all.
func (c *Client) Scenarios(ctx context.Context, release string) ([]api.Scenario, error) {
	q := url.Values{}
	if release != "" {
		q.Set("release", release)
	}
	return all[api.Scenario](ctx, c, api.ListScenarios, call{query: q})
}

// RunScenario queues one.
func (c *Client) RunScenario(ctx context.Context, in api.ScenarioRequest, key string) (api.Scenario, error) {
	return do[api.Scenario](ctx, c, api.RunScenario, call{body: in, key: key})
}

// Scenario shows one with its totals.
func (c *Client) Scenario(ctx context.Context, id string) (api.Scenario, error) {
	return do[api.Scenario](ctx, c, api.GetScenario, path(id))
}

// ScenarioCurve reads one series under every case; empty is the sum over all.
func (c *Client) ScenarioCurve(ctx context.Context, id, series string) (api.ScenarioCurve, error) {
	q := url.Values{}
	if series != "" {
		q.Set("series", series)
	}
	return do[api.ScenarioCurve](ctx, c, api.GetScenarioCurve, call{path: []string{id}, query: q})
}

// ExportScenario streams every series, case and step.
func (c *Client) ExportScenario(ctx context.Context, id string, to io.Writer, format ...string) error {
	return c.copy(ctx, api.ExportScenario, call{path: []string{id}, query: formatQuery(format)}, to)
}

// DriversAhead reads what a release knows of drivers and events past its origin.
func (c *Client) DriversAhead(ctx context.Context, release, series string) (api.DriversAhead, error) {
	q := url.Values{}
	if series != "" {
		q.Set("series", series)
	}
	return do[api.DriversAhead](ctx, c, api.GetDriversAhead, call{path: []string{release}, query: q})
}

// Features lists what declared lines stand for in a dataset.
func (c *Client) Features(ctx context.Context, dataset string, lines []string, horizon int) (api.FeatureList, error) {
	return do[api.FeatureList](ctx, c, api.ListFeatures, call{path: []string{dataset}, query: url.Values{"line": lines, "horizon": {strconv.Itoa(horizon)}}})
}
