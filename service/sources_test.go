package service_test

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/ingest/postgrestest"
)

// Events become a revision of their own, limited to some series, known ahead, and stay
// when the next rows arrive; earlier revisions are as they were.
func TestEventsBelongToARevision(t *testing.T) {
	c, s := start(t, t.TempDir())
	shops(t, c)
	got, err := c.LoadEvents(ctx, "shops", api.LoadColumns{File: "e.csv"}, 1, 0,
		strings.NewReader("event,date,days,shop\nfair,2026-02-10,2,north\nfair,03-05,1,north\nfeast,easter,1,\nmarket,2026-02-03,1,west\nmarket,2026-02-04,1,east\n"))
	require.NoError(t, err)
	assert.Equal(t, []any{2, 3}, []any{got.Dataset.Revision, got.Dataset.Events})
	fair := got.Events[0]
	assert.Equal(t, []any{"fair", map[string]string{"shop": "north"}, 1, 2, 1, api.Occasion{First: "2026-02-10", Last: "2026-02-11"}},
		[]any{fair.Name, fair.Where, fair.Before, fair.Series, fair.Past, fair.Occasions[0]})
	assert.Equal(t, []string{`the event "market" is left out, since it concerns no series: none has shop=east; shop has north, south, west`,
		`the event "market" has no occasion after the dataset's end, so no forecast will know of it`}, got.Cautions)

	north, err := c.SeriesValues(ctx, "shops", "north / cup")
	require.NoError(t, err)
	require.Len(t, north.Events, 1)
	assert.Equal(t, []api.Span{{Occasion: api.Occasion{First: "2026-02-10", Last: "2026-02-11"}, From: 9, To: 10},
		{Occasion: api.Occasion{First: "2026-03-05", Last: "2026-03-05"}, From: 32, To: 32}}, north.Events[0].Spans)
	assert.Equal(t, "2026-03-01", north.Ahead[0])
	south, err := c.SeriesValues(ctx, "shops", "south / cup")
	require.NoError(t, err)
	assert.Empty(t, south.Events)

	loaded, err := c.Load(ctx, "shops", api.LoadColumns{Time: "day", Measure: "sold", By: []string{"shop", "item"},
		Drivers: []string{"price"}}, strings.NewReader("day,shop,item,sold,price\n2026-03-01,north,cup,9,3\n"))
	require.NoError(t, err)
	assert.Equal(t, 3, loaded.Dataset.Events)
	require.NoError(t, c.RemoveEvent(ctx, "shops", "fair"))
	events, err := c.Events(ctx, "shops")
	require.NoError(t, err)
	assert.Len(t, events, 2)
	assert.ErrorContains(t, c.RemoveEvent(ctx, "shops", "fair"), `no event "fair"`)

	for revision, want := range map[string]int{"1": 0, "2": 3, "3": 3, "4": 2} {
		var ds api.Dataset
		_, body := get(t, s.Address()+"/api/v1/datasets/shops?revision="+revision)
		require.NoError(t, json.Unmarshal([]byte(body), &ds))
		assert.Equal(t, want, ds.Events, revision)
	}
	_, err = c.LoadEvents(ctx, "shops", api.LoadColumns{Where: []string{"colour=red"}}, 0, 0, strings.NewReader("event,date\na,2026-02-01\n"))
	assert.ErrorContains(t, err, `no attribute is called "colour"`)
}

func TestAttachingByPeriodCodes(t *testing.T) {
	c, _ := start(t, t.TempDir())
	shops(t, c)
	_, err := c.Attach(ctx, "shops", api.LoadColumns{Codes: "house", Time: "wk", Drivers: []string{"cost"}}, strings.NewReader("wk,cost\nA,1\n"))
	assert.ErrorContains(t, err, `no period codes are called "house"`)
	codes, err := c.LoadCodes(ctx, "house", "wk", api.LoadColumns{Time: "date", File: "cal.csv"},
		strings.NewReader("date,wk\n2026-02-01,A\n2026-02-02,A\n2026-02-08,B\n2026-02-15,C\n2026-02-22,D\n2026-03-01,E\n"))
	require.NoError(t, err)
	assert.Equal(t, []any{5, "2026-02-01", "2026-03-01"}, []any{codes.Codes, codes.First, codes.Last})
	got, err := c.Attach(ctx, "shops", api.LoadColumns{Codes: "house", Time: "wk", By: []string{"item"}, Drivers: []string{"cost"},
		KnownAhead: []string{"cost"}, FirstDay: "sunday"},
		strings.NewReader("wk,item,cost\nA,cup,1\nB,cup,2\nE,cup,5\n"))
	require.NoError(t, err)
	d := got.Drivers[0]
	assert.Equal(t, []any{3, 3, 7, 0.5}, []any{d.Matched, d.Unmatched, d.AheadTo, d.Covered})
	require.NoError(t, c.RemoveCodes(ctx, "house"))
	list, err := c.Codes(ctx)
	require.NoError(t, err)
	assert.Empty(t, list)
}

func TestADatasetComesFromADatabase(t *testing.T) {
	data := t.TempDir()
	c, _ := start(t, data)
	t.Setenv("PAPERKETTLE_TEST_WAREHOUSE", postgrestest.Password)
	added, err := c.AddConnection(ctx, api.Connection{Name: "warehouse", Kind: "postgresql", Address: postgrestest.Start(t),
		SecretEnv: "PAPERKETTLE_TEST_WAREHOUSE"})
	require.NoError(t, err)
	shown, err := json.Marshal(added)
	require.NoError(t, err)
	assert.NotContains(t, string(shown), postgrestest.Password)
	tried, err := c.TryConnection(ctx, "warehouse")
	require.NoError(t, err)
	assert.True(t, tried.Reached, tried.Problem)

	cols := api.LoadColumns{Connection: "warehouse", Time: "day", Measure: "n", By: []string{"shop"}}
	query := "SELECT d::date AS day, s AS shop, extract(day from d) * length(s) AS n FROM generate_series(date '2026-01-01', '2026-01-20', " +
		"'1 day') d, unnest(array['a', 'bb']) s"
	seen, err := c.Inspect(ctx, "", api.LoadColumns{Connection: "warehouse"}, strings.NewReader(query))
	require.NoError(t, err)
	assert.Equal(t, []any{"query", "day", "n", []string{"shop"}, 40},
		[]any{seen.Form, seen.Proposal.Time, seen.Proposal.Measure, seen.Proposal.By, seen.Rows})
	loaded, err := c.Load(ctx, "stock", cols, strings.NewReader(query))
	require.NoError(t, err)
	assert.Equal(t, []any{2, "2026-01-20", 40}, []any{loaded.Dataset.Series, loaded.Dataset.Last, loaded.Rows})
	_, err = c.Load(ctx, "stock", cols, strings.NewReader("SELECT nonsense"))
	assert.ErrorContains(t, err, `column "nonsense" does not exist`)

	t.Setenv("PAPERKETTLE_TEST_WAREHOUSE", "another")
	tried, err = c.TryConnection(ctx, "warehouse")
	require.NoError(t, err)
	assert.Contains(t, tried.Problem, "the database can't be reached")
	assert.NotContains(t, tried.Problem, "another")

	file := filepath.Join(t.TempDir(), "till.db")
	db, err := sql.Open("sqlite", file)
	require.NoError(t, err)
	_, err = db.Exec("CREATE TABLE t (day TEXT, n REAL); INSERT INTO t VALUES ('2026-01-01', 1), ('2026-01-02', 2)")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	_, err = c.AddConnection(ctx, api.Connection{Name: "till", Kind: "sqlite", Address: file})
	require.NoError(t, err)
	_, err = c.Load(ctx, "till", api.LoadColumns{Connection: "till", Time: "day", Measure: "n"}, strings.NewReader("SELECT * FROM t"))
	require.NoError(t, err)

	link := filepath.Join(t.TempDir(), "innocent.db")
	require.NoError(t, os.Symlink(filepath.Join(data, "paperkettle.db"), link))
	for want, in := range map[string]api.Connection{
		"the service's own data":         {Name: "own", Kind: "sqlite", Address: link},
		"begins with PAPERKETTLE_":       {Name: "env", Kind: "sqlite", Address: file, SecretEnv: "HOME"},
		"leave the password out":         {Name: "pw", Kind: "postgresql", Address: "postgresql://u:p@h/d"},
		`called "till" already`:          {Name: "till", Kind: "sqlite", Address: file},
		"not both":                       {Name: "both", Kind: "sqlite", Address: file, SecretEnv: "PAPERKETTLE_X", SecretFile: "/x"},
		"give the SQLite file's whole p": {Name: "rel", Kind: "sqlite", Address: "till.db"},
	} {
		_, err := c.AddConnection(ctx, in)
		assert.ErrorContains(t, err, want)
	}
	require.NoError(t, c.RemoveConnection(ctx, "till"))
	_, err = c.Load(ctx, "till", api.LoadColumns{Connection: "till", Time: "day", Measure: "n"}, strings.NewReader("SELECT * FROM t"))
	assert.ErrorContains(t, err, `no connection is called "till"`)
}

// What is exported loads again to the same content.
func TestAnExportedDatasetLoadsAgain(t *testing.T) {
	c, s := start(t, t.TempDir())
	shops(t, c)
	var out bytes.Buffer
	require.NoError(t, c.ExportDataset(ctx, "shops", nil, &out))
	first, err := c.Dataset(ctx, "shops")
	require.NoError(t, err)
	again, err := c.Load(ctx, "again", api.LoadColumns{Time: "day", Measure: "sold", By: []string{"shop", "item"}, Drivers: []string{"price"}}, &out)
	require.NoError(t, err)
	assert.Equal(t, first.Hash, again.Dataset.Hash)

	// Any order of choosing shows what is left to choose.
	_, body := get(t, s.Address()+"/api/v1/datasets/shops/series?"+
		url.Values{"where": {"item=pot", "shop=west"}, "wait": {"true"}, "weights": {"volume:7"}}.Encode())
	var page api.SeriesList
	require.NoError(t, json.Unmarshal([]byte(body), &page))
	assert.Equal(t, []api.FacetValue{{Value: "north", Count: 1}, {Value: "south", Count: 1}, {Value: "west", Count: 1}}, page.Facets[0].Values)
	row := page.Items[0]
	assert.Equal(t, []any{true, 1, 1.0, "smooth"}, []any{page.Checked, page.Total, *row.Weight, row.Demand})
	assert.Greater(t, *row.Season, 0.99, "a weekly pattern and nothing else")
	_, err = c.Series(ctx, "shops", nil, "-season", "volume*cost:7")
	assert.ErrorContains(t, err, `no driver "cost"`)
}
