// Package service is the HTTP face of Paper Kettle: routes, access, errors,
// progress streams and metrics over the store and the jobs.
package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"reflect"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
	"github.com/valyala/fasthttp"
	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/jobs"
	"paperkettle/pretrain/weights"
	"paperkettle/results"
	"paperkettle/store"
)

// Version is the version of the service.
const Version = "0.1.0"

// Config says how to run a service.
type Config struct {
	Data    string
	Listen  string
	Workers int
	Fits    int64  // bytes of trained contenders that are kept; 0 for DefaultFits, below it for none
	Public  string // the address that people use, where a proxy stands before the service; empty for none
	Secrets string // folder that the files of secrets lie in; empty for none
	Console fs.FS  // the built console; nil where it was not built
}

// DefaultFits is how many bytes of trained contenders are kept if not told otherwise.
const DefaultFits = 512 << 20

// Server is a running service.
type Server struct {
	store     *store.Store
	jobs      *jobs.Manager
	results   *results.Repository
	catalogue model.Catalogue
	forecasts chan struct{} // those at work
	turns     chan struct{} // of streams that are made
	secrets   string        // folder
	answers   answers
	doors     atomic.Pointer[doors]
	public    *url.URL   // where people reach it through a proxy; nil for none
	ended     chan error // why serving ended by itself
	app       *fiber.App
	contract  huma.API
	listener  *guarded
	local     bool
	ctx       context.Context // ends when the service stops; streams end with it
	stop      context.CancelFunc
	loading   sync.Mutex // one load at a time: merging needs the latest revision
	replaying sync.Map
	meters    *meters
	surveys   sync.Map // of revisions, by ID: they never change either
	engines   engines
	ahead     lately[outlook, []string]
	refits    refits
	leaders   sync.Map // of finished bake-offs, by ID: they never change
}

// DefaultListen is where the service listens if not told otherwise.
const DefaultListen = "127.0.0.1:8484"

// Start opens the data folder, resumes what a stop cut short, and serves.
func Start(cfg Config) (*Server, error) {
	st, err := store.Open(cfg.Data)
	if err != nil {
		return nil, err
	}
	s := &Server{store: st, catalogue: families(), forecasts: make(chan struct{}, forecastsAtOnce), turns: make(chan struct{}, streamsAtOnce),
		ended: make(chan error, 1), secrets: cfg.Secrets}
	s.ctx, s.stop = context.WithCancel(context.Background())
	if s.public, err = publicAddress(cfg.Public); err == nil {
		err = s.listen(cfg.Listen)
	}
	if err != nil {
		st.Close()
		return nil, err
	}
	if cfg.Fits == 0 {
		cfg.Fits = DefaultFits
	}
	s.results = results.Open(st, s.catalogue, cfg.Workers, cfg.Fits)
	if err := s.results.Refresh(s.ctx); err != nil {
		return nil, errors.Join(err, s.listener.Close(), st.Close())
	}
	s.jobs = jobs.New(st, cfg.Workers, map[string]jobs.Opener{
		jobs.KindBakeoff:  jobs.Bakeoffs(s.results),
		jobs.KindRelease:  jobs.Releases(s.results),
		jobs.KindScenario: jobs.Scenarios(s.results),
	})
	s.meters = newMeters()
	s.app = s.newApp(cfg.Console)
	s.jobs.Start()
	go func() {
		err := s.app.Listener(s.listener, fiber.ListenConfig{DisableStartupMessage: true})
		if s.ctx.Err() == nil {
			slog.Error("serving ended", "error", err)
			s.ended <- errors.Join(errors.New("the service stopped serving"), err)
		}
	}()
	return s, nil
}

// Ended tells why serving ended by itself.
func (s *Server) Ended() <-chan error { return s.ended }

// listen refuses to be reached from outside without a token.
func (s *Server) listen(address string) error {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return fmt.Errorf("listen address %q: write host:port, as %s", address, DefaultListen)
	}
	s.local = isLoopback(host) && s.public == nil
	if !s.local {
		var n int64
		if err := s.store.Read(context.Background()).Model(&store.Token{}).Count(&n).Error; err != nil {
			return err
		}
		if n == 0 && s.public != nil {
			return fmt.Errorf("refusing to be reached at %s without a token: start without --public-url first and run 'paperkettle token create "+
				"NAME --role admin'", s.public)
		}
		if n == 0 {
			return fmt.Errorf("refusing to listen on %s without a token: start on %s first and run 'paperkettle token create NAME --role admin'",
				address, DefaultListen)
		}
	}
	own, err := net.Listen("tcp", address)
	if err != nil {
		return fmt.Errorf("listening on %s: %w", address, err)
	}
	s.listener = guard(own, usualLimits())
	return nil
}

func isLoopback(host string) bool {
	if host == "localhost" {
		return true
	}
	ip := net.ParseIP(strings.Trim(host, "[]"))
	return ip != nil && ip.IsLoopback()
}

// Open says whether anyone on this machine may do anything: no token exists yet.
func (s *Server) Open() bool {
	var n int64
	err := s.store.Read(s.ctx).Model(&store.Token{}).Count(&n).Error
	return err == nil && n == 0
}

// Address is where the service can be reached.
func (s *Server) Address() string { return "http://" + s.listener.Addr().String() }

// grace is how long requests that are under way may take once the service is to stop.
const grace = 5 * time.Second

// Close stops taking requests, lets the tasks in hand finish, and closes the data.
func (s *Server) Close() error {
	s.stop()
	err := s.app.ShutdownWithTimeout(grace)
	if errors.Is(err, fiber.ErrNotRunning) {
		err = nil
	}
	if errors.Is(err, context.DeadlineExceeded) { // of clients that are slow: they have had their time
		s.listener.hangUp()
		err = nil
	}
	s.jobs.Close()
	return errors.Join(err, s.store.Close())
}

func (s *Server) newApp(console fs.FS) *fiber.App {
	app := fiber.New(fiber.Config{
		AppName:                      "Paper Kettle",
		Immutable:                    true,
		StreamRequestBody:            true,
		DisablePreParseMultipartForm: true,
		UnescapePath:                 false,
		IdleTimeout:                  2 * time.Minute,
		ReadTimeout:                  headLimit,
		WriteTimeout:                 answerLimit,
		ReadBufferSize:               16 << 10,
		ErrorHandler:                 writeProblem,
	})
	app.Server().HeaderReceived = func(*fasthttp.RequestHeader) fasthttp.RequestConfig {
		return fasthttp.RequestConfig{ReadTimeout: bodyLimit}
	}
	app.Use(recoverer, s.meters.middleware, secure)
	app.Get("/healthz", func(c fiber.Ctx) error { return c.SendString("ok\n") })
	app.Get("/readyz", func(c fiber.Ctx) error {
		if err := s.ownHost(c); err != nil {
			return err
		}
		if err := s.store.Ready(c.Context()); err != nil {
			return problem(err)
		}
		return c.SendString("ready\n")
	})
	app.Get("/metrics", func(c fiber.Ctx) error {
		if err := s.ownHost(c); err != nil {
			return err
		}
		return s.meters.handler(c)
	})
	group := app.Group(api.Prefix, zipped, s.enter, s.replay, s.again)
	s.contract = newContract(adapter{group, s.whileThere})
	s.register()
	group.Get("/openapi.json", func(c fiber.Ctx) error {
		b, err := OpenAPI()
		if err != nil {
			return err
		}
		c.Set("Content-Type", "application/openapi+json")
		return c.Send(b)
	})
	group.Post("/session", s.openSession)
	group.Use(func(c fiber.Ctx) error {
		return notFound("there is no route %s %s: see %s/openapi.json", c.Method(), c.Path(), api.Prefix)
	})
	app.Use(newStatic(console, s.jobs.Breathe).serve)
	return app
}

// recoverer turns a panic of a handler into a problem.
func recoverer(c fiber.Ctx) (err error) {
	defer func() {
		if r := recover(); r != nil {
			slog.Error("a handler broke down", "path", c.Path(), "reason", r)
			err = huma.Error500InternalServerError("the service broke down on this request")
		}
	}()
	return c.Next()
}

// secure sets headers that keep a browser from doing more than the console needs.
func secure(c fiber.Ctx) error {
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("X-Frame-Options", "DENY")
	c.Set("Referrer-Policy", "no-referrer")
	c.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; frame-ancestors 'none'")
	return c.Next()
}

func newContract(router adapter) huma.API {
	cfg := huma.DefaultConfig("Paper Kettle", Version)
	cfg.DocsPath, cfg.OpenAPIPath, cfg.SchemasPath = "", "", ""
	cfg.CreateHooks = nil
	cfg.Servers = []*huma.Server{{URL: api.Prefix}}
	cfg.Info.Description = "Bake-offs of forecasts: load series, compare contenders, publish intervals, watch actuals."
	cfg.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token": {Type: "http", Scheme: "bearer", Description: "Not needed on loopback until a token is created."},
	}
	cfg.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", schemaName)
	huma.DefaultArrayNullable = false
	contract := huma.NewAPI(cfg, router)
	contract.UseMiddleware(func(ctx huma.Context, next func(huma.Context)) {
		need, _ := ctx.Operation().Metadata["role"].(api.Role)
		if err := allowed(ctx.Context(), need); err != nil {
			_ = huma.WriteErr(contract, ctx, err.GetStatus(), err.Error())
			return
		}
		next(ctx)
	})
	return contract
}

// families is the catalogue. Where the weights of the pretrained network can't be read, the other
// families work.
func families() model.Catalogue {
	w, err := weights.Open()
	if err != nil {
		slog.Error("the family pretrained is left out", "error", err)
	}
	return catalogue.With(w)
}

// schemaName names types as they are in Go, without the brackets of generics.
func schemaName(t reflect.Type, hint string) string {
	name := huma.DefaultSchemaNamer(t, hint)
	return strings.TrimPrefix(name, "Api")
}

// OpenAPI is the contract as an OpenAPI 3.1 document.
var OpenAPI = sync.OnceValues(func() ([]byte, error) {
	s := &Server{catalogue: families()}
	s.contract = newContract(adapter{fiber.New().Group(api.Prefix), nil})
	s.register()
	return json.MarshalIndent(s.contract.OpenAPI(), "", "  ")
})

// register adds every operation to the contract.
func (s *Server) register() {
	s.registerData()
	s.registerSources()
	s.registerFamilies()
	s.registerBakeoffs()
	s.registerJobs()
	s.registerReleases()
	s.registerScenarios()
	s.registerFlags()
	s.registerAccess()
	s.describeSettings()
}

// body wraps what an operation answers with.
type body[T any] struct{ Body T }

// handle adds a route whose handler answers with a body.
func handle[I, O any](s *Server, r api.Route, h func(context.Context, *I) (O, error)) {
	huma.Register(s.contract, operation(r), func(ctx context.Context, in *I) (*body[O], error) {
		out, err := h(ctx, in)
		if err != nil {
			return nil, problem(err)
		}
		answer := &body[O]{out}
		fillLists(reflect.ValueOf(&answer.Body).Elem())
		return answer, nil
	})
}

// handleEmpty adds a route that answers with no body.
func handleEmpty[I any](s *Server, r api.Route, h func(context.Context, *I) error) {
	huma.Register(s.contract, operation(r), func(ctx context.Context, in *I) (*struct{}, error) {
		return nil, problem(h(ctx, in))
	})
}

// handleStream adds a route that streams a text of a media type. The handler
// prepares; what it returns writes after the headers went out.
func handleStream[I any](s *Server, r api.Route, mediaType string, h func(context.Context, *I) (stream, error)) {
	op := operation(r)
	op.Responses = map[string]*huma.Response{"200": {Description: "OK",
		Content: map[string]*huma.MediaType{mediaType: {Schema: &huma.Schema{Type: "string"}}}}}
	huma.Register(s.contract, op, func(ctx context.Context, in *I) (*huma.StreamResponse, error) {
		st, err := h(ctx, in)
		if err != nil {
			return nil, problem(err)
		}
		return &huma.StreamResponse{Body: func(hc huma.Context) { s.send(hc.(interface{ fiber() fiber.Ctx }).fiber(), mediaType, st) }}, nil
	})
}

func (r *request) fiber() fiber.Ctx { return r.c }

// maxJSON bounds a request that is not a file.
const maxJSON = 4 << 20

func operation(r api.Route) huma.Operation {
	op := huma.Operation{OperationID: r.ID, Method: r.Method, Path: r.Path, Summary: r.Summary, Tags: []string{r.Tag},
		Metadata: map[string]any{"role": r.Role}, DefaultStatus: r.Status, Security: []map[string][]string{{"token": {}}, {}},
		Errors: []int{http.StatusUnprocessableEntity}, MaxBodyBytes: maxJSON}
	if op.DefaultStatus == 0 {
		op.DefaultStatus = http.StatusOK
	}
	if strings.Contains(r.Path, "{") {
		op.Errors = append(op.Errors, http.StatusNotFound)
	}
	return op
}

// Paging are the parameters of a list.
type Paging struct {
	Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"100"`
	Cursor string `query:"cursor" doc:"from the page before"`
}

// offset reads a cursor of a list that is paged by position.
func (p Paging) offset() (int, error) {
	if p.Cursor == "" {
		return 0, nil
	}
	v, err := strconv.Atoi(p.Cursor)
	if err != nil || v < 0 {
		return 0, invalid("query.cursor", "%q is no cursor of this list: leave it out to start at the first page", p.Cursor)
	}
	return v, nil
}

// newest reads a page of a query's records, the newest first, and shows each.
func newest[R, O any](in Paging, query *gorm.DB, show func(*R) (O, error)) (api.Page[O], error) {
	out := api.Page[O]{Items: []O{}}
	offset, err := in.offset()
	if err != nil {
		return out, err
	}
	var total int64
	var list []R
	err = errors.Join(query.Session(&gorm.Session{}).Count(&total).Error,
		query.Session(&gorm.Session{}).Order("id DESC").Offset(offset).Limit(in.Limit).Find(&list).Error)
	if err != nil {
		return out, err
	}
	for i := range list {
		item, err := show(&list[i])
		if err != nil {
			return out, err
		}
		out.Items = append(out.Items, item)
	}
	out.Total, out.Cursor = int(total), nextCursor(offset, len(list), int(total))
	return out, nil
}

// nextCursor is empty on the last page.
func nextCursor(offset, shown, total int) string {
	if offset+shown >= total {
		return ""
	}
	return strconv.Itoa(offset + shown)
}

// identifier reads "bake-3" or "3".
func identifier(kind, text string) (uint, error) {
	v, err := strconv.ParseUint(strings.TrimPrefix(text, kind+"-"), 10, 32)
	if err != nil {
		return 0, notFound("%q is not an ID of the form %s-3", text, kind)
	}
	return uint(v), nil
}

func idText(kind string, id uint) string { return fmt.Sprintf("%s-%d", kind, id) }
