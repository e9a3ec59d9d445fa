package service_test

import (
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
)

// A read that was answered before is answered from memory, a client that has it is told so, and nothing
// stale is ever shown: not after actuals, a settled flag, another release or a revoked token.
func TestAnswersThatAreKept(t *testing.T) {
	c, s := start(t, t.TempDir())
	load(t, c, stallColumns, stallRows([]string{"quay", "mill"}, "2026-01-01", 63, 56))
	b := run(t, c, api.Plan{Dataset: "stalls", Horizon: 7, Contenders: contenders("naive", "seasonal-naive")})
	rel := published(t, c, api.PublishRequest{Bakeoff: b.ID, Contender: "naive"})
	ask := func(path, tag string) (int, string, api.ReleaseCurve) {
		req, err := http.NewRequest(http.MethodGet, s.Address()+api.Prefix+path, nil)
		require.NoError(t, err)
		req.Header.Set("If-None-Match", tag)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		body, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		var curve api.ReleaseCurve
		if len(body) > 0 {
			require.NoError(t, json.Unmarshal(body, &curve))
		}
		return res.StatusCode, res.Header.Get("ETag"), curve
	}
	path := "/releases/" + rel.ID + "/curve?series=quay"
	status, tag, first := ask(path, "")
	require.Equal(t, []any{200, 63}, []any{status, len(first.Periods)})
	status, again, none := ask(path, tag)
	assert.Equal(t, []any{http.StatusNotModified, tag, 0}, []any{status, again, len(none.Periods)})
	_, _, short := ask(path+"&history=10&brief=true", "")
	assert.Equal(t, []any{17, 10, 0}, []any{len(short.Periods), short.Start, len(short.Keys)})
	assert.Equal(t, first.Actual[46:], short.Actual)

	_, err := c.LoadActuals(ctx, "stalls", api.LoadColumns{}, strings.NewReader("day,stall,cups,price\n2026-02-26,quay,900,3\n"))
	require.NoError(t, err)
	status, _, now := ask(path, tag)
	require.Equal(t, 200, status)
	require.Len(t, now.Flags, 1)
	_, err = c.Settle(ctx, now.Flags[0].ID, api.SettleRequest{As: "chance"})
	require.NoError(t, err)
	_, _, now = ask(path, "")
	assert.Equal(t, "chance", now.Flags[0].SettledAs)
	status, _, _ = ask("/releases/rel-9/curve", "")
	assert.Equal(t, http.StatusNotFound, status, "a refusal is not kept")
	second := published(t, c, api.PublishRequest{Bakeoff: b.ID, Contender: "seasonal-naive"})
	status, _, now = ask("/releases/"+second.ID+"/curve?series=quay", "")
	assert.Equal(t, []any{200, "seasonal-naive"}, []any{status, now.Contender})

	// Many at once, while flags are settled again and again: whoever asks after a settling sees it.
	for _, as := range []string{"expected", "data-error", "real-change", "chance"} {
		_, err = c.Settle(ctx, "flag-1", api.SettleRequest{As: as})
		require.NoError(t, err)
		var group sync.WaitGroup
		for range 8 {
			group.Go(func() {
				_, _, got := ask(path, "")
				assert.Equal(t, as, got.Flags[0].SettledAs)
			})
		}
		group.Wait()
	}
	root, err := c.CreateToken(ctx, api.TokenRequest{Name: "root", Role: api.Admin})
	require.NoError(t, err)
	status, _, _ = ask(path, "")
	assert.Equal(t, http.StatusUnauthorized, status, "what is kept is for those alone who may read it: %s", root.Name)
}
