package service

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"paperkettle/api"
	"paperkettle/store"
)

// FlagPath names a flag in a route.
type FlagPath struct {
	Flag string `path:"flag" doc:"its ID, as flag-12"`
}

func (s *Server) registerFlags() {
	handle(s, api.ListFlags, s.listFlags)
	handle(s, api.GetFlag, func(ctx context.Context, in *FlagPath) (api.Flag, error) {
		f, err := s.findFlag(ctx, in.Flag)
		if err != nil {
			return api.Flag{}, err
		}
		return s.flagWithDataset(ctx, *f)
	})
	handle(s, api.SettleFlags, s.settleMany)
	handle(s, api.SettleFlag, s.settle)
}

func (s *Server) findFlag(ctx context.Context, text string) (*store.Flag, error) {
	id, err := identifier("flag", text)
	if err != nil {
		return nil, err
	}
	var f store.Flag
	err = s.store.Read(ctx).First(&f, id).Error
	if errors.Is(err, store.ErrNotFound) {
		err = notFound("there is no flag %s", text)
	}
	return &f, err
}

func (s *Server) listFlags(ctx context.Context, in *struct {
	Paging
	Release string  `query:"release" doc:"only those of a release"`
	Dataset string  `query:"dataset" doc:"only those of a dataset"`
	Search  string  `query:"search" doc:"text in the series' key, whatever its case"`
	State   string  `query:"state" enum:"open,settled,restated,all" default:"open"`
	Beyond  float64 `query:"beyond" minimum:"0" doc:"only those at least as far out, in standard deviations either way, as severity has it"`
}) (api.Page[api.Flag], error) {
	out := api.Page[api.Flag]{Items: []api.Flag{}}
	offset, err := in.offset()
	if err != nil {
		return out, err
	}
	query := s.store.Read(ctx).Model(&store.Flag{})
	if in.Release != "" {
		rel, err := s.findRelease(ctx, in.Release)
		if err != nil {
			return out, err
		}
		query = query.Where("release_id = ?", rel.ID)
	}
	if in.Dataset != "" {
		ds, _, err := s.dataset(ctx, in.Dataset)
		if err != nil {
			return out, err
		}
		query = query.Where("release_id IN (SELECT id FROM releases WHERE dataset_id = ?)", ds.ID)
	}
	if in.Search != "" {
		query = query.Where("instr(lower(series), lower(?)) > 0", in.Search)
	}
	if in.Beyond > 0 {
		query = query.Where("rank_by >= ?", in.Beyond)
	}
	if in.State != "all" {
		query = query.Where("state = ?", in.State)
	}
	var total int64
	var list []store.Flag
	err = errors.Join(query.Session(&gorm.Session{}).Count(&total).Error,
		query.Session(&gorm.Session{}).Order("rank_by DESC, id").Offset(offset).Limit(in.Limit).Find(&list).Error)
	if err != nil {
		return out, err
	}
	names, err := s.releaseDatasets(ctx)
	for _, f := range list {
		out.Items = append(out.Items, flagOf(f, names[f.ReleaseID]))
	}
	out.Total, out.Cursor = int(total), nextCursor(offset, len(list), int(total))
	return out, err
}

// releaseDatasets gives each release's dataset by name.
func (s *Server) releaseDatasets(ctx context.Context) (map[uint]string, error) {
	var rows []struct {
		ID   uint
		Name string
	}
	err := s.store.Read(ctx).Raw("SELECT releases.id, datasets.name FROM releases JOIN datasets ON datasets.id = releases.dataset_id").Scan(&rows).Error
	out := make(map[uint]string, len(rows))
	for _, r := range rows {
		out[r.ID] = r.Name
	}
	return out, err
}

func (s *Server) flagWithDataset(ctx context.Context, f store.Flag) (api.Flag, error) {
	names, err := s.releaseDatasets(ctx)
	return flagOf(f, names[f.ReleaseID]), err
}

func flagOf(f store.Flag, dataset string) api.Flag {
	return api.Flag{ID: idText("flag", f.ID), Release: idText("rel", f.ReleaseID), Dataset: dataset, Series: f.Series, Period: f.Period,
		Step: f.Step, Actual: f.Actual,
		Forecast: f.Forecast, Low: f.Low, High: f.High, Level: f.Level, Severity: f.Severity, State: f.State, SettledAs: f.SettledAs, Note: f.Note,
		SettledBy: f.SettledBy, Settled: f.SettledAt}
}

func (s *Server) settle(ctx context.Context, in *struct {
	FlagPath
	Body api.SettleRequest
}) (api.Flag, error) {
	list, err := s.settleAll(ctx, []string{in.Flag}, in.Body)
	if err != nil {
		return api.Flag{}, err
	}
	return s.flagWithDataset(ctx, list[0])
}

// settleMany settles all of several flags, or none.
func (s *Server) settleMany(ctx context.Context, in *struct{ Body api.SettleManyRequest }) (api.Page[api.Flag], error) {
	out := api.Page[api.Flag]{Items: []api.Flag{}}
	list, err := s.settleAll(ctx, in.Body.Flags, in.Body.SettleRequest)
	if err != nil {
		return out, err
	}
	names, err := s.releaseDatasets(ctx)
	for _, f := range list {
		out.Items = append(out.Items, flagOf(f, names[f.ReleaseID]))
	}
	out.Total = len(list)
	return out, err
}

func (s *Server) settleAll(ctx context.Context, ids []string, as api.SettleRequest) ([]store.Flag, error) {
	list := make([]store.Flag, len(ids))
	now := time.Now().UTC()
	err := s.store.Write(ctx, func(tx *gorm.DB) error {
		for i, text := range ids {
			id, err := identifier("flag", text)
			if err != nil {
				return err
			}
			f := &list[i]
			if err := tx.First(f, id).Error; errors.Is(err, store.ErrNotFound) {
				return notFound("there is no flag %s", text)
			} else if err != nil {
				return err
			}
			f.State, f.SettledAs, f.Note, f.SettledBy, f.SettledAt = store.FlagSettled, as.As, as.Note, callerOf(ctx).name, &now
			if err := errors.Join(tx.Save(f).Error, note(ctx, tx, "settle flag", text, as.As)); err != nil {
				return err
			}
		}
		return nil
	})
	return list, err
}
