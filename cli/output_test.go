package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
)

// write puts a text into a file of the test's own folder.
func write(t *testing.T, name, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	return path
}

const sales = "day;shop;sold\n01.02.2026;a;1,5\n02.02.2026;a;2,5\n15.02.2026;b;3,0\n16.02.2026;b;4,0\n"

// A dry run shows how a file is written, its columns, its first values, and what
// would be in the way.
func TestADryRunShowsWhatWouldBeRead(t *testing.T) {
	sh := newShell(t)
	out := sh.must("dataset", "load", write(t, "sales.csv", sales), "--dry-run")
	for _, want := range []string{"csv, utf-8, fields apart by semicolon, decimal comma",
		"4 rows make 2 series by day, 2026-02-01 to 2026-02-16", "1.500", "very short: 2 series"} {
		assert.Contains(t, out, want)
	}
	_, unsure, code := sh.run("dataset", "load", write(t, "unsure.csv", "day,y\n01/02/2026,1\n02/02/2026,2\n"), "--dry-run")
	assert.Equal(t, 1, code, "as a load would end")
	assert.Contains(t, unsure, "a load would be refused: line 2: \"01/02/2026\" and all other dates can be read day first (2026-02-01) or "+
		"month first (2026-01-02): say which")
	assert.Empty(t, strings.TrimSpace(strings.Join(strings.Split(sh.must("dataset", "list", "-o", "csv"), "\n")[1:], "")))
}

// Every flag of a load reaches the service.
func TestALoadAsItWasMeant(t *testing.T) {
	sh := newShell(t)
	file := write(t, "raw.csv", "t,shop,kind,y\n2026-01-05,a,x,1\n2026-01-05,a,x,2\n2026-01-13,a,x,4\n2026-01-20,a,x,9\n2026-01-05,b,z,5\n")
	var loaded api.Loaded
	out := sh.must("dataset", "load", file, "--name", "n", "--time", "t", "--measure", "y", "--by", "shop", "--where", "kind=x", "--from",
		"2026-01-02", "--to", "2026-01-18",
		"--cadence", "week", "--aggregate", "sum", "--keep-part", "--gaps", "zero", "--floor", "0", "-o", "json")
	require.NoError(t, json.Unmarshal([]byte(out), &loaded))
	assert.Equal(t, []any{"week", 1, 2, "zero", 0.0},
		[]any{loaded.Dataset.Cadence, loaded.Dataset.Series, loaded.Dataset.Periods, loaded.Dataset.Gaps, *loaded.Dataset.Floor})
	values := sh.must("series", "show", "n", "a", "-o", "csv")
	assert.Equal(t, "period,value\n2026-01-05,3\n2026-01-12,4\n", values)
	_, messages, code := sh.run("dataset", "load", file, "--name", "m", "--time", "t", "--measure", "y", "--by", "shop", "--cadence", "day")
	assert.Equal(t, 1, code)
	assert.Contains(t, messages, "was already given on line 2")
	wide := write(t, "wide.csv", "shop,2026-01,2026-02\na,1,2\n")
	assert.Contains(t, sh.must("dataset", "load", wide, "--name", "w", "--wide", "--measure", "y", "--by", "shop"), "month")
	attached := sh.must("dataset", "attach", write(t, "p.csv", "month,price\n2026-01,3\n2026-02,4\n2026-03,5\n"), "--dataset", "w", "--time",
		"month", "--driver", "price", "--known-ahead", "price", "-o", "csv")
	assert.Contains(t, attached, "price,true,1,0,1,1 to 1,0,")
	_, messages, code = sh.run("dataset", "attach", wide, "--dataset", "w")
	assert.Equal(t, 2, code)
	assert.Contains(t, messages, "needs --dataset, --time and --driver")
}

// CSV and JSON carry full numbers and every metric; a table is for reading.
func TestEachOutputServesItsReader(t *testing.T) {
	sh := newShell(t)
	var text strings.Builder
	text.WriteString("n,y\n")
	for i := 1; i <= 30; i++ {
		text.WriteString(strings.Join([]string{csvInt(i), csvInt(i * i % 11)}, ",") + "\n")
	}
	sh.must("dataset", "load", write(t, "n.csv", text.String()), "--name", "n", "--time", "n", "--measure", "y")
	sh.must("bakeoff", "run", "--dataset", "n", "--horizon", "3", "--windows", "4", "--history", "sliding:15", "--contender", "naive",
		"--contender", "moving-average:length=11", "--level", "90", "--wait")
	records, err := csv.NewReader(strings.NewReader(sh.must("bakeoff", "standings", "bake-1", "-o", "csv"))).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, "rank contender skill mae mse rmse medae bias mpe mape smape wape mase rmsse r2 crps weighted_quantile_loss pinball50 "+
		"coverage90 width90 interval_score90 scaled_interval_score90 pinball5 pinball95 points filled", strings.Join(records[0], " "))
	require.Len(t, records, 3)
	var st api.Standings
	require.NoError(t, json.Unmarshal([]byte(sh.must("bakeoff", "standings", "bake-1", "-o", "json")), &st))
	assert.Equal(t, "n", sh.firstDataset())
	assert.Len(t, st.Metrics, 21)
	table := sh.must("bakeoff", "standings", "bake-1", "--per", "window")
	assert.NotContains(t, table, "rmse", "a cut shows the ranking metric alone")
	assert.Contains(t, sh.must("bakeoff", "show", "bake-1"), "8 models to train")
	assert.Contains(t, sh.must("bakeoff", "list"), "done")
	assert.Contains(t, sh.must("job", "list"), "bake-1")
	assert.Contains(t, sh.must("bakeoff", "duel", "bake-1", "naive", "moving-average:length=11"), "is better than")
	assert.Contains(t, sh.must("bakeoff", "add", "bake-1", "--contender", "mean", "--wait"), "mean")
	assert.Contains(t, sh.must("bakeoff", "report", "bake-1"), "<!doctype html>")
	plan := write(t, "plan.yaml", "dataset: n\nhorizon: 3\nwindows: 400\ncontenders:\n  - family: moving-average\n    tune:\n      settings: "+
		"{length: [1, 5]}\n  - family: naive\n")
	_, refused, code := sh.run("bakeoff", "run", plan)
	assert.Equal(t, 1, code)
	assert.Contains(t, refused, "plan.yaml: line 3, column 1: ")
	_, refused, _ = sh.run("bakeoff", "run", write(t, "typo.yaml", "dataset: n\nhorizon: 3\ncontenders:\n  - familly: naive\n"))
	assert.Contains(t, refused, "line 4, column 5: field familly: no such field in a contender")
	sh.must("bakeoff", "run", write(t, "tuned.yaml", "dataset: n\nname: tuned\nhorizon: 3\ncontenders:\n  - family: moving-average\n    "+
		"tune:\n      settings: {length: [1, 5]}\n  - family: naive\n"), "--wait")
	assert.Contains(t, sh.must("bakeoff", "tuning", "tuned"), "length explains 100 %")
	assert.Contains(t, sh.must("bakeoff", "show", "tuned", "-o", "yaml"), "settings: {length: [1, 5]}")
	file := filepath.Join(t.TempDir(), "points.csv")
	sh.must("bakeoff", "export", "bake-1", "--to", file)
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, 1+3*4*3, strings.Count(string(b), "\n"))
	_, _, code = sh.run("bakeoff", "export", "bake-9", "--to", file+"2")
	assert.Equal(t, 1, code)
	assert.NoFileExists(t, file+"2", "a broken export leaves no file")
	_, messages, code := sh.run("bakeoff", "standings", "bake-1", "-o", "yaml")
	assert.Equal(t, 2, code)
	assert.Contains(t, messages, "only for 'bakeoff show'")
}

func csvInt(i int) string {
	b, _ := json.Marshal(i)
	return string(b)
}

func (s shell) firstDataset() string {
	var list []api.Dataset
	require.NoError(s.t, json.Unmarshal([]byte(s.must("dataset", "list", "-o", "json")), &list))
	return list[0].Name
}

// The first token closes the door, for good; the environment opens it.
func TestATokenFromTheEnvironment(t *testing.T) {
	sh := newShell(t)
	var token api.Token
	require.NoError(t, json.Unmarshal([]byte(sh.must("token", "create", "ada", "--role", "admin", "-o", "json")), &token))
	_, messages, code := sh.run("dataset", "list")
	assert.Equal(t, 1, code)
	assert.Contains(t, messages, "PAPERKETTLE_TOKEN")
	t.Setenv("PAPERKETTLE_TOKEN", token.Secret)
	assert.Contains(t, sh.must("token", "list"), "ada")
	_, messages, code = sh.run("token", "revoke", "ada")
	assert.Equal(t, 1, code)
	assert.Contains(t, messages, "the last admin's token", "nobody could make another")
}

// The airline passengers of Box and Jenkins, series G, 1949 to 1960.
const passengers = `112 118 132 129 121 135 148 148 136 119 104 118 115 126 141 135 125 149 170 170 158 133 114 140
145 150 178 163 172 178 199 199 184 162 146 166 171 180 193 181 183 218 230 242 209 191 172 194
196 196 236 235 229 243 264 272 237 211 180 201 204 188 235 227 234 264 302 293 259 229 203 229
242 233 267 269 270 315 364 347 312 274 237 278 284 277 317 313 318 374 413 405 355 306 271 306
315 301 356 348 355 422 465 467 404 347 305 336 340 318 362 348 363 435 491 505 404 359 310 337
360 342 406 396 420 472 548 559 463 407 362 405 417 391 419 461 472 535 622 606 508 461 390 432`

// A published fit comes back through every layer: load, bake off, publish, and ask how.
func TestAFitIsShownWithItsNumbers(t *testing.T) {
	sh := newShell(t)
	var text strings.Builder
	text.WriteString("month,passengers\n")
	for i, v := range strings.Fields(passengers) {
		fmt.Fprintf(&text, "%d-%02d,%s\n", 1949+i/12, 1+i%12, v)
	}
	sh.must("dataset", "load", write(t, "air.csv", text.String()), "--name", "air", "--time", "month", "--measure", "passengers")
	sh.must("bakeoff", "run", "--dataset", "air", "--horizon", "12", "--contender", "seasonal-naive", "--contender",
		"arima:order=0,1,1,seasonal=0,1,1,transform=log", "--wait")
	sh.must("release", "publish", "bake-1", "--contender", "arima:order=0,1,1,seasonal=0,1,1,transform=log")
	var fit api.Fit
	require.NoError(t, json.Unmarshal([]byte(sh.must("model", "show", "arima:order=0,1,1,seasonal=0,1,1,transform=log", "--in", "rel-1", "-o",
		"json")), &fit))
	got := map[string]float64{}
	for _, p := range fit.Parameters {
		got[p.Name] = p.Value
	}
	assert.InDelta(t, -0.4018, got["theta1"], 2e-4)
	assert.InDelta(t, -0.5569, got["Theta1"], 2e-4)
	assert.InDelta(t, 0.001348, got["sigma2"], 1e-6)
	assert.InDelta(t, 244.70, got["log-likelihood"], 5e-3)
	assert.Contains(t, sh.must("model", "show", "seasonal-naive", "--in", "bake-1"), "repeats the last known value of the same place in a season of 12")
	assert.Contains(t, sh.must("model", "show", "arima"), "0,1,1")
}

// The plan to start from runs as it is written, and the documents have it word by word.
func TestThePlanToStartFrom(t *testing.T) {
	sh := newShell(t)
	text := sh.must("bakeoff", "plan", "--dataset", "n", "--horizon", "3")
	days := "day,y\n"
	for d := range 200 {
		days += time.Date(2026, 1, 1+d, 0, 0, 0, 0, time.UTC).Format(time.DateOnly) + "," + strconv.Itoa(20+d%7+d*d%5) + "\n"
	}
	sh.must("dataset", "load", write(t, "n.csv", days), "--name", "n", "--time", "day", "--measure", "y")
	assert.Contains(t, sh.must("bakeoff", "run", write(t, "plan.yaml", text), "--wait"), "leads")
	// Every field that is left out is shown with a value that reads.
	given := regexp.MustCompile(`(?m)^# ([a-z_]+: .*)$`).ReplaceAllString(text, "$1")
	for _, field := range []string{"revision: 2", "where: {town: Saltmarsh}", "drivers_ahead: {temperature: lag}", "driver_gaps: {promotion: 0}", "neighbours: town", "carry_over: price:1"} {
		require.Contains(t, given, field)
		given = strings.Replace(given, field, "# "+field, 1) // of other data
	}
	_, messages, code := sh.run("bakeoff", "run", write(t, "full.yaml", given), "--draw")
	assert.Zero(t, code, messages)
	b, err := os.ReadFile("../docs/plan.md")
	require.NoError(t, err)
	assert.Contains(t, string(b), sh.must("bakeoff", "plan"))
}
