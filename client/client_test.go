package client_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
)

var ctx = context.Background()

// against runs a handler in the service's place.
func against(t *testing.T, h http.HandlerFunc, opts ...client.Option) *client.Client {
	t.Helper()
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	c, err := client.New(s.URL+"/", opts...)
	require.NoError(t, err)
	return c
}

// What goes over the wire is what the contract says: escaped paths, queries, the token.
func TestRequestsAreSpelledAsTheContractSays(t *testing.T) {
	var seen []string
	c := against(t, func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		seen = append(seen, r.Method+" "+r.URL.EscapedPath()+" "+r.URL.Query().Encode()+" "+r.Header.Get("Content-Type")+" "+
			r.Header.Get("Idempotency-Key")+" "+string(body))
		assert.Equal(t, "Bearer secret", r.Header.Get("Authorization"))
		_, _ = io.WriteString(w, "{}")
	}, client.WithToken("secret"))
	_, err := c.Load(ctx, "a b/c", api.LoadColumns{Time: "day", Measure: "y", By: []string{"p", "q"}, Where: []string{"p=1", "q=2"},
		Wide: true, HeaderRow: 3}, strings.NewReader("x"))
	require.NoError(t, err)
	_, err = c.StartBakeoff(ctx, api.Plan{Dataset: "d", Horizon: 2}, "key")
	require.NoError(t, err)
	_, err = c.SeriesValues(ctx, "d", "x / y & z")
	require.NoError(t, err)
	require.NoError(t, c.RevokeToken(ctx, "ada"))
	assert.Equal(t, []string{
		"POST /api/v1/datasets/a%20b%2Fc/loads by=p&by=q&header_row=3&measure=y&time=day&where=p%3D1&where=q%3D2&wide=true application/octet-stream  x",
		`POST /api/v1/bakeoffs  application/json key {"dataset":"d","horizon":2,"contenders":null}`,
		"GET /api/v1/datasets/d/series/values series=x+%2F+y+%26+z   ",
		"DELETE /api/v1/tokens/ada    ",
	}, seen)
}

func TestARefusalKeepsItsFields(t *testing.T) {
	c := against(t, func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusUnprocessableEntity)
		_, _ = io.WriteString(w, `{"title":"Unprocessable","status":422,"detail":"too long","errors":[{"message":"m","location":"body.horizon"}]}`)
	})
	_, err := c.Bakeoff(ctx, "bake-1")
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, &api.Problem{Title: "Unprocessable", Status: 422, Detail: "too long",
		Errors: []api.ProblemField{{Message: "m", Location: "body.horizon"}}}, p)

	plain := against(t, func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "a proxy's page", http.StatusBadGateway) })
	_, err = plain.Datasets(ctx)
	assert.ErrorContains(t, err, "502 Bad Gateway: a proxy's page")
	garbled := against(t, func(w http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(w, "<html>") })
	_, err = garbled.Job(ctx, "job-1")
	assert.ErrorContains(t, err, "reading the answer to get-job")
}

func TestListsAreReadToTheirLastPage(t *testing.T) {
	c := against(t, func(w http.ResponseWriter, r *http.Request) {
		next := map[string]string{"": "2", "2": "4", "4": ""}[r.URL.Query().Get("cursor")]
		_, _ = fmt.Fprintf(w, `{"items":[{"name":"%s"},{"name":"-"}],"cursor":"%s","total":6}`, r.URL.Query().Get("cursor"), next)
	})
	list, err := c.Datasets(ctx)
	require.NoError(t, err)
	require.Len(t, list, 6)
	assert.Equal(t, "4", list[4].Name)
}

// A progress stream that breaks is taken up again, and states come in order.
func TestWaitTakesABrokenStreamUpAgain(t *testing.T) {
	calls := 0
	c := against(t, func(w http.ResponseWriter, _ *http.Request) {
		calls++
		state, done := "running", calls
		if calls == 2 {
			state, done = "done", 9
		}
		_, _ = fmt.Fprintf(w, "event: progress\ndata: {\"id\":\"job-1\",\"state\":\"%s\",\"done\":%d}\n\n", state, done)
	})
	var seen []int
	job, err := c.Wait(ctx, "job-1", func(j api.Job) { seen = append(seen, j.Done) })
	require.NoError(t, err)
	assert.Equal(t, "done", job.State)
	assert.Equal(t, []int{1, 9}, seen)

	gone := against(t, func(w http.ResponseWriter, _ *http.Request) {
		http.Error(w, `{"detail":"no such job"}`, http.StatusNotFound)
	})
	_, err = gone.Wait(ctx, "job-7", nil)
	assert.ErrorContains(t, err, "no such job", "a refusal is not asked again")

	silent := against(t, func(w http.ResponseWriter, r *http.Request) {
		w.WriteHeader(http.StatusOK)
		w.(http.Flusher).Flush()
		<-r.Context().Done()
	})
	short, cancel := context.WithTimeout(ctx, 50*time.Millisecond)
	defer cancel()
	_, err = silent.Wait(short, "job-1", nil)
	assert.ErrorIs(t, err, context.DeadlineExceeded)
}

func TestAnExportThatBreaksOffSaysSo(t *testing.T) {
	c := against(t, func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Length", "1000")
		_, _ = io.WriteString(w, "half")
	})
	var out strings.Builder
	err := c.ExportBakeoff(ctx, "bake-1", &out)
	assert.ErrorContains(t, err, "the export broke off")
	assert.ErrorIs(t, err, io.ErrUnexpectedEOF)
}

func TestAddressesThatAreNone(t *testing.T) {
	for _, address := range []string{"", "127.0.0.1:8484", "ftp://x", "http://", "http://bad host"} {
		_, err := client.New(address)
		assert.ErrorContains(t, err, "is not an address", address)
	}
	c, err := client.New("http://127.0.0.1:1")
	require.NoError(t, err)
	_, err = c.Datasets(ctx)
	assert.ErrorContains(t, err, "is the service running?")
	var p *api.Problem
	assert.False(t, errors.As(err, &p))
}

// What is sent again under the same key is taken once by the service: the key goes with every request under the
// context, unless one has its own.
func TestKeysGoWithRequests(t *testing.T) {
	var keys []string
	c := against(t, func(w http.ResponseWriter, r *http.Request) {
		keys = append(keys, r.Header.Get("Idempotency-Key"))
		_, _ = io.WriteString(w, "{}")
	})
	under := client.WithKey(ctx, "once")
	_, err := c.LoadActuals(under, "d", api.LoadColumns{}, strings.NewReader("x"))
	require.NoError(t, err)
	_, err = c.StartBakeoff(under, api.Plan{}, "own")
	require.NoError(t, err)
	_, err = c.StartBakeoff(ctx, api.Plan{}, "")
	require.NoError(t, err)
	assert.Equal(t, []string{"once", "own", ""}, keys)
}

// Exports ask for what is wanted, and only for that.
func TestExportsAskForTheirFormat(t *testing.T) {
	var seen []string
	c := against(t, func(w http.ResponseWriter, r *http.Request) {
		seen = append(seen, strings.TrimPrefix(r.URL.RequestURI(), "/api/v1"))
		_, _ = io.WriteString(w, "table")
	})
	var out strings.Builder
	for _, err := range []error{
		c.ExportBakeoff(ctx, "bake-1", &out), c.ExportBakeoff(ctx, "bake-1", &out, ""), c.ExportBakeoff(ctx, "bake-1", &out, "xlsx"),
		c.ExportNewcomers(ctx, "bake-1", &out), c.ExportNewcomers(ctx, "bake-1", &out, "parquet"),
		c.ExportRelease(ctx, "rel-1", &out, "jsonl"), c.ExportStandings(ctx, "bake-1", "kind,size", "json", &out),
		c.ExportDataset(ctx, "d", []string{"kind=tea & co"}, &out),
	} {
		require.NoError(t, err)
	}
	assert.Equal(t, []string{"/bakeoffs/bake-1/export", "/bakeoffs/bake-1/export", "/bakeoffs/bake-1/export?format=xlsx",
		"/bakeoffs/bake-1/export?newcomers=true", "/bakeoffs/bake-1/export?format=parquet&newcomers=true", "/releases/rel-1/export?format=jsonl",
		"/bakeoffs/bake-1/standings/export?format=json&per=kind%2Csize", "/datasets/d/export?where=kind%3Dtea+%26+co"}, seen)
	assert.Equal(t, strings.Repeat("table", 8), out.String())
}

// A service that closes the connection while a file is on its way has refused it, or has stopped: both are said,
// and not that it does not run.
func TestAFileThatIsCutOffSaysWhy(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer listener.Close()
	go func() {
		for {
			conn, err := listener.Accept()
			if err != nil {
				return
			}
			_, _ = conn.Read(make([]byte, 512))
			_ = conn.(*net.TCPConn).SetLinger(0) // a reset, as of a process that is gone
			_ = conn.Close()
		}
	}()
	c, err := client.New("http://" + listener.Addr().String())
	require.NoError(t, err)
	_, err = c.Load(ctx, "d", api.LoadColumns{}, io.LimitReader(endless{}, 1<<28))
	require.ErrorContains(t, err, "closed the connection while the file was being sent")
	assert.ErrorContains(t, err, "--dry-run")
	assert.NotContains(t, err.Error(), "is the service running?")
}

// endless is a file without an end.
type endless struct{}

func (endless) Read(b []byte) (int, error) { return len(b), nil }
