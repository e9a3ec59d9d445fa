package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"paperkettle/api"
)

// SetPriority moves a job in the queue; higher goes first.
func (c *Client) SetPriority(ctx context.Context, job string, priority int) (api.Job, error) {
	return do[api.Job](ctx, c, api.SetPriority, call{path: []string{job}, body: api.Urgency{Priority: priority}})
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
		var now api.Job // anew: what is left out has gone
		if err := json.Unmarshal([]byte(data), &now); err != nil {
			return job, err
		}
		job = now
		seen(job)
	}
	return job, lines.Err()
}
