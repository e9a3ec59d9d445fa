package ingest

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"unicode/utf8"

	"github.com/klauspost/compress/zstd"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"paperkettle/core/panel"
)

var errNUL = errors.New("the file holds a NUL byte")

// sampleSize is how much of a file is looked at before it is read.
const sampleSize = 256 << 10

// Limits against hostile files: what a compressed file may grow to, and how long a
// record may be.
const (
	mostGrowth = 300
	growthFree = 64 << 20
	longest    = 16 << 20
)

// decompress undoes gzip and zstd, by their first bytes, and says which it was. A
// file that grows beyond reason is refused as it is read.
func decompress(r *bufio.Reader) (*bufio.Reader, string, error) {
	head, _ := r.Peek(4)
	packed := &countingReader{r: r}
	var plain io.Reader
	var kind string
	switch {
	case bytes.HasPrefix(head, []byte{0x1f, 0x8b}):
		z, err := gzip.NewReader(packed)
		if err != nil {
			return nil, "", fault("the file begins like gzip but can't be unpacked: %v", err)
		}
		plain, kind = z, "gzip"
	case bytes.Equal(head, []byte{0x28, 0xb5, 0x2f, 0xfd}):
		z, err := zstd.NewReader(packed, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(256<<20))
		if err != nil {
			return nil, "", fault("the file begins like zstd but can't be unpacked: %v", err)
		}
		plain, kind = z, "zstd"
	default:
		return r, "", nil
	}
	return bufio.NewReaderSize(&growthGuard{r: plain, packed: packed, kind: kind}, sampleSize), kind, nil
}

func fault(format string, args ...any) error {
	return panel.Fault{Problem: fmt.Sprintf(format, args...)}
}

type countingReader struct {
	r io.Reader
	n int64
}

func (c *countingReader) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.n += int64(n)
	return n, err
}

// growthGuard refuses a stream that unpacks to far more than it came as.
type growthGuard struct {
	r      io.Reader
	packed *countingReader
	kind   string
	n      int64
}

func (g *growthGuard) Read(p []byte) (int, error) {
	n, err := g.r.Read(p)
	g.n += int64(n)
	if g.n > growthFree+mostGrowth*g.packed.n {
		return 0, fault("the %s file unpacks to more than %d times its size: it is not read", g.kind, mostGrowth)
	}
	if err != nil && !errors.Is(err, io.EOF) {
		err = fault("the %s file is damaged: %v", g.kind, err)
	}
	return n, err
}

// The encodings of text.
const (
	UTF8   = "utf-8"
	UTF16  = "utf-16"
	Latin1 = "latin-1"
)

// decode turns text into UTF-8 without a byte-order mark. An empty encoding is found
// from the mark, from the pattern of zero bytes, or from what is valid.
func decode(r *bufio.Reader, encoding string) (io.Reader, string, error) {
	sample, _ := r.Peek(sampleSize)
	if encoding == "" {
		encoding = guessEncoding(sample)
	}
	switch encoding {
	case UTF8:
		if bytes.HasPrefix(sample, []byte{0xEF, 0xBB, 0xBF}) {
			_, _ = r.Discard(3)
		}
		return r, UTF8, nil
	case UTF16:
		order := unicode.LittleEndian
		if len(sample) > 1 && (sample[0] == 0xFE || sample[0] == 0) {
			order = unicode.BigEndian
		}
		return transform.NewReader(r, unicode.UTF16(order, unicode.UseBOM).NewDecoder()), UTF16, nil
	case Latin1:
		return transform.NewReader(r, charmap.Windows1252.NewDecoder()), Latin1, nil
	}
	return nil, "", fault("encoding %q is not known: use utf-8, utf-16 or latin-1", encoding)
}

func guessEncoding(sample []byte) string {
	if bytes.HasPrefix(sample, []byte{0xFF, 0xFE}) || bytes.HasPrefix(sample, []byte{0xFE, 0xFF}) {
		return UTF16
	}
	// Latin letters in UTF-16 have every other byte zero.
	if n := len(sample) &^ 1; n >= 4 {
		zeros := [2]int{}
		for i, b := range sample[:n] {
			if b == 0 {
				zeros[i&1]++
			}
		}
		if big, small := max(zeros[0], zeros[1]), min(zeros[0], zeros[1]); big > n/3 && small < n/50+1 {
			return UTF16
		}
	}
	// The sample's end may cut a character in two.
	whole := sample
	for cut := 0; cut < 3 && len(whole) == sampleSize && !utf8.Valid(whole); cut++ {
		whole = sample[:len(sample)-cut-1]
	}
	if !utf8.Valid(whole) && bytes.IndexByte(sample, 0) < 0 {
		return Latin1
	}
	return UTF8
}

// textGuard stops at a NUL byte and at a record longer than any table has, and
// remembers the place.
type textGuard struct {
	r     io.Reader
	lines int
	since int // bytes since the record began
	fault *panel.Fault
}

func (g *textGuard) Read(p []byte) (int, error) {
	n, err := g.r.Read(p)
	if at := bytes.IndexByte(p[:n], 0); at >= 0 {
		line := g.lines + bytes.Count(p[:at], []byte{'\n'}) + 1
		g.fault = &panel.Fault{Line: line, Problem: "holds a NUL byte: the file is not plain text, or is not in the encoding it was taken for; " +
			"save it as CSV in UTF-8"}
		return at, errNUL
	}
	if g.since += n; g.since > longest {
		g.fault = &panel.Fault{Line: g.lines + 1, Problem: fmt.Sprintf("the record that ends after this line is longer than %d MB: a quote may "+
			"be open, or the file may not be a table", longest>>20)}
		return 0, errNUL
	}
	g.lines += bytes.Count(p[:n], []byte{'\n'})
	return n, err
}

// recordRead tells the guard that a record ended.
func (g *textGuard) recordRead() { g.since = 0 }
