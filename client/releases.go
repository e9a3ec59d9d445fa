package client

import (
	"context"
	"io"
	"net/url"
	"strconv"

	"paperkettle/api"
)

// ExportRelease streams a release as CSV, or in the format of an option.
func (c *Client) ExportRelease(ctx context.Context, id string, to io.Writer, format ...string) error {
	return c.copy(ctx, api.ExportRelease, call{path: []string{id}, query: formatQuery(format)}, to)
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

// ReleaseTotals reads sums of a release, by an attribute unless that is empty, of the series that
// conditions like town=Saltmarsh keep.
func (c *Client) ReleaseTotals(ctx context.Context, id, by string, where []string) (api.ReleaseTotals, error) {
	q := url.Values{"where": where}
	if by != "" {
		q.Set("by", by)
	}
	return do[api.ReleaseTotals](ctx, c, api.GetTotals, call{path: []string{id}, query: q})
}

// ReleaseFit is ReleaseCurve with how the forecast was made.
func (c *Client) ReleaseFit(ctx context.Context, id, series string) (api.ReleaseCurve, error) {
	q := url.Values{"fit": {"true"}}
	if series != "" {
		q.Set("series", series)
	}
	return do[api.ReleaseCurve](ctx, c, api.GetReleaseCurve, call{path: []string{id}, query: q})
}

// Preview says what publishing would give, without doing it.
func (c *Client) Preview(ctx context.Context, in api.PublishRequest) (api.Preview, error) {
	return do[api.Preview](ctx, c, api.PreviewRelease, call{body: in})
}

// Withdraw takes a release back; the one that it replaced is live again, unless it is to go alone.
func (c *Client) Withdraw(ctx context.Context, id string, alone bool) (api.Withdrawn, error) {
	q := url.Values{}
	if alone {
		q.Set("alone", "true")
	}
	return do[api.Withdrawn](ctx, c, api.WithdrawRelease, call{path: []string{id}, query: q})
}

// PutLive puts a held or an earlier release live.
func (c *Client) PutLive(ctx context.Context, id string) (api.Release, error) {
	return do[api.Release](ctx, c, api.ReviveRelease, path(id))
}

// RemoveRelease removes one that is not live.
func (c *Client) RemoveRelease(ctx context.Context, id string) error {
	return doEmpty(ctx, c, api.RemoveRelease, path(id))
}

// RemoveScenario removes one.
func (c *Client) RemoveScenario(ctx context.Context, id string) error {
	return doEmpty(ctx, c, api.RemoveScenario, path(id))
}

// Flags lists them, the farthest out first; empty arguments mean all releases and
// open flags.
// Those less far out than a number of standard deviations are left out; 0 leaves none out.
func (c *Client) Flags(ctx context.Context, release, state string, beyond float64) ([]api.Flag, error) {
	q := url.Values{}
	if beyond > 0 {
		q.Set("beyond", strconv.FormatFloat(beyond, 'g', -1, 64))
	}
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

// SettleAll says of several flags what they were: all of them, or none.
func (c *Client) SettleAll(ctx context.Context, in api.SettleManyRequest) ([]api.Flag, error) {
	page, err := do[api.Page[api.Flag]](ctx, c, api.SettleFlags, call{body: in})
	return page.Items, err
}

// Settle says what a flag was.
func (c *Client) Settle(ctx context.Context, id string, in api.SettleRequest) (api.Flag, error) {
	return do[api.Flag](ctx, c, api.SettleFlag, call{path: []string{id}, body: in})
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
