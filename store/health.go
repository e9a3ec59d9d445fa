package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"

	"modernc.org/sqlite"

	"paperkettle/core/panel"
)

// ErrFull says that the disk has no room for a write.
var ErrFull = errors.New("the disk is full: make room, then try again; nothing was changed")

// The primary codes of SQLite that say what is wrong with a file. Source: sqlite.org/rescode.html.
const (
	codeCorrupt = 11
	codeFull    = 13
	codeNotADB  = 26
)

// plainly turns SQLite's word for a full disk into ours.
func plainly(err error) error {
	var own *sqlite.Error
	if errors.Is(err, syscall.ENOSPC) || errors.As(err, &own) && own.Code()&0xff == codeFull {
		return fmt.Errorf("%w (%w)", ErrFull, err)
	}
	return err
}

// ErrDamaged says that a database can't be trusted.
var ErrDamaged = errors.New("the data is damaged")

// damaged says whether an error is SQLite's word for a file that it can't read.
func damaged(err error) bool {
	var own *sqlite.Error
	return errors.As(err, &own) && (own.Code()&0xff == codeCorrupt || own.Code()&0xff == codeNotADB)
}

// quickBytes is how large a database may be to be looked over at every start.
const quickBytes = 256 << 20

// lookOver refuses a damaged database at the start, as far as that is quick.
func lookOver(pool *sql.DB, path string) error {
	info, err := os.Stat(path)
	if err != nil || info.Size() == 0 || info.Size() > quickBytes {
		return err
	}
	var first string
	if err := pool.QueryRow("PRAGMA quick_check(1)").Scan(&first); err != nil {
		return err
	}
	if first != "ok" {
		return fmt.Errorf("%w: %s", ErrDamaged, strings.Join(strings.Fields(first), " "))
	}
	return nil
}

// mostFaults bounds the faults that an examination names.
const mostFaults = 20

// Examine reads a whole data folder, also one that is in use, and names what is wrong with it: pages,
// references, and revisions that are not what was loaded.
func Examine(ctx context.Context, dir string) (faults []string, err error) {
	path := filepath.Join(dir, fileName)
	if _, err := os.Stat(path); err != nil {
		return nil, fmt.Errorf("there is no data in %s: %w", dir, err)
	}
	return examineFile(ctx, path)
}

func examineFile(ctx context.Context, path string) (faults []string, err error) {
	db, err := open(path, 1, true)
	if err != nil {
		return nil, err
	}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	defer pool.Close()
	faults, err = lines(ctx, pool, fmt.Sprintf("PRAGMA integrity_check(%d)", mostFaults))
	if damaged(err) {
		return []string{err.Error()}, nil
	}
	if err != nil {
		return nil, err
	}
	if len(faults) == 1 && faults[0] == "ok" {
		faults = nil
	}
	lost, err := lines(ctx, pool, "SELECT 'a record of '||\"table\"||' belongs to one of '||parent||' that is gone' FROM "+
		"pragma_foreign_key_check LIMIT 20")
	if err != nil {
		return append(faults, err.Error()), nil
	}
	faults = append(faults, lost...)
	return append(faults, examineRevisions(ctx, &Store{read: db})...), ctx.Err()
}

// examineRevisions reads every revision and holds it against the hash of what was loaded.
func examineRevisions(ctx context.Context, s *Store) (faults []string) {
	var list []struct {
		ID     uint
		Name   string
		Number int
		Hash   string
	}
	err := s.Read(ctx).Raw("SELECT revisions.id, datasets.name, revisions.number, revisions.hash FROM revisions JOIN datasets ON datasets.id " +
		"= revisions.dataset_id ORDER BY revisions.id").Scan(&list).Error
	if err != nil {
		return []string{err.Error()}
	}
	for _, r := range list {
		p, err := s.readPanel(ctx, r.ID)
		switch {
		case ctx.Err() != nil:
			return faults
		case err != nil:
			faults = append(faults, fmt.Sprintf("dataset %q, revision %d, can't be read: %v", r.Name, r.Number, err))
		case panel.Hash(p) != r.Hash:
			faults = append(faults, fmt.Sprintf("dataset %q, revision %d, is not what was loaded: its content has another hash", r.Name, r.Number))
		}
	}
	return faults
}

// lines gives the rows of a query of one column.
func lines(ctx context.Context, pool *sql.DB, query string) (out []string, err error) {
	rows, err := pool.QueryContext(ctx, query)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var line string
		if err := rows.Scan(&line); err != nil {
			return nil, err
		}
		out = append(out, line)
	}
	return out, rows.Err()
}

// Backup copies a data folder's database into a file, also while it is in use, and looks the copy
// over before it takes the file's place.
func Backup(ctx context.Context, dir, file string) error {
	source := filepath.Join(dir, fileName)
	if _, err := os.Stat(source); err != nil {
		return fmt.Errorf("there is no data in %s: %w", dir, err)
	}
	part := file + ".part"
	if err := os.Remove(part); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	db, err := open(source, 1, false)
	if err != nil {
		return err
	}
	pool, err := db.DB()
	if err != nil {
		return err
	}
	defer pool.Close()
	if err := db.WithContext(ctx).Exec("VACUUM INTO ?", part).Error; err != nil {
		os.Remove(part)
		return plainly(err)
	}
	return takePlace(ctx, part, file)
}

// takePlace looks a copy over and puts it where it belongs.
func takePlace(ctx context.Context, part, file string) error {
	defer os.Remove(part)
	faults, err := examineFile(ctx, part)
	if err == nil && len(faults) > 0 {
		err = fmt.Errorf("%w: %s", ErrDamaged, faults[0])
	}
	if err != nil {
		return err
	}
	for _, beside := range []string{"-wal", "-shm"} { // of the look
		if err := os.Remove(part + beside); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	if err := durable(part); err != nil {
		return err
	}
	return os.Rename(part, file)
}

// durable makes a file private and sees it on the disk.
func durable(path string) error {
	f, err := os.OpenFile(path, os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	return plainly(errors.Join(f.Chmod(0o600), f.Sync(), f.Close()))
}

// Restore puts a backup into a data folder that nobody uses. What is there already stays, unless it
// is to be replaced; then it is kept beside, under another name.
func Restore(ctx context.Context, file, dir string, replace bool) (kept string, err error) {
	if err := os.MkdirAll(dir, 0o750); err != nil {
		return "", err
	}
	lock, err := lockFolder(dir)
	if err != nil {
		return "", err
	}
	defer lock.Close()
	path := filepath.Join(dir, fileName)
	_, err = os.Stat(path)
	there := err == nil
	if there && !replace {
		return "", fmt.Errorf("%s holds data already: restore into another folder, or say that it is to be replaced", dir)
	}
	part := path + ".part"
	if err := copyFile(file, part); err != nil {
		return "", err
	}
	if err := refuseForeign(part); err != nil {
		os.Remove(part)
		return "", fmt.Errorf("%s can't be restored: %w", file, err)
	}
	if there {
		kept = path + ".before"
		for _, beside := range []string{"", "-wal", "-shm"} {
			if err := os.Rename(path+beside, kept+beside); err != nil && !errors.Is(err, os.ErrNotExist) {
				return "", err
			}
		}
	}
	return kept, takePlace(ctx, part, path)
}

// refuseForeign refuses a file that is no database of this program, or of a later version of it.
func refuseForeign(path string) error {
	db, err := open(path, 1, false)
	if damaged(err) {
		return errors.New("it is no backup of paperkettle")
	}
	if err != nil {
		return err
	}
	pool, err := db.DB()
	if err != nil {
		return err
	}
	defer pool.Close()
	var n int64
	if err := db.Raw("SELECT COUNT(*) FROM sqlite_master WHERE type = 'table' AND name IN ('datasets', 'revisions', " +
		"'goose_db_version')").Scan(&n).Error; err != nil || n != 3 {
		return errors.New("it is no backup of paperkettle")
	}
	if err := prepareGoose(); err != nil {
		return err
	}
	return refuseLater(pool)
}

// copyFile copies a file whole.
func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = out.ReadFrom(in)
	return plainly(errors.Join(err, out.Close()))
}
