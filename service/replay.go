package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"paperkettle/api"
	"paperkettle/store"
)

// replayAge is how long an answer is kept for its key.
const replayAge = 24 * time.Hour

// replay answers a repeated write that carries the same Idempotency-Key as before
// with the first answer, without doing it again.
func (s *Server) replay(c fiber.Ctx) error {
	key := c.Get("Idempotency-Key")
	who := callerOf(c.Context())
	// A secret is never kept, so what makes one is not answered a second time; strangers are refused.
	secret := strings.HasPrefix(c.Path(), api.Prefix+api.CreateToken.Path)
	if key == "" || secret || who.role == "" || c.Method() == fiber.MethodGet || c.Method() == fiber.MethodHead {
		return c.Next()
	}
	if len(key) > 200 {
		return huma.Error400BadRequest("an Idempotency-Key has at most 200 characters")
	}
	key = who.id + "\x00" + key
	request := fingerprint(c)
	file := carriesFile(c)
	if _, busy := s.replaying.LoadOrStore(key, true); busy {
		return conflict("a request with this Idempotency-Key is still running: ask again in a moment")
	}
	defer s.replaying.Delete(key)
	var before store.Replay
	err := s.store.Read(c.Context()).Where("key = ? AND created_at > ?", key, time.Now().UTC().Add(-replayAge)).First(&before).Error
	if err == nil {
		if file {
			if request, err = withBody(request, c.Request().BodyStream()); err != nil {
				return err
			}
		}
		if before.Request != request {
			return huma.Error422UnprocessableEntity("this Idempotency-Key was used for another request: take a new one")
		}
		if before.Status == 0 {
			return s.answerAgain(c, string(before.Body))
		}
		c.Set("Content-Type", before.ContentType)
		c.Set("Idempotency-Replayed", "true")
		return c.Status(before.Status).Send(before.Body)
	}
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	m := &mark{key: key, request: request}
	c.SetContext(context.WithValue(c.Context(), markKey{}, m))
	err = c.Next()
	status := c.Response().StatusCode()
	if err != nil || status >= 300 {
		return err // a refusal may be asked again; what was done before its answer failed keeps its mark
	}
	record := store.Replay{Key: key, Request: m.fingerprint(), Status: status, ContentType: string(c.Response().Header.ContentType()),
		Body: append([]byte{}, c.Response().Body()...), CreatedAt: time.Now().UTC()}
	return s.store.Write(c.Context(), func(tx *gorm.DB) error {
		if err := tx.Where("created_at < ?", time.Now().UTC().Add(-replayAge)).Delete(&store.Replay{}).Error; err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&record).Error
	})
}

// mark says that a request under a key was done, in the transaction of what it did: so a stop between
// that and the answer does nothing twice.
type mark struct {
	key, request string
	revision     int       // that a load made
	sum          hash.Hash // of the file, as far as it was read; nil for other bodies
	file         io.Reader // reads the rest of it
}

type markKey struct{}

// keep writes the mark; what was done to names what can be told of it again.
func (m *mark) keep(tx *gorm.DB, object string) error {
	if m.revision > 0 {
		object = fmt.Sprintf("%s\x00%d", object, m.revision)
	}
	return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&store.Replay{Key: m.key, Request: m.fingerprint(), Body: []byte(object),
		CreatedAt: time.Now().UTC()}).Error
}

// fingerprint tells the request from others, by its file too.
func (m *mark) fingerprint() string {
	if m.sum == nil {
		return m.request
	}
	return m.request + hex.EncodeToString(m.sum.Sum(nil))
}

// marked has a file that is read under a key add to what tells its request from others.
func marked(ctx context.Context, file io.Reader) io.Reader {
	m, ok := ctx.Value(markKey{}).(*mark)
	if !ok {
		return file
	}
	m.sum = sha256.New()
	m.file = io.TeeReader(file, m.sum)
	return m.file
}

// wholeFile reads what a load left of a file whose request has a key: the key stands for all of it.
// It comes before the write, which must not wait for a client.
func wholeFile(ctx context.Context) error {
	m, ok := ctx.Value(markKey{}).(*mark)
	if !ok || m.file == nil {
		return nil
	}
	_, err := io.Copy(io.Discard, m.file)
	return err
}

// withBody adds a file to a fingerprint by reading it.
func withBody(request string, body io.Reader) (string, error) {
	h := sha256.New()
	if body != nil {
		if _, err := io.Copy(h, body); err != nil {
			return "", err
		}
	}
	return request + hex.EncodeToString(h.Sum(nil)), nil
}

// ofRevision tells the mark of a request which revision it makes.
func ofRevision(ctx context.Context, number int) {
	if m, ok := ctx.Value(markKey{}).(*mark); ok {
		m.revision = number
	}
}

// answerAgain answers a request that was done, but whose answer was lost when the service stopped.
func (s *Server) answerAgain(c fiber.Ctx, object string) error {
	ctx := c.Context()
	name, revision, _ := strings.Cut(object, "\x00")
	kind, _, _ := strings.Cut(name, "-")
	status := fiber.StatusAccepted
	var out any
	var err error
	switch {
	case revision != "":
		status = fiber.StatusCreated
		out, err = s.loadedAgain(ctx, name, revision)
	case kind == "bake":
		var b *store.Bakeoff
		if b, err = s.findBakeoff(ctx, name); err == nil {
			out, err = s.bakeoffOf(ctx, b, false)
		}
	case kind == "rel":
		var r *store.Release
		if r, err = s.findRelease(ctx, name); err == nil {
			out, err = s.releaseOf(ctx, r, false)
		}
	case kind == "scen":
		var sc *store.Scenario
		if sc, err = s.findScenario(ctx, name); err == nil {
			out, err = s.scenarioOf(ctx, sc, false)
		}
	default:
		return conflict("this was done already (%s), and its answer was lost when the service stopped: look at it before you ask anew, under "+
			"another key", name)
	}
	if err != nil {
		return err
	}
	c.Set("Idempotency-Replayed", "true")
	return c.Status(status).JSON(out)
}

// loadedAgain tells of a load what its revision keeps.
func (s *Server) loadedAgain(ctx context.Context, dataset, revision string) (api.Arrived, error) {
	number, err := strconv.Atoi(revision)
	if err != nil {
		return api.Arrived{}, err
	}
	ds, rev, err := s.revisionOf(ctx, dataset, number)
	if err != nil {
		return api.Arrived{}, err
	}
	out := api.Arrived{Loaded: api.Loaded{Rows: rev.RowCount, Form: "as before: the service stopped while it answered"}}
	if out.Dataset, err = datasetOf(ds, rev, false); err != nil {
		return out, err
	}
	return out, json.Unmarshal([]byte(rev.Changes), &out.Changes)
}

// carriesFile says whether a request's body is a file.
func carriesFile(c fiber.Ctx) bool {
	return strings.HasPrefix(c.Get("Content-Type"), "application/octet-stream")
}

// fingerprint tells requests apart, but for the file that they may carry.
func fingerprint(c fiber.Ctx) string {
	h := sha256.New()
	h.Write([]byte(c.Method() + " " + c.OriginalURL() + "\n"))
	n := c.Request().Header.ContentLength()
	if strings.HasPrefix(c.Get("Content-Type"), "application/json") && n >= 0 && n <= maxJSON {
		h.Write(c.Request().Body())
	}
	return hex.EncodeToString(h.Sum(nil))
}
