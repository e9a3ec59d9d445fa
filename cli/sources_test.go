package cli_test

import (
	"database/sql"
	"encoding/csv"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	_ "modernc.org/sqlite"
)

// Events, period codes and a database, from the command line alone.
func TestWhereRowsComeFrom(t *testing.T) {
	sh := newShell(t)
	db := filepath.Join(t.TempDir(), "till.db")
	lite, err := sql.Open("sqlite", db)
	require.NoError(t, err)
	_, err = lite.Exec(`CREATE TABLE sales (day TEXT, shop TEXT, sold REAL);
		WITH RECURSIVE d(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM d WHERE i < 27)
		INSERT INTO sales SELECT date('2026-02-01', '+' || i || ' days'), s, 10 + i % 7 FROM d, (SELECT 'a' AS s UNION SELECT 'b')`)
	require.NoError(t, err)
	require.NoError(t, lite.Close())

	sh.must("connection", "add", "till", db)
	_, messages, code := sh.run("connection", "try", "till")
	assert.Zero(t, code)
	assert.Contains(t, messages, "till answers")
	assert.Contains(t, sh.must("connection", "list"), "sqlite")
	query := write(t, "sales.sql", "SELECT day, shop, sold FROM sales")
	assert.Contains(t, sh.must("dataset", "load", query, "--connection", "till", "--dry-run"), "56 rows make 2 series by day")
	sh.must("dataset", "load", query, "--connection", "till", "--name", "sales", "--time", "day", "--measure", "sold", "--by", "shop")
	_, messages, code = sh.run("dataset", "load", write(t, "bad.sql", "SELECT what FROM sales"), "--connection", "till", "--name", "sales",
		"--time", "day", "--measure", "sold")
	assert.Equal(t, 1, code)
	assert.Contains(t, messages, "no such column: what")

	listed := sh.must("event", "load", write(t, "days.csv", "event,date,days,shop\nfair,2026-02-10,2,a\nfeast,easter,1,\n"), "--dataset",
		"sales", "--days-before", "1")
	assert.Contains(t, listed, "shop=a")
	assert.Contains(t, sh.must("event", "list", "sales", "-o", "csv"), "fair,shop=a,1,1,0,1,0,2026-02-10 to 2026-02-11")
	sh.must("event", "remove", "sales", "fair")
	assert.NotContains(t, sh.must("event", "list", "sales"), "fair")

	sh.must("codes", "load", write(t, "calendar.csv",
		"date,week\n2026-02-01,W1\n2026-02-08,W2\n2026-02-15,W3\n2026-02-22,W4\n2026-03-01,W5\n"), "--name", "house", "--code", "week", "--time", "date")
	assert.Contains(t, sh.must("codes", "list"), "house")
	attached := sh.must("dataset", "attach", write(t, "price.csv", "week,price\nW1,2\nW2,2\nW3,3\nW4,3\nW5,4\n"), "--dataset", "sales",
		"--codes", "house", "--time", "week", "--driver", "price", "--known-ahead", "price", "-o", "csv")
	assert.Contains(t, attached, "price,true,2,0,1,7 to 7")
	sh.must("codes", "remove", "house")

	rows, err := csv.NewReader(strings.NewReader(sh.must("series", "list", "sales", "--sort", "-weight", "--weights", "volume*price:14", "-o",
		"csv"))).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"series", "first", "last", "known", "mean", "zeros", "trend", "season", "demand", "checks", "weight"}, rows[0])
	assert.Equal(t, []string{"a", "0.5"}, []string{rows[1][0], rows[1][10]})
	exported := sh.must("dataset", "export", "sales", "--where", "shop=b")
	assert.True(t, strings.HasPrefix(exported, "shop,day,sold,price\nb,2026-02-01,10,2\n"), exported[:60])
	assert.Equal(t, 1+28+7, strings.Count(exported, "\n"), "known ahead is exported too")
	sh.must("connection", "remove", "till")
	for _, wrong := range [][]string{{"event", "load", query}, {"codes", "load", query}, {"connection", "add", "x"}} {
		_, _, code := sh.run(wrong...)
		assert.Equal(t, 2, code, wrong)
	}
}
