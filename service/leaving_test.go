package service_test

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
)

// Whoever leaves takes their query along: another one is answered at once, although the first would
// have run for minutes and one at a time may run.
func TestAQueryEndsWithItsClient(t *testing.T) {
	c, s := start(t, t.TempDir())
	file := filepath.Join(t.TempDir(), "till.db")
	db, err := sql.Open("sqlite", file)
	require.NoError(t, err)
	_, err = db.Exec("CREATE TABLE t (day TEXT, n REAL); INSERT INTO t VALUES ('2026-01-01', 1), ('2026-01-02', 2)")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	_, err = c.AddConnection(ctx, api.Connection{Name: "till", Kind: "sqlite", Address: file})
	require.NoError(t, err)
	endless := "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT i AS day, 1 AS n FROM n WHERE i < 0"
	short, leave := context.WithTimeout(ctx, 500*time.Millisecond)
	defer leave()
	_, err = c.Load(short, "till", api.LoadColumns{Connection: "till", Time: "day", Measure: "n"}, strings.NewReader(endless))
	require.ErrorIs(t, err, context.DeadlineExceeded)
	require.Eventually(t, func() bool { return running(t, s.Address()) == 0 }, 20*time.Second, 100*time.Millisecond, "the query goes on for nobody")
}

// running is how many requests the service is at work on, but for the asking.
func running(t *testing.T, address string) (n int) {
	res, err := http.Get(address + "/metrics")
	require.NoError(t, err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	for _, line := range strings.Split(string(b), "\n") {
		if rest, ok := strings.CutPrefix(line, "paperkettle_requests_at_work "); ok {
			_, err := fmt.Sscan(rest, &n)
			require.NoError(t, err)
			return n - 1
		}
	}
	t.Fatal("no such metric")
	return 0
}

// largeTable is a file of 64 MB that is wrong in its first line.
func largeTable() io.Reader {
	r := rand.New(rand.NewPCG(1, 1))
	line := make([]byte, 1<<20)
	for i := range line {
		line[i] = byte('a' + r.IntN(26))
	}
	return io.MultiReader(strings.NewReader("day,n\n2026-01-01,x\n"), bytes.NewReader(bytes.Repeat(line, 64)))
}

// A large file that is refused at its first lines is refused in a sentence, not by a broken pipe.
func TestALargeRefusedFileIsToldWhy(t *testing.T) {
	c, _ := start(t, t.TempDir())
	for range 5 {
		_, err := c.Load(ctx, "x", api.LoadColumns{Time: "date", Measure: "n"}, largeTable())
		require.Error(t, err)
		assert.ErrorContains(t, err, `"date": is not in the header`)
	}
}

// A key stands for a file's bytes: the same file is answered again, another one is refused.
func TestAKeyCoversTheFile(t *testing.T) {
	c, s := start(t, t.TempDir())
	put := func(text string) (int, string) {
		req, err := http.NewRequest(http.MethodPost, s.Address()+api.Prefix+"/datasets/d/loads?time=day&measure=n", strings.NewReader(text))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/octet-stream")
		req.Header.Set("Idempotency-Key", "k")
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		b, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, res.Header.Get("Idempotency-Replayed") + string(b)
	}
	status, first := put("day,n\n2026-01-01,1\n2026-01-02,2\n")
	require.Equal(t, http.StatusCreated, status, first)
	status, again := put("day,n\n2026-01-01,1\n2026-01-02,2\n")
	assert.Equal(t, http.StatusCreated, status)
	assert.Equal(t, "true"+first, again)
	status, other := put("day,n\n2026-01-01,1\n2026-01-02,3\n")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, other, "used for another request")
	ds, err := c.Dataset(ctx, "d")
	require.NoError(t, err)
	assert.Equal(t, 1, ds.Revision)
}
