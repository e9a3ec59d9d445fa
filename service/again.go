package service

import (
	"crypto/sha256"
	"encoding/hex"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"

	"paperkettle/api"
)

// answers holds the encoded answers of reads that many ask for, until anything that people do changes
// something: every such change writes a line of audit.
type answers struct {
	mu        sync.Mutex
	version   int64 // the last line of audit
	bytes     int
	byAddress map[string]answer
}

// answer is a body with its tag, and the body compressed where that pays.
type answer struct {
	kind, tag string
	body      []byte
	zipped    []byte
}

// zippedTag is the tag of the compressed body: another one, since its bytes are others.
func (a *answer) zippedTag() string { return strings.TrimSuffix(a.tag, `"`) + `-gzip"` }

// mostKept bounds the bytes of answers that are held.
const mostKept = 64 << 20

// isKept says whether a read is held: forecasts of releases and values of series, but for what is
// worked out anew.
func isKept(c fiber.Ctx) bool {
	path := strings.TrimPrefix(c.Path(), api.Prefix)
	return c.Method() == fiber.MethodGet && c.Query("fit") == "" &&
		(strings.HasPrefix(path, "/releases/") && strings.HasSuffix(path, "/curve") || strings.HasPrefix(path, "/datasets/") &&
			strings.HasSuffix(path, "/series/values"))
}

// again answers a read that was answered before, and tells a client that has the answer that it has.
func (s *Server) again(c fiber.Ctx) error {
	if !isKept(c) || allowed(c.Context(), api.Reader) != nil {
		return c.Next()
	}
	// Read before the answer is made: what it shows is never older than that.
	version := s.store.Change()
	address := c.OriginalURL()
	a, ok := s.answers.find(version, address)
	if !ok {
		if err := c.Next(); err != nil || c.Response().StatusCode() != fiber.StatusOK {
			return err
		}
		a = answer{kind: string(c.Response().Header.ContentType()), body: append([]byte{}, c.Response().Body()...)}
		sum := sha256.Sum256(a.body)
		a.tag, a.zipped = `"`+hex.EncodeToString(sum[:12])+`"`, zip(a.body)
		s.answers.put(version, address, a)
	}
	body := a.body
	c.Set("Cache-Control", "private, no-cache")
	if a.zipped != nil {
		c.Set("Vary", "Accept-Encoding")
		if takesZipped(c) {
			body, a.tag = a.zipped, a.zippedTag()
		}
	}
	c.Set("ETag", a.tag)
	if c.Get("If-None-Match") == a.tag {
		c.Response().ResetBody()
		return c.SendStatus(fiber.StatusNotModified)
	}
	if len(body) != len(a.body) {
		c.Set("Content-Encoding", "gzip")
	}
	c.Set("Content-Type", a.kind)
	return c.Send(body)
}

func (a *answer) size() int { return len(a.body) + len(a.zipped) }

func (k *answers) find(version int64, address string) (answer, bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.version != version {
		return answer{}, false
	}
	a, ok := k.byAddress[address]
	return a, ok
}

func (k *answers) put(version int64, address string, a answer) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if version < k.version {
		return // something has changed since
	}
	if version > k.version || k.byAddress == nil || k.bytes+a.size() > mostKept {
		k.version, k.byAddress, k.bytes = version, map[string]answer{}, 0
	}
	k.byAddress[address] = a
	k.bytes += a.size() + len(address)
}
