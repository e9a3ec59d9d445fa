package service

import (
	"bytes"
	"compress/gzip"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"
)

// worthZipping is from how many bytes on a body is compressed: what fits into a few packets arrives
// as fast as it is.
const worthZipping = 8 << 10

var zippers = sync.Pool{New: func() any {
	w, _ := gzip.NewWriterLevel(nil, gzip.BestSpeed) // a level that there is
	return w
}}

// zip compresses a body; nil where that does not pay.
func zip(body []byte) []byte {
	if len(body) < worthZipping {
		return nil
	}
	var out bytes.Buffer
	w := zippers.Get().(*gzip.Writer)
	defer zippers.Put(w)
	w.Reset(&out)
	_, _ = w.Write(body) // into memory
	_ = w.Close()
	if out.Len() > len(body)*9/10 {
		return nil
	}
	return out.Bytes()
}

func takesZipped(c fiber.Ctx) bool { return strings.Contains(c.Get("Accept-Encoding"), "gzip") }

// zipped compresses JSON answers that were made whole. What is streamed goes out as it comes.
func zipped(c fiber.Ctx) error {
	if err := c.Next(); err != nil {
		return err
	}
	res := c.Response()
	if res.IsBodyStream() || !takesZipped(c) || len(res.Header.Peek("Content-Encoding")) > 0 ||
		!bytes.HasPrefix(res.Header.ContentType(), []byte("application/json")) {
		return nil
	}
	if z := zip(res.Body()); z != nil {
		res.SetBodyRaw(z)
		c.Set("Content-Encoding", "gzip")
		c.Append("Vary", "Accept-Encoding")
	}
	return nil
}
