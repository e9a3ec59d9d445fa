// Package store keeps records on SQLite and packed arrays in its BLOBs. All writes
// pass through one writer, which groups them into transactions.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/pressly/goose/v3"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
	_ "modernc.org/sqlite" // the driver named "sqlite"
)

// readers is how many queries may run at once. Those that wait are not served in their order, so that
// with few connections one of many may wait for seconds.
const readers = 24

// fileName is the database's in a data folder.
const fileName = "paperkettle.db"

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound says that a record is not there.
var ErrNotFound = gorm.ErrRecordNotFound

// Store is an open data folder.
type Store struct {
	ready  ready
	path   string
	read   *gorm.DB
	write  *gorm.DB
	ops    chan *op
	closed chan struct{}
	once   sync.Once
	change atomic.Int64
	lock   *os.File
	panels panelCache
}

// op is one write; done is called exactly once, after its transaction.
type op struct {
	run  func(tx *gorm.DB) error
	err  error
	done func(error)
}

// Open opens a data folder, creating it and bringing its schema up to date. Only
// one process may hold a folder.
func Open(dir string) (*Store, error) {
	if err := os.MkdirAll(dir, 0o750); err != nil {
		return nil, fmt.Errorf("data folder: %w", plainly(err))
	}
	lock, err := lockFolder(dir)
	if err != nil {
		return nil, err
	}
	s := &Store{ops: make(chan *op, 64), closed: make(chan struct{}), lock: lock}
	path := filepath.Join(dir, fileName)
	s.path = path
	if err := private(path); err != nil {
		lock.Close()
		return nil, err
	}
	if s.write, err = open(path, 1, false); err == nil {
		err = migrate(s.write, path)
	}
	if err == nil {
		s.read, err = open(path, readers, true)
	}
	if err != nil {
		lock.Close()
		if damaged(err) || errors.Is(err, ErrDamaged) {
			return nil, fmt.Errorf("opening %s: %w: 'paperkettle check --data %s' says what is wrong; restore a backup with 'paperkettle restore "+
				"FILE --data DIR'", path, err, dir)
		}
		return nil, fmt.Errorf("opening %s: %w", path, plainly(err))
	}
	s.noteChange()
	go s.writeLoop()
	return s, nil
}

// Owns says whether a file is one of the store's own, by whatever path.
func (s *Store) Owns(file string) bool {
	for _, own := range []string{s.path, s.path + "-wal", s.path + "-shm"} {
		a, errA := os.Stat(own)
		b, errB := os.Stat(file)
		if errA == nil && errB == nil && os.SameFile(a, b) {
			return true
		}
	}
	return false
}

// private makes the file one that nobody else on the machine can read: it holds what people
// load, and the hashes of tokens.
func private(path string) error {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return fmt.Errorf("data folder: %w", err)
	}
	return errors.Join(f.Chmod(0o600), f.Close())
}

func lockFolder(dir string) (*os.File, error) {
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("data folder: %w", err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, fmt.Errorf("data folder %s is in use by another paperkettle: stop that one or give another --data", dir)
	}
	return f, nil
}

func open(path string, connections int, readOnly bool) (*gorm.DB, error) {
	dsn := "file:" + path + "?_txlock=immediate&_time_format=sqlite&_timezone=UTC" +
		"&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(on)&_pragma=busy_timeout(10000)" +
		"&_pragma=cache_size(-16000)&_pragma=journal_size_limit(67108864)"
	if readOnly {
		dsn += "&_pragma=query_only(on)&_pragma=cache_size(-4000)"
	}
	db, err := gorm.Open(sqlite.New(sqlite.Config{DriverName: "sqlite", DSN: dsn}), &gorm.Config{
		Logger:                 logger.Default.LogMode(logger.Silent),
		SkipDefaultTransaction: true,
		NowFunc:                func() time.Time { return time.Now().UTC() },
	})
	if err != nil {
		return nil, err
	}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(connections)
	pool.SetMaxIdleConns(connections)
	return db, nil
}

// prepareGoose tells the migrations' tool where they are.
func prepareGoose() error {
	goose.SetBaseFS(migrations)
	goose.SetLogger(goose.NopLogger())
	return goose.SetDialect("sqlite3")
}

func migrate(db *gorm.DB, path string) error {
	pool, err := db.DB()
	if err != nil {
		return err
	}
	if err := lookOver(pool, path); err != nil {
		return err
	}
	if err := prepareGoose(); err != nil {
		return err
	}
	if err := refuseLater(pool); err != nil {
		return err
	}
	return goose.Up(pool, "migrations")
}

// refuseLater refuses a database that a later program has changed: this one would read it wrongly.
func refuseLater(pool *sql.DB) error {
	has, err := goose.EnsureDBVersion(pool)
	if err != nil {
		return err
	}
	known, err := goose.CollectMigrations("migrations", 0, goose.MaxVersion)
	if err != nil {
		return err
	}
	last, err := known.Last()
	if err != nil {
		return err
	}
	if has > last.Version {
		return fmt.Errorf("it was written by a later version of paperkettle (its schema is %d, this program knows %d): run that version, or "+
			"give another --data", has, last.Version)
	}
	return nil
}

// Read is for queries. It never sees half of a write.
func (s *Store) Read(ctx context.Context) *gorm.DB { return s.read.WithContext(ctx) }

// ErrClosed says that the store takes no more writes.
var ErrClosed = errors.New("the store is closed")

// Write runs a write and waits until it is durable. Its own failure rolls back
// only itself.
func (s *Store) Write(ctx context.Context, run func(tx *gorm.DB) error) error {
	result := make(chan error, 1)
	if err := s.WriteLater(ctx, run, func(err error) { result <- err }); err != nil {
		return err
	}
	return <-result
}

// WriteLater queues a write; done is called once it is durable or has failed. It
// waits where the queue is full.
func (s *Store) WriteLater(ctx context.Context, run func(tx *gorm.DB) error, done func(error)) error {
	select {
	case <-s.closed:
		return ErrClosed
	default:
	}
	select {
	case s.ops <- &op{run: run, done: done}:
		return nil
	case <-s.closed:
		return ErrClosed
	case <-ctx.Done():
		return ctx.Err()
	}
}

// groupSize bounds how many waiting writes share a transaction.
const groupSize = 32

func (s *Store) writeLoop() {
	for first := range s.ops {
		group := []*op{first}
	more:
		for len(group) < groupSize {
			select {
			case o, ok := <-s.ops:
				if !ok {
					break more
				}
				group = append(group, o)
			default:
				break more
			}
		}
		s.commit(group)
	}
}

// commit runs a group in one transaction, each write in a savepoint of its own.
func (s *Store) commit(group []*op) {
	err := s.write.Transaction(func(tx *gorm.DB) error {
		for _, o := range group {
			o.err = tx.Transaction(func(tx *gorm.DB) error { return guard(o.run, tx) })
		}
		return nil
	})
	if err == nil {
		s.noteChange()
	}
	for _, o := range group {
		// Where the disk is full, SQLite ends the whole transaction, and the end of it says nothing of why.
		if full := plainly(o.err); err != nil && errors.Is(full, ErrFull) {
			err = full
		}
	}
	for _, o := range group {
		if err != nil {
			o.err = err
		}
		o.done(plainly(o.err))
	}
}

// noteChange takes up the last line of audit, once it is durable.
func (s *Store) noteChange() {
	var last int64
	if s.write.Model(&Audit{}).Select("COALESCE(MAX(id), 0)").Scan(&last).Error == nil {
		s.change.Store(last)
	}
}

// Change numbers what people have changed: every such write has a line of audit, and raises it once it
// is durable. What is read after asking for it is at least as new.
func (s *Store) Change() int64 { return s.change.Load() }

func guard(run func(*gorm.DB) error, tx *gorm.DB) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("a write broke down: %v", r)
		}
	}()
	return run(tx)
}

// Close waits for the queued writes and closes the folder. No Write may follow.
func (s *Store) Close() error {
	var err error
	s.once.Do(func() {
		idle := make(chan struct{})
		// The last write in the queue: when it is done, all are.
		if s.WriteLater(context.Background(), func(*gorm.DB) error { return nil }, func(error) { close(idle) }) == nil {
			<-idle
		}
		close(s.closed)
		for _, db := range []*gorm.DB{s.read, s.write} {
			if pool, e := db.DB(); e == nil {
				err = errors.Join(err, pool.Close())
			}
		}
		s.lock.Close()
	})
	return err
}

// readyFor is how long an answer of Ready holds: whoever asks often writes no more often.
const readyFor = 5 * time.Second

// ready is the last answer of Ready.
type ready struct {
	mu  sync.Mutex
	at  time.Time
	err error
}

// Ready says whether the folder can be written to, by writing.
func (s *Store) Ready(ctx context.Context) error {
	s.ready.mu.Lock()
	defer s.ready.mu.Unlock()
	if now := time.Now(); now.Sub(s.ready.at) > readyFor {
		s.ready.err = s.Write(ctx, func(tx *gorm.DB) error {
			return tx.Exec("UPDATE goose_db_version SET tstamp = tstamp WHERE id = (SELECT MIN(id) FROM goose_db_version)").Error
		})
		s.ready.at = now
	}
	return s.ready.err
}
