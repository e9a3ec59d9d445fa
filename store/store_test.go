package store_test

import (
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
	"pgregory.net/rapid"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
	"paperkettle/store"
)

var ctx = context.Background()

func open(t *testing.T, dir string) *store.Store {
	t.Helper()
	s, err := store.Open(dir)
	require.NoError(t, err)
	return s
}

// drawPanel makes a random panel of any shape.
func drawPanel(t *rapid.T) *panel.Panel {
	length := rapid.IntRange(1, 30).Draw(t, "length")
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Month, Label: calendar.LabelCode},
		First: rapid.Int64Range(-500, 900).Draw(t, "first"), Length: length, Measure: "y"}
	if rapid.Bool().Draw(t, "floored") {
		floor := 0.0
		p.Floor = &floor
	}
	for d := range rapid.IntRange(0, 2).Draw(t, "drivers") {
		p.Drivers = append(p.Drivers, panel.Driver{Name: fmt.Sprint("d", d), KnownAhead: d == 0, Attached: d == 1})
	}
	value := rapid.OneOf(rapid.Float64(), rapid.Just(math.NaN()), rapid.Just(0.0))
	draw := func(n int) []float64 {
		out := make([]float64, n)
		for i := range out {
			out[i] = value.Draw(t, "v")
		}
		return out
	}
	n := rapid.IntRange(1, 600).Draw(t, "series")
	shops, items := make([]string, n), make([]string, n)
	for i := range n {
		s := panel.Series{}
		if i < 20 { // the rest are empty, to cross the chunks cheaply
			s.First = rapid.IntRange(0, length-1).Draw(t, "from")
			s.Values = draw(rapid.IntRange(0, length-s.First).Draw(t, "n"))
		}
		for range p.Drivers {
			s.Drivers = append(s.Drivers, draw(len(s.Values)))
		}
		shops[i], items[i] = fmt.Sprint("shop ", i%3), fmt.Sprintf("item %04d", i)
		s.Key = panel.Key([]string{shops[i], items[i]})
		p.Series = append(p.Series, s)
	}
	p.Attributes = []panel.Attribute{panel.NewAttribute("shop", shops), panel.NewAttribute("item", items)}
	return p
}

// What is written reads back from the disk to the same content, whatever the panel.
func TestPanelsReadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		dir, err := filepath.Abs(filepath.Join(rapidDir, fmt.Sprint(counter())))
		require.NoError(t, err)
		s, err := store.Open(dir)
		require.NoError(t, err)
		p := drawPanel(t)
		rev, err := s.AddRevision(ctx, store.Load{Dataset: "x", Panel: p, Gaps: panel.GapsZero, Time: "month"}, nil)
		require.NoError(t, err)
		require.NoError(t, s.Close())

		s, err = store.Open(dir)
		require.NoError(t, err)
		defer s.Close()
		got, err := s.Panel(ctx, rev.ID)
		require.NoError(t, err)
		require.Equal(t, rev.Hash, panel.Hash(got))
		require.Equal(t, p.Cadence, got.Cadence, "with its label")
		require.Equal(t, p.Drivers, got.Drivers)
		meta, err := rev.ReadMeta()
		require.NoError(t, err)
		require.Equal(t, []any{panel.GapsZero, "month"}, []any{meta.Gaps, meta.Time})
	})
}

var (
	rapidDir string
	counts   int
)

func counter() int { counts++; return counts }

func TestMain(m *testing.M) {
	var err error
	if rapidDir, err = os.MkdirTemp("", "store"); err != nil {
		panic(err)
	}
	code := m.Run()
	_ = os.RemoveAll(rapidDir)
	os.Exit(code)
}

// A failing write in a group rolls back itself and no other.
func TestAFailedWriteSpoilsNoNeighbour(t *testing.T) {
	s := open(t, t.TempDir())
	defer s.Close()
	boom := errors.New("boom")
	var wg sync.WaitGroup
	results := make([]error, 60)
	for i := range results {
		wg.Go(func() {
			results[i] = s.Write(ctx, func(tx *gorm.DB) error {
				if err := tx.Create(&store.Dataset{Name: fmt.Sprint(i)}).Error; err != nil {
					return err
				}
				switch i % 3 {
				case 1:
					return boom
				case 2:
					panic("broken")
				}
				return nil
			})
		})
	}
	wg.Wait()
	var names []string
	require.NoError(t, s.Read(ctx).Model(&store.Dataset{}).Pluck("name", &names).Error)
	assert.Len(t, names, 20)
	for i, err := range results {
		switch i % 3 {
		case 0:
			assert.NoError(t, err)
			assert.Contains(t, names, fmt.Sprint(i))
		case 1:
			assert.ErrorIs(t, err, boom)
		case 2:
			assert.ErrorContains(t, err, "broke down")
		}
	}
}

func TestAFolderHasOneOwner(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	_, err := store.Open(dir)
	assert.ErrorContains(t, err, "in use by another paperkettle")
	require.NoError(t, s.Close())
	assert.ErrorIs(t, s.Write(ctx, func(*gorm.DB) error { return nil }), store.ErrClosed)
	again := open(t, dir)
	require.NoError(t, again.Ready(ctx))
	require.NoError(t, again.Close())
}

// Revisions count up within a dataset, and what follows a failed load shares its fate.
func TestRevisionsAreAllOrNothing(t *testing.T) {
	s := open(t, t.TempDir())
	defer s.Close()
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, Length: 1, Measure: "y", Series: []panel.Series{{Key: "all", Values: []float64{1}}}}
	first, err := s.AddRevision(ctx, store.Load{Dataset: "x", Panel: p}, nil)
	require.NoError(t, err)
	_, err = s.AddRevision(ctx, store.Load{Dataset: "x", Panel: p}, func(*gorm.DB, *store.Revision) error { return errors.New("no") })
	require.Error(t, err)
	_, err = s.AddRevision(ctx, store.Load{Dataset: "y", Panel: p}, func(*gorm.DB, *store.Revision) error { return errors.New("no") })
	require.Error(t, err)
	second, err := s.AddRevision(ctx, store.Load{Dataset: "x", Panel: p}, nil)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 2}, []int{first.Number, second.Number})
	var datasets, chunks int64
	require.NoError(t, s.Read(ctx).Model(&store.Dataset{}).Count(&datasets).Error)
	require.NoError(t, s.Read(ctx).Model(&store.RevisionChunk{}).Count(&chunks).Error)
	assert.Equal(t, []int64{1, 2}, []int64{datasets, chunks})
	require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error { return tx.Delete(&store.Dataset{}, first.DatasetID).Error }))
	require.NoError(t, s.Read(ctx).Model(&store.RevisionChunk{}).Count(&chunks).Error)
	assert.Zero(t, chunks, "removing a dataset removes what hangs on it")
}

// A folder that a later program has changed is refused, and nobody else can read any.
func TestFoldersOfLaterVersions(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	file := filepath.Join(dir, "paperkettle.db")
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error {
		return tx.Exec("INSERT INTO goose_db_version (version_id, is_applied) VALUES (999, 1)").Error
	}))
	require.NoError(t, s.Close())
	require.NoError(t, os.Chmod(file, 0o644))
	_, err = store.Open(dir)
	assert.ErrorContains(t, err, "written by a later version of paperkettle (its schema is 999")
	info, err = os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), "also one that was open to all")
}
