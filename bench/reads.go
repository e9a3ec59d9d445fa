package main

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"slices"
	"sync"
	"time"

	"paperkettle/api"
)

// How many clients read at once, and for how long.
const (
	readers = 50
	reading = 10 * time.Second
)

// released starts a service with a release of daily series of three and a half years.
func released(binary string) (*process, api.Bakeoff, api.Release, error) {
	p, err := start(binary, "serve")
	if err != nil {
		return nil, api.Bakeoff{}, api.Release{}, err
	}
	var file bytes.Buffer
	if err := table(&file, 140, 1275); err != nil {
		return p, api.Bakeoff{}, api.Release{}, err
	}
	if _, err := p.Load(ctx, "daily", columns, &file); err != nil {
		return p, api.Bakeoff{}, api.Release{}, err
	}
	b, err := p.StartBakeoff(ctx, api.Plan{Dataset: "daily", Horizon: 28, Windows: 3,
		Contenders: []api.Contender{{Family: "naive"}, {Family: "seasonal-naive"}}}, "")
	if err == nil {
		_, err = p.Wait(ctx, b.Job.ID, nil)
	}
	if err != nil {
		return p, b, api.Release{}, err
	}
	rel, err := p.Publish(ctx, api.PublishRequest{Bakeoff: b.ID}, "")
	if err == nil {
		_, err = p.Wait(ctx, rel.Job.ID, nil)
	}
	return p, b, rel, err
}

// reads measures how long reading one forecast takes for many clients at once, on an idle service and
// on one that runs a bake-off.
func reads(binary string) error {
	p, _, rel, err := released(binary)
	if p != nil {
		defer p.close()
	}
	if err != nil {
		return err
	}
	idle, err := p.readers(rel.ID)
	if err != nil {
		return err
	}
	idle.tell("idle")
	b, err := p.StartBakeoff(ctx, api.Plan{Dataset: "daily", Horizon: 28, Windows: 12,
		Contenders: []api.Contender{{Family: "naive"}, {Family: "arima"}, {Family: "smoothing"}}}, "")
	if err != nil {
		return err
	}
	time.Sleep(time.Second) // for the workers to be busy
	busy, err := p.readers(rel.ID)
	if err != nil {
		return err
	}
	busy.tell("a bake-off running")
	_, err = p.CancelBakeoff(ctx, b.ID)
	return err
}

// took are the times of requests, in order.
type took []time.Duration

func (t took) at(share float64) time.Duration { return t[int(share*float64(len(t)-1))] }

func (t took) tell(when string) {
	fmt.Printf("reads, %s: %.0f a second, median %v, 99 %% %v, slowest %v\n", when, float64(len(t))/reading.Seconds(),
		t.at(0.5).Round(time.Millisecond/10), t.at(0.99).Round(time.Millisecond/10), t.at(1).Round(time.Millisecond/10))
}

// take reads an answer and forgets it: what a client makes of it takes time of its own.
func take(ctx context.Context, c *http.Client, address string) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return err
	}
	res, err := c.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		return fmt.Errorf("%s: %s", address, res.Status)
	}
	_, err = io.Copy(io.Discard, res.Body)
	return err
}

// readers lets clients read forecasts of one release as fast as they can.
func (p *process) readers(release string) (took, error) {
	first, err := p.ReleaseCurve(ctx, release, "")
	if err != nil {
		return nil, err
	}
	until, stop := context.WithTimeout(ctx, reading)
	defer stop()
	var mu sync.Mutex
	var all took
	var failure error
	var group sync.WaitGroup
	for k := range readers {
		group.Go(func() {
			c := &http.Client{Transport: &http.Transport{DisableCompression: true}}
			r := rand.New(rand.NewPCG(1, uint64(k)))
			var err error
			var own took
			for err == nil && until.Err() == nil {
				begun := time.Now()
				if err = take(until, c, p.address+api.Prefix+"/releases/"+release+"/curve?series="+
					url.QueryEscape(first.Keys[r.IntN(len(first.Keys))])); err == nil {
					own = append(own, time.Since(begun))
				}
			}
			mu.Lock()
			defer mu.Unlock()
			all = append(all, own...)
			if until.Err() == nil {
				failure = err
			}
		})
	}
	group.Wait()
	slices.Sort(all)
	return all, failure
}
