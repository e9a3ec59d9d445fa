package service

import (
	"context"
	"errors"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"paperkettle/api"
	"paperkettle/core/panel"
	"paperkettle/ingest"
	"paperkettle/store"
)

// firstValues is how many values an inspection shows.
const firstValues = 12

// inspect says how a file would be read: what was given, completed with what was
// found. It keeps nothing.
func (s *Server) inspect(ctx context.Context, in *SentFile) (api.Inspected, error) {
	src, err := s.source(ctx, in, in.LoadColumns)
	if err != nil {
		return api.Inspected{}, err
	}
	cols, err := src.inspect(ctx)
	if err != nil {
		return api.Inspected{}, err
	}
	c := src.columns.Propose(cols)
	src.columns = c
	out := api.Inspected{Form: src.form.Describe(), Columns: inspectedColumns(cols, c), Proposal: proposal(in.LoadColumns, src.form, c)}
	if _, err := c.Options(); err != nil {
		out.Problem = err.Error()
		return out, nil
	}
	loaded, err := src.load(ctx)
	var refusal *ingest.Refusal
	if errors.As(err, &refusal) {
		out.Problem = refusal.Faults[0].Error()
		for _, f := range refusal.Faults {
			out.Faults = append(out.Faults, api.ProblemField{Message: f.Error(), Location: src.name})
		}
		return out, nil
	}
	if err != nil {
		return out, err
	}
	return s.describeInspected(out, loaded, c)
}

func (s *Server) describeInspected(out api.Inspected, loaded *ingest.Loaded, c ingest.Columns) (api.Inspected, error) {
	p := loaded.Panel
	gaps, _ := panel.ParseGaps(c.Gaps)
	rev, err := store.Load{Panel: p, Rows: loaded.Rows, Gaps: gaps, Time: c.Time}.Record()
	if err != nil {
		return out, err
	}
	meta, err := rev.ReadMeta()
	if err != nil {
		return out, err
	}
	ds := describeDataset("", rev, meta, true)
	out.Dataset, out.Rows, out.Checks, out.Cautions = &ds, loaded.Rows, checksOf(p, panel.Look(p, runtime.GOMAXPROCS(0)).Findings), loaded.Cautions
	for i := range p.Series {
		sr := &p.Series[i]
		for j := 0; j < min(3, len(sr.Values)) && len(out.First) < firstValues; j++ {
			out.First = append(out.First, api.InspectedRow{Series: sr.Key, Period: p.Period(sr.First + j), Value: number(sr.Values[j])})
		}
	}
	return out, nil
}

func inspectedColumns(cols []ingest.Column, c ingest.Columns) []api.InspectedColumn {
	measures := strings.Split(c.Measure, ",")
	out := make([]api.InspectedColumn, 0, len(cols))
	for _, col := range cols[:min(len(cols), 500)] {
		part := "left out"
		switch {
		case col.Name == c.Time:
			part = "time"
		case slices.Contains(measures, col.Name):
			part = "measure"
		case slices.Contains(c.By, col.Name):
			part = "attribute"
		case slices.Contains(c.Drivers, col.Name):
			part = "driver"
		}
		out = append(out, api.InspectedColumn{Name: col.Name, Kind: col.Kind, Part: part, Samples: append([]string{}, col.Samples...)})
	}
	return out
}

// proposal is what was asked, completed with what was found.
func proposal(in api.LoadColumns, form ingest.Form, c ingest.Columns) api.LoadColumns {
	in.Time, in.Measure, in.By, in.Wide = c.Time, c.Measure, c.By, c.Wide
	in.Format, in.Encoding, in.Delimiter, in.Decimal, in.Sheet, in.HeaderRow = form.Format, form.Encoding, form.Delimiter, form.Decimal, form.Sheet, form.HeaderRow
	if c.Floor != nil {
		in.Floor = strconv.FormatFloat(*c.Floor, 'f', -1, 64)
	}
	return in
}
