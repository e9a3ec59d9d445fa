package service

import (
	"net/http/httptest"
	"testing"
	"testing/fstest"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Deep links get the page and tell that somebody opened one; files do not, and are kept.
func TestPagesAndFilesAreServed(t *testing.T) {
	opened := 0
	app := fiber.New(fiber.Config{ErrorHandler: writeProblem})
	app.Use(newStatic(fstest.MapFS{"index.html": {Data: []byte("<h1>page</h1>")}, "assets/a.js": {Data: []byte("go()")},
		".hidden": {Data: []byte("no")}}, func() { opened++ }).serve)
	for _, c := range []struct {
		method, path, cache string
		status, opened      int
	}{{"GET", "/", "no-cache", 200, 1}, {"GET", "/bakeoffs/bake-1", "no-cache", 200, 2}, {"GET", "/index.html", "no-cache", 200, 3},
		{"GET", "/assets/a.js", "public, max-age=31536000, immutable", 200, 3}, {"GET", "/assets/b.js", "", 404, 3},
		{"GET", "/.hidden", "", 404, 3}, {"POST", "/", "", 404, 3}} {
		res, err := app.Test(httptest.NewRequest(c.method, c.path, nil))
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		assert.Equal(t, []any{c.status, c.cache, c.opened}, []any{res.StatusCode, res.Header.Get("Cache-Control"), opened}, "%s %s", c.method, c.path)
	}
}
