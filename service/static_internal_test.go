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
		{"GET", "/.hidden", browser, "", 404, 3}, {"GET", "/favicon.ico", browser, "", 404, 3}, {"POST", "/", browser, "", 404, 3},
		{"GET", "/data/sales.2024", browser, "no-cache", 200, 4}} {
		req := httptest.NewRequest(c.method, c.path, nil)
		req.Header.Set("Accept", c.accept)
		res, err := app.Test(req)
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		assert.Equal(t, []any{c.status, c.cache, c.opened}, []any{res.StatusCode, res.Header.Get("Cache-Control"), opened}, "%s %s", c.method, c.path)
	}
}

// A page with charts is told what to fetch ahead, by its address alone; what would not be plain in HTML gets
// the page as it is.
func TestPagesAreToldWhatToFetchAhead(t *testing.T) {
	index := newAsset("index.html", []byte("<head><title>Paper Kettle</title></head><body></body>"))
	o := newOpenings(map[string]asset{"/index.html": index, "/assets/painter-x1.js": {}, "/assets/painter-x1.css": {}})
	for address, want := range map[string]string{
		"/data/daily": `<link rel="preload" as="fetch" crossorigin href="/api/v1/datasets/daily">` +
			`<link rel="modulepreload" crossorigin href="/assets/painter-x1.js">`,
		"/releases/rel-12": `<link rel="preload" as="fetch" crossorigin href="/api/v1/releases/rel-12">` +
			`<link rel="preload" as="fetch" crossorigin href="/api/v1/releases/rel-12/curve">` +
			`<link rel="preload" as="fetch" crossorigin href="/api/v1/releases/rel-12/curve?fit=true&amp;brief=true&amp;history=1">` +
			`<link rel="modulepreload" crossorigin href="/assets/painter-x1.js">`,
		"/flags": `<link rel="preload" as="fetch" crossorigin href="/api/v1/flags?state=open&amp;limit=1000">`,
		"/data/two%20words": `<link rel="preload" as="fetch" crossorigin href="/api/v1/datasets/two%20words">` +
			`<link rel="modulepreload" crossorigin href="/assets/painter-x1.js">`,
	} {
		got := o.page(index, address)
		assert.Equal(t, "<head><title>Paper Kettle</title>"+want+"</head><body></body>", string(got.plain), address)
		assert.NotEqual(t, index.tag, got.tag)
	}
	for _, address := range []string{"/", "/data", "/data/daily?revision=1", "/data/a/b", `/data/"><script>`, "/releases/", "/flags?state=settled", "/bakeoffs/bake-1"} {
		assert.Equal(t, index, o.page(index, address), address)
	}
	assert.Equal(t, index, newOpenings(nil).page(index, "/flags"), "a console without its parts")
}
