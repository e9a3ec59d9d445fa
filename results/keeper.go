package results

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/gob"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"sync"
	"time"

	"github.com/klauspost/compress/zstd"
	"golang.org/x/sync/singleflight"
	"gorm.io/gorm"

	"paperkettle/core/model"
	"paperkettle/store"
)

// seriesAPart is how many series' own parts are kept as one piece.
const seriesAPart = 16

// usedAnew is how long after its last use an artefact is noted as used again.
const usedAnew = 10 * time.Minute

// keeper keeps trained contenders in the store, those used last, up to some bytes.
type keeper struct {
	store *store.Store
	room  int64
	once  singleflight.Group
	pack  *zstd.Encoder
	read  *zstd.Decoder
}

func newKeeper(s *store.Store, room int64) *keeper {
	pack, _ := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1)) // fails by wrong options alone
	read, _ := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(1<<30))
	return &keeper{store: s, room: room, pack: pack, read: read}
}

// Once runs f for a key unless another does already, and then waits for that.
func (k *keeper) Once(key string, f func() error) error {
	_, err, _ := k.once.Do(key, func() (any, error) { return nil, f() })
	return err
}

// program is a hash of the program that runs: another one may fit otherwise, and finds nothing
// that this one kept.
var program = sync.OnceValue(func() string {
	name, err := os.Executable()
	if err != nil {
		return ""
	}
	f, err := os.Open(name)
	if err != nil {
		return ""
	}
	defer f.Close()
	h := sha256.New()
	if _, err := io.Copy(h, f); err != nil {
		return ""
	}
	return hex.EncodeToString(h.Sum(nil)[:8]) + "/"
})

// Find gives what is kept under a key; nil where nothing is.
func (k *keeper) Find(ctx context.Context, key string) (model.Parts, error) {
	key = program() + key
	var a store.Artefact
	err := k.store.Read(ctx).Where("key = ? AND ready", key).First(&a).Error
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	if now := time.Now().UTC(); now.Sub(a.UsedAt) > usedAnew {
		err = k.store.WriteLater(ctx, func(tx *gorm.DB) error {
			return tx.Model(&store.Artefact{}).Where("id = ?", a.ID).Update("used_at", now).Error
		}, func(error) {})
	}
	return &keptParts{ctx: ctx, keeper: k, a: a}, err
}

// keptParts reads the pieces of an artefact as they are asked for.
type keptParts struct {
	ctx    context.Context
	keeper *keeper
	a      store.Artefact

	mu    sync.Mutex // guards what follows
	at    int        // the piece that was read last, from 1
	piece [][]byte
}

func (p *keptParts) Len() int { return p.a.Series }

func (p *keptParts) Shared() ([]byte, error) { return p.keeper.part(p.ctx, p.a.ID, 0) }

func (p *keptParts) Part(i int) ([]byte, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if at := 1 + i/seriesAPart; at != p.at {
		b, err := p.keeper.part(p.ctx, p.a.ID, at)
		if err != nil {
			return nil, err
		}
		p.piece = nil
		if err := gob.NewDecoder(bytes.NewReader(b)).Decode(&p.piece); err != nil {
			return nil, fmt.Errorf("reading a kept fit: %w", err)
		}
		p.at = at
	}
	if i %= seriesAPart; i < len(p.piece) {
		return p.piece[i], nil
	}
	return nil, errors.New("reading a kept fit: it is cut short")
}

func (k *keeper) part(ctx context.Context, id uint, part int) ([]byte, error) {
	var kept store.ArtefactPart
	if err := k.store.Read(ctx).Where("artefact_id = ? AND part = ?", id, part).First(&kept).Error; err != nil {
		return nil, fmt.Errorf("reading a kept fit: %w", err)
	}
	return k.read.DecodeAll(kept.Data, nil)
}

// Save keeps a trained contender, piece by piece, and lets go of those that were not used for
// longest where there are too many.
func (k *keeper) Save(ctx context.Context, key, contender string, trained model.Parts) {
	if err := k.save(ctx, key, contender, trained); err != nil && ctx.Err() == nil {
		slog.Warn("a trained contender could not be kept: it is trained again when it is asked for", "contender", contender, "error", err)
	}
}

func (k *keeper) save(ctx context.Context, key, contender string, trained model.Parts) error {
	key = program() + key
	a := store.Artefact{Key: key, Contender: contender, Series: trained.Len(), UsedAt: time.Now().UTC()}
	err := k.store.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.Where("key = ?", key).Delete(&store.Artefact{}).Error; err != nil {
			return err
		}
		return tx.Create(&a).Error
	})
	if err != nil {
		return err
	}
	add := func(part int, b []byte) error {
		packed := k.pack.EncodeAll(b, nil)
		a.Bytes += int64(len(packed))
		return k.store.Write(ctx, func(tx *gorm.DB) error {
			return tx.Create(&store.ArtefactPart{ArtefactID: a.ID, Part: part, Data: packed}).Error
		})
	}
	b, err := trained.Shared()
	if err == nil {
		err = add(0, b)
	}
	for from := 0; from < trained.Len() && err == nil; from += seriesAPart {
		if err = ctx.Err(); err != nil {
			break
		}
		var piece [][]byte
		for i := from; i < min(from+seriesAPart, trained.Len()) && err == nil; i++ {
			var own []byte
			own, err = trained.Part(i)
			piece = append(piece, own)
		}
		var w bytes.Buffer
		if err == nil {
			err = gob.NewEncoder(&w).Encode(piece)
		}
		if err == nil {
			err = add(1+from/seriesAPart, w.Bytes())
		}
	}
	if err != nil {
		return err // what is half there is never ready, and goes with the next clearing
	}
	a.Ready = true
	return k.store.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.Save(&a).Error; err != nil {
			return err
		}
		return clear(tx, k.room)
	})
}

// clear lets go of the artefacts that were not used for longest, and of those that never became
// ready, until the rest has room.
func clear(tx *gorm.DB, room int64) error {
	return tx.Exec(`DELETE FROM artefacts WHERE id IN (
		SELECT id FROM (SELECT id, ready, used_at, SUM(bytes) OVER (ORDER BY used_at DESC, id DESC) AS so_far FROM artefacts)
		WHERE so_far > ? OR NOT ready AND used_at < ?)`, room, time.Now().UTC().Add(-time.Hour)).Error
}
