package service

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/store"
)

// caller is who makes a request.
type caller struct {
	id   string // of the token: a name can be given again
	name string
	role api.Role
}

type callerKey struct{}

func callerOf(ctx context.Context) caller {
	c, _ := ctx.Value(callerKey{}).(caller)
	return c
}

const cookieName = "paperkettle_token"

// enter finds out who calls. On loopback anyone is the admin until a token exists.
func (s *Server) enter(c fiber.Ctx) error {
	if err := s.sameSite(c); err != nil {
		return err
	}
	who, err := s.identify(c)
	if err != nil {
		return err
	}
	c.SetContext(context.WithValue(c.Context(), callerKey{}, who))
	return c.Next()
}

func (s *Server) identify(c fiber.Ctx) (caller, error) {
	secret := bearer(c.Get("Authorization"))
	if secret == "" {
		secret = c.Cookies(cookieName)
	}
	tokens, err := s.tokens(c.Context())
	if err != nil {
		return caller{}, err
	}
	if len(tokens) == 0 && s.local {
		return caller{"local", "local", api.Admin}, nil
	}
	hash := hashSecret(secret)
	for _, t := range tokens {
		if t.Hash == hash {
			return caller{fmt.Sprint(t.ID), t.Name, api.Role(t.Role)}, nil
		}
	}
	return caller{}, nil // a stranger: refused by allowed
}

// doors are the tokens as they were at a change.
type doors struct {
	change int64
	tokens []store.Token
}

// tokens are those that let someone in, read anew after every change.
func (s *Server) tokens(ctx context.Context) ([]store.Token, error) {
	change := s.store.Change()
	if d := s.doors.Load(); d != nil && d.change == change {
		return d.tokens, nil
	}
	d := &doors{change: change}
	if err := s.store.Read(ctx).Find(&d.tokens).Error; err != nil {
		return nil, err
	}
	s.doors.Store(d)
	return d.tokens, nil
}

// bearer is the token of an Authorization header; the scheme's case does not matter (RFC 9110, 11.1).
func bearer(header string) string {
	scheme, secret, _ := strings.Cut(strings.TrimSpace(header), " ")
	if !strings.EqualFold(scheme, "Bearer") {
		return ""
	}
	return strings.TrimSpace(secret)
}

// sameSite refuses writes that another site's page sends through a browser, and foreign host names.
func (s *Server) sameSite(c fiber.Ctx) error {
	if err := s.ownHost(c); err != nil {
		return err
	}
	host := string(c.Request().Host())
	origin := c.Get("Origin")
	if origin == "" || c.Method() == fiber.MethodGet || c.Method() == fiber.MethodHead {
		return nil
	}
	u, err := url.Parse(origin)
	direct := err == nil && u.Host == host && (s.public == nil || !strings.EqualFold(host, s.public.Host))
	if err != nil || !direct && !s.isPublic(u) {
		return huma.Error403Forbidden("writes from another site's pages are refused")
	}
	return nil
}

// publicAddress reads the address that a proxy has for the service; nil for an empty one.
func publicAddress(text string) (*url.URL, error) {
	if text == "" {
		return nil, nil
	}
	u, err := url.Parse(text)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || strings.Trim(u.Path, "/") != "" || u.RawQuery != "" {
		return nil, fmt.Errorf("the public address %q is not one: write https://kettle.example, without a path", text)
	}
	return &url.URL{Scheme: u.Scheme, Host: u.Host}, nil
}

// isPublic says whether a page's origin is the address that people use.
func (s *Server) isPublic(origin *url.URL) bool {
	return s.public != nil && origin.Scheme == s.public.Scheme && strings.EqualFold(origin.Host, s.public.Host)
}

// ownHost refuses host names that were pointed at a service without tokens.
func (s *Server) ownHost(c fiber.Ctx) error {
	host := string(c.Request().Host())
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	if s.local && !isLoopback(host) {
		return huma.Error403Forbidden("the service is asked for by a foreign host name: use 127.0.0.1 or localhost, or name the proxy's address " +
			"with --public-url")
	}
	if s.public != nil && !isLoopback(host) && !strings.EqualFold(host, s.public.Hostname()) {
		return huma.Error403Forbidden("the service is asked for by a foreign host name: its address is " + s.public.String())
	}
	return nil
}

// allowed says whether the caller may do what needs a role.
func allowed(ctx context.Context, need api.Role) huma.StatusError {
	who := callerOf(ctx)
	if who.role == "" {
		return huma.Error401Unauthorized("a token is needed: send it as 'Authorization: Bearer ...', or set PAPERKETTLE_TOKEN")
	}
	if slices.Index(api.Roles, who.role) < slices.Index(api.Roles, need) {
		return huma.Error403Forbidden("this needs the role " + string(need) + ", and the token has " + string(who.role))
	}
	return nil
}

// mostSession is how many bytes the asking for a session may have: anyone may send it.
const mostSession = 4 << 10

// openSession keeps a token in a cookie that scripts can't read, for the console.
func (s *Server) openSession(c fiber.Ctx) error {
	var in struct {
		Token string `json:"token"`
	}
	b, err := io.ReadAll(io.LimitReader((&request{c: c}).BodyReader(), mostSession+1))
	if err == nil && len(b) > mostSession {
		return huma.NewError(http.StatusRequestEntityTooLarge, "a session is asked for in a few bytes: send {\"token\": \"...\"}")
	}
	if err != nil || json.Unmarshal(b, &in) != nil {
		return huma.Error400BadRequest("send {\"token\": \"...\"}")
	}
	var n int64
	if err := s.store.Read(c.Context()).Model(&store.Token{}).Where("hash = ?", hashSecret(in.Token)).Count(&n).Error; err != nil {
		return err
	}
	if n == 0 {
		return huma.Error401Unauthorized("this token is not known here")
	}
	// Through a proxy that speaks TLS the cookie goes over TLS alone.
	from, err := url.Parse(c.Get("Origin"))
	secure := err == nil && s.isPublic(from) && s.public.Scheme == "https"
	c.Cookie(&fiber.Cookie{Name: cookieName, Value: in.Token, Path: "/", HTTPOnly: true, Secure: secure,
		SameSite: fiber.CookieSameSiteStrictMode, MaxAge: 30 * 86400})
	return c.SendStatus(fiber.StatusNoContent)
}

func hashSecret(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}

func newSecret() string {
	var b [20]byte
	_, _ = rand.Read(b[:]) // never fails
	return "pk_" + strings.ToLower(base32.StdEncoding.EncodeToString(b[:]))
}

// note writes a line of audit in a write's own transaction, and with it, where the request carries an
// Idempotency-Key, that the request was done.
func note(ctx context.Context, tx *gorm.DB, action, object, detail string) error {
	if m, ok := ctx.Value(markKey{}).(*mark); ok {
		if err := m.keep(tx, object); err != nil {
			return err
		}
	}
	return tx.Create(&store.Audit{At: time.Now().UTC(), Who: callerOf(ctx).name, Action: action, Object: object, Detail: detail}).Error
}

// keepsAdmin refuses to take away the last admin's token: nobody could make a new one.
func keepsAdmin(tx *gorm.DB, name string) error {
	var tokens []store.Token
	if err := tx.Find(&tokens).Error; err != nil {
		return err
	}
	admins, own := 0, false
	for _, t := range tokens {
		if t.Role == string(api.Admin) {
			admins++
			own = own || t.Name == name
		}
	}
	if own && admins == 1 {
		return conflict("%q is the last admin's token: nobody could make or revoke tokens after it; make another admin's first", name)
	}
	return nil
}

func (s *Server) registerAccess() {
	handle(s, api.ListTokens, func(ctx context.Context, _ *struct{}) (api.Page[api.Token], error) {
		var list []store.Token
		err := s.store.Read(ctx).Order("name").Find(&list).Error
		out := api.Page[api.Token]{Items: []api.Token{}, Total: len(list)}
		for _, t := range list {
			out.Items = append(out.Items, api.Token{Name: t.Name, Role: api.Role(t.Role), Created: t.CreatedAt})
		}
		return out, err
	})
	handle(s, api.CreateToken, func(ctx context.Context, in *struct{ Body api.TokenRequest }) (api.Token, error) {
		secret := newSecret()
		t := store.Token{Name: in.Body.Name, Hash: hashSecret(secret), Role: string(in.Body.Role), CreatedAt: time.Now().UTC()}
		err := s.store.Write(ctx, func(tx *gorm.DB) error {
			var tokens []store.Token
			if err := tx.Find(&tokens).Error; err != nil {
				return err
			}
			if len(tokens) == 0 && in.Body.Role != api.Admin {
				return invalid("body.role", "the first token must be an admin's: from then on every request needs a token")
			}
			if slices.ContainsFunc(tokens, func(x store.Token) bool { return x.Name == t.Name }) {
				return conflict("there is a token called %q already", t.Name)
			}
			if err := tx.Create(&t).Error; err != nil {
				return err
			}
			return note(ctx, tx, "create token", t.Name, t.Role)
		})
		return api.Token{Name: t.Name, Role: in.Body.Role, Created: t.CreatedAt, Secret: secret}, err
	})
	handleEmpty(s, api.RevokeToken, func(ctx context.Context, in *struct {
		Token string `path:"token"`
	}) error {
		return s.store.Write(ctx, func(tx *gorm.DB) error {
			if err := keepsAdmin(tx, in.Token); err != nil {
				return err
			}
			res := tx.Where("name = ?", in.Token).Delete(&store.Token{})
			if res.Error != nil {
				return res.Error
			}
			if res.RowsAffected == 0 {
				return notFound("no token is called %q", in.Token)
			}
			return note(ctx, tx, "revoke token", in.Token, "")
		})
	})
	handle(s, api.ListAudit, func(ctx context.Context, in *struct{ Paging }) (api.Page[api.AuditLine], error) {
		offset, err := in.offset()
		if err != nil {
			return api.Page[api.AuditLine]{}, err
		}
		var total int64
		var list []store.Audit
		err = errors.Join(s.store.Read(ctx).Model(&store.Audit{}).Count(&total).Error,
			s.store.Read(ctx).Order("id DESC").Offset(offset).Limit(in.Limit).Find(&list).Error)
		out := api.Page[api.AuditLine]{Items: []api.AuditLine{}, Total: int(total), Cursor: nextCursor(offset, len(list), int(total))}
		for _, a := range list {
			out.Items = append(out.Items, api.AuditLine{At: a.At, Who: a.Who, Action: a.Action, Object: a.Object, Detail: a.Detail})
		}
		return out, err
	})
}
