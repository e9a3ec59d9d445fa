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
	Release string `query:"release" doc:"only those of a release"`
	State   string `query:"state" enum:"open,settled,restated,all" default:"open"`
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
	return api.Flag{ID: idText("flag", f.ID), Release: idText("rel", f.ReleaseID), Dataset: dataset, Series: f.Series, Period: f.Period, Step: f.Step, Actual: f.Actual,
		Forecast: f.Forecast, Low: f.Low, High: f.High, Level: f.Level, Severity: f.Severity, State: f.State, SettledAs: f.SettledAs, Note: f.Note,
		SettledBy: f.SettledBy, Settled: f.SettledAt}
}

func (s *Server) settle(ctx context.Context, in *struct {
	FlagPath
	Body api.SettleRequest
}) (api.Flag, error) {
	f, err := s.findFlag(ctx, in.Flag)
	if err != nil {
		return api.Flag{}, err
	}
	now := time.Now().UTC()
	err = s.store.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.First(f, f.ID).Error; err != nil {
			return err
		}
		f.State, f.SettledAs, f.Note, f.SettledBy, f.SettledAt = store.FlagSettled, in.Body.As, in.Body.Note, callerOf(ctx).name, &now
		if err := tx.Save(f).Error; err != nil {
			return err
		}
		return note(ctx, tx, "settle flag", in.Flag, in.Body.As)
	})
	if err != nil {
		return api.Flag{}, err
	}
	return s.flagWithDataset(ctx, *f)
}
