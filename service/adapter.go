package service

import (
	"bytes"
	"context"
	"crypto/tls"
	"errors"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
)

// adapter lets the contract's operations run on Fiber.
type adapter struct {
	router     fiber.Router
	whileThere func(fiber.Ctx) (stop func())
}

// ofFile marks operations whose body is a file.
const ofFile = "file"

func (a adapter) Handle(op *huma.Operation, handler func(huma.Context)) {
	path := strings.NewReplacer("{", ":", "}", "").Replace(op.Path)
	a.router.Add([]string{op.Method}, path, func(c fiber.Ctx) error {
		if takes, _ := op.Metadata[ofFile].(bool); takes {
			defer a.whileThere(c)()
		}
		handler(&request{op: op, c: c})
		if c.Response().StatusCode() >= http.StatusBadRequest {
			drain(c)
		}
		return nil
	})
}

// ServeHTTP is part of the interface, for tests that bring no socket; ours do.
func (a adapter) ServeHTTP(w http.ResponseWriter, _ *http.Request) {
	http.Error(w, "not served here", http.StatusNotImplemented)
}

// request is one call as the contract sees it.
type request struct {
	op     *huma.Operation
	c      fiber.Ctx
	status int
}

func (r *request) Operation() *huma.Operation { return r.op }
func (r *request) Context() context.Context   { return r.c.Context() }
func (r *request) TLS() *tls.ConnectionState  { return r.c.RequestCtx().TLSConnectionState() }
func (r *request) Version() huma.ProtoVersion { return huma.ProtoVersion{Proto: r.c.Protocol()} }
func (r *request) Method() string             { return r.c.Method() }
func (r *request) Host() string               { return r.c.Hostname() }
func (r *request) RemoteAddr() string         { return r.c.RequestCtx().RemoteAddr().String() }
func (r *request) Query(name string) string   { return r.c.Query(name) }
func (r *request) Header(name string) string  { return r.c.Get(name) }

func (r *request) URL() url.URL {
	u, err := url.Parse(r.c.OriginalURL())
	if err != nil {
		return url.URL{Path: r.c.Path()}
	}
	return *u
}

func (r *request) Param(name string) string {
	v := r.c.Params(name)
	if plain, err := url.PathUnescape(v); err == nil {
		return plain
	}
	return v
}

func (r *request) EachHeader(cb func(name, value string)) {
	for k, v := range r.c.Request().Header.All() {
		cb(string(k), string(v))
	}
}

func (r *request) BodyReader() io.Reader {
	if s := r.c.Request().BodyStream(); s != nil {
		return s
	}
	return bytes.NewReader(r.c.Request().Body())
}

func (r *request) GetMultipartForm() (*multipart.Form, error) {
	return nil, errors.New("forms are not taken: send the file itself as the body")
}

func (r *request) SetReadDeadline(t time.Time) error {
	return r.c.RequestCtx().Conn().SetReadDeadline(t)
}

func (r *request) SetStatus(code int) {
	r.status = code
	r.c.Status(code)
}

func (r *request) Status() int                     { return r.status }
func (r *request) SetHeader(name, value string)    { r.c.Set(name, value) }
func (r *request) AppendHeader(name, value string) { r.c.Append(name, value) }
func (r *request) BodyWriter() io.Writer           { return r.c }
