package store_test

import (
	"context"
	"database/sql"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"paperkettle/core/calendar"
	"paperkettle/core/panel"
	"paperkettle/store"
)

// withData is a folder with a dataset of two revisions.
func withData(t *testing.T) (dir string, s *store.Store) {
	dir = t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	for k := range 2 {
		p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Day}, First: 20000, Length: 500, Measure: "cups"}
		for range 40 {
			values := make([]float64, p.Length)
			for i := range values {
				values[i] = float64(i*7%13 + k)
			}
			p.Series = append(p.Series, panel.Series{Key: strings.Repeat("k", len(p.Series)+1), Values: values})
		}
		attribute := panel.Attribute{Name: "stall"}
		for i := range p.Series {
			attribute.Values, attribute.Codes = append(attribute.Values, p.Series[i].Key), append(attribute.Codes, int32(i))
		}
		p.Attributes = []panel.Attribute{attribute}
		_, err := s.AddRevision(context.Background(), store.Load{Dataset: "stalls", Panel: p}, nil)
		require.NoError(t, err)
	}
	return dir, s
}

// A backup is made while the folder is in use, restores to the same data, and replaces none unasked.
func TestBackupAndRestore(t *testing.T) {
	ctx := context.Background()
	dir, s := withData(t)
	file := filepath.Join(t.TempDir(), "copy.db")
	require.NoError(t, store.Backup(ctx, dir, file))
	var before []store.Revision
	require.NoError(t, s.Read(ctx).Find(&before).Error)
	_, err := store.Restore(ctx, file, dir, true)
	assert.ErrorContains(t, err, "in use by another paperkettle")
	require.NoError(t, s.Close())

	other := t.TempDir()
	kept, err := store.Restore(ctx, file, other, false)
	require.NoError(t, err)
	assert.Empty(t, kept)
	_, err = store.Restore(ctx, file, other, false)
	assert.ErrorContains(t, err, "holds data already")
	kept, err = store.Restore(ctx, file, other, true)
	require.NoError(t, err)
	assert.FileExists(t, kept)
	faults, err := store.Examine(ctx, other)
	require.NoError(t, err)
	assert.Empty(t, faults)
	again, err := store.Open(other)
	require.NoError(t, err)
	var after []store.Revision
	require.NoError(t, again.Read(ctx).Find(&after).Error)
	assert.Equal(t, before, after)
	require.NoError(t, again.Close())

	foreign := filepath.Join(t.TempDir(), "other.db")
	db, err := sql.Open("sqlite", foreign)
	require.NoError(t, err)
	_, err = db.Exec("CREATE TABLE a (b)")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	for _, file := range []string{foreign, "health_test.go", "nowhere.db"} {
		_, err := store.Restore(ctx, file, t.TempDir(), false)
		assert.Error(t, err, file)
	}
}

// Damage is named: bytes that changed within a revision, and pages that are no pages, which the start
// refuses too.
func TestDamageIsNamed(t *testing.T) {
	ctx := context.Background()
	dir, s := withData(t)
	require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error {
		return tx.Exec("UPDATE revision_chunks SET data = substr(data, 1, length(data) - 8) || zeroblob(8) WHERE revision_id = 2").Error
	}))
	require.NoError(t, s.Close())
	faults, err := store.Examine(ctx, dir)
	require.NoError(t, err)
	require.Len(t, faults, 1)
	assert.Contains(t, faults[0], `dataset "stalls", revision 2, is not what was loaded`)

	path := filepath.Join(dir, "paperkettle.db")
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	copy(b[len(b)/2:], strings.Repeat("kettle", 2000))
	require.NoError(t, os.WriteFile(path, b, 0o600))
	faults, err = store.Examine(ctx, dir)
	require.NoError(t, err)
	assert.NotEmpty(t, faults)
	_, err = store.Open(dir)
	assert.ErrorContains(t, err, "paperkettle check --data")
	_, err = store.Examine(ctx, t.TempDir())
	assert.ErrorContains(t, err, "there is no data in")
}

// A disk without room is one sentence, and what was there stays.
func TestAFullDisk(t *testing.T) {
	ctx := context.Background()
	dir, s := withData(t)
	defer s.Close()
	require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error {
		var pages int64
		if err := tx.Raw("PRAGMA page_count").Scan(&pages).Error; err != nil {
			return err
		}
		return tx.Exec("PRAGMA max_page_count = " + strconv.FormatInt(pages+2, 10)).Error
	}))
	err := s.Write(ctx, func(tx *gorm.DB) error {
		return tx.Exec("INSERT INTO audits (at, who, action, object, detail) VALUES ('2026-01-01', '', '', '', hex(randomblob(1000000)))").Error
	})
	require.ErrorIs(t, err, store.ErrFull)
	assert.Contains(t, err.Error(), "make room")
	faults, err := store.Examine(ctx, dir)
	require.NoError(t, err)
	assert.Empty(t, faults)
}
