package results_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"paperkettle/core/model"
	"paperkettle/results"
	"paperkettle/store"
)

func open(t *testing.T, room int64) (*store.Store, *results.Repository) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s, results.Open(s, nil, 1, room)
}

// fits is a trained model whose parts say whose they are.
func fits(name string, n, size int) *model.Written {
	w := &model.Written{Common: []byte("shared by " + name)}
	for i := range n {
		w.Own = append(w.Own, []byte(fmt.Sprint(name, i, strings.Repeat(string(rune('a'+i%26)), size))))
	}
	return w
}

func TestWhatIsKeptIsFound(t *testing.T) {
	_, r := open(t, 1<<20)
	k := r.Keeper()
	want := fits("linear", 40, 10)
	none, err := k.Find(t.Context(), "key")
	require.NoError(t, err)
	assert.Nil(t, none)
	k.Save(t.Context(), "key", "linear", want)
	k.Save(t.Context(), "key", "linear", want) // twice is once
	got, err := k.Find(t.Context(), "key")
	require.NoError(t, err)
	for _, i := range []int{39, 0, 17} {
		own, err := got.Part(i)
		require.NoError(t, err)
		assert.Equal(t, want.Own[i], own)
	}
	read, err := model.Write(got)
	require.NoError(t, err)
	assert.Equal(t, want, read)
}

// broken is a model one of whose parts can't be written.
type broken struct{ *model.Written }

func (b broken) Part(i int) ([]byte, error) {
	if i == 20 {
		return nil, fmt.Errorf("no ink")
	}
	return b.Written.Part(i)
}

// What was half kept when something broke, or the service was killed, is not there.
func TestHalfOfAFitIsNone(t *testing.T) {
	s, r := open(t, 1<<20)
	r.Keeper().Save(t.Context(), "key", "linear", broken{fits("linear", 40, 10)})
	got, err := r.Keeper().Find(t.Context(), "key")
	require.NoError(t, err)
	assert.Nil(t, got)
	require.NoError(t, s.Write(t.Context(), func(tx *gorm.DB) error {
		return tx.Model(&store.Artefact{}).Where("NOT ready").Update("used_at", time.Now().UTC().Add(-2*time.Hour)).Error
	}))
	r.Keeper().Save(t.Context(), "other", "linear", fits("linear", 3, 10))
	assert.Equal(t, []string{"other"}, keys(t, s), "and its pieces go with time")
}

func keys(t *testing.T, s *store.Store) (out []string) {
	require.NoError(t, s.Read(t.Context()).Model(&store.Artefact{}).Order("key").Pluck("key", &out).Error)
	for i, key := range out {
		_, out[i], _ = strings.Cut(key, "/") // the program that kept it
	}
	return out
}

// What was not used for longest goes first where there is no room.
func TestOldFitsMakeRoom(t *testing.T) {
	s, r := open(t, 900)
	k := r.Keeper()
	for i, key := range []string{"a", "b", "c"} {
		k.Save(t.Context(), key, "linear", noise(i))
		require.NoError(t, s.Write(t.Context(), func(tx *gorm.DB) error {
			return tx.Model(&store.Artefact{}).Where("key LIKE ?", "%/"+key).Update("used_at", time.Now().UTC().Add(time.Duration(i-60)*time.Minute)).Error
		}))
	}
	require.Equal(t, []string{"a", "b", "c"}, keys(t, s))
	_, err := k.Find(t.Context(), "a") // so b is now the oldest
	require.NoError(t, err)
	require.NoError(t, s.Write(context.Background(), func(*gorm.DB) error { return nil })) // the note of its use is written
	k.Save(t.Context(), "new", "linear", noise(9))
	assert.Equal(t, []string{"a", "c", "new"}, keys(t, s))
	var parts int64
	require.NoError(t, s.Read(t.Context()).Model(&store.ArtefactPart{}).Distinct("artefact_id").Count(&parts).Error)
	assert.EqualValues(t, 3, parts, "pieces go with what they are of")
}

// noise is a model of about 250 bytes that can't be packed smaller.
func noise(seed int) *model.Written {
	b := make([]byte, 200)
	x := uint32(seed + 1)
	for i := range b {
		x = x*1664525 + 1013904223
		b[i] = byte(x >> 24)
	}
	return &model.Written{Own: [][]byte{b}}
}
