package client

import (
	"context"
	"io"
	"net/url"
	"strconv"
	"strings"

	"paperkettle/api"
)

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

// Undo takes the newest revision of a dataset back.
func (c *Client) Undo(ctx context.Context, name string, revision int) (api.Dataset, error) {
	return do[api.Dataset](ctx, c, api.UndoRevision, path(name, strconv.Itoa(revision)))
}

// Diff sets two revisions of a dataset side by side; 0 is the latest, and the one before it.
func (c *Client) Diff(ctx context.Context, name string, from, to int) (api.Difference, error) {
	q := url.Values{"from": {strconv.Itoa(from)}, "to": {strconv.Itoa(to)}}
	return do[api.Difference](ctx, c, api.DiffRevisions, call{path: []string{name}, query: q})
}

// Check says what in a dataset deserves a look.
func (c *Client) Check(ctx context.Context, name string) ([]api.Check, error) {
	return all[api.Check](ctx, c, api.CheckDataset, path(name))
}

// Attach joins drivers from another table to a dataset.
func (c *Client) Attach(ctx context.Context, dataset string, cols api.LoadColumns, file io.Reader) (api.Attached, error) {
	return do[api.Attached](ctx, c, api.AttachDrivers, call{path: []string{dataset}, query: cols.Query(), file: file})
}

// LoadEvents sends a file of events; before and after are days around each that may
// move too.
func (c *Client) LoadEvents(ctx context.Context, dataset string, cols api.LoadColumns, before, after int, file io.Reader) (api.EventsLoaded, error) {
	q := cols.Query()
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
	q := cols.Query()
	q.Set("code", column)
	return do[api.PeriodCodes](ctx, c, api.LoadCodes, call{path: []string{name}, query: q, file: file})
}

// RemoveCodes removes them.
func (c *Client) RemoveCodes(ctx context.Context, name string) error {
	return doEmpty(ctx, c, api.RemoveCodes, path(name))
}

// Inspect says how a file would be read, without loading it, and what it would change in a dataset;
// an empty name is none.
func (c *Client) Inspect(ctx context.Context, onto string, cols api.LoadColumns, file io.Reader) (api.Inspected, error) {
	q := cols.Query()
	if onto != "" {
		q.Set("onto", onto)
	}
	return do[api.Inspected](ctx, c, api.InspectFile, call{query: q, file: file})
}

// Forecast forecasts a table's series at once; nothing is kept.
func (c *Client) Forecast(ctx context.Context, cols api.LoadColumns, ask api.ForecastAsk, file io.Reader) (api.Forecast, error) {
	q := cols.Query()
	q.Set("horizon", strconv.Itoa(ask.Horizon))
	if ask.History > 0 {
		q.Set("history", strconv.Itoa(ask.History))
	}
	if ask.Family != "" {
		q.Set("family", ask.Family)
	}
	if len(ask.Levels) > 0 {
		var levels []string
		for _, l := range ask.Levels {
			levels = append(levels, strconv.FormatFloat(l, 'f', -1, 64))
		}
		q.Set("level", strings.Join(levels, ","))
	}
	if ask.Flag {
		q.Set("flag", "true")
	}
	return do[api.Forecast](ctx, c, api.ForecastTable, call{query: q, file: file})
}

// Load sends a file as a dataset's next revision.
func (c *Client) Load(ctx context.Context, name string, cols api.LoadColumns, file io.Reader) (api.Loaded, error) {
	return do[api.Loaded](ctx, c, api.LoadDataset, call{path: []string{name}, query: cols.Query(), file: file})
}

// LoadActuals appends actuals; columns left out are those of the dataset.
func (c *Client) LoadActuals(ctx context.Context, name string, cols api.LoadColumns, file io.Reader) (api.Arrived, error) {
	return do[api.Arrived](ctx, c, api.LoadActuals, call{path: []string{name}, query: cols.Query(), file: file})
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

// ExportDataset streams the series that match every attribute=value pair as CSV, a row
// a period.
func (c *Client) ExportDataset(ctx context.Context, dataset string, where []string, to io.Writer, format ...string) error {
	q := formatQuery(format)
	if q == nil {
		q = url.Values{}
	}
	q["where"] = where
	return c.copy(ctx, api.ExportDataset, call{path: []string{dataset}, query: q}, to)
}
