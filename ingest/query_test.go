package ingest_test

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"paperkettle/core/panel"
	"paperkettle/ingest"
	"paperkettle/ingest/postgrestest"
)

var ctx = context.Background()

func liteFile(t *testing.T) (string, *sql.DB) {
	path := filepath.Join(t.TempDir(), "sales & more?.db")
	db, err := sql.Open("sqlite", "file:"+filepath.ToSlash(filepath.Dir(path))+"/sales%20&%20more%3F.db")
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	return path, db
}

func TestPostgreSQLGivesThePanelThatWasWritten(t *testing.T) {
	c := ingest.Connection{Name: "warehouse", Kind: ingest.PostgreSQL, Address: postgrestest.Start(t), Secret: postgrestest.Password}
	require.NoError(t, c.Reach(ctx))
	cfg, err := pgx.ParseConfig(c.Address)
	require.NoError(t, err)
	cfg.Password = c.Secret
	conn, err := pgx.ConnectConfig(ctx, cfg)
	require.NoError(t, err)
	defer conn.Close(ctx)

	rapid.Check(t, func(t *rapid.T) {
		rows := drawRows(t)
		_, err := conn.Exec(ctx, `DROP TABLE IF EXISTS sales; CREATE TABLE sales (day date, shop text, item varchar(20), sold double precision, price numeric(8,2))`)
		require.NoError(t, err)
		var cells [][]any
		for _, r := range rows {
			cells = append(cells, []any{r.Day, r.Shop, r.Item, r.Sold, r.Price})
		}
		_, err = conn.CopyFrom(ctx, pgx.Identifier{"sales"}, []string{"day", "shop", "item", "sold", "price"}, pgx.CopyFromRows(cells))
		require.NoError(t, err)
		got, err := ingest.LoadQuery(ctx, ingest.Query{Connection: c, SQL: "SELECT * FROM sales"}, formColumns)
		require.NoError(t, err)
		want := load(t, asCSV(t, rows, ',', time.DateOnly, plainNumber), ingest.Form{}, formColumns)
		assert.Equal(t, panel.Hash(want), panel.Hash(got.Panel))
	})

	load := func(sql string, cols ingest.Columns) (*panel.Panel, error) {
		got, err := ingest.LoadQuery(ctx, ingest.Query{Connection: c, SQL: sql}, cols)
		if err != nil {
			return nil, err
		}
		return got.Panel, nil
	}
	cols := ingest.Columns{Time: "t", Measures: []string{"v"}}
	p, err := load(`SELECT g AS t, 1.5::numeric * extract(day from g) AS v FROM generate_series(timestamp '2026-03-01', '2026-03-03', '12 hours') g WHERE extract(hour from g) = 0`, cols)
	require.NoError(t, err)
	assert.Equal(t, "2026-03-01: 1.5, 3, 4.5", fmt.Sprintf("%s: %v, %v, %v", p.Period(0), p.Series[0].Values[0], p.Series[0].Values[1],
		p.Series[0].Values[2]))
	p, err = load(`SELECT g AS t, g > '2026-03-01 00:30Z' AS v FROM generate_series(timestamptz '2026-03-01 00:00Z', '2026-03-01 02:00Z', '1 hour') g`, ingest.Columns{Time: "t", Measures: []string{"v"}, Zone: "UTC"})
	require.NoError(t, err)
	assert.Equal(t, []float64{0, 1, 1}, p.Series[0].Values)

	t.Run("what goes wrong is said, and never the secret", func(t *testing.T) {
		for sql, want := range map[string]string{
			"":                               "the query is empty",
			"SELECT day,\n solds FROM sales": `line 2: the database refused the query, at character 2 of the query: column "solds" does not exist`,
			"DELETE FROM sales RETURNING 1":  "write a SELECT",
			"WITH x AS (DELETE FROM sales RETURNING 1) SELECT * FROM x": "read-only transaction",
			"SELECT 1; DROP TABLE sales":                                "multiple commands",
			"CREATE TABLE x (a int)":                                    "",
			"SELECT 1/(sold-sold) v FROM sales":                         "division by zero",
			"SELECT 'x' AS t, 1 AS v":                                   `line 1: column "t": "x" is not a time`,
		} {
			_, err := load(sql, cols)
			require.Error(t, err, sql)
			assert.Contains(t, err.Error(), want, sql)
			assert.NotContains(t, err.Error(), postgrestest.Password)
		}
		wrong := c
		wrong.Secret = "not-the-" + c.Secret
		err := wrong.Reach(ctx)
		require.Error(t, err)
		assert.NotContains(t, err.Error(), c.Secret)
		var n int
		require.NoError(t, conn.QueryRow(ctx, "SELECT count(*) FROM sales").Scan(&n))
		assert.Positive(t, n, "no query may change the database")
	})
	t.Run("no attack turns reading into writing", func(t *testing.T) {
		_, err := conn.Exec(ctx, "CREATE TABLE spoils (a int); CREATE FUNCTION spoil() RETURNS int LANGUAGE plpgsql AS $f$ BEGIN INSERT INTO "+
			"spoils VALUES (1); RETURN 1; END $f$")
		require.NoError(t, err)
		off := "set_config('default_transaction_read_only','off',false)"
		for _, sql := range []string{
			"do $$ begin perform " + off + "; commit; insert into spoils values (1); end $$",
			"/* SELECT */ do $$ begin execute 'set transaction read write'; insert into spoils values (1); end $$",
			"SELECT " + off + ", set_config('transaction_read_only','off',false), spoil() AS v",
			"SELECT set_config('transaction_read_only','off',true) AS t, spoil() AS v",
			"SELECT spoil() AS t, 1 AS v",
			"COPY spoils FROM PROGRAM 'echo 1'", "COMMIT", "CALL spoil()", "SELECT 1; INSERT INTO spoils VALUES (1)",
			"SELECT 1 AS t, 2 AS v; COMMIT; INSERT INTO spoils VALUES (1)",
			"SELECT query_to_xml('insert into spoils values (1)', true, true, '') AS t, 1 AS v",
		} {
			_, err := load(sql, cols)
			assert.Error(t, err, sql)
			_, _, err = ingest.InspectQuery(ctx, ingest.Query{Connection: c, SQL: sql})
			assert.Error(t, err, sql)
		}
		var n int
		require.NoError(t, conn.QueryRow(ctx, "SELECT count(*) FROM spoils").Scan(&n))
		assert.Zero(t, n, "something was written")
	})
	t.Run("an answer that nobody reads on is given up", func(t *testing.T) {
		_, _, err := ingest.InspectQuery(ctx, ingest.Query{Connection: c, SQL: "SELECT g AS t, pg_sleep(0.001) AS v FROM generate_series(1, 10000000) g"})
		require.NoError(t, err)
		assert.Eventually(t, func() bool {
			var n int
			err := conn.QueryRow(ctx, "SELECT count(*) FROM pg_stat_activity WHERE state = 'active' AND pid <> pg_backend_pid() AND query LIKE "+
				"'%pg_sleep%'").Scan(&n)
			return err == nil && n == 0
		}, time.Minute, 50*time.Millisecond)
	})
}

func TestSQLiteIsReadAndNothingElse(t *testing.T) {
	path, db := liteFile(t)
	_, err := db.Exec(`CREATE TABLE sales (day DATE, shop TEXT, units REAL, n INTEGER); INSERT INTO sales VALUES ('2026-03-01','a',1.5,1), ('2026-03-02','a',NULL,2), ('2026-03-03','a',2.5,3)`)
	require.NoError(t, err)
	c := ingest.Connection{Name: "till", Kind: ingest.SQLite, Address: path}
	got, err := ingest.LoadQuery(ctx, ingest.Query{Connection: c, SQL: "SELECT * FROM sales"},
		ingest.Columns{Time: "day", Measures: []string{"units"}, By: []string{"shop"}, Drivers: []string{"n"}})
	require.NoError(t, err)
	s := got.Panel.Series[0]
	assert.Equal(t, []float64{1, 2, 3}, s.Drivers[0])
	assert.Equal(t, 1.5, s.Values[0])
	assert.False(t, panel.Known(s.Values[1]))
	_, columns, err := ingest.InspectQuery(ctx, ingest.Query{Connection: c, SQL: "SELECT day, shop, units FROM sales"})
	require.NoError(t, err)
	assert.Equal(t, []string{"time", "text", "number"}, []string{columns[0].Kind, columns[1].Kind, columns[2].Kind})

	other, _ := liteFile(t)
	for sql, want := range map[string]string{
		"DELETE FROM sales RETURNING day AS day, units":               "write a SELECT",
		"WITH x AS (SELECT 1) DELETE FROM sales RETURNING day, units": "readonly",
		"ATTACH '" + other + "' AS x":                                 "write a SELECT",
		"SELECT 1 AS day, hex(zeroblob(300000000)) AS units":          "too big",
		"SELECT missing FROM sales":                                   "no such column",
	} {
		_, err := ingest.LoadQuery(ctx, ingest.Query{Connection: c, SQL: sql}, ingest.Columns{Time: "day", Measures: []string{"units"}})
		require.Error(t, err, sql)
		assert.Contains(t, err.Error(), want, sql)
	}
	var n int
	require.NoError(t, db.QueryRow("SELECT count(*) FROM sales").Scan(&n))
	assert.Equal(t, 3, n)
}

func TestAddressesThatCantBe(t *testing.T) {
	for address, want := range map[string]string{
		"postgresql://u:pw@h/db":          "leave the password out",
		"postgresql://u@h/db?password=pw": "leave the password out",
		"postgresql://u@h":                "write the address as",
		"mysql://u@h/db":                  "write the address as",
	} {
		err := ingest.Connection{Kind: ingest.PostgreSQL, Address: address}.CheckAddress()
		require.Error(t, err, address)
		assert.Contains(t, err.Error(), want)
	}
	assert.ErrorContains(t, ingest.Connection{Kind: ingest.SQLite, Address: "sales.db"}.CheckAddress(), "whole path")
}

// Rows that go on without end are given up by their number or their bytes, and what gives none by
// its time.
func TestAQueryWithoutEndIsGivenUp(t *testing.T) {
	path, db := liteFile(t)
	_, err := db.Exec("CREATE TABLE sales (day DATE)")
	require.NoError(t, err)
	c := ingest.Connection{Name: "till", Kind: ingest.SQLite, Address: path}
	sql := "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT i AS day, hex(zeroblob(400000)) AS padding, 1 AS units FROM n"
	_, err = ingest.LoadQuery(ctx, ingest.Query{Connection: c, SQL: sql}, ingest.Columns{Time: "day", Measures: []string{"units"}})
	assert.ErrorContains(t, err, "narrow it, or sum it up in the database")

	short, cancel := context.WithTimeout(ctx, 500*time.Millisecond)
	defer cancel()
	_, err = ingest.LoadQuery(short, ingest.Query{Connection: c,
		SQL: "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT i AS day, 1 AS units FROM n WHERE i < 0"},
		ingest.Columns{Time: "day", Measures: []string{"units"}})
	assert.Error(t, err, "it ends when its time is up")
}
