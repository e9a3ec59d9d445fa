package results

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"math"
	"slices"
	"time"

	"gorm.io/gorm"

	"paperkettle/core/forecast"
	"paperkettle/core/panel"
	"paperkettle/core/score"
	"paperkettle/core/watch"
	"paperkettle/store"
)

// LiveScore is how a release has done on the actuals that arrived since.
type LiveScore struct {
	Points  int                 `json:"points"`
	Outside int                 `json:"outside"`
	Level   float64             `json:"level"`
	Metrics map[string]*float64 `json:"metrics"`
	Through string              `json:"through"`
	// Skill is 1 - MASE / that of a seasonal naive forecast from the same origin; nil where unknown.
	Skill *float64 `json:"skill,omitempty"`
}

// Watched is the outcome of holding actuals against the live release.
type Watched struct {
	Release *store.Release
	Score   LiveScore
	Flags   []store.Flag
}

// Watch holds a newer panel against the dataset's live release; nil where there is
// none.
func (r *Repository) Watch(ctx context.Context, dataset uint, newer *panel.Panel) (*Watched, error) {
	var rel store.Release
	err := r.store.Read(ctx).Where("dataset_id = ? AND state = ?", dataset, store.Live).First(&rel).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return r.WatchRelease(ctx, rel, newer)
}

// WatchRelease holds a newer panel against a release.
func (r *Repository) WatchRelease(ctx context.Context, rel store.Release, newer *panel.Panel) (*Watched, error) {
	old, err := r.store.Panel(ctx, rel.RevisionID)
	if err != nil {
		return nil, err
	}
	old = old.WithClosed(old.Length - 1)
	var levels []float64
	if err := json.Unmarshal([]byte(rel.Levels), &levels); err != nil {
		return nil, err
	}
	w := &watcher{release: &rel, levels: levels, old: old, newer: newer, acc: score.NewAcc(len(levels))}
	w.index = make(map[string]int, len(newer.Series))
	for i := range newer.Series {
		w.index[newer.Series[i].Key] = i
	}
	oldIndex := make(map[string]int, len(old.Series))
	for i := range old.Series {
		oldIndex[old.Series[i].Key] = i
	}
	err = r.EachReleased(ctx, &rel, func(one ReleasedSeries) error {
		if i, ok := w.index[one.Series]; ok && one.LeftOut == "" {
			w.series(one, &old.Series[oldIndex[one.Series]], &newer.Series[i])
		}
		return nil
	})
	return &Watched{&rel, w.live(), w.flags}, err
}

type watcher struct {
	release    *store.Release
	levels     []float64
	old, newer *panel.Panel
	index      map[string]int
	acc        score.Acc
	flags      []store.Flag
	last       int
	naive      float64 // sum of the seasonal naive's scaled errors, where it has a value
	beside     float64 // and of the release's at the same points
}

// series scores one series' actuals past the release's origin. Levels ascend, so
// the last is the widest: what lies outside it is flagged.
func (w *watcher) series(r ReleasedSeries, before, now *panel.Series) {
	origin := w.old.Ordinal(w.old.Length - 1)
	scale := score.MakeScale(before.Values, w.old.Cadence.Season())
	own := score.NewAcc(len(w.levels))
	point, reader := score.NewPoint(w.levels), forecast.NewReader(w.levels)
	low, high := make([]float64, len(w.levels)), make([]float64, len(w.levels))
	widest := w.levels[len(w.levels)-1]
	for h, f := range r.Rows.Mean {
		at := int(origin + int64(h) + 1 - w.newer.First)
		y := now.At(at)
		if !panel.Known(y) || r.Rows.IsClosed(h) {
			continue
		}
		q := r.Rows.At(h)
		reader.Read(q, low, high)
		if point.Set(y, f, scale, q, low, high) {
			own.Take(point)
			own.Abs = append(own.Abs, math.Abs(f-y))
		}
		if b := lastSeason(before, w.old.Length-1, h, w.old.Cadence.Season()); panel.Known(b) && scale.Abs > 0 {
			w.naive += math.Abs(b-y) / scale.Abs
			w.beside += math.Abs(f-y) / scale.Abs
		}
		w.last = max(w.last, at)
		if j := watch.Judge(y, q, widest); j.Outside {
			w.flags = append(w.flags, store.Flag{ReleaseID: w.release.ID, Series: r.Series, Step: h + 1, Period: w.newer.Period(at),
				Actual: y, Forecast: f, Low: j.Low, High: j.High, Level: widest, Severity: j.Severity, RankBy: math.Abs(j.Severity), State: store.FlagOpen})
		}
	}
	own.CloseSeries(scale)
	w.acc.Merge(&own)
}

// lastSeason is what the same place of the last season before an origin had, which a seasonal naive
// forecasts for a step; without a season, the last value.
func lastSeason(s *panel.Series, origin, step, season int) float64 {
	return s.At(origin - season + 1 + step%season)
}

func (w *watcher) live() LiveScore {
	out := LiveScore{Points: int(w.acc.N), Outside: len(w.flags), Level: w.levels[len(w.levels)-1], Metrics: map[string]*float64{}}
	if w.acc.N > 0 {
		out.Through = w.newer.Period(w.last)
	}
	for _, m := range score.Metrics(w.levels) {
		if v := m.Value(&w.acc); v == v {
			out.Metrics[m.Name] = &v
		}
	}
	if skill := score.Skill(w.beside, w.naive); skill == skill && w.acc.N > 0 {
		out.Skill = &skill
	}
	return out
}

// Keep writes the score and the flags. A flag settled before stays settled while its
// actual is the same; one whose actual moved inside becomes restated.
func (w *Watched) Keep(tx *gorm.DB, now time.Time) error {
	live, err := json.Marshal(w.Score)
	if err != nil {
		return err
	}
	if err := tx.Model(&store.Release{}).Where("id = ?", w.Release.ID).Update("live", string(live)).Error; err != nil {
		return err
	}
	var before []store.Flag
	if err := tx.Where("release_id = ?", w.Release.ID).Find(&before).Error; err != nil {
		return err
	}
	type place struct {
		series string
		step   int
	}
	known := make(map[place]store.Flag, len(before))
	for _, f := range before {
		known[place{f.Series, f.Step}] = f
	}
	// The farthest out first, so that new flags are numbered in the order of the queue.
	slices.SortStableFunc(w.Flags, func(a, b store.Flag) int { return cmp.Compare(b.RankBy, a.RankBy) })
	for i := range w.Flags {
		f := &w.Flags[i]
		at := place{f.Series, f.Step}
		old, ok := known[at]
		delete(known, at)
		f.CreatedAt = now
		if ok {
			f.ID, f.CreatedAt = old.ID, old.CreatedAt
			if old.Actual == f.Actual && old.State == store.FlagSettled {
				*f = old
				continue
			}
		}
		if err := tx.Save(f).Error; err != nil {
			return err
		}
	}
	for _, f := range known {
		if f.State == store.FlagOpen {
			if err := tx.Model(&f).Update("state", store.FlagRestated).Error; err != nil {
				return err
			}
		}
	}
	return nil
}
