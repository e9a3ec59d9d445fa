package service

import (
	"net/http/httptest"
	"testing"
	"testing/fstest"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Deep links get the page and tell that a browser opened one; files do not, and are kept.
func TestPagesAndFilesAreServed(t *testing.T) {
	const browser = "text/html,application/xhtml+xml,*/*;q=0.8"
	opened := 0
	app := fiber.New(fiber.Config{ErrorHandler: writeProblem})
	app.Use(newStatic(fstest.MapFS{"index.html": {Data: []byte("<h1>page</h1>")}, "assets/a.js": {Data: []byte("go()")},
		".hidden": {Data: []byte("no")}}, func() { opened++ }).serve)
	for _, c := range []struct {
		method, path, accept, cache string
		status, opened              int
	}{{"GET", "/", browser, "no-cache", 200, 1}, {"GET", "/bakeoffs/bake-1", browser, "no-cache", 200, 2}, {"GET", "/index.html", browser, "no-cache", 200, 3},
		{"GET", "/", "*/*", "no-cache", 200, 3}, {"HEAD", "/", browser, "no-cache", 200, 3},
		{"GET", "/assets/a.js", browser, "public, max-age=31536000, immutable", 200, 3}, {"GET", "/assets/b.js", "*/*", "", 404, 3},
		{"GET", "/.hidden", browser, "", 404, 3}, {"POST", "/", browser, "", 404, 3}} {
		req := httptest.NewRequest(c.method, c.path, nil)
		req.Header.Set("Accept", c.accept)
		res, err := app.Test(req)
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		assert.Equal(t, []any{c.status, c.cache, c.opened}, []any{res.StatusCode, res.Header.Get("Cache-Control"), opened}, "%s %s", c.method, c.path)
	}
}
