package service

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"regexp"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/core/panel"
	"paperkettle/results"
	"paperkettle/store"
)

// DatasetPath names a dataset in a route.
type DatasetPath struct {
	Dataset string `path:"dataset"`
}

// SentFile is a file sent as the body of a request, read as it comes in.
type SentFile struct {
	api.LoadColumns
	reader io.Reader
}

// Resolve takes the body before anything reads it.
func (f *SentFile) Resolve(ctx huma.Context) []error {
	if err := f.Tidy(); err != nil {
		return []error{&huma.ErrorDetail{Location: "query", Message: err.Error()}}
	}
	f.reader = ctx.BodyReader()
	if r, ok := ctx.(interface{ fiber() fiber.Ctx }); ok {
		f.reader = paced(r.fiber(), f.reader)
	}
	if strings.HasPrefix(ctx.Header("Content-Type"), "application/octet-stream") {
		f.reader = marked(ctx.Context(), f.reader)
	}
	return nil
}

// RevisionPath names a dataset's revision in a route.
type RevisionPath struct {
	DatasetPath
	Revision int `query:"revision" doc:"0 for the latest"`
}

// fileInput is a file for a dataset.
type fileInput struct {
	DatasetPath
	SentFile
}

var datasetName = regexp.MustCompile(`^[\pL\pN][\pL\pN _.-]{0,79}$`)

func (s *Server) registerData() {
	handle(s, api.ListDatasets, s.listDatasets)
	handle(s, api.GetDataset, func(ctx context.Context, in *RevisionPath) (api.Dataset, error) {
		return s.showDataset(ctx, in.Dataset, in.Revision)
	})
	handleEmpty(s, api.RemoveDataset, s.removeDataset)
	handle(s, api.UndoRevision, s.undoRevision)
	handle(s, api.DiffRevisions, s.diffRevisions)
	handle(s, api.CheckDataset, s.checkDataset)
	handle(s, api.LoadDataset, s.loadDataset)
	handle(s, api.LoadActuals, s.loadActuals)
	handle(s, api.ListSeries, s.listSeries)
	handle(s, api.GetSeries, s.getSeries)
	handle(s, api.GetSpread, s.getSpread)
	handle(s, api.GetProfile, s.getProfile)
	handle(s, api.GetParts, s.getParts)
	handle(s, api.InspectFile, s.inspect)
	handle(s, api.AttachDrivers, s.attach)
	handleStream(s, api.ExportDataset, "text/csv", s.exportDataset)
	handle(s, api.GetClosed, s.getClosed)
	handle(s, api.SetClosed, s.setClosed)
	handle(s, api.LoadEvents, s.loadEvents)
	handle(s, api.ListEvents, s.listEvents)
	handleEmpty(s, api.RemoveEvent, s.removeEvent)
	s.takesFile(api.InspectFile, api.AttachDrivers, api.LoadDataset, api.LoadActuals, api.LoadEvents)
}

// dataset finds a dataset by name with its latest revision.
func (s *Server) dataset(ctx context.Context, name string) (*store.Dataset, *store.Revision, error) {
	var ds store.Dataset
	if err := s.store.Read(ctx).Where("name = ?", name).First(&ds).Error; err != nil {
		if errors.Is(err, store.ErrNotFound) {
			return nil, nil, s.noDataset(ctx, name)
		}
		return nil, nil, err
	}
	var rev store.Revision
	err := s.store.Read(ctx).Where("dataset_id = ?", ds.ID).Order("number DESC").First(&rev).Error
	return &ds, &rev, err
}

func (s *Server) noDataset(ctx context.Context, name string) error {
	var names []string
	_ = s.store.Read(ctx).Model(&store.Dataset{}).Order("name").Limit(20).Pluck("name", &names).Error
	if len(names) == 0 {
		return notFound("no dataset is called %q: none is loaded yet", name)
	}
	return notFound("no dataset is called %q: there are %s", name, strings.Join(names, ", "))
}

// revisionOf finds a numbered revision; 0 is the latest.
func (s *Server) revisionOf(ctx context.Context, name string, number int) (*store.Dataset, *store.Revision, error) {
	ds, rev, err := s.dataset(ctx, name)
	if err != nil || number == 0 || number == rev.Number {
		return ds, rev, err
	}
	var old store.Revision
	if err := s.store.Read(ctx).Where("dataset_id = ? AND number = ?", ds.ID, number).First(&old).Error; err != nil {
		if errors.Is(err, store.ErrNotFound) {
			return nil, nil, notFound("dataset %q has no revision %d: the latest is %d", name, number, rev.Number)
		}
		return nil, nil, err
	}
	return ds, &old, nil
}

func datasetOf(ds *store.Dataset, rev *store.Revision, values bool) (api.Dataset, error) {
	m, err := rev.ReadMeta()
	if err != nil {
		return api.Dataset{}, err
	}
	return describeDataset(ds.Name, rev, m, values), nil
}

func describeDataset(name string, rev *store.Revision, m store.PanelMeta, values bool) api.Dataset {
	out := api.Dataset{Name: name, Revision: rev.Number, Hash: rev.Hash, Cadence: m.Cadence.String(), Season: m.Cadence.Season(), Measure: m.Measure,
		Attributes: []api.Attribute{}, Drivers: []api.Driver{}, Events: len(m.Events), Floor: m.Floor, Gaps: string(m.Gaps), Closed: m.Closed,
		Series: rev.SeriesCount, Periods: m.Length,
		Values: rev.ValueCount, First: m.Cadence.Format(m.First), Last: m.Cadence.Format(m.First + int64(m.Length) - 1), Loaded: rev.CreatedAt}
	for _, a := range m.Attributes {
		at := api.Attribute{Name: a.Name, Count: len(a.Values)}
		if values {
			at.Values = a.Values[:min(len(a.Values), 1000)]
		}
		out.Attributes = append(out.Attributes, at)
	}
	for _, d := range m.Drivers {
		out.Drivers = append(out.Drivers, api.Driver(d))
	}
	return out
}

func (s *Server) listDatasets(ctx context.Context, in *struct{ Paging }) (api.Page[api.Dataset], error) {
	out := api.Page[api.Dataset]{Items: []api.Dataset{}}
	offset, err := in.offset()
	if err != nil {
		return out, err
	}
	var total int64
	var list []store.Dataset
	err = errors.Join(s.store.Read(ctx).Model(&store.Dataset{}).Count(&total).Error,
		s.store.Read(ctx).Order("name").Offset(offset).Limit(in.Limit).Find(&list).Error)
	if err != nil {
		return out, err
	}
	out.Total, out.Cursor = int(total), nextCursor(offset, len(list), int(total))
	for i := range list {
		_, rev, err := s.dataset(ctx, list[i].Name)
		if err != nil {
			return out, err
		}
		ds, err := datasetOf(&list[i], rev, false)
		if err != nil {
			return out, err
		}
		out.Items = append(out.Items, ds)
	}
	return out, nil
}

func (s *Server) showDataset(ctx context.Context, name string, number int) (api.Dataset, error) {
	ds, rev, err := s.revisionOf(ctx, name, number)
	if err != nil {
		return api.Dataset{}, err
	}
	out, err := datasetOf(ds, rev, true)
	if err != nil {
		return out, err
	}
	var bakeoffs, releases int64
	err = errors.Join(s.store.Read(ctx).Model(&store.Bakeoff{}).Where("dataset_id = ?", ds.ID).Count(&bakeoffs).Error,
		s.store.Read(ctx).Model(&store.Release{}).Where("dataset_id = ?", ds.ID).Count(&releases).Error)
	if err != nil {
		return out, err
	}
	out.Bakeoffs, out.Releases = int(bakeoffs), int(releases)
	var revisions []store.Revision
	if err := s.store.Read(ctx).Where("dataset_id = ?", ds.ID).Order("number DESC").Find(&revisions).Error; err != nil {
		return out, err
	}
	for _, r := range revisions {
		rev := api.Revision{Number: r.Number, Hash: r.Hash, Source: r.Source, Rows: r.RowCount, Series: r.SeriesCount, Loaded: r.CreatedAt}
		if err := json.Unmarshal([]byte(r.Changes), &rev.Changes); err != nil {
			return out, err
		}
		out.Revisions = append(out.Revisions, rev)
	}
	return out, nil
}

func (s *Server) removeDataset(ctx context.Context, in *DatasetPath) error {
	ds, _, err := s.dataset(ctx, in.Dataset)
	if err != nil {
		return err
	}
	return s.store.Write(ctx, func(tx *gorm.DB) error {
		var busy int64
		err := tx.Model(&store.Job{}).Where("state IN ?", []string{store.Queued, store.Running}).
			Where("id IN (SELECT job_id FROM bakeoffs WHERE dataset_id = ? UNION SELECT job_id FROM releases WHERE dataset_id = ?)", ds.ID,
				ds.ID).Count(&busy).Error
		if err != nil {
			return err
		}
		if busy > 0 {
			return conflict("dataset %q has work in progress: cancel it first", in.Dataset)
		}
		if err := tx.Delete(&store.Dataset{}, ds.ID).Error; err != nil {
			return err
		}
		return note(ctx, tx, "remove dataset", in.Dataset, "")
	})
}

func (s *Server) checkDataset(ctx context.Context, in *RevisionPath) (api.Page[api.Check], error) {
	out := api.Page[api.Check]{Items: []api.Check{}}
	_, rev, err := s.revisionOf(ctx, in.Dataset, in.Revision)
	if err != nil {
		return out, err
	}
	p, err := s.store.Panel(ctx, rev.ID)
	if err != nil {
		return out, err
	}
	v := s.surveyOf(rev.ID, p)
	if _, all := v.ready(ctx, true); !all {
		return out, ctx.Err()
	}
	out.Items = v.told.Load().checks
	out.Total = len(out.Items)
	return out, nil
}

func (s *Server) loadDataset(ctx context.Context, in *fileInput) (api.Loaded, error) {
	if !datasetName.MatchString(in.Dataset) {
		return api.Loaded{}, invalid("path.dataset", "%q can't name a dataset: use up to 80 letters, digits, blanks, points, dashes and "+
			"underscores, beginning with a letter or digit", in.Dataset)
	}
	loaded, _, err := s.load(ctx, in.Dataset, &in.SentFile, false)
	return loaded, err
}

// loadActuals appends rows to a dataset. The columns default to those it was
// loaded with.
func (s *Server) loadActuals(ctx context.Context, in *fileInput) (api.Arrived, error) {
	loaded, watched, err := s.load(ctx, in.Dataset, &in.SentFile, true)
	out := api.Arrived{Loaded: loaded}
	if err != nil || watched == nil {
		return out, err
	}
	out.Release = idText("rel", watched.Release.ID)
	score := scoreOf(watched.Score)
	out.Score = &score
	var open int64
	err = s.store.Read(ctx).Model(&store.Flag{}).Where("release_id = ? AND state = ?", watched.Release.ID, store.FlagOpen).Count(&open).Error
	out.Flags = int(open)
	return out, err
}

// likeBefore completes a load from the dataset, where there is one; must says that there has to be.
func (s *Server) likeBefore(ctx context.Context, dataset string, cols api.LoadColumns, must bool) (completed, *store.PanelMeta, error) {
	_, rev, err := s.dataset(ctx, dataset)
	if err != nil {
		if isNotFound(err) && !must {
			err = nil
		}
		return completed{columns: cols}, nil, err
	}
	m, err := rev.ReadMeta()
	if err != nil {
		return completed{}, nil, err
	}
	recipe, err := recipeOf(rev, m)
	if err != nil {
		return completed{}, nil, err
	}
	out := likeRecipe(cols, recipe)
	if out.columns.Gaps == "" {
		out.columns.Gaps = string(m.Gaps)
	}
	return out, &m, nil
}

// further is a source of rows for a dataset, as it was loaded before.
func (s *Server) further(ctx context.Context, dataset string, in *SentFile, must bool) (*source, completed, error) {
	done, m, err := s.likeBefore(ctx, dataset, in.LoadColumns, must)
	if err != nil {
		return nil, done, err
	}
	src, err := s.source(ctx, in, done.columns)
	if err != nil {
		return nil, done, err
	}
	src.closed = done.columns.Closed
	src.columns.Lacking = done.lacking
	if m != nil {
		src.columns.Usual = m.Cadence.String()
		if must && src.columns.Cadence == "" && src.columns.FirstDay == "" {
			src.columns.Cadence = src.columns.Usual // a single period may arrive
		}
		if src.columns.Floor == nil {
			src.columns.Floor = m.Floor
		}
	}
	return src, done, nil
}

// load reads a file, merges it into what the dataset has, and writes the next
// revision with what the live release makes of it, all or nothing.
func (s *Server) load(ctx context.Context, dataset string, in *SentFile, must bool) (api.Loaded, *results.Watched, error) {
	src, done, err := s.further(ctx, dataset, in, must)
	if err != nil {
		return api.Loaded{}, nil, err
	}
	recipe, err := recipeText(done.columns)
	if err != nil {
		return api.Loaded{}, nil, err
	}
	gaps, err := panel.ParseGaps(src.columns.Gaps)
	if err != nil {
		return api.Loaded{}, nil, invalid("query.gaps", "%v", err)
	}
	// Gaps are filled after the merge: in a file that corrects two distant periods the
	// ones between are not there, and mean nothing.
	src.columns.Gaps = ""
	if _, err := src.columns.Options(); err != nil {
		return api.Loaded{}, nil, invalid("query", "%v", err)
	}
	got, err := src.load(ctx)
	if err != nil {
		return api.Loaded{}, nil, err
	}
	if err := wholeFile(ctx); err != nil {
		return api.Loaded{}, nil, err
	}
	s.meters.rows.Add(float64(got.Rows))
	s.loading.Lock()
	defer s.loading.Unlock()
	l := store.Load{Dataset: dataset, Source: src.name, Rows: got.Rows, Time: src.columns.Time, Codes: src.codes(), Recipe: recipe,
		Panel: got.Panel, Changes: firstChanges(got.Panel)}
	ds, rev, err := s.dataset(ctx, dataset)
	if err == nil {
		err = s.merge(ctx, &l, rev)
	} else if isNotFound(err) && !must {
		err = nil
	}
	if err != nil {
		return api.Loaded{}, nil, err
	}
	if src.closed != nil {
		if err := panel.ParseClosed(l.Panel, src.closed); err != nil {
			return api.Loaded{}, nil, invalid("query.closed", "%v", err)
		}
		l.Panel.Closed = src.closed
		gaps = gapsOf(gaps, l.Panel)
	}
	l.Gaps = gaps
	panel.FillGaps(l.Panel, gaps)
	var watched *results.Watched
	if ds != nil {
		if watched, err = s.results.Watch(ctx, ds.ID, l.Panel); err != nil {
			return api.Loaded{}, nil, err
		}
	}
	written, err := s.store.AddRevision(ctx, l, func(tx *gorm.DB, made *store.Revision) error {
		ofRevision(ctx, made.Number)
		if watched != nil {
			if err := watched.Keep(tx, time.Now().UTC()); err != nil {
				return err
			}
		}
		return note(ctx, tx, "load", dataset, src.name)
	})
	if err != nil {
		return api.Loaded{}, nil, err
	}
	shown, err := datasetOf(&store.Dataset{ID: written.DatasetID, Name: dataset}, written, true)
	return api.Loaded{Dataset: shown, Rows: got.Rows, Changes: changesOf(l.Changes), Form: got.Form.Describe(), AsBefore: done.asBefore,
		Cautions: got.Cautions}, watched, err
}

// merge lays a load over the dataset's latest revision.
func (s *Server) merge(ctx context.Context, l *store.Load, rev *store.Revision) error {
	old, err := s.store.Panel(ctx, rev.ID)
	if err != nil {
		return err
	}
	floor := l.Panel.Floor
	if l.Panel, l.Changes, err = panel.Merge(old, l.Panel); err != nil {
		return invalid("query", "%s does not fit dataset %q: %v", l.Source, l.Dataset, err)
	}
	l.Panel.Floor = floor
	return nil
}

func isNotFound(err error) bool {
	var status huma.StatusError
	return errors.As(err, &status) && status.GetStatus() == 404
}

func firstChanges(p *panel.Panel) panel.Changes {
	ch := panel.Changes{NewSeries: len(p.Series), NewPeriods: p.Length}
	for i := range p.Series {
		ch.NewValues += panel.CountKnown(p.Series[i].Values)
	}
	return ch
}

func changesOf(c panel.Changes) api.Changes {
	out := api.Changes{NewSeries: c.NewSeries, NewPeriods: c.NewPeriods, NewValues: c.NewValues, RestatedCount: c.RestatedCount}
	for _, r := range c.Restated {
		out.Restated = append(out.Restated, api.Restated(r))
	}
	return out
}
