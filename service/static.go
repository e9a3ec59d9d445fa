package service

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"io/fs"
	"mime"
	"path"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
)

// static serves the built console from memory: hashed assets for ever, the page
// itself never from a cache, and the page for every deep link.
type static struct {
	files    map[string]asset
	openings openings
	opened   func() // called when a browser opens a page
}

type asset struct {
	plain, zipped []byte
	tag, kind     string
}

// kinds are those that Go knows only with the system's tables.
var kinds = map[string]string{".woff2": "font/woff2", ".svg": "image/svg+xml", ".js": "text/javascript; charset=utf-8",
	".css": "text/css; charset=utf-8", ".html": "text/html; charset=utf-8"}

func newStatic(files fs.FS, opened func()) static {
	s := static{files: map[string]asset{}, opened: opened}
	if files == nil {
		return s
	}
	_ = fs.WalkDir(files, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.HasPrefix(path.Base(name), ".") {
			return err
		}
		b, err := fs.ReadFile(files, name)
		if err == nil {
			s.files["/"+name] = newAsset(name, b)
		}
		return err
	})
	s.openings = newOpenings(s.files)
	return s
}

func newAsset(name string, b []byte) asset {
	sum := sha256.Sum256(b)
	a := asset{plain: b, tag: `"` + hex.EncodeToString(sum[:8]) + `"`, kind: kinds[path.Ext(name)]}
	if a.kind == "" {
		a.kind = mime.TypeByExtension(path.Ext(name))
	}
	if a.kind == "" {
		a.kind = "application/octet-stream"
	}
	var z bytes.Buffer
	w, _ := gzip.NewWriterLevel(&z, gzip.BestCompression)
	_, _ = w.Write(b)
	_ = w.Close()
	if z.Len() < len(b)*9/10 {
		a.zipped = z.Bytes()
	}
	return a
}

func (s static) serve(c fiber.Ctx) error {
	if m := c.Method(); m != fiber.MethodGet && m != fiber.MethodHead {
		return huma.Error404NotFound("there is nothing here to write to")
	}
	index, built := s.files["/index.html"]
	if !built {
		return huma.Error503ServiceUnavailable("the console was not built into this binary: run 'make build'")
	}
	name := c.Path()
	a, ok := s.files[name]
	switch {
	case !ok && (strings.HasPrefix(name, "/assets/") || path.Dir(name) == "/" && path.Ext(name) != ""):
		// Deeper down a dot may be a dataset's.
		return notFound("no file %s", name)
	case !ok || name == "/index.html":
		a = s.openings.page(index, c.OriginalURL())
		c.Set("Cache-Control", "no-cache")
		// A browser says so; what only looks whether the service is there does not.
		if c.Method() == fiber.MethodGet && strings.Contains(c.Get("Accept"), "text/html") {
			s.opened()
		}
	case strings.HasPrefix(name, "/assets/"):
		c.Set("Cache-Control", "public, max-age=31536000, immutable")
	default:
		c.Set("Cache-Control", "no-cache")
	}
	c.Set("ETag", a.tag)
	c.Set("Vary", "Accept-Encoding")
	if c.Get("If-None-Match") == a.tag {
		return c.SendStatus(fiber.StatusNotModified)
	}
	c.Set("Content-Type", a.kind)
	if a.zipped != nil && strings.Contains(c.Get("Accept-Encoding"), "gzip") {
		c.Set("Content-Encoding", "gzip")
		return c.Send(a.zipped)
	}
	return c.Send(a.plain)
}
