// Package client is the Go client of a Paper Kettle service. It knows the contract
// in package api and nothing of the service behind it.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"syscall"

	"paperkettle/api"
)

// Client talks to one service.
type Client struct {
	base  string
	token string
	http  *http.Client
}

// Option changes a new client.
type Option func(*Client)

// WithToken sends a token with every request.
func WithToken(token string) Option { return func(c *Client) { c.token = token } }

// WithHTTP uses another HTTP client.
func WithHTTP(h *http.Client) Option { return func(c *Client) { c.http = h } }

// New makes a client of the service at an address such as http://127.0.0.1:8484.
func New(server string, opts ...Option) (*Client, error) {
	u, err := url.Parse(server)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, fmt.Errorf("server %q is not an address: write http://127.0.0.1:8484", server)
	}
	c := &Client{base: strings.TrimRight(server, "/"), http: &http.Client{}}
	for _, o := range opts {
		o(c)
	}
	return c, nil
}

// call is one request: path parameters in the order of the route, then a query and a body.
type call struct {
	path  []string
	query url.Values
	body  any       // sent as JSON
	file  io.Reader // sent as it is
	key   string    // idempotency key
}

func (c *Client) address(r api.Route, in call) string {
	path := r.Path
	for _, v := range in.path {
		from, to := strings.Index(path, "{"), strings.Index(path, "}")
		path = path[:from] + url.PathEscape(v) + path[to+1:]
	}
	address := c.base + api.Prefix + path
	if len(in.query) > 0 {
		address += "?" + in.query.Encode()
	}
	return address
}

// cutOff are the ways in which a connection ends that was there: as the network says it, or as the part that reads
// says it to the part that writes.
var cutOff = []error{syscall.ECONNRESET, syscall.EPIPE, net.ErrClosed, io.EOF, io.ErrUnexpectedEOF}

// send makes a request and turns a refusal into its *api.Problem.
func (c *Client) send(ctx context.Context, r api.Route, in call) (*http.Response, error) {
	var body io.Reader
	kind := ""
	switch {
	case in.file != nil:
		body, kind = in.file, "application/octet-stream"
	case in.body != nil:
		b, err := json.Marshal(in.body)
		if err != nil {
			return nil, err
		}
		body, kind = bytes.NewReader(b), "application/json"
	}
	req, err := http.NewRequestWithContext(ctx, r.Method, c.address(r, in), body)
	if err != nil {
		return nil, err
	}
	if kind != "" {
		req.Header.Set("Content-Type", kind)
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	if key, ok := ctx.Value(keyed{}).(string); ok && in.key == "" {
		in.key = key
	}
	if in.key != "" {
		req.Header.Set("Idempotency-Key", in.key)
	}
	res, err := c.http.Do(req)
	if err != nil {
		var op *url.Error
		if errors.As(err, &op) && ctx.Err() == nil {
			if in.file != nil && slices.ContainsFunc(cutOff, func(as error) bool { return errors.Is(err, as) }) {
				return nil, fmt.Errorf("%s closed the connection while the file was being sent (%v): it has refused the file, or it has stopped; try "+
					"with --dry-run", c.base, op.Err)
			}
			return nil, fmt.Errorf("no answer from %s (%v): is the service running? start it with 'paperkettle serve' or 'paperkettle demo'", c.base, op.Err)
		}
		return nil, err
	}
	if res.StatusCode >= 300 {
		defer res.Body.Close()
		return nil, readProblem(res)
	}
	return res, nil
}

func readProblem(res *http.Response) error {
	b, _ := io.ReadAll(io.LimitReader(res.Body, 1<<20))
	p := &api.Problem{Status: res.StatusCode}
	if json.Unmarshal(b, p) != nil || p.Detail == "" {
		p.Detail = fmt.Sprintf("the service answered %s: %s", res.Status, bytes.TrimSpace(b))
	}
	return p
}

func do[T any](ctx context.Context, c *Client, r api.Route, in call) (T, error) {
	var out T
	res, err := c.send(ctx, r, in)
	if err != nil {
		return out, err
	}
	defer res.Body.Close()
	if err := json.NewDecoder(res.Body).Decode(&out); err != nil {
		return out, fmt.Errorf("reading the answer to %s: %w", r.ID, err)
	}
	return out, nil
}

func doEmpty(ctx context.Context, c *Client, r api.Route, in call) error {
	res, err := c.send(ctx, r, in)
	if err == nil {
		err = res.Body.Close()
	}
	return err
}

// all reads every page of a list.
func all[T any](ctx context.Context, c *Client, r api.Route, in call) ([]T, error) {
	out := []T{}
	if in.query == nil {
		in.query = url.Values{}
	}
	in.query.Set("limit", "1000")
	for {
		page, err := do[api.Page[T]](ctx, c, r, in)
		if err != nil {
			return nil, err
		}
		out = append(out, page.Items...)
		if page.Cursor == "" {
			return out, nil
		}
		in.query.Set("cursor", page.Cursor)
	}
}

func path(v ...string) call { return call{path: v} }

type keyed struct{}

// WithKey gives the requests that are made under a context an Idempotency-Key, for those that take
// none of their own: a load or actuals that are sent again with the same key are taken once.
func WithKey(ctx context.Context, key string) context.Context {
	return context.WithValue(ctx, keyed{}, key)
}

func formatQuery(format []string) url.Values {
	if len(format) == 0 || format[0] == "" {
		return nil
	}
	return url.Values{"format": format[:1]}
}

func (c *Client) copy(ctx context.Context, r api.Route, in call, to io.Writer) error {
	res, err := c.send(ctx, r, in)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if _, err = io.Copy(to, res.Body); err != nil {
		return fmt.Errorf("the export broke off: %w", err)
	}
	return nil
}

// reconnects is how often in a row a broken progress stream is taken up again.
const reconnects = 5

// Tokens lists them without their secrets.
func (c *Client) Tokens(ctx context.Context) ([]api.Token, error) {
	return all[api.Token](ctx, c, api.ListTokens, call{})
}

// CreateToken makes one and shows its secret, this once.
func (c *Client) CreateToken(ctx context.Context, in api.TokenRequest) (api.Token, error) {
	return do[api.Token](ctx, c, api.CreateToken, call{body: in})
}

// RevokeToken ends one.
func (c *Client) RevokeToken(ctx context.Context, name string) error {
	return doEmpty(ctx, c, api.RevokeToken, path(name))
}

// Audit lists the newest lines of who did what.
func (c *Client) Audit(ctx context.Context, limit int) ([]api.AuditLine, error) {
	page, err := do[api.Page[api.AuditLine]](ctx, c, api.ListAudit, call{query: url.Values{"limit": {strconv.Itoa(limit)}}})
	return page.Items, err
}
