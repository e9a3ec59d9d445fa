package service

import (
	"context"

	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/core/panel"
	"paperkettle/store"
)

// examples is how many names a report gives.
const examples = 5

// attach joins the drivers of a table to a dataset, as its next revision.
func (s *Server) attach(ctx context.Context, in *fileInput) (api.Attached, error) {
	var out api.Attached
	cols := in.LoadColumns
	if cols.Time == "" || len(cols.Drivers) == 0 {
		return out, invalid("query.driver", "name the table's time column and its driver columns")
	}
	names := cols.Drivers
	cols.Measure, cols.Drivers = api.JoinNames(names), nil
	known := cols.KnownAhead
	cols.KnownAhead = nil
	src, err := s.source(ctx, &in.SentFile, cols)
	if err != nil {
		return out, err
	}
	if _, err := src.columns.Options(); err != nil {
		return out, invalid("query", "%v", err)
	}
	got, err := src.load(ctx)
	if err != nil {
		return out, err
	}
	if err := wholeFile(ctx); err != nil {
		return out, err
	}
	file := src.name
	s.loading.Lock()
	defer s.loading.Unlock()
	_, rev, err := s.dataset(ctx, in.Dataset)
	if err != nil {
		return out, err
	}
	meta, err := rev.ReadMeta()
	if err != nil {
		return out, err
	}
	old, err := s.store.Panel(ctx, rev.ID)
	if err != nil {
		return out, err
	}
	joined, reports, err := panel.Attach(old, got.Panel, names, known)
	if err != nil {
		return out, invalid("query", "%s can't be attached to dataset %q: %v", file, in.Dataset, err)
	}
	if matchedNothing(reports) {
		return out, invalid("query.by", "nothing in %s matches a series of dataset %q: the table has %s, for one", file, in.Dataset, reports[0].Unused[0])
	}
	written, err := s.store.AddRevision(ctx, store.Load{Dataset: in.Dataset, Source: file, Rows: got.Rows, Gaps: meta.Gaps, Time: meta.Time,
		Codes: meta.Codes, Recipe: rev.Recipe, Panel: joined},
		func(tx *gorm.DB, made *store.Revision) error {
			ofRevision(ctx, made.Number)
			return note(ctx, tx, "attach", in.Dataset, file)
		})
	if err != nil {
		return out, err
	}
	out.Dataset, err = datasetOf(&store.Dataset{ID: written.DatasetID, Name: in.Dataset}, written, true)
	out.Form, out.Cautions = got.Form.Describe(), got.Cautions
	for _, r := range reports {
		out.Drivers = append(out.Drivers, attachedDriver(r))
	}
	return out, err
}

func matchedNothing(reports []panel.Attached) bool {
	for _, r := range reports {
		if r.Matched > 0 {
			return false
		}
	}
	return len(reports) > 0 && len(reports[0].Unused) > 0
}

func attachedDriver(r panel.Attached) api.AttachedDriver {
	d := api.AttachedDriver{Driver: api.Driver{Name: r.Driver, KnownAhead: r.KnownAhead, Attached: true}, Matched: r.Matched,
		Unmatched: len(r.Unmatched),
		Missing:   r.Unmatched[:min(examples, len(r.Unmatched))], AheadFrom: r.AheadFrom, AheadTo: r.AheadTo,
		Unused: r.Unused[:min(examples, len(r.Unused))], UnusedAll: len(r.Unused)}
	if r.Periods > 0 {
		d.Covered = float64(r.Covered) / float64(r.Periods)
	}
	return d
}
