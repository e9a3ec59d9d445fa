package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"paperkettle/api"
)

// How long a stress lasts, and what it puts on the service at once.
const (
	stressFor    = time.Minute
	stalledReads = 100
	halfOpen     = 300
	slowest      = 2 * time.Second
)

// stress lets readers, loads, bake-offs, stalled downloads and half-open connections loose on a service
// at once: no read may take over two seconds, and memory may not grow without end.
func stress(binary string) error {
	p, b, rel, err := released(binary)
	if p != nil {
		defer p.close()
	}
	if err != nil {
		return err
	}
	until, stop := context.WithTimeout(ctx, stressFor)
	defer stop()
	host := strings.TrimPrefix(p.address, "http://")
	for range halfOpen {
		if err := hang(until, host, "POST /api/v1/datasets/x/loads HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Le"); err != nil {
			return err
		}
	}
	for range stalledReads {
		if err := hang(until, host, "GET /api/v1/bakeoffs/"+b.ID+"/export HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n"); err != nil {
			return err
		}
	}
	var group sync.WaitGroup
	failures := make(chan error, readers+3)
	half := 0.0 // resident memory in the middle, in MiB
	group.Go(func() {
		select {
		case <-time.After(stressFor / 2):
			half = p.resident()
		case <-until.Done():
		}
	})
	times := make([]took, readers)
	for k := range readers {
		group.Go(func() {
			own, err := p.mixedReads(until, rel.ID, b.ID, uint64(k))
			times[k] = own
			failures <- err
		})
	}
	group.Go(func() { failures <- p.loads(until) })
	group.Go(func() { failures <- p.runs(until) })
	group.Wait()
	close(failures)
	for err := range failures {
		if err != nil && until.Err() == nil {
			return err
		}
	}
	all := slices.Concat(times...)
	slices.Sort(all)
	fmt.Printf("stress: %d reads, median %v, 99 %% %v, slowest %v; memory %.0f MiB in the middle, %.0f at the end, %.0f at most\n",
		len(all), all.at(0.5).Round(time.Millisecond/10), all.at(0.99).Round(time.Millisecond), all.at(1).Round(time.Millisecond), half,
		p.resident(), p.peak())
	if all.at(1) > slowest {
		return fmt.Errorf("a read took %v", all.at(1))
	}
	return nil
}

// hang opens a connection, sends a beginning, and neither reads nor ends until a context does.
func hang(until context.Context, host, text string) error {
	conn, err := net.Dial("tcp", host)
	if err != nil {
		return err
	}
	context.AfterFunc(until, func() { conn.Close() })
	_, err = conn.Write([]byte(text))
	return err
}

// mixedReads reads forecasts, standings, lists and pages, in any order.
func (p *process) mixedReads(until context.Context, release, bakeoff string, seed uint64) (own took, err error) {
	c := &http.Client{Transport: &http.Transport{DisableCompression: true}}
	r := rand.New(rand.NewPCG(2, seed))
	paths := []string{"/releases/" + release + "/curve", "/bakeoffs/" + bakeoff + "/standings", "/datasets", "/flags", "/jobs?limit=20",
		"/datasets/daily/series?limit=50", "/releases/" + release}
	for until.Err() == nil {
		begun, path := time.Now(), paths[r.IntN(len(paths))]
		if err := take(until, c, p.address+api.Prefix+path); err != nil {
			return own, err
		}
		own = append(own, time.Since(begun))
		if took := time.Since(begun); took > slowest/2 {
			fmt.Printf("%s took %v\n", path, took.Round(time.Millisecond))
		}
		time.Sleep(time.Duration(r.IntN(40)) * time.Millisecond)
	}
	return own, nil
}

// loads sends files again and again, good ones and ones that are refused.
func (p *process) loads(until context.Context) error {
	for n := 0; until.Err() == nil; n++ {
		var file bytes.Buffer
		if err := table(&file, 20, 400); err != nil {
			return err
		}
		cols := columns
		if n%3 == 2 {
			cols.Time = "nowhere"
		}
		_, err := p.Load(until, "side", cols, &file)
		var refused *api.Problem
		if err != nil && !(errors.As(err, &refused) && cols.Time == "nowhere") {
			return err
		}
	}
	return nil
}

// runs starts bake-offs, one after another.
func (p *process) runs(until context.Context) error {
	for until.Err() == nil {
		b, err := p.StartBakeoff(until, api.Plan{Dataset: "daily", Horizon: 28, Windows: 4,
			Contenders: []api.Contender{{Family: "naive"}, {Family: "smoothing"}, {Family: "theta"}}}, "")
		if err == nil {
			_, err = p.Wait(until, b.Job.ID, nil)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// resident is the memory that the process holds now, in MiB.
func (p *process) resident() float64 {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/statm", p.cmd.Process.Pid))
	if err != nil {
		return -1
	}
	pages, _ := strconv.ParseFloat(strings.Fields(string(b))[1], 64)
	return pages * float64(os.Getpagesize()) / (1 << 20)
}
