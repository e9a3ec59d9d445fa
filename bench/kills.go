package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"paperkettle/api"
	"paperkettle/client"
)

// How often the service is killed, and how long after it was seen at work at most.
const (
	killed    = 200
	leftAlone = 300 * time.Millisecond
	shortly   = 30 * time.Millisecond
)

// kills kills a service at any moment at which it is at work, while a client loads, runs, publishes,
// sends actuals and asks what if, and asks again with the same key until it is answered. What comes of
// it must be what comes of a service that is never killed.
func kills(binary string) error {
	dir, err := os.MkdirTemp("", "kills")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	v := &victim{binary: binary, dir: dir}
	if err := v.start(); err != nil {
		return err
	}
	over := make(chan error, 1)
	go func() { over <- v.haunt(killed) }()
	var rounds []round
	for len(over) == 0 {
		r, err := v.round(len(rounds))
		if err != nil {
			return err
		}
		rounds = append(rounds, r)
	}
	if err := <-over; err != nil {
		return err
	}
	after, err := v.sight(rounds)
	v.process().close() // its folder goes too
	if err != nil {
		return err
	}
	return compare(binary, rounds, after, v)
}

// compare runs the same rounds on a service that is left alone.
func compare(binary string, rounds []round, after sight, v *victim) error {
	dir, err := os.MkdirTemp("", "calm")
	if err != nil {
		return err
	}
	calm := &victim{binary: binary, dir: dir}
	if err := calm.start(); err != nil {
		return err
	}
	defer calm.process().close()
	var again []round
	for n := range rounds {
		r, err := calm.round(n)
		if err != nil {
			return err
		}
		again = append(again, r)
	}
	want, err := calm.sight(again)
	if err != nil {
		return err
	}
	fmt.Printf("kills: %d, of them %d while a job ran and %d while a write was on its way; %d rounds, %d requests sent again\n", killed,
		v.jobs.Load(), v.requests.Load(), len(rounds), v.retries.Load())
	if after.counts != want.counts {
		return fmt.Errorf("there are %s, and there should be %s", after.counts, want.counts)
	}
	for n := range rounds {
		for what, b := range want.parts[n] {
			if !bytes.Equal(b, after.parts[n][what]) {
				return fmt.Errorf("round %d: its %s is another than without kills", n, what)
			}
		}
	}
	fmt.Printf("kills: %s; nothing lost, doubled or different\n", want.counts)
	return nil
}

// victim is a service that is killed and started again on the same folder.
type victim struct {
	binary, dir string
	mu          sync.Mutex
	p           *process
	flying      atomic.Int64 // writes that are on their way

	jobs, requests, retries atomic.Int64
}

func (v *victim) process() *process {
	v.mu.Lock()
	defer v.mu.Unlock()
	return v.p
}

func (v *victim) start() error {
	p, err := startIn(v.dir, v.binary, "serve")
	if err != nil {
		return err
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	v.p = p
	return nil
}

// haunt kills the service some times: in turn at some moment after a job was seen running, and shortly
// after a write was sent.
func (v *victim) haunt(times int) error {
	rnd := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 0))
	for n := range times {
		p := v.process()
		if n%2 == 0 {
			if err := v.untilWriting(p); err != nil {
				return err
			}
			time.Sleep(time.Duration(rnd.Int64N(int64(shortly))))
			v.requests.Add(1)
		} else {
			for {
				time.Sleep(time.Duration(rnd.Int64N(int64(leftAlone))))
				running, err := p.running()
				if err != nil {
					return fmt.Errorf("the service died by itself: %w", err)
				}
				if running {
					break
				}
			}
			v.jobs.Add(1)
		}
		_ = p.cmd.Process.Kill()
		_ = p.cmd.Wait()
		if err := v.start(); err != nil {
			return err
		}
	}
	return nil
}

// untilWriting waits for the next write to be sent.
func (v *victim) untilWriting(p *process) error {
	for v.flying.Load() == 0 {
		time.Sleep(time.Millisecond / 4)
		if p.cmd.ProcessState != nil {
			return errors.New("the service died by itself")
		}
	}
	return nil
}

// running says whether a job is at work.
func (p *process) running() (bool, error) {
	jobs, err := p.Jobs(ctx)
	for _, j := range jobs {
		if j.State == "running" {
			return true, nil
		}
	}
	return false, err
}

// insist asks until the service answers; what it answers counts.
func (v *victim) insist(key string, ask func(ctx context.Context, p *process) error) error {
	for n := 0; ; n++ {
		if n > 0 {
			v.retries.Add(1)
		}
		if key != "" {
			v.flying.Add(1)
		}
		err := ask(client.WithKey(ctx, key), v.process())
		if key != "" {
			v.flying.Add(-1)
		}
		var problem *api.Problem
		if err == nil || errors.As(err, &problem) && problem.Status != 409 {
			return err
		}
		if n > 1000 {
			return fmt.Errorf("%s: still no answer: %w", key, err)
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// wait waits for a job, through kills.
func (v *victim) wait(id string) error {
	var job api.Job
	err := v.insist("", func(ctx context.Context, p *process) (err error) {
		short, stop := context.WithTimeout(ctx, time.Minute)
		defer stop()
		job, err = p.Wait(short, id, nil)
		return err
	})
	if err == nil && job.State != "done" {
		err = fmt.Errorf("%s is %s: %s", job.About, job.State, job.Error)
	}
	return err
}

// round is what one turn of the path made.
type round struct{ dataset, bakeoff, release, scenario string }

const roundDays = 300

var roundPlan = api.Plan{Horizon: 14, Windows: 2, Contenders: []api.Contender{{Family: "seasonal-naive"}, {Family: "smoothing"}, {Family: "linear"}}}

// round goes the whole path once: a load, a bake-off, a release, a scenario, actuals.
func (v *victim) round(n int) (round, error) {
	r := round{dataset: fmt.Sprint("round ", n)}
	cols := api.LoadColumns{File: "round.csv", Time: "day", Measure: "units", By: []string{"item"}, Drivers: []string{"price"},
		KnownAhead: []string{"price"}}
	if err := v.insist(fmt.Sprint("load ", n), func(ctx context.Context, p *process) error {
		_, err := p.Load(ctx, r.dataset, cols, strings.NewReader(roundRows(n, 0, roundDays)))
		return err
	}); err != nil {
		return r, err
	}
	var job string
	if err := v.insist(fmt.Sprint("run ", n), func(ctx context.Context, p *process) error {
		plan := roundPlan
		plan.Dataset, plan.Name = r.dataset, r.dataset
		b, err := p.StartBakeoff(ctx, plan, "")
		r.bakeoff, job = b.ID, b.Job.ID
		return err
	}); err != nil {
		return r, err
	}
	if err := v.wait(job); err != nil {
		return r, err
	}
	if err := v.insist(fmt.Sprint("publish ", n), func(ctx context.Context, p *process) error {
		rel, err := p.Publish(ctx, api.PublishRequest{Bakeoff: r.bakeoff, Contender: "linear"}, "")
		r.release, job = rel.ID, rel.Job.ID
		return err
	}); err != nil {
		return r, err
	}
	if err := v.wait(job); err != nil {
		return r, err
	}
	if err := v.insist(fmt.Sprint("what if ", n), func(ctx context.Context, p *process) error {
		sc, err := p.RunScenario(ctx, api.ScenarioRequest{Name: r.dataset, Release: r.release,
			Cases: []api.ScenarioCase{{Name: "dearer", Changes: []string{"price +10 %"}}}}, "")
		r.scenario, job = sc.ID, sc.Job.ID
		return err
	}); err != nil {
		return r, err
	}
	if err := v.wait(job); err != nil {
		return r, err
	}
	return r, v.insist(fmt.Sprint("actuals ", n), func(ctx context.Context, p *process) error {
		_, err := p.LoadActuals(ctx, r.dataset, api.LoadColumns{}, strings.NewReader(roundRows(n, roundDays, roundDays+14)))
		return err
	})
}

// roundRows are the days from one to another of a round's series; prices are known a month ahead.
func roundRows(n, from, to int) string {
	var b strings.Builder
	b.WriteString("day,item,units,price\n")
	ahead := 0
	if from == 0 {
		ahead = 30
	}
	for s := range 12 {
		rnd := rand.New(rand.NewPCG(uint64(n), uint64(s)))
		for d := range to + ahead {
			price := 3 + rnd.Float64()
			units := fmt.Sprintf("%.1f", (40+float64(s)+10*float64(d%7))*(4/price)+5*rnd.NormFloat64())
			if d < from {
				continue
			}
			if d >= to {
				units = ""
			}
			fmt.Fprintf(&b, "%s,item %d,%s,%.2f\n", time.Date(2024, 1, 1+d, 0, 0, 0, 0, time.UTC).Format(time.DateOnly), s, units, price)
		}
	}
	return b.String()
}

// sight is all that can be seen of some rounds.
type sight struct {
	counts string
	parts  []map[string][]byte
}

func (v *victim) sight(rounds []round) (out sight, err error) {
	p := v.process()
	datasets, err1 := p.Datasets(ctx)
	bakeoffs, err2 := p.Bakeoffs(ctx)
	releases, err3 := p.Releases(ctx)
	scenarios, err4 := p.Scenarios(ctx, "")
	flags, err5 := p.Flags(ctx, "", "all", 0)
	jobs, err6 := p.Jobs(ctx)
	if err := errors.Join(err1, err2, err3, err4, err5, err6); err != nil {
		return out, err
	}
	revisions := 0
	for _, d := range datasets {
		revisions += d.Revision
	}
	out.counts = fmt.Sprintf("%d datasets with %d revisions, %d bake-offs, %d releases, %d scenarios, %d flags, %d jobs", len(datasets),
		revisions, len(bakeoffs), len(releases), len(scenarios), len(flags), len(jobs))
	for _, r := range rounds {
		part := map[string][]byte{}
		for what, export := range map[string]func(*bytes.Buffer) error{
			"dataset":  func(b *bytes.Buffer) error { return p.ExportDataset(ctx, r.dataset, nil, b) },
			"bake-off": func(b *bytes.Buffer) error { return p.ExportBakeoff(ctx, r.bakeoff, b) },
			"release":  func(b *bytes.Buffer) error { return p.ExportRelease(ctx, r.release, b) },
			"scenario": func(b *bytes.Buffer) error { return p.ExportScenario(ctx, r.scenario, b) },
			"flags": func(b *bytes.Buffer) error {
				list, err := p.Flags(ctx, r.release, "all", 0)
				for _, f := range list {
					fmt.Fprintln(b, f.Series, f.Period, f.Actual, f.Forecast, f.Low, f.High, f.Severity)
				}
				return err
			},
		} {
			var b bytes.Buffer
			if err := export(&b); err != nil {
				return out, fmt.Errorf("%s of %s: %w", what, r.dataset, err)
			}
			part[what] = b.Bytes()
		}
		out.parts = append(out.parts, part)
	}
	return out, nil
}
