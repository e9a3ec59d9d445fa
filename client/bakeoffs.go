package client

import (
	"context"
	"io"
	"net/url"
	"strconv"

	"paperkettle/api"
)

// Families lists the catalogue.
func (c *Client) Families(ctx context.Context) ([]api.Family, error) {
	return all[api.Family](ctx, c, api.ListFamilies, call{})
}

// Metrics lists those that standings know.
func (c *Client) Metrics(ctx context.Context) ([]api.Metric, error) {
	return all[api.Metric](ctx, c, api.ListMetrics, call{})
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
func (c *Client) AddContenders(ctx context.Context, id string, in api.Added) (api.Bakeoff, error) {
	return do[api.Bakeoff](ctx, c, api.AddContenders, call{path: []string{id}, body: in})
}

// RemoveBakeoff removes one that nothing was published from.
func (c *Client) RemoveBakeoff(ctx context.Context, id string) error {
	return doEmpty(ctx, c, api.RemoveBakeoff, path(id))
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

// ExportBakeoff streams every forecast point as CSV, or in the format of an option.
func (c *Client) ExportBakeoff(ctx context.Context, id string, to io.Writer, format ...string) error {
	return c.copy(ctx, api.ExportBakeoff, call{path: []string{id}, query: formatQuery(format)}, to)
}

// ExportNewcomers streams the points of series that were too new to be trained on.
func (c *Client) ExportNewcomers(ctx context.Context, id string, to io.Writer, format ...string) error {
	q := url.Values{"newcomers": {"true"}}
	if f := formatQuery(format); f != nil {
		q["format"] = f["format"]
	}
	return c.copy(ctx, api.ExportBakeoff, call{path: []string{id}, query: q}, to)
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

// Features lists what declared lines stand for in a dataset.
func (c *Client) Features(ctx context.Context, dataset string, lines []string, horizon int) (api.FeatureList, error) {
	return do[api.FeatureList](ctx, c, api.ListFeatures,
		call{path: []string{dataset}, query: url.Values{"line": lines, "horizon": {strconv.Itoa(horizon)}}})
}
