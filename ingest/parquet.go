package ingest

import (
	"errors"
	"fmt"
	"io"
	"math"
	"math/big"
	"os"
	"slices"
	"strconv"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/format"

	"paperkettle/core/panel"
)

// parquetTable reads the flat columns of a Parquet file batch by batch.
type parquetTable struct {
	temp    *os.File
	file    *parquet.File
	names   []string
	columns []*parquetColumn
	fields  []string
	group   int // the row group that is read next
	at, n   int // the row in the batch, and the batch's rows
	line    int
}

// parquetColumn is one column's reader and how its values become text or numbers.
type parquetColumn struct {
	index   int
	numeric bool
	needed  bool
	text    func(parquet.Value) string
	scale   float64
	pages   parquet.Pages
	values  parquet.ValueReader
	batch   []parquet.Value
}

const parquetBatch = 4096

// openParquet needs to move about in the file, so it goes to a temporary one first.
func openParquet(r io.Reader) (_ table, err error) {
	temp, err := os.CreateTemp("", "paperkettle-*.parquet")
	if err != nil {
		return nil, err
	}
	t := &parquetTable{temp: temp}
	defer func() {
		if err != nil {
			t.Close()
		}
	}()
	size, err := io.Copy(temp, r)
	if err != nil {
		return nil, err
	}
	if t.file, err = openParquetFile(temp, size); err != nil {
		return nil, fault("the Parquet file can't be read: %v", err)
	}
	for _, c := range t.file.Root().Columns() {
		if !c.Leaf() || c.Repeated() {
			continue
		}
		col := &parquetColumn{index: c.Index(), batch: make([]parquet.Value, parquetBatch), scale: 1, needed: true}
		col.convert(c.Type())
		t.names = append(t.names, c.Name())
		t.columns = append(t.columns, col)
	}
	if len(t.columns) == 0 {
		return nil, fault("the Parquet file has no flat columns")
	}
	t.fields = make([]string, len(t.columns))
	return t, nil
}

// openParquetFile keeps a damaged file's panic from going further.
func openParquetFile(f *os.File, size int64) (_ *parquet.File, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("it is damaged (%v)", r)
		}
	}()
	return parquet.OpenFile(f, size)
}

// convert chooses how a column's values are read.
func (c *parquetColumn) convert(t parquet.Type) {
	var logical format.LogicalTypeValue
	if l := t.LogicalType(); l != nil {
		logical = l.Value
	}
	switch l := logical.(type) {
	case *format.DateType:
		c.text = remembered(func(n int64) string { return time.Unix(n*86400, 0).UTC().Format("2006-01-02") })
	case *format.TimestampType:
		unit := l.Unit.Value.Duration()
		layout := "2006-01-02 15:04:05"
		if l.IsAdjustedToUTC {
			layout = "2006-01-02T15:04:05Z"
		}
		c.text = remembered(func(n int64) string {
			perSecond := int64(time.Second / unit)
			return time.Unix(n/perSecond, n%perSecond*int64(unit)).UTC().Format(layout)
		})
	case *format.DecimalType:
		c.numeric, c.scale = true, math.Pow10(int(l.Scale))
		c.text = c.numberText
	default:
		c.convertPlain(t.Kind())
	}
}

func (c *parquetColumn) convertPlain(kind parquet.Kind) {
	switch kind {
	case parquet.ByteArray, parquet.FixedLenByteArray:
		interned, last := map[string]string{}, ""
		c.text = func(v parquet.Value) string {
			raw := v.ByteArray()
			if string(raw) == last { // names come in runs
				return last
			}
			text, ok := interned[string(raw)]
			if !ok {
				text = string(raw)
				keep(interned, text, text)
			}
			last = text
			return text
		}
	case parquet.Boolean:
		c.text = parquet.Value.String
	case parquet.Int32, parquet.Int64:
		c.numeric, c.text = true, parquet.Value.String
	default:
		c.numeric, c.text = true, c.numberText
	}
}

func (c *parquetColumn) numberText(v parquet.Value) string {
	return strconv.FormatFloat(c.number(v), 'f', -1, 64)
}

// mostRemembered bounds what a column remembers of its values.
const mostRemembered = 1 << 20

func keep[K comparable](m map[K]string, k K, text string) {
	if len(m) < mostRemembered {
		m[k] = text
	}
}

// remembered writes whole numbers as text, each once: times recur in every series.
func remembered(write func(int64) string) func(parquet.Value) string {
	seen := map[int64]string{}
	// Days that lie close together have places of their own here, without hashing.
	type entry struct {
		n    int64
		text string
	}
	near := make([]entry, 4096)
	return func(v parquet.Value) string {
		n := v.Int64()
		if v.Kind() == parquet.Int32 {
			n = int64(v.Int32())
		}
		at := &near[n&4095]
		if at.n == n && at.text != "" {
			return at.text
		}
		text, ok := seen[n]
		if !ok {
			text = write(n)
			keep(seen, n, text)
		}
		*at = entry{n, text}
		return text
	}
}

func (c *parquetColumn) number(v parquet.Value) float64 {
	switch v.Kind() {
	case parquet.Int32:
		return float64(v.Int32()) / c.scale
	case parquet.Int64:
		return float64(v.Int64()) / c.scale
	case parquet.Float:
		return float64(v.Float())
	case parquet.Double:
		return v.Double()
	case parquet.ByteArray, parquet.FixedLenByteArray: // a decimal, big-endian two's complement
		b := v.ByteArray()
		n := new(big.Int).SetBytes(b)
		if len(b) > 0 && b[0]&0x80 != 0 {
			n.Sub(n, new(big.Int).Lsh(big.NewInt(1), uint(8*len(b))))
		}
		f, _ := new(big.Float).SetInt(n).Float64()
		return f / c.scale
	}
	return panel.Unknown
}

func (t *parquetTable) Columns() []string { return t.names }
func (t *parquetTable) Line() int         { return t.line }

func (t *parquetTable) Close() error {
	for _, c := range t.columns {
		if c.pages != nil {
			_ = c.pages.Close()
		}
	}
	return errors.Join(t.temp.Close(), os.Remove(t.temp.Name()))
}

// Number is a numeric column's value, read without text.
func (t *parquetTable) Number(i int) (float64, bool) {
	c := t.columns[i]
	if !c.numeric {
		return 0, false
	}
	v := c.batch[t.at]
	if v.IsNull() {
		return panel.Unknown, true
	}
	return c.number(v), true
}

func (t *parquetTable) Next() (_ []string, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = panel.Fault{Problem: fmt.Sprintf("the Parquet file is damaged after row %d: %v", t.line, r)}
		}
	}()
	if t.at++; t.at >= t.n {
		if err := t.fill(); err != nil {
			return nil, err
		}
		t.at = 0
	}
	t.line++
	for i, c := range t.columns {
		if !c.needed {
			continue
		}
		v := c.batch[t.at]
		switch {
		case v.IsNull():
			t.fields[i] = ""
		case !c.numeric || !t.numberOnly(i):
			t.fields[i] = c.text(v)
		}
	}
	return t.fields, nil
}

// numberOnly says whether column i's text is not needed: floats never name periods
// or series.
func (t *parquetTable) numberOnly(i int) bool {
	k := t.columns[i].batch[t.at].Kind()
	return k == parquet.Double || k == parquet.Float
}

// Only leaves out the columns that nobody asks for.
func (t *parquetTable) Only(columns []int) {
	for i, c := range t.columns {
		c.needed = slices.Contains(columns, i)
	}
}

// fill reads the next batch of every column.
func (t *parquetTable) fill() error {
	for {
		n, err := t.readBatch()
		if err != nil || n > 0 {
			t.n = n
			return err
		}
		groups := t.file.RowGroups()
		if t.group >= len(groups) {
			return io.EOF
		}
		chunks := groups[t.group].ColumnChunks()
		t.group++
		for _, c := range t.columns {
			if !c.needed {
				continue
			}
			if c.pages != nil {
				_ = c.pages.Close()
			}
			c.pages, c.values = chunks[c.index].Pages(), nil
		}
	}
}

// readBatch reads as many values of each column; 0 at the end of a row group.
func (t *parquetTable) readBatch() (int, error) {
	n := -1
	for _, c := range t.columns {
		if !c.needed {
			continue
		}
		got, err := c.read(c.batch[:parquetBatch])
		if err != nil {
			return 0, panel.Fault{Problem: fmt.Sprintf("the Parquet file can't be read after row %d: %v", t.line, err)}
		}
		if n >= 0 && got != n {
			return 0, panel.Fault{Problem: "the Parquet file's columns have different lengths: it is damaged"}
		}
		n = got
	}
	return n, nil
}

// read fills the batch across pages.
func (c *parquetColumn) read(batch []parquet.Value) (n int, err error) {
	if c.pages == nil {
		return 0, nil
	}
	for n < len(batch) {
		if c.values == nil {
			page, err := c.pages.ReadPage()
			if errors.Is(err, io.EOF) {
				return n, nil
			}
			if err != nil {
				return n, err
			}
			c.values = page.Values()
		}
		k, err := c.values.ReadValues(batch[n:])
		n += k
		if errors.Is(err, io.EOF) || err == nil && k == 0 {
			c.values = nil
		} else if err != nil {
			return n, err
		}
	}
	return n, nil
}
