package ingest

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgtype"
	sqlite "modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"

	"paperkettle/core/panel"
)

// The kinds of database.
const (
	PostgreSQL = "postgresql"
	SQLite     = "sqlite"
)

// Connection says how to reach a database.
type Connection struct {
	Name    string
	Kind    string
	Address string // postgresql://user@host:5432/database?sslmode=..., or a SQLite file
	Secret  string // the password; never part of Address
}

// Query is a question to a database whose answer is a table.
type Query struct {
	Connection
	SQL string
}

// CheckAddress finds what can't be an address of its kind, without connecting.
func (c Connection) CheckAddress() error {
	switch c.Kind {
	case SQLite:
		if !filepath.IsAbs(c.Address) {
			return errors.New("give the SQLite file's whole path, as the service sees it")
		}
		return nil
	case PostgreSQL:
		u, err := url.Parse(c.Address)
		if err != nil || u.Scheme != "postgresql" && u.Scheme != "postgres" || u.Host == "" && u.Query().Get("host") == "" ||
			strings.Trim(u.Path, "/") == "" {
			return errors.New("write the address as postgresql://user@host:5432/database")
		}
		if _, has := u.User.Password(); has || u.Query().Has("password") || u.Query().Has("passfile") {
			return errors.New("leave the password out of the address: name the environment variable or the file that holds it")
		}
		return nil
	}
	return fmt.Errorf("kind %q is not known: use %s or %s", c.Kind, PostgreSQL, SQLite)
}

// Reach connects and asks for nothing.
func (c Connection) Reach(ctx context.Context) error {
	t, err := (Query{c, "SELECT 1"}).open(ctx)
	if err != nil {
		return err
	}
	return t.Close()
}

// LoadQuery reads the rows that a query gives. The error is a *Refusal where the rows
// or the query are at fault.
func LoadQuery(ctx context.Context, q Query, c Columns) (*Loaded, error) {
	form := Form{Format: FormatQuery}
	got, err := load(ctx, func(ctx context.Context, _ *Form) (table, error) { return q.open(ctx) }, q.describe(), &form, c)
	if got != nil {
		got.Form = form
	}
	return got, err
}

// InspectQuery looks at the first rows that a query gives.
func InspectQuery(ctx context.Context, q Query) (Form, []Column, error) {
	form := Form{Format: FormatQuery}
	t, err := q.open(ctx)
	if err == nil {
		defer t.Close()
		var columns []Column
		if columns, err = look(t, Marks{}); err == nil {
			return form, columns, nil
		}
	}
	var f panel.Fault
	if errors.As(err, &f) {
		refusal := &Refusal{File: q.describe()}
		refusal.add(f)
		err = refusal
	}
	return form, nil, err
}

func (q Query) describe() string { return "the query on " + strconv.Quote(q.Name) }

// reachFor bounds how long a database may take to answer the first word.
const reachFor = 15 * time.Second

// open asks the query; the rows come as they are read. The database can't be changed.
func (q Query) open(ctx context.Context) (table, error) {
	if err := q.CheckAddress(); err != nil {
		return nil, fault("connection %q: %v", q.Name, err)
	}
	if strings.TrimSpace(q.SQL) == "" {
		return nil, fault("the query is empty")
	}
	if err := checkQuestion(q.SQL); err != nil {
		return nil, err
	}
	ctx, stop := context.WithTimeout(ctx, queryTakes)
	ask := q.openPostgreSQL
	if q.Kind == SQLite {
		ask = q.openSQLite
	}
	t, err := ask(ctx)
	if err != nil {
		if errors.Is(ctx.Err(), context.DeadlineExceeded) {
			err = errTooLong
		}
		stop()
		return nil, err
	}
	return &bounded{table: t, ctx: ctx, stop: stop}, nil
}

// wrong tells what a database said, without the secret.
func (q Query) wrong(doing string, err error) error {
	var pg *pgconn.PgError
	text := err.Error()
	if errors.As(err, &pg) {
		text = pg.Message
		if pg.Position > 0 {
			before := q.SQL[:min(len(q.SQL), int(pg.Position)-1)]
			return panel.Fault{Line: 1 + strings.Count(before, "\n"),
				Problem: fmt.Sprintf("%s, at character %d of the query: %s", doing, len(before)-strings.LastIndex(before, "\n"), text)}
		}
	}
	if q.Secret != "" {
		text = strings.ReplaceAll(text, q.Secret, "***")
	}
	return fault("%s: %s", doing, strings.Join(strings.Fields(text), " "))
}

type postgresTable struct {
	q     Query
	conn  *pgx.Conn
	rows  pgx.Rows
	stop  context.CancelFunc
	names []string
	isYes []bool // columns of truth values
	buf   []byte
	ends  []int
	out   []string
	line  int
}

func (q Query) openPostgreSQL(ctx context.Context) (table, error) {
	cfg, err := pgx.ParseConfig(q.Address)
	if err != nil {
		return nil, q.wrong("the address can't be read", err)
	}
	cfg.Password = q.Secret
	cfg.ConnectTimeout = reachFor
	cfg.DefaultQueryExecMode = pgx.QueryExecModeDescribeExec
	for name, value := range map[string]string{"default_transaction_read_only": "on", "TimeZone": "UTC", "DateStyle": "ISO",
		"application_name": "paperkettle"} {
		cfg.RuntimeParams[name] = value
	}
	ctx, stop := context.WithCancel(ctx)
	conn, err := pgx.ConnectConfig(ctx, cfg)
	if err != nil {
		stop()
		return nil, q.wrong("the database can't be reached", err)
	}
	t := &postgresTable{q: q, conn: conn, stop: stop}
	if err := readOnly(ctx, conn); err != nil {
		_ = t.Close()
		return nil, q.wrong("the database can't be reached", err)
	}
	// Text is what the readers of files understand already.
	if t.rows, err = conn.Query(ctx, q.SQL, pgx.QueryResultFormats{pgx.TextFormatCode}); err == nil {
		err = t.rows.Err()
	}
	if err != nil {
		_ = t.Close()
		return nil, q.wrong("the database refused the query", err)
	}
	for _, f := range t.rows.FieldDescriptions() {
		t.names = append(t.names, f.Name)
		t.isYes = append(t.isYes, f.DataTypeOID == pgtype.BoolOID)
	}
	t.ends, t.out = make([]int, len(t.names)), make([]string, len(t.names))
	if len(t.names) == 0 {
		t.rows.Next() // some errors show only here
		err := t.rows.Err()
		_ = t.Close()
		if err != nil {
			return nil, q.wrong("the database refused the query", err)
		}
		return nil, fault("the query gives no columns: write a SELECT")
	}
	return t, nil
}

// readOnly begins a transaction that can't be made to write: it has taken its snapshot, after which
// PostgreSQL refuses to turn it round, and code that ends a transaction is refused inside of one. The
// session is thrown away with it.
func readOnly(ctx context.Context, conn *pgx.Conn) error {
	if _, err := conn.Exec(ctx, "BEGIN TRANSACTION READ ONLY"); err != nil {
		return err
	}
	_, err := conn.Exec(ctx, "SELECT 1")
	return err
}

func (t *postgresTable) Columns() []string { return t.names }
func (t *postgresTable) Line() int         { return t.line }

// Close does not wait for rows that nobody reads.
func (t *postgresTable) Close() error {
	t.stop()
	if t.rows != nil {
		t.rows.Close()
	}
	ctx, cancel := context.WithTimeout(context.Background(), reachFor)
	defer cancel()
	return t.conn.Close(ctx)
}

// Next puts a row's fields into one string, which costs one allocation a row.
func (t *postgresTable) Next() ([]string, error) {
	if !t.rows.Next() {
		if err := t.rows.Err(); err != nil {
			return nil, t.q.wrong("the query broke off", err)
		}
		return nil, io.EOF
	}
	t.line++
	t.buf = t.buf[:0]
	for i, v := range t.rows.RawValues() {
		if t.isYes[i] && v != nil {
			v = map[bool][]byte{true: {'1'}, false: {'0'}}[v[0] == 't']
		}
		t.buf = append(t.buf, v...)
		t.ends[i] = len(t.buf)
	}
	text, from := string(t.buf), 0
	for i, end := range t.ends {
		t.out[i] = text[from:end]
		from = end
	}
	return t.out, nil
}

type sqliteTable struct {
	q      Query
	db     *sql.DB
	conn   *sql.Conn
	rows   *sql.Rows
	names  []string
	values []any
	out    []string
	line   int
}

// liteLimits keep a query from other files of the machine, and from values that have no end.
var liteLimits = map[int]int{
	sqlite3.SQLITE_LIMIT_ATTACHED:            0,
	sqlite3.SQLITE_LIMIT_LENGTH:              1 << 20, // bytes of a value or a row
	sqlite3.SQLITE_LIMIT_SQL_LENGTH:          1 << 20,
	sqlite3.SQLITE_LIMIT_EXPR_DEPTH:          200,
	sqlite3.SQLITE_LIMIT_COMPOUND_SELECT:     200,
	sqlite3.SQLITE_LIMIT_LIKE_PATTERN_LENGTH: 1000,
}

func (q Query) openSQLite(ctx context.Context) (_ table, err error) {
	if info, err := os.Stat(q.Address); err != nil || info.IsDir() {
		return nil, fault("connection %q: there is no file %s that the service can read", q.Name, filepath.Base(q.Address))
	}
	u := url.URL{Scheme: "file", Opaque: (&url.URL{Path: q.Address}).EscapedPath(), RawQuery: "mode=ro&_pragma=query_only(1)&_pragma=busy_timeout(5000)"}
	t := &sqliteTable{q: q}
	if t.db, err = sql.Open("sqlite", u.String()); err != nil {
		return nil, q.wrong("the database can't be opened", err)
	}
	defer func() {
		if err != nil {
			_ = t.Close()
		}
	}()
	if t.conn, err = t.db.Conn(ctx); err != nil {
		return nil, q.wrong("the database can't be opened", err)
	}
	for id, most := range liteLimits {
		if _, err = sqlite.Limit(t.conn, id, most); err != nil {
			return nil, q.wrong("the database can't be opened", err)
		}
	}
	if t.rows, err = t.conn.QueryContext(ctx, q.SQL); err != nil {
		return nil, q.wrong("the database refused the query", err)
	}
	if t.names, err = t.rows.Columns(); err != nil {
		return nil, q.wrong("the database refused the query", err)
	}
	if len(t.names) == 0 {
		return nil, fault("the query gives no columns: write a SELECT")
	}
	t.values, t.out = make([]any, len(t.names)), make([]string, len(t.names))
	return t, nil
}

func (t *sqliteTable) Columns() []string { return t.names }
func (t *sqliteTable) Line() int         { return t.line }

func (t *sqliteTable) Close() error {
	var errs []error
	if t.rows != nil {
		errs = append(errs, t.rows.Close())
	}
	if t.conn != nil {
		errs = append(errs, t.conn.Close())
	}
	return errors.Join(append(errs, t.db.Close())...)
}

func (t *sqliteTable) Next() ([]string, error) {
	if !t.rows.Next() {
		if err := t.rows.Err(); err != nil {
			return nil, t.q.wrong("the query broke off", err)
		}
		return nil, io.EOF
	}
	t.line++
	into := make([]any, len(t.values))
	for i := range into {
		into[i] = &t.values[i]
	}
	if err := t.rows.Scan(into...); err != nil {
		return nil, t.q.wrong("the query broke off", err)
	}
	for i, v := range t.values {
		t.out[i] = sqlText(v)
	}
	return t.out, nil
}

func sqlText(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case int64:
		return strconv.FormatInt(v, 10)
	case float64:
		return formatNumber(v)
	case bool:
		if v {
			return "1"
		}
		return "0"
	case time.Time:
		if v.Equal(v.Truncate(24 * time.Hour)) {
			return v.UTC().Format(time.DateOnly)
		}
		return v.UTC().Format("2006-01-02 15:04:05")
	case []byte:
		return string(v)
	}
	return fmt.Sprint(v)
}
