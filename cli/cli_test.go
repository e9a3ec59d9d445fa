package cli_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/cli"
	"paperkettle/service"
)

// asProgram makes the test binary the program itself, so that a test can kill it.
const asProgram = "PAPERKETTLE_TEST_AS_PROGRAM"

func TestMain(m *testing.M) {
	if os.Getenv(asProgram) != "" {
		os.Exit(cli.Run(os.Args[1:], os.Stdout, os.Stderr))
	}
	os.Exit(m.Run())
}

type shell struct {
	t      *testing.T
	server string
}

// run gives the output, the messages and the exit code of a command.
func (s shell) run(args ...string) (out, messages string, code int) {
	var o, e bytes.Buffer
	code = cli.Run(append(args, "--server", s.server), &o, &e)
	return o.String(), e.String(), code
}

// must runs a command that has to succeed.
func (s shell) must(args ...string) string {
	s.t.Helper()
	out, messages, code := s.run(args...)
	require.Zero(s.t, code, "%v: %s", args, messages)
	return out
}

func newShell(t *testing.T) shell {
	s, err := service.Start(service.Config{Data: t.TempDir(), Listen: "127.0.0.1:0", Workers: 2})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return shell{t, s.Address()}
}

// The path that the README walks, by hand, with the files of the scenario.
func TestTheReadmesPath(t *testing.T) {
	sh := newShell(t)
	dir := t.TempDir()
	sh.must("demo", "--write", dir)
	glance := sh.must("forecast", filepath.Join(dir, "monthly.csv"), "--horizon", "6", "--flag")
	assert.Contains(t, glance, "orders of month by month, 2023-01 to 2026-05: 140 series, forecast by pretrained.")
	assert.Contains(t, glance, "more rows: --output csv gives them all")
	assert.Regexp(t, `\d+ of the last \d+ values lie outside the 95 % interval`, glance)
	lines := strings.Split(strings.TrimSpace(sh.must("forecast", filepath.Join(dir, "monthly.csv"), "--horizon", "2", "--family", "drift",
		"--output", "csv")), "\n")
	assert.Equal(t, "series,origin,step,period,forecast,low80,high80,low95,high95", lines[0])
	assert.Len(t, lines, 1+2*140)
	out := sh.must("dataset", "load", filepath.Join(dir, "daily.csv"), "--name", "daily", "--time", "date", "--measure", "orders", "--by",
		"town,channel,line",
		"--driver", "price,promotion,temperature", "--known-ahead", "price,promotion", "--floor", "0", "-o", "json")
	var loaded api.Loaded
	require.NoError(t, json.Unmarshal([]byte(out), &loaded))
	assert.Equal(t, []any{"day", 140, "2026-05-31"}, []any{loaded.Dataset.Cadence, loaded.Dataset.Series, loaded.Dataset.Last})
	for file, cadence := range map[string]string{"weekly": "week", "monthly": "month"} {
		column := strings.TrimSuffix(file, "ly")
		out := sh.must("dataset", "load", filepath.Join(dir, file+".csv"), "--name", file, "--time", column, "--measure", "orders", "--by",
			"town,channel,line", "-o", "csv")
		assert.Contains(t, out, cadence)
	}
	assert.Contains(t, sh.must("dataset", "list"), "price (known ahead)")
	assert.Contains(t, sh.must("dataset", "check", "daily"), "has no value in the last season")
	assert.Contains(t, sh.must("series", "list", "daily", "--where", "town=Saltmarsh", "--where", "channel=shop", "-o", "csv"),
		"Saltmarsh / shop / black tea,2023-01-02,2026-05-31")
	assert.Contains(t, sh.must("series", "show", "daily", "Saltmarsh / shop / black tea"), "┤")
	assert.Contains(t, sh.must("bakeoff", "run", "--dataset", "daily", "--horizon", "28", "--windows", "3", "--contender", "naive", "--draw"), "━░")

	out = sh.must("bakeoff", "run", "--dataset", "daily", "--horizon", "28", "--windows", "3", "--contender", "naive", "--contender", "seasonal-naive",
		"--contender", "calendar-mean:length=56", "--wait")
	assert.Contains(t, out, "calendar-mean:length=56 leads by")
	assert.Contains(t, sh.must("bakeoff", "standings", "bake-1", "--per", "channel", "--metric", "wape"), "hotel")
	plan := filepath.Join(dir, "plan.yaml")
	require.NoError(t, os.WriteFile(plan, []byte(sh.must("bakeoff", "show", "bake-1", "-o", "yaml")), 0o600))
	sh.must("bakeoff", "run", plan, "--wait")
	assert.Equal(t, sh.must("bakeoff", "export", "bake-1"), sh.must("bakeoff", "export", "bake-2"))

	assert.Contains(t, sh.must("release", "publish", "bake-1", "--contender", "best-per-series"), "live")
	assert.Contains(t, sh.must("actuals", "load", filepath.Join(dir, "actuals.csv"), "--dataset", "daily"), "rel-1")
	flags := sh.must("flag", "list", "-o", "csv")
	first := strings.Split(strings.Split(flags, "\n")[1], ",")[0]
	assert.Contains(t, sh.must("flag", "settle", first, "--as", "data-error", "--note", "a nought too many"), "settled")
	assert.Contains(t, sh.must("release", "withdraw", "rel-1"), "withdrawn")
	_, messages, code := sh.run("dataset", "remove", "daily")
	assert.Equal(t, 2, code)
	assert.Contains(t, messages, "Remove dataset daily with its 2 revisions, 2 bake-offs and 1 release? Say so with --yes")
	sh.must("dataset", "remove", "daily", "--yes")
	assert.NotContains(t, sh.must("dataset", "list"), "daily")
}

func TestMisuseAndFailureAreToldApart(t *testing.T) {
	sh := newShell(t)
	plan := filepath.Join(t.TempDir(), "plan.yaml")
	require.NoError(t, os.WriteFile(plan, []byte("dataset: x\nhorizon: 3\nwindow: 2\n"), 0o600))
	cases := []struct {
		args []string
		code int
		want string
	}{
		{[]string{"brew"}, 2, "unknown command \"brew\": see 'paperkettle --help'"},
		{[]string{"datset"}, 2, "did you mean dataset?"},
		{[]string{"standings", "bake-1"}, 2, "did you mean bakeoff standings?"},
		{[]string{"dataset", "brew"}, 2, `'paperkettle dataset' has no command "brew"`},
		{[]string{"dataset", "show"}, 2, "needs an argument"},
		{[]string{"dataset", "list", "--brew"}, 2, "unknown flag"},
		{[]string{"dataset", "list", "-o", "xml"}, 2, "use table, json or csv"},
		{[]string{"bakeoff", "run", "--dataset", "x"}, 2, "needs --dataset, --horizon and at least one --contender"},
		{[]string{"flag", "settle", "flag-1", "--as", "magic"}, 2, "use expected, data-error, real-change or chance"},
		{[]string{"dataset", "show", "x"}, 1, "none is loaded yet"},
		{[]string{"bakeoff", "show", "bake-7"}, 1, "there is no bake-off bake-7"},
		{[]string{"bakeoff", "run", plan}, 1, "plan.yaml: line 3, column 1: field window: no such field in a plan"},
		{[]string{"dataset", "load", "nowhere.csv", "--name", "x", "--time", "t", "--measure", "y"}, 1, "nowhere.csv"},
	}
	for _, c := range cases {
		_, messages, code := sh.run(c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, messages)
		assert.Contains(t, messages, c.want, "%v", c.args)
	}
	_, messages, code := shell{t, "http://127.0.0.1:1"}.run("dataset", "list")
	assert.Equal(t, 1, code)
	assert.Contains(t, messages, "is the service running?")
}
