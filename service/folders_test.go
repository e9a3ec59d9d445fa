package service_test

import (
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
)

// A data folder of every earlier version is opened: what people made is there, what they published
// is as it was, and what is stored of results in an older form is made again.
func TestFoldersOfEarlierVersions(t *testing.T) {
	dir := t.TempDir()
	c, s := start(t, dir)
	noisyShops(t, c)
	plan := api.Plan{Dataset: "noisy", Horizon: 7, Windows: 2, Contenders: contenders("naive", "seasonal-naive", "linear")}
	b, err := c.StartBakeoff(ctx, plan, "")
	require.NoError(t, err)
	done(t, c, b.Job.ID)
	rel, err := c.Publish(ctx, api.PublishRequest{Bakeoff: b.ID, Contender: "linear"}, "")
	require.NoError(t, err)
	done(t, c, rel.Job.ID)
	standings := scores(t, c, b.ID)
	released := export(t, s, rel.ID)
	require.NoError(t, s.Close())

	for version := int64(1); version <= 5; version++ {
		t.Run(fmt.Sprint(version), func(t *testing.T) {
			c, s := start(t, older(t, dir, version))
			done(t, c, b.Job.ID)
			assert.Equal(t, standings, scores(t, c, b.ID))
			assert.Equal(t, released, export(t, s, rel.ID))
			fit := read[api.Fit](t, s, "/bakeoffs/"+b.ID+"/fit?contender=linear")
			assert.NotEmpty(t, fit.Form)
		})
	}
}

// scores are a bake-off's standings without the time that they took.
func scores(t *testing.T, c *client.Client, bakeoff string) []api.StandingsSlice {
	st, err := c.Standings(ctx, bakeoff, "", "")
	require.NoError(t, err)
	for i := range st.Slices[0].Rows {
		st.Slices[0].Rows[i].Seconds = 0
	}
	return st.Slices
}

func done(t *testing.T, c *client.Client, job string) {
	t.Helper()
	j, err := c.Wait(ctx, job, nil)
	require.NoError(t, err)
	require.Equal(t, "done", j.State, j.Error)
}

// older makes a folder of an earlier version with what is in one of today's; results are of a
// form that nobody can read any more.
func older(t *testing.T, from string, version int64) string {
	dir := t.TempDir()
	db, err := sql.Open("sqlite", "file:"+filepath.Join(dir, "paperkettle.db")+"?_pragma=journal_mode(WAL)&_time_format=sqlite&_timezone=UTC")
	require.NoError(t, err)
	defer db.Close()
	p, err := goose.NewProvider(goose.DialectSQLite3, db, os.DirFS("../store/migrations"))
	require.NoError(t, err)
	_, err = p.UpTo(t.Context(), version)
	require.NoError(t, err)
	run := func(text string, given ...any) {
		_, err := db.Exec(text, given...)
		require.NoError(t, err, text)
	}
	db.SetMaxOpenConns(1)
	run("ATTACH ? AS now", filepath.Join(from, "paperkettle.db"))
	for _, table := range []string{"datasets", "revisions", "revision_chunks", "jobs", "bakeoffs", "releases", "release_parts"} {
		now := columns(t, db, "now", table)
		both := slices.DeleteFunc(columns(t, db, "main", table), func(name string) bool { return !slices.Contains(now, name) })
		list := strings.Join(both, ", ")
		run(fmt.Sprintf("INSERT INTO main.%s (%s) SELECT %s FROM now.%s", table, list, list, table))
	}
	if version >= 5 { // from then on it is said what form results have
		run("UPDATE main.bakeoffs SET versions = 'of another time'")
	}
	last := "errors"
	if version < 3 {
		last = "filled"
	}
	run("INSERT INTO main.results (bakeoff_id, win, contender, shard, scores, forecasts, " + last + ") VALUES (1, 0, 0, 0, x'00', x'00', x'00')")
	run("DETACH now")
	return dir
}

func columns(t *testing.T, db *sql.DB, schema, table string) (out []string) {
	rows, err := db.Query("SELECT name FROM pragma_table_info(?, ?)", table, schema)
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var name string
		require.NoError(t, rows.Scan(&name))
		out = append(out, name)
	}
	require.NoError(t, rows.Err())
	return out
}

func export(t *testing.T, s interface{ Address() string }, release string) string {
	res, body := get(t, s.Address()+"/api/v1/releases/"+release+"/export")
	require.Equal(t, 200, res.StatusCode, body)
	return body
}
