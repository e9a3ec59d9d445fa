package ingest

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"

	"paperkettle/core/panel"
)

// jsonlTable reads JSON Lines: an object a line. The columns are the keys of the
// first rows, in their order of appearance.
type jsonlTable struct {
	r      *bufio.Reader
	names  []string
	index  map[string]int
	ahead  []jsonlRow // rows that were read to find the columns
	fields []string
	line   int
	next   int // the line that is read next
}

type jsonlRow struct {
	line   int
	object map[string]any
}

// jsonlSample is how many rows are read ahead to find the columns.
const jsonlSample = 1000

func openJSONL(text io.Reader) (*jsonlTable, error) {
	t := &jsonlTable{r: bufio.NewReaderSize(text, 1<<16), index: map[string]int{}, next: 1}
	for len(t.ahead) < jsonlSample {
		row, keys, err := t.read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		for _, k := range keys {
			if _, ok := t.index[k]; !ok {
				t.index[k] = len(t.names)
				t.names = append(t.names, k)
			}
		}
		t.ahead = append(t.ahead, row)
	}
	if len(t.ahead) == 0 {
		return nil, fault("the file is empty: it needs an object a line")
	}
	t.fields = make([]string, len(t.names))
	return t, nil
}

func (t *jsonlTable) Columns() []string { return t.names }
func (t *jsonlTable) Line() int         { return t.line }
func (t *jsonlTable) Close() error      { return nil }

func (t *jsonlTable) Next() ([]string, error) {
	var row jsonlRow
	if len(t.ahead) > 0 {
		row, t.ahead = t.ahead[0], t.ahead[1:]
	} else {
		var err error
		if row, _, err = t.read(); err != nil {
			return nil, err
		}
	}
	t.line = row.line
	clear(t.fields)
	for k, v := range row.object {
		i, ok := t.index[k]
		if !ok {
			continue
		}
		text, err := plainText(v)
		if err != nil {
			return nil, rowFault{panel.Fault{Line: row.line, Column: k, Problem: err.Error()}}
		}
		t.fields[i] = text
	}
	return t.fields, nil
}

func plainText(v any) (string, error) {
	switch v := v.(type) {
	case nil:
		return "", nil
	case string:
		return v, nil
	case json.Number:
		return v.String(), nil
	case bool:
		return fmt.Sprint(v), nil
	}
	return "", errors.New("holds a list or an object: a table has plain values")
}

// read reads the next line that is not blank.
func (t *jsonlTable) read() (jsonlRow, []string, error) {
	for {
		text, err := t.readLine()
		if err != nil && (len(text) == 0 || !errors.Is(err, io.EOF)) {
			return jsonlRow{}, nil, err
		}
		line := t.next
		t.next++
		if text = bytes.TrimSpace(text); len(text) == 0 {
			continue
		}
		d := json.NewDecoder(bytes.NewReader(text))
		d.UseNumber()
		var object map[string]any
		if err := d.Decode(&object); err != nil || d.More() {
			return jsonlRow{}, nil, panel.Fault{Line: line, Value: string(text), Problem: "is not one JSON object: write an object a line"}
		}
		return jsonlRow{line, object}, keysInOrder(text, object), nil
	}
}

func (t *jsonlTable) readLine() ([]byte, error) {
	var long []byte
	for {
		part, err := t.r.ReadSlice('\n')
		if err == nil || !errors.Is(err, bufio.ErrBufferFull) {
			if long == nil {
				return part, err
			}
			return append(long, part...), err
		}
		long = append(long, part...)
		if len(long) > longest {
			return nil, panel.Fault{Line: t.next, Problem: fmt.Sprintf("is longer than %d MB: the file may not be JSON Lines", longest>>20)}
		}
	}
}

// keysInOrder lists an object's keys as they stand in its text.
func keysInOrder(text []byte, object map[string]any) []string {
	keys := make([]string, 0, len(object))
	for k := range object {
		keys = append(keys, k)
	}
	at := func(k string) int {
		quoted, _ := json.Marshal(k)
		return bytes.Index(text, quoted)
	}
	slices.SortFunc(keys, func(a, b string) int { return at(a) - at(b) })
	return keys
}
