// Command bench measures the running binary from outside: time, rate and the
// peak memory of its process, beside yardsticks in the same run.
//
//	go run ./bench [-only load|wide|engine|weekly|demo|reads|pages|stress|kills]
package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"paperkettle/api"
	"paperkettle/client"
)

func main() {
	only := flag.String("only", "", "load, wide, engine, weekly, demo, reads, pages, stress or kills; all but the last three where left out")
	binary := flag.String("binary", "bin/paperkettle", "the built binary")
	flag.Parse()
	for name, run := range map[string]func(string) error{"load": load, "wide": wide, "engine": engine, "weekly": weekly, "demo": demo,
		"reads": reads, "pages": pages, "stress": stress, "kills": kills} {
		if *only != name && (*only != "" || slices.Contains([]string{"pages", "stress", "kills"}, name)) {
			continue
		}
		if err := run(*binary); err != nil {
			fmt.Fprintln(os.Stderr, name+":", err)
			os.Exit(1)
		}
	}
}

var ctx = context.Background()

// process is a service in a process and a data folder of its own.
type process struct {
	*client.Client
	cmd     *exec.Cmd
	dir     string
	address string
}

var address = regexp.MustCompile(`http://[0-9.:]+`)

func start(binary, command string) (*process, error) {
	dir, err := os.MkdirTemp("", "bench")
	if err != nil {
		return nil, err
	}
	return startIn(dir, binary, command)
}

// startIn starts a service on a data folder.
func startIn(dir, binary, command string) (*process, error) {
	p := &process{cmd: exec.Command(binary, command, "--data", dir, "--listen", "127.0.0.1:0"), dir: dir}
	messages, err := p.cmd.StderrPipe()
	if err != nil {
		return nil, err
	}
	if err := p.cmd.Start(); err != nil {
		return nil, err
	}
	lines := bufio.NewScanner(messages)
	for lines.Scan() {
		if at := address.FindString(lines.Text()); at != "" {
			p.address = at
			p.Client, err = client.New(at)
			go func() { _, _ = io.Copy(io.Discard, messages) }()
			return p, err
		}
	}
	return nil, errors.New("the service did not start")
}

func (p *process) close() {
	_ = p.cmd.Process.Signal(os.Interrupt)
	_ = p.cmd.Wait()
	_ = os.RemoveAll(p.dir)
}

// peak is the largest resident memory of the process so far, in MiB.
func (p *process) peak() float64 {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", p.cmd.Process.Pid))
	if err != nil {
		return -1
	}
	for _, line := range strings.Split(string(b), "\n") {
		if rest, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			kb, _ := strconv.ParseFloat(strings.Fields(rest)[0], 64)
			return kb / 1024
		}
	}
	return -1
}

// table writes daily series as CSV.
func table(w io.Writer, series, days int) error {
	out := bufio.NewWriterSize(w, 1<<16)
	dates := make([]string, days)
	for d := range dates {
		dates[d] = time.Date(2023, 1, 1+d, 0, 0, 0, 0, time.UTC).Format("2006-01-02")
	}
	_, _ = out.WriteString("day,shop,item,units\n")
	var row []byte
	for s := range series {
		shop, item := fmt.Sprintf(",shop %d,", s%40), fmt.Sprintf("item %d,", s/40)
		for d := range days {
			row = append(append(append(row[:0], dates[d]...), shop...), item...)
			row = strconv.AppendInt(row, int64(50+10*(d%7)+(s*7919+d*104729)%37), 10)
			row = append(row, '\n')
			if _, err := out.Write(row); err != nil {
				return err
			}
		}
	}
	return out.Flush()
}

var columns = api.LoadColumns{Time: "day", Measure: "units", By: []string{"shop", "item"}}

// load reads 5 million rows, and once more only through the CSV reader.
func load(binary string) error {
	const series, days = 5000, 1000
	var text bytes.Buffer
	if err := table(&text, series, days); err != nil {
		return err
	}
	begin := time.Now()
	r := csv.NewReader(bytes.NewReader(text.Bytes()))
	r.ReuseRecord = true
	for {
		if _, err := r.Read(); err == io.EOF {
			break
		} else if err != nil {
			return err
		}
	}
	reading := time.Since(begin).Seconds()
	p, err := start(binary, "serve")
	if err != nil {
		return err
	}
	defer p.close()
	begin = time.Now()
	if _, err := p.Load(ctx, "big", columns, bytes.NewReader(text.Bytes())); err != nil {
		return err
	}
	took := time.Since(begin).Seconds()
	fmt.Printf("load: %d rows (%d MB) to a stored panel in %.1f s, %.2f M rows/s, peak %.0f MiB; reading the CSV alone takes %.2f of that time\n",
		series*days, text.Len()/1e6, took, series*days/took/1e6, p.peak(), reading/took)
	return nil
}

// wide reads a wide table of 30,490 series by 1,941 days, and looks at it.
func wide(binary string) error {
	const series, days = 30490, 1941
	p, err := start(binary, "serve")
	if err != nil {
		return err
	}
	defer p.close()
	r, w := io.Pipe()
	go func() {
		out := bufio.NewWriterSize(w, 1<<16)
		_, _ = out.WriteString("item,shop")
		for d := range days {
			_, _ = out.WriteString(time.Date(2021, 1, 1+d, 0, 0, 0, 0, time.UTC).Format(",2006-01-02"))
		}
		var row []byte
		for s := range series {
			row = append(row[:0], fmt.Sprintf("\nitem %d,shop %d", s/10, s%10)...)
			for d := range days {
				row = strconv.AppendInt(append(row, ','), int64((s*7919+d*104729+d*d%31)%11), 10)
			}
			_, _ = out.Write(row)
		}
		w.CloseWithError(out.Flush())
	}()
	begin := time.Now()
	if _, err := p.Load(ctx, "wide", api.LoadColumns{Wide: true, Measure: "units", By: []string{"item", "shop"}}, r); err != nil {
		return err
	}
	took := time.Since(begin).Seconds()
	begin = time.Now()
	if _, err := p.Dataset(ctx, "wide"); err != nil {
		return err
	}
	opened := time.Since(begin).Seconds()
	begin = time.Now()
	if _, err := p.Spread(ctx, "wide", nil); err != nil {
		return err
	}
	spread := time.Since(begin).Seconds()
	begin = time.Now()
	if _, err := p.Check(ctx, "wide"); err != nil {
		return err
	}
	fmt.Printf("wide: %d x %d in %.1f s, peak %.0f MiB; the dataset answers in %.0f ms, its spread in %.0f ms, its checks in %.1f s\n",
		series, days, took, p.peak(), 1000*opened, 1000*spread, time.Since(begin).Seconds())
	return nil
}

// weekly runs the six baselines over 30,000 weekly series of three years.
func weekly(binary string) error {
	p, err := start(binary, "serve")
	if err != nil {
		return err
	}
	defer p.close()
	r, w := io.Pipe()
	go func() {
		out := bufio.NewWriterSize(w, 1<<16)
		_, _ = out.WriteString("day,shop,item,units\n")
		for s := range 30000 {
			for d := range 156 {
				fmt.Fprintf(out, "%s,shop %d,item %d,%d\n", time.Date(2023, 1, 2+7*d, 0, 0, 0, 0, time.UTC).Format("2006-01-02"), s%40, s/40,
					20+(s*7919+d*104729)%37)
			}
		}
		w.CloseWithError(out.Flush())
	}()
	if _, err := p.Load(ctx, "weekly", columns, r); err != nil {
		return err
	}
	return p.bakeoff("weekly: 30,000 weekly series x 4 windows x 6 baselines", api.Plan{Dataset: "weekly", Horizon: 8, Windows: 4}, 30000)
}

// engine runs the six baselines over 2,000 daily series of three years.
func engine(binary string) error {
	p, err := start(binary, "serve")
	if err != nil {
		return err
	}
	defer p.close()
	r, w := io.Pipe()
	go func() { w.CloseWithError(table(w, 2000, 1095)) }()
	if _, err := p.Load(ctx, "daily", columns, r); err != nil {
		return err
	}
	return p.bakeoff("engine: 2,000 daily series x 6 windows x 6 baselines", api.Plan{Dataset: "daily", Horizon: 28, Windows: 6}, 2000)
}

// bakeoff times a run of the six baselines, its standings and its export.
func (p *process) bakeoff(title string, plan api.Plan, series int) error {
	for _, f := range []string{"naive", "seasonal-naive", "drift", "mean", "moving-average", "calendar-mean"} {
		plan.Contenders = append(plan.Contenders, api.Contender{Family: f})
	}
	begin := time.Now()
	b, err := p.StartBakeoff(ctx, plan, "")
	if err != nil {
		return err
	}
	job, err := p.Wait(ctx, b.Job.ID, nil)
	if err != nil || job.State != "done" {
		return errors.Join(err, errors.New(job.State+job.Error))
	}
	took := time.Since(begin).Seconds()
	begin = time.Now()
	if _, err := p.Standings(ctx, b.ID, "", ""); err != nil {
		return err
	}
	standings := time.Since(begin).Seconds()
	begin = time.Now()
	if err := p.ExportBakeoff(ctx, b.ID, io.Discard); err != nil {
		return err
	}
	export := time.Since(begin).Seconds()
	forecasts := float64(series * plan.Windows * len(plan.Contenders))
	fmt.Printf("%s in %.1f s (%.0f forecasts/s), standings read in %.0f ms, %.2f M points/s exported, peak %.0f MiB\n",
		title, took, forecasts/took, 1000*standings, forecasts*float64(plan.Horizon)/export/1e6, p.peak())
	return nil
}

// demo starts the demo on an empty folder.
func demo(binary string) error {
	begin := time.Now()
	p, err := start(binary, "demo")
	if err != nil {
		return err
	}
	defer p.close()
	fmt.Printf("demo: ready %.1f s after the start, peak %.0f MiB\n", time.Since(begin).Seconds(), p.peak())
	return nil
}
