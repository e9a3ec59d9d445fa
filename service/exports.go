package service

import (
	"bufio"
	"context"
	"fmt"
	"strings"

	"paperkettle/core/bakeoff"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/export"
	"paperkettle/jobs"
	"paperkettle/store"
)

// exportDataset streams series as they would be loaded again.
func (s *Server) exportDataset(ctx context.Context, in *struct {
	RevisionPath
	Where  []string `query:"where,explode" doc:"attribute=value; several narrow further"`
	Search string   `query:"search" doc:"text in the key, whatever its case"`
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
	name := strings.ReplaceAll(in.Dataset, " ", "-") + ".csv"
	return stream{name: name, write: func(w *bufio.Writer) error { return export.Panel(w, p, chosen, meta.Time) }}, nil
}

// exportBakeoff streams every forecast point, window by window.
func (s *Server) exportBakeoff(ctx context.Context, in *BakeoffPath) (stream, error) {
	b, err := s.findBakeoff(ctx, in.Bakeoff)
	if err != nil {
		return stream{}, err
	}
	e, err := jobs.OpenEngine(ctx, s.store, s.catalogue, b)
	if err != nil {
		return stream{}, err
	}
	return stream{name: idText("bake", b.ID) + "-points.csv", write: func(w *bufio.Writer) error {
		points, err := export.NewPoints(w, e.Panel, e.Plan.Levels, true)
		if err != nil {
			return err
		}
		rows, err := s.store.Read(s.ctx).Model(&store.Result{}).Where("bakeoff_id = ?", b.ID).Order("win, shard, contender").
			Select("win", "contender", "shard", "forecasts").Rows()
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			var r store.Result
			if err := rows.Scan(&r.Win, &r.Contender, &r.Shard, &r.Forecasts); err != nil {
				return err
			}
			if err := exportShard(points, e, r); err != nil {
				return err
			}
		}
		return rows.Err()
	}}, nil
}

func exportShard(points *export.Points, e *bakeoff.Engine, r store.Result) error {
	w := e.Windows[r.Win]
	shard := e.Shard(bakeoff.Task{Window: r.Win, Contender: r.Contender, Shard: r.Shard})
	view := panel.NewView(e.Panel, shard, w.TrainFirst, w.Origin)
	for i, series := range shard {
		rows, err := jobs.ReadForecast(r.Forecasts, i, e.Plan.Split.Horizon)
		if err != nil {
			return err
		}
		scale := score.MakeScale(view.Series(i).Values, e.ScaleLag())
		err = points.Series(series, e.Plan.Contenders[r.Contender].Name, export.Origin{Window: w.Index, Index: w.Origin}, rows, scale, e.Panel.Series[series].At)
		if err != nil {
			return err
		}
	}
	return nil
}

// exportRelease streams a release with the actuals that have arrived since.
func (s *Server) exportRelease(ctx context.Context, in *ReleasePath) (stream, error) {
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
	return stream{name: idText("rel", rel.ID) + ".csv", write: func(w *bufio.Writer) error {
		points, err := export.NewPoints(w, old, levels, false)
		if err != nil {
			return err
		}
		shift := int(old.First - now.First)
		return jobs.EachReleased(s.ctx, s.store, rel, func(r jobs.ReleasedSeries) error {
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
	}}, nil
}
