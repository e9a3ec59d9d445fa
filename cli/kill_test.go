package cli_test

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
)

const kills = 20

var ctx = context.Background()

// program is a service in a process of its own.
type program struct {
	address string
	*client.Client
	cmd *exec.Cmd
}

var address = regexp.MustCompile(`http://[0-9.:]+`)

func startProgram(t *testing.T, data string) program {
	t.Helper()
	cmd := exec.Command(os.Args[0], "serve", "--data", data, "--listen", "127.0.0.1:0")
	cmd.Env = append(os.Environ(), asProgram+"=1")
	messages, err := cmd.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill() })
	line, err := bufio.NewReader(messages).ReadString('\n')
	require.NoError(t, err, line)
	c, err := client.New(address.FindString(line))
	require.NoError(t, err, line)
	return program{address.FindString(line), c, cmd}
}

func (p program) kill() {
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait()
}

// items is a CSV of daily series.
func items(series, days int) string {
	var b strings.Builder
	b.WriteString("day,item,units\n")
	for s := range series {
		for d := range days {
			fmt.Fprintf(&b, "%s,item %d,%d\n", time.Date(2022, 1, 1+d, 0, 0, 0, 0, time.UTC).Format("2006-01-02"), s, (s*31+d*d)%53)
		}
	}
	return b.String()
}

var itemColumns = api.LoadColumns{Time: "day", Measure: "units", By: []string{"item"}}

// A run that is killed again and again loses nothing it had shown as done, counts
// nothing twice, and ends with the numbers of a run that never was.
func TestARunSurvivesKills(t *testing.T) {
	data := t.TempDir()
	p := startProgram(t, data)
	_, err := p.Load(ctx, "items", itemColumns, strings.NewReader(items(500, 900)))
	require.NoError(t, err)
	plan := api.Plan{Dataset: "items", Horizon: 28, Windows: 6}
	for _, f := range []string{"naive", "seasonal-naive", "drift", "mean", "moving-average", "calendar-mean"} {
		plan.Contenders = append(plan.Contenders, api.Contender{Family: f})
	}
	b, err := p.StartBakeoff(ctx, plan, "")
	require.NoError(t, err)
	rnd := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 0))
	midway := 0
	for range kills {
		// Once something was shown as done, however long that takes here, and a moment later.
		watched, stop := context.WithCancel(ctx)
		later := time.Duration(rnd.IntN(100)) * time.Millisecond
		seen := 0
		_, _ = p.Wait(watched, b.Job.ID, func(j api.Job) {
			if seen = j.Done; seen > 0 {
				time.AfterFunc(later, stop)
			}
		})
		stop()
		p.kill()
		p = startProgram(t, data)
		job, err := p.Job(ctx, b.Job.ID)
		require.NoError(t, err)
		if job.State == "running" && seen > 0 && seen < job.Total {
			midway++
			// What is done is counted anew at the start of the job.
			require.Eventually(t, func() bool { job, err = p.Job(ctx, b.Job.ID); return err == nil && job.Done >= seen }, 5*time.Minute, time.Millisecond)
		}
	}
	assert.Greater(t, midway, kills/4, "kills hit the run while it was under way")
	job, err := p.Wait(ctx, b.Job.ID, nil)
	require.NoError(t, err)
	require.Equal(t, "done", job.State, job.Error)
	require.Equal(t, job.Total, job.Done)

	whole, err := p.StartBakeoff(ctx, plan, "")
	require.NoError(t, err)
	_, err = p.Wait(ctx, whole.Job.ID, nil)
	require.NoError(t, err)
	var x, y bytes.Buffer
	require.NoError(t, p.ExportBakeoff(ctx, b.ID, &x))
	require.NoError(t, p.ExportBakeoff(ctx, whole.ID, &y))
	assert.Equal(t, 1+500*6*6*28, bytes.Count(x.Bytes(), []byte{'\n'}))
	assert.True(t, bytes.Equal(x.Bytes(), y.Bytes()), "the same numbers")
	p.kill()
}

// A load that is killed is there whole or not at all, and there if it was
// acknowledged.
func TestALoadSurvivesKills(t *testing.T) {
	data := t.TempDir()
	text := items(200, 900)
	p := startProgram(t, data)
	want, err := p.Load(ctx, "whole", itemColumns, strings.NewReader(text))
	require.NoError(t, err)
	rnd := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 1))
	outcomes := map[string]int{}
	for i := range kills {
		name := fmt.Sprintf("load %d", i)
		answer := make(chan error, 1)
		q := p
		go func() {
			_, err := q.Load(ctx, name, itemColumns, strings.NewReader(text))
			answer <- err
		}()
		time.Sleep(time.Duration(rnd.IntN(200)) * time.Millisecond)
		p.kill()
		acknowledged := <-answer == nil
		p = startProgram(t, data)
		d, err := p.Dataset(ctx, name)
		if err != nil {
			assert.False(t, acknowledged, "an acknowledged load is there")
			outcomes["absent"]++
			continue
		}
		outcomes["whole"]++
		assert.Equal(t, want.Dataset.Hash, d.Hash)
		values, err := p.SeriesValues(ctx, name, "item 199")
		require.NoError(t, err)
		assert.Len(t, values.Values, 900)
	}
	t.Logf("%v", outcomes)
	p.kill()
}

// A bake-off that is asked for again under its key after a kill is there once.
func TestARetryAfterAKillDoublesNothing(t *testing.T) {
	data := t.TempDir()
	p := startProgram(t, data)
	_, err := p.Load(ctx, "items", itemColumns, strings.NewReader(items(3, 60)))
	require.NoError(t, err)
	rnd := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 2))
	cut := 0
	for i := range kills {
		plan := api.Plan{Name: fmt.Sprintf("round %d", i), Dataset: "items", Horizon: 7, Windows: 2, Contenders: []api.Contender{{Family: "naive"}}}
		key := fmt.Sprint("key ", i)
		answer := make(chan error, 1)
		q := p
		go func() {
			_, err := q.StartBakeoff(ctx, plan, key)
			answer <- err
		}()
		// Sometime before, in, or after the write.
		time.Sleep(time.Duration(rnd.IntN(6000)) * time.Microsecond)
		p.kill()
		if <-answer != nil {
			cut++
		}
		p = startProgram(t, data)
		first, err := p.StartBakeoff(ctx, plan, key)
		require.NoError(t, err)
		again, err := p.StartBakeoff(ctx, plan, key)
		require.NoError(t, err)
		assert.Equal(t, first.ID, again.ID)
		list, err := p.Bakeoffs(ctx)
		require.NoError(t, err)
		require.Len(t, list, i+1, "round %d: one each", i)
	}
	t.Logf("%d of %d requests were cut off", cut, kills)
	p.kill()
}

// Ctrl-C ends the waiting, not the work, and says so.
func TestAnInterruptedWaitGoesOn(t *testing.T) {
	p := startProgram(t, t.TempDir())
	_, err := p.Load(ctx, "items", itemColumns, strings.NewReader(items(300, 900)))
	require.NoError(t, err)
	cmd := exec.Command(os.Args[0], "bakeoff", "run", "--dataset", "items", "--horizon", "28", "--windows", "6", "--contender", "naive",
		"--contender", "arima", "--wait", "--server", p.address)
	cmd.Env = append(os.Environ(), asProgram+"=1")
	var messages bytes.Buffer
	cmd.Stderr = &messages
	require.NoError(t, cmd.Start())
	require.Eventually(t, func() bool {
		list, err := p.Jobs(ctx)
		return err == nil && len(list) == 1 && list[0].State == "running"
	}, time.Minute, 10*time.Millisecond)
	time.Sleep(200 * time.Millisecond) // for the command to begin to wait
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	_ = cmd.Wait()
	assert.Equal(t, 130, cmd.ProcessState.ExitCode(), messages.String())
	assert.Contains(t, messages.String(), "paperkettle job cancel job-1")
	job, err := p.CancelJob(ctx, "job-1")
	require.NoError(t, err)
	assert.Contains(t, []string{"running", "cancelled"}, job.State, "it went on")
	p.kill()
}

// A client that sends slowly doesn't keep the service from stopping: it ends within its grace time, as
// one that was asked to.
func TestStoppingWaitsForNoSlowClient(t *testing.T) {
	p := startProgram(t, t.TempDir())
	conn, err := net.Dial("tcp", strings.TrimPrefix(p.address, "http://"))
	require.NoError(t, err)
	defer conn.Close()
	_, err = fmt.Fprintf(conn, "POST /api/v1/datasets/slow/loads?time=day&measure=units HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: "+
		"application/octet-stream\r\nContent-Length: 100000000\r\n\r\nday,units\n")
	require.NoError(t, err)
	_, err = p.Datasets(ctx) // by then the other request is being read
	require.NoError(t, err)
	require.NoError(t, p.cmd.Process.Signal(syscall.SIGTERM))
	ended := make(chan error, 1)
	go func() { ended <- p.cmd.Wait() }()
	select {
	case err := <-ended:
		require.NoError(t, err, "exit 0")
	case <-time.After(time.Minute):
		t.Fatal("the service does not stop")
	}
}
