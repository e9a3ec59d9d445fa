package service

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"math"
	"strings"

	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/core/bakeoff"
	"paperkettle/core/forecast"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/core/split"
	"paperkettle/export"
	"paperkettle/results"
	"paperkettle/store"
)

// exportDataset streams series as they would be loaded again.
func (s *Server) exportDataset(ctx context.Context, in *struct {
	RevisionPath
	Where  []string `query:"where,explode" doc:"attribute=value; several narrow further"`
	Search string   `query:"search" doc:"text in the key, whatever its case"`
	Format string   `query:"format" enum:"csv,csv-text,json,jsonl,xlsx,parquet" default:"csv" doc:"csv-text has no text that a spreadsheet takes for a formula"`
}) (stream, error) {
	_, rev, err := s.revisionOf(ctx, in.Dataset, in.Revision)
	if err != nil {
		return stream{}, err
	}
	meta, err := rev.ReadMeta()
	if err != nil {
		return stream{}, err
	}
	p, err := s.store.Panel(ctx, rev.ID)
	if err != nil {
		return stream{}, err
	}
	chosen, err := choose(p, in.Where, in.Search)
	if err != nil {
		return stream{}, err
	}
	format, mediaType, err := asFormat(in.Format)
	if err != nil {
		return stream{}, err
	}
	name := strings.ReplaceAll(in.Dataset, " ", "-") + export.Extension(format)
	return stream{name: name, mediaType: mediaType, write: func(w *bufio.Writer) error { return export.Panel(w, p, chosen, meta.Time, format) }}, nil
}

// asFormat gives the media type of an export's format.
func asFormat(format string) (name, mediaType string, err error) {
	if format == "" {
		format = export.CSV
	}
	mediaType, ok := export.Formats[format]
	if !ok {
		return "", "", invalid("query.format", "format %q is not known: use csv, csv-text, json, jsonl, xlsx or parquet", format)
	}
	return format, mediaType, nil
}

// exportBakeoff streams every forecast point, window by window.
func (s *Server) exportBakeoff(ctx context.Context, in *struct {
	BakeoffPath
	Format    string `query:"format" enum:"csv,csv-text,json,jsonl,xlsx,parquet" default:"csv"`
	Newcomers bool   `query:"newcomers" doc:"those of series that were too new to be trained on, which are assessed apart, in place of the others"`
}) (stream, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return stream{}, err
	}
	e, err := s.engine(ctx, b)
	if err != nil {
		return stream{}, err
	}
	format, mediaType, err := asFormat(in.Format)
	if err != nil {
		return stream{}, err
	}
	name, each := "-points", s.eachPoint
	if in.Newcomers {
		name, each = "-newcomers", s.eachNewcomer
	} else if format == export.XLSX {
		if err := s.fitsSheet(ctx, e, b.ID); err != nil {
			return stream{}, err
		}
	}
	return stream{name: idText("bake", b.ID) + name + export.Extension(format), mediaType: mediaType, write: func(w *bufio.Writer) error {
		points, err := export.NewPoints(w, format, e.Panel, e.Plan.Levels, true)
		if err != nil {
			return err
		}
		if err := each(b.ID, e, points); err != nil {
			return err
		}
		return points.Close()
	}}, nil
}

// eachPoint writes what is ranked.
func (s *Server) eachPoint(id uint, e *bakeoff.Engine, points *export.Points) error {
	return s.eachResult(id, e, func(r *unpacked) error {
		for i, series := range r.series {
			if r.rows[i].Mean == nil { // left out
				continue
			}
			if err := points.Series(series, r.contender, r.origin, r.rows[i], r.scales[i], e.Panel.Series[series].At); err != nil {
				return err
			}
		}
		return nil
	})
}

// eachNewcomer writes what is assessed apart; a series without a past has nothing to scale its errors by.
func (s *Server) eachNewcomer(id uint, e *bakeoff.Engine, points *export.Points) error {
	none := score.Scale{Abs: math.NaN(), Sq: math.NaN()}
	return s.results.EachNewcomers(s.ctx, e, id, nil, func(t bakeoff.Task, list []bakeoff.Newcomer) error {
		for _, n := range list {
			series := e.Panel.Find(n.Series)
			if n.Rows.Mean == nil || series < 0 {
				continue
			}
			if err := points.Series(series, e.Plan.Contenders[t.Contender].Name, originOf(e.Windows[t.Window]), n.Rows, none,
				e.Panel.Series[series].At); err != nil {
				return err
			}
		}
		return nil
	})
}

func originOf(w split.Window) export.Origin {
	return export.Origin{Window: w.Index, Index: w.Origin, Gap: w.Gap}
}

// fitsSheet refuses an export that has more rows than a sheet has room for.
func (s *Server) fitsSheet(ctx context.Context, e *bakeoff.Engine, id uint) error {
	var bytes int64
	if err := s.store.Read(ctx).Model(&store.Result{}).Where("bakeoff_id = ?",
		id).Select("COALESCE(SUM(LENGTH(errors)), 0)").Scan(&bytes).Error; err != nil {
		return err
	}
	if points := bytes / 8; points > export.MostXLSXRows {
		return invalid("query.format", "the %d points don't fit into a sheet, which has room for %d rows: take csv or parquet", points, export.MostXLSXRows)
	}
	return nil
}

// unpacked is a stored result made ready to be written.
type unpacked struct {
	series    []int
	contender string
	origin    export.Origin
	rows      []forecast.Rows // empty where a series was left out
	scales    []score.Scale
}

// eachResult reads a bake-off's results, window by window, while write is busy with those
// before.
func (s *Server) eachResult(id uint, e *bakeoff.Engine, write func(*unpacked) error) error {
	ctx, stop := context.WithCancel(s.ctx)
	defer stop()
	ahead := make(chan *unpacked, 4)
	var failure error
	go func() {
		defer close(ahead)
		failure = s.readResults(ctx, id, e, ahead)
	}()
	for r := range ahead {
		if err := write(r); err != nil {
			stop()
			for range ahead { // until the reader has seen it
			}
			return err
		}
	}
	return failure
}

func (s *Server) readResults(ctx context.Context, id uint, e *bakeoff.Engine, out chan<- *unpacked) error {
	scales := map[int]score.Scale{} // of the window's series
	window := -1
	query := func() *gorm.DB { return s.store.Read(ctx).Where("bakeoff_id = ?", id) }
	return store.EachResult(query, []string{"win", "contender", "shard", "forecasts"}, func(r *store.Result) error {
		if r.Win != window {
			clear(scales)
			window = r.Win
		}
		u, err := unpack(e, *r, scales)
		if err != nil {
			return err
		}
		select {
		case out <- u:
			return nil
		case <-ctx.Done():
			return ctx.Err()
		}
	})
}

func unpack(e *bakeoff.Engine, r store.Result, scales map[int]score.Scale) (*unpacked, error) {
	w := e.Windows[r.Win]
	shard := e.Shard(bakeoff.Task{Window: r.Win, Contender: r.Contender, Shard: r.Shard})
	view := panel.NewView(e.Panel, shard, w.TrainFirst, w.Origin)
	u := &unpacked{series: shard, contender: e.Plan.Contenders[r.Contender].Name, origin: originOf(w),
		rows: make([]forecast.Rows, len(shard)), scales: make([]score.Scale, len(shard))}
	for i, series := range shard {
		rows, err := results.ReadForecast(r.Forecasts, i, e.Plan.Split.Horizon)
		if err != nil && !errors.Is(err, forecast.ErrAbsent) {
			return nil, err
		}
		if err == nil {
			u.rows[i] = rows
		}
		scale, ok := scales[series]
		if !ok {
			values, _ := view.Values(i)
			scale = score.MakeScale(values, e.ScaleLag())
			scales[series] = scale
		}
		u.scales[i] = scale
	}
	return u, nil
}

// exportStandings writes a ranking, whole or cut, as a table.
func (s *Server) exportStandings(ctx context.Context, in *struct {
	BakeoffPath
	Metric string `query:"metric" doc:"the plan's where left out"`
	Per    string `query:"per" doc:"a cut, or two apart by a comma; the whole where left out"`
	Format string `query:"format" enum:"csv,csv-text,json,jsonl,xlsx,parquet" default:"csv"`
}) (stream, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return stream{}, err
	}
	format, mediaType, err := asFormat(in.Format)
	if err != nil {
		return stream{}, err
	}
	st, err := s.standings(ctx, b, in.Metric, in.Per, false)
	if err != nil {
		return stream{}, err
	}
	return stream{name: idText("bake", b.ID) + "-standings" + export.Extension(format), mediaType: mediaType, write: func(w *bufio.Writer) error {
		columns, rows := standingsTable(st)
		t, err := export.NewTable(w, format, columns)
		for _, r := range rows {
			if err == nil {
				err = t.Row(r)
			}
		}
		if err != nil {
			return err
		}
		return t.Close()
	}}, nil
}

func standingsTable(st api.Standings) ([]export.Column, [][]export.Cell) {
	cut := st.Per
	if cut == "" {
		cut = "slice"
	}
	columns := []export.Column{{Name: cut, Kind: export.Text}, {Name: "rank", Kind: export.Whole}, {Name: "contender", Kind: export.Text},
		{Name: "points", Kind: export.Whole},
		{Name: "filled", Kind: export.Whole}, {Name: "skill", Kind: export.Number}}
	for _, m := range st.Metrics {
		columns = append(columns, export.Column{Name: m.Name, Kind: export.Number})
	}
	whole := st.Per == ""
	if whole {
		for _, n := range []string{"over_series_mean", "over_series_median", "mean_rank", "won", "beats_baseline", "behind_low", "behind_high",
			"like_leader", "train_" + st.Metric, "seconds"} {
			columns = append(columns, export.Column{Name: n, Kind: export.Number})
		}
	}
	found := st.Per == "series"
	if found {
		columns = append(columns, export.Column{Name: "found", Kind: export.Text})
	}
	value := func(v *float64) export.Cell {
		if v == nil {
			return export.Cell{Number: math.NaN()}
		}
		return export.Cell{Number: *v}
	}
	var rows [][]export.Cell
	for _, sl := range st.Slices {
		for _, r := range sl.Rows {
			row := []export.Cell{{Text: sl.Name}, {Number: float64(r.Rank)}, {Text: r.Contender}, {Number: float64(r.Points)},
				{Number: float64(r.Filled)}, value(r.Skill)}
			for _, m := range st.Metrics {
				row = append(row, value(r.Values[m.Name]))
			}
			if whole && r.Over != nil {
				o, like := r.Over, 0.0
				if o.LikeLeader {
					like = 1
				}
				row = append(row, value(o.Mean), value(o.Median), value(o.MeanRank), value(o.Won), value(o.Beats), value(o.BehindLow),
					value(o.BehindHigh), export.Cell{Number: like}, value(r.Train[st.Metric]), export.Cell{Number: r.Seconds})
			}
			if found {
				row = append(row, export.Cell{Text: r.Found})
			}
			rows = append(rows, row)
		}
	}
	return columns, rows
}

// exportRelease streams a release with the actuals that have arrived since.
func (s *Server) exportRelease(ctx context.Context, in *struct {
	ReleasePath
	Format string `query:"format" enum:"csv,csv-text,json,jsonl,xlsx,parquet" default:"csv"`
}) (stream, error) {
	format, mediaType, err := asFormat(in.Format)
	if err != nil {
		return stream{}, err
	}
	rel, err := s.findRelease(ctx, in.Release)
	if err != nil {
		return stream{}, err
	}
	if rel.State == store.Preparing || rel.State == store.Broken {
		return stream{}, conflict("%s is %s: there is nothing to export", in.Release, rel.State)
	}
	old, now, err := s.releasePanels(ctx, rel)
	if err != nil {
		return stream{}, err
	}
	levels, err := levelsOf(rel)
	if err != nil {
		return stream{}, err
	}
	index := map[string]int{}
	for i := range old.Series {
		index[old.Series[i].Key] = i
	}
	latest := map[string]*panel.Series{}
	for i := range now.Series {
		latest[now.Series[i].Key] = &now.Series[i]
	}
	return stream{name: idText("rel", rel.ID) + export.Extension(format), mediaType: mediaType, write: func(w *bufio.Writer) error {
		points, err := export.NewPoints(w, format, old, levels, false)
		if err != nil {
			return err
		}
		shift := int(old.First - now.First)
		err = s.results.EachReleased(s.ctx, rel, func(r results.ReleasedSeries) error {
			if r.LeftOut != "" {
				return nil
			}
			i, ok := index[r.Series]
			if !ok {
				return fmt.Errorf("series %q of the release is not in its revision", r.Series)
			}
			actual := func(at int) float64 {
				if sr := latest[r.Series]; sr != nil {
					return sr.At(at + shift)
				}
				return panel.Unknown
			}
			return points.Series(i, r.Contender, export.Origin{Index: old.Length - 1}, r.Rows, score.Scale{}, actual)
		})
		return errors.Join(err, points.Close())
	}}, nil
}
