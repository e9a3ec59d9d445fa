package ingest

import (
	"archive/zip"
	"bufio"
	"bytes"
	"errors"
	"io"
	"strings"

	"paperkettle/core/panel"
)

// Limits of a workbook: what a sheet can hold, and what no honest one needs.
const (
	mostWorkbook = 128 << 20 // as it comes
	mostUnzipped = 2 << 30
	spillSheet   = 32 << 20 // a larger sheet goes through a temporary file
	mostRows     = 1 << 20
	mostColumns  = 1 << 14
	mostCell     = 1 << 18 // bytes; a cell has room for 32,767 characters
	mostTag      = 1 << 16
	// A part of the workbook that is this large may be no more than so many times as large as it is
	// packed: rows of numbers are ten to forty times.
	largePart = 32 << 20
	mostRatio = 200
)

// checkWorkbook reads through a workbook's parts once, as they are and not as they say they are, so
// that what follows meets nothing out of bounds.
func checkWorkbook(b []byte) error {
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		return fault("the workbook can't be read: %v", err)
	}
	total := int64(0)
	for _, f := range z.File {
		n, err := checkPart(f)
		if err != nil {
			return err
		}
		if total += n; total > mostUnzipped {
			return fault("the workbook is larger than %d GB when it is unpacked: save the sheet as CSV", mostUnzipped>>30)
		}
	}
	return nil
}

func checkPart(f *zip.File) (int64, error) {
	r, err := f.Open()
	if err != nil {
		return 0, fault("the workbook can't be read: %s: %v", f.Name, err)
	}
	defer r.Close()
	counted := &countedReader{r: r, most: max(largePart, mostRatio*int64(f.CompressedSize64))}
	if strings.HasSuffix(f.Name, ".xml") {
		err = checkTags(bufio.NewReaderSize(counted, 1<<16))
	} else {
		_, err = io.Copy(io.Discard, counted)
	}
	var own panel.Fault
	switch {
	case counted.over:
		return 0, fault("the workbook's part %s is more than %d times as large as it is packed: save the sheet as CSV", f.Name, mostRatio)
	case errors.As(err, &own):
		return 0, fault("the workbook can't be read: %s: %s", f.Name, own.Problem)
	case err != nil:
		return 0, fault("the workbook can't be read: %s: %v", f.Name, err)
	}
	return counted.n, nil
}

// countedReader reads no more than a number of bytes.
type countedReader struct {
	r       io.Reader
	n, most int64
	over    bool
}

func (c *countedReader) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	if c.n += int64(n); c.n > c.most {
		c.over = true
		return 0, io.ErrShortBuffer
	}
	return n, err
}

// checkTags reads a part tag by tag: texts have a longest length, and rows and cells lie on the sheet.
func checkTags(r *bufio.Reader) error {
	var tag []byte
	text, inside := 0, false
	for {
		c, err := r.ReadByte()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		switch {
		case inside && c == '>':
			if err := checkTag(tag); err != nil {
				return err
			}
			inside, text = false, 0
		case inside:
			if tag = append(tag, c); len(tag) > mostTag {
				return fault("a tag is longer than %d bytes", mostTag)
			}
		case c == '<':
			inside, tag = true, tag[:0]
		default:
			if text++; text > mostCell {
				return fault("a cell holds more than %d bytes, and has room for 32,767 characters", mostCell)
			}
		}
	}
}

// checkTag looks at where a row or a cell says that it lies.
func checkTag(tag []byte) error {
	end := bytes.IndexAny(tag, " \t\r\n")
	if end < 0 {
		return nil
	}
	name := tag[:end]
	if k := bytes.IndexByte(name, ':'); k >= 0 { // of whatever namespace
		name = name[k+1:]
	}
	if string(name) != "row" && string(name) != "c" {
		return nil
	}
	place := attribute(tag[end:], 'r')
	column, line := 0, 0
	for _, c := range bytes.ToUpper(place) {
		switch {
		case c >= '0' && c <= '9':
			line = min(line*10+int(c-'0'), 1<<40)
		case c >= 'A' && c <= 'Z':
			column = min(column*26+int(c-'A'+1), 1<<40)
		}
	}
	if line > mostRows || column > mostColumns {
		return fault("%.40q lies beyond a sheet's %d rows and %d columns", place, mostRows, mostColumns)
	}
	return nil
}

// attribute is the value of an attribute whose name has one letter; nil where there is none.
func attribute(tag []byte, name byte) []byte {
	const space = " \t\r\n"
	for i := 1; i < len(tag); i++ {
		if tag[i] != name || !strings.ContainsRune(space, rune(tag[i-1])) {
			continue
		}
		rest, ok := bytes.CutPrefix(bytes.TrimLeft(tag[i+1:], space), []byte("="))
		if rest = bytes.TrimLeft(rest, space); !ok || len(rest) == 0 {
			continue
		}
		if end := bytes.IndexByte(rest[1:], rest[0]); end >= 0 {
			return rest[1 : 1+end]
		}
	}
	return nil
}
