package service

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
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
	if _, busy := s.replaying.LoadOrStore(key, true); busy {
		return conflict("a request with this Idempotency-Key is still running: ask again in a moment")
	}
	defer s.replaying.Delete(key)
	var before store.Replay
	err := s.store.Read(c.Context()).Where("key = ? AND created_at > ?", key, time.Now().UTC().Add(-replayAge)).First(&before).Error
	if err == nil {
		if before.Request != request {
			return huma.Error422UnprocessableEntity("this Idempotency-Key was used for another request: take a new one")
		}
		c.Set("Content-Type", before.ContentType)
		c.Set("Idempotency-Replayed", "true")
		return c.Status(before.Status).Send(before.Body)
	}
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if err := c.Next(); err != nil {
		return err
	}
	status := c.Response().StatusCode()
	if status >= 300 {
		return nil // a refusal may be asked again
	}
	record := store.Replay{Key: key, Request: request, Status: status, ContentType: string(c.Response().Header.ContentType()),
		Body: append([]byte{}, c.Response().Body()...), CreatedAt: time.Now().UTC()}
	return s.store.Write(c.Context(), func(tx *gorm.DB) error {
		if err := tx.Where("created_at < ?", time.Now().UTC().Add(-replayAge)).Delete(&store.Replay{}).Error; err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&record).Error
	})
}

// fingerprint tells requests apart. A file is known by its address alone, since
// reading it here would use it up.
func fingerprint(c fiber.Ctx) string {
	h := sha256.New()
	h.Write([]byte(c.Method() + " " + c.OriginalURL() + "\n"))
	n := c.Request().Header.ContentLength()
	if strings.HasPrefix(c.Get("Content-Type"), "application/json") && n >= 0 && n <= maxJSON {
		h.Write(c.Request().Body())
	}
	return hex.EncodeToString(h.Sum(nil))
}
