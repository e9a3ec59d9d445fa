package service_test

import (
	"bytes"
	"compress/gzip"
	"io"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
)

// Large answers go out compressed to clients that take them so, with tags of their own where they are
// kept; small ones, and those of clients that don't ask, go out as they are.
func TestLargeAnswersAreCompressed(t *testing.T) {
	c, s := start(t, t.TempDir())
	load(t, c, stallColumns, stallRows([]string{"quay", "mill"}, "2024-01-01", 800, 793))
	b := run(t, c, api.Plan{Dataset: "stalls", Horizon: 7, Contenders: contenders("naive", "seasonal-naive")})
	rel := published(t, c, api.PublishRequest{Bakeoff: b.ID, Contender: "naive"})
	plain := &http.Client{Transport: &http.Transport{DisableCompression: true}}
	ask := func(path, accept, tag string) (*http.Response, []byte) {
		req, err := http.NewRequest(http.MethodGet, s.Address()+api.Prefix+path, nil)
		require.NoError(t, err)
		if accept != "" {
			req.Header.Set("Accept-Encoding", accept)
		}
		req.Header.Set("If-None-Match", tag)
		res, err := plain.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		body, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res, body
	}
	for _, path := range []string{"/releases/" + rel.ID + "/curve?series=quay", "/bakeoffs/" + b.ID + "/curves?series=quay"} {
		whole, body := ask(path, "", "")
		assert.Empty(t, whole.Header.Get("Content-Encoding"), path)
		for range 2 { // made, and made before
			short, packed := ask(path, "br, gzip", "")
			require.Equal(t, "gzip", short.Header.Get("Content-Encoding"), path)
			assert.Less(t, len(packed), len(body)/3, path)
			r, err := gzip.NewReader(bytes.NewReader(packed))
			require.NoError(t, err)
			got, err := io.ReadAll(r)
			require.NoError(t, err)
			assert.Equal(t, string(body), string(got), path)
			assert.Contains(t, short.Header.Get("Vary"), "Accept-Encoding", path)
			if tag := short.Header.Get("ETag"); tag != "" {
				assert.NotEqual(t, whole.Header.Get("ETag"), tag)
				known, none := ask(path, "gzip", tag)
				assert.Equal(t, []any{http.StatusNotModified, 0, ""}, []any{known.StatusCode, len(none), known.Header.Get("Content-Encoding")})
				other, _ := ask(path, "", tag)
				assert.Equal(t, http.StatusOK, other.StatusCode, "the tag is of the compressed bytes")
			}
		}
	}
	small, _ := ask("/datasets", "gzip", "")
	assert.Empty(t, small.Header.Get("Content-Encoding"))
	stream, _ := ask("/bakeoffs/"+b.ID+"/export", "gzip", "")
	assert.Empty(t, stream.Header.Get("Content-Encoding"), "streams go out as they come")
}
