package ingest

import (
	"errors"
	"io"
)

// CountRows reads a table's fields and numbers without building a panel.
func CountRows(r io.Reader) (n int, err error) {
	var form Form
	t, err := open(r, &form)
	if err != nil {
		return 0, err
	}
	defer t.Close()
	typed, _ := t.(numberTable)
	for sum := 0.0; ; n++ {
		fields, err := t.Next()
		if errors.Is(err, io.EOF) {
			return n, nil
		}
		if err != nil {
			return n, err
		}
		for i := range fields {
			if typed != nil {
				v, _ := typed.Number(i)
				sum += v
			}
		}
	}
}
