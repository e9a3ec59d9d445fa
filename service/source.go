package service

import (
	"context"
	"io"
	"math"
	"strconv"
	"strings"

	"paperkettle/api"
	"paperkettle/ingest"
)

// source is where the rows of a load come from: a file, or a query of a connection.
type source struct {
	columns ingest.Columns
	form    ingest.Form
	name    string // for messages
	reader  io.Reader
	query   *ingest.Query
	closed  []string // lines of closed periods; nil for as before
}

// mostSQL bounds the text of a query.
const mostSQL = 1 << 20

// source reads what a request says of its rows.
func (s *Server) source(ctx context.Context, in *SentFile, cols api.LoadColumns) (*source, error) {
	c, err := columns(cols)
	if err != nil {
		return nil, err
	}
	if cols.Codes != "" {
		if c.Codes, err = s.codes(ctx, cols.Codes); err != nil {
			return nil, err
		}
	}
	form := ingest.Form{Format: cols.Format, Encoding: cols.Encoding, Delimiter: cols.Delimiter, Decimal: cols.Decimal, Sheet: cols.Sheet,
		HeaderRow: cols.HeaderRow}
	src := &source{columns: c, form: form, name: cols.File, reader: in.reader}
	if src.name == "" {
		src.name = "the file"
	}
	if cols.Connection == "" {
		return src, nil
	}
	conn, err := s.connection(ctx, cols.Connection)
	if err != nil {
		return nil, err
	}
	text, err := io.ReadAll(io.LimitReader(in.reader, mostSQL+1))
	if err != nil {
		return nil, err
	}
	if len(text) > mostSQL {
		return nil, invalid("body", "the query is longer than a megabyte")
	}
	src.query = &ingest.Query{Connection: conn, SQL: string(text)}
	src.name = conn.Name + ": " + strings.Join(strings.Fields(string(text)), " ")
	if r := []rune(src.name); len(r) > 200 {
		src.name = string(r[:199]) + "…"
	}
	return src, nil
}

// codes is the name of the period codes that are used; empty for none.
func (src *source) codes() string {
	if src.columns.Codes == nil {
		return ""
	}
	return src.columns.Codes.Name
}

func (src *source) load(ctx context.Context) (*ingest.Loaded, error) {
	if src.query != nil {
		return ingest.LoadQuery(ctx, *src.query, src.columns)
	}
	return ingest.Load(ctx, src.reader, src.name, src.form, src.columns)
}

// inspect looks at the first rows; load still reads all of them.
func (src *source) inspect(ctx context.Context) (cols []ingest.Column, err error) {
	if src.query != nil {
		src.form, cols, err = ingest.InspectQuery(ctx, *src.query)
		return cols, err
	}
	src.form, cols, src.reader, err = ingest.Inspect(src.reader, src.name, src.form)
	return cols, err
}

// columns reads the parts that a request gives its columns.
func columns(in api.LoadColumns) (ingest.Columns, error) {
	measures, err := api.SplitNames(in.Measure)
	if err != nil {
		return ingest.Columns{}, invalid("query.measure", "%v", err)
	}
	where, err := parseWhere(in.Where)
	c := ingest.Columns{Time: in.Time, Measures: measures, By: in.By, Drivers: in.Drivers, KnownAhead: in.KnownAhead, Wide: in.Wide,
		Cadence: in.Cadence, FirstDay: in.FirstDay,
		DateOrder: in.DateOrder, Label: in.Label, Zone: in.Zone, Aggregate: in.Aggregate, Duplicates: in.Duplicates, KeepPart: in.KeepPart, Gaps: in.Gaps,
		Where: where, From: in.From, To: in.To}
	if err != nil || in.Floor == "" {
		return c, err
	}
	v, err := strconv.ParseFloat(in.Floor, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return c, invalid("query.floor", "the floor %q is not a number", in.Floor)
	}
	c.Floor = &v
	return c, nil
}
