package service

import (
	"context"
	"errors"
	"fmt"
	"strconv"

	"paperkettle/api"
	"paperkettle/core/panel"
	"paperkettle/ingest"
	"paperkettle/store"
)

// firstValues is how many values an inspection shows.
const firstValues = 12

// inspect says how a file would be read: what was given, completed with what was
// found. It keeps nothing.
func (s *Server) inspect(ctx context.Context, in *struct {
	SentFile
	Onto string `query:"onto" doc:"the dataset that it would be loaded to: what is left out is as that was loaded, and the answer says what would change"`
}) (api.Inspected, error) {
	src, done, err := s.further(ctx, in.Onto, &in.SentFile, false)
	if err != nil {
		return api.Inspected{}, err
	}
	in.LoadColumns = done.columns
	cols, err := src.inspect(ctx)
	var doubt *ingest.Refusal
	if errors.As(err, &doubt) && len(doubt.Faults[0].Readings) > 0 {
		return api.Inspected{Form: "in doubt", Columns: []api.InspectedColumn{}, Proposal: in.LoadColumns,
			Readings: readingsOf(doubt.Faults[0].Readings), Problem: doubt.Faults[0].Error()}, nil
	}
	if err != nil {
		return api.Inspected{}, err
	}
	c := src.columns.Propose(cols)
	src.columns = c
	out := api.Inspected{Form: src.form.Describe(), Columns: inspectedColumns(cols, c), Proposal: proposal(in.LoadColumns, src.form, c),
		AsBefore: done.asBefore}
	_, err = c.Options()
	if lacking := c.Complete(cols); lacking != nil {
		err = lacking
	}
	if err != nil {
		out.Problem = err.Error()
		return out, nil
	}
	loaded, err := src.load(ctx)
	var refusal *ingest.Refusal
	if errors.As(err, &refusal) {
		out.Problem, out.Readings = refusal.Faults[0].Error()+refusal.Again[0].String(), readingsOf(refusal.Faults[0].Readings)
		for i, f := range refusal.Faults {
			out.Faults = append(out.Faults, api.ProblemField{Message: f.Error() + refusal.Again[i].String(), Location: src.name})
		}
		return out, nil
	}
	if err != nil {
		return out, err
	}
	if out, err = s.describeInspected(out, loaded, c); err != nil {
		return out, err
	}
	return s.compareInspected(ctx, out, in.Onto, loaded.Panel)
}

// compareInspected says what a load would do to a dataset that is there.
func (s *Server) compareInspected(ctx context.Context, out api.Inspected, onto string, p *panel.Panel) (api.Inspected, error) {
	_, rev, err := s.dataset(ctx, onto)
	if isNotFound(err) {
		return out, nil
	}
	if err != nil {
		return out, err
	}
	old, err := s.store.Panel(ctx, rev.ID)
	if err != nil {
		return out, err
	}
	_, changes, err := panel.Merge(old, p)
	if err != nil {
		out.Problem = fmt.Sprintf("the file does not fit dataset %q: %v", onto, err)
		return out, nil
	}
	would := changesOf(changes)
	out.Changes = &would
	return out, nil
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
	out.Dataset, out.Rows, out.Checks, out.Cautions = &ds, loaded.Rows, checksOf(p, lookOver(p).Findings), loaded.Cautions
	out.Readings = readingsOf(loaded.Readings)
	for i := range p.Series {
		sr := &p.Series[i]
		for j := 0; j < min(3, len(sr.Values)) && len(out.First) < firstValues; j++ {
			out.First = append(out.First, api.InspectedRow{Series: sr.Key, Period: p.Period(sr.First + j), Value: number(sr.Values[j])})
		}
	}
	return out, nil
}

func readingsOf(list []panel.Reading) (out []api.Reading) {
	for _, r := range list {
		out = append(out, api.Reading(r))
	}
	return out
}

func inspectedColumns(cols []ingest.Column, c ingest.Columns) []api.InspectedColumn {
	out := make([]api.InspectedColumn, 0, len(cols))
	for _, col := range cols[:min(len(cols), 500)] {
		out = append(out, api.InspectedColumn{Name: col.Name, Kind: col.Kind, Part: c.Part(col.Name, cols), Samples: append([]string{}, col.Samples...)})
	}
	return out
}

// proposal is what was asked, completed with what was found.
func proposal(in api.LoadColumns, form ingest.Form, c ingest.Columns) api.LoadColumns {
	in.Time, in.Measure, in.By, in.Wide = c.Time, api.JoinNames(c.Measures), c.By, c.Wide
	in.Format, in.Encoding, in.Delimiter, in.Decimal, in.Sheet = form.Format, form.Encoding, form.Delimiter, form.Decimal, form.Sheet
	if form.Format == ingest.FormatXLSX {
		in.HeaderRow = form.HeaderRow
	}
	if c.Floor != nil {
		in.Floor = strconv.FormatFloat(*c.Floor, 'f', -1, 64)
	}
	return in
}
