package ingest

import (
	"bufio"
	"bytes"
	"errors"
	"io"

	"paperkettle/core/panel"
)

var errNUL = errors.New("the file holds a NUL byte")

// byteGuard stops at the first NUL byte and remembers its line.
type byteGuard struct {
	r     io.Reader
	lines int
	err   *panel.Fault
}

func (g *byteGuard) Read(p []byte) (int, error) {
	n, err := g.r.Read(p)
	if at := bytes.IndexByte(p[:n], 0); at >= 0 {
		line := g.lines + bytes.Count(p[:at], []byte{'\n'}) + 1
		g.err = &panel.Fault{Line: line, Problem: "holds a NUL byte: the file is not plain text, or is not UTF-8; save it as CSV in UTF-8"}
		return at, errNUL
	}
	g.lines += bytes.Count(p[:n], []byte{'\n'})
	return n, err
}

// skipMark passes over a byte-order mark.
func skipMark(r io.Reader) io.Reader {
	b := bufio.NewReaderSize(r, 1<<16)
	if start, err := b.Peek(3); err == nil && bytes.Equal(start, []byte{0xEF, 0xBB, 0xBF}) {
		_, _ = b.Discard(3)
	}
	return b
}
