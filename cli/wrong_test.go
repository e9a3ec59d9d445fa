package cli_test

import (
	"fmt"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// jargon is what no message to people may hold: Go's own words, lists as Go prints them.
var jargon = regexp.MustCompile(`strconv|validation failed|%!|\bnil\b|0x[0-9a-f]|\[[a-z-]+( [a-z-]+)+\]|struct \{|map\[|invalid character|json:|unmarshal|SQL|goroutine|interface`)

// Whatever is used wrongly ends in one sentence that says what to do about it.
func TestWrongUsesEndInASentence(t *testing.T) {
	sh := newShell(t)
	days := "day,shop,cups,price\n"
	for d := range 90 {
		for _, shop := range []string{"quay", "mill"} {
			days += fmt.Sprintf("%s,%s,%d,%d\n", time.Date(2026, 1, 1+d, 0, 0, 0, 0, time.UTC).Format(time.DateOnly), shop, 20+d%7, 3+d%2)
		}
	}
	good := write(t, "cups.csv", days)
	sh.must("dataset", "load", good, "--name", "cups", "--time", "day", "--measure", "cups", "--by", "shop", "--driver", "price")
	sh.must("bakeoff", "run", "--dataset", "cups", "--horizon", "7", "--contender", "naive", "--contender", "seasonal-naive", "--wait")
	sh.must("release", "publish", "bake-1")
	run := func(more ...string) []string {
		return append([]string{"bakeoff", "run", "--dataset", "cups", "--horizon", "7", "--contender", "naive"}, more...)
	}
	load := func(text string, more ...string) []string {
		return append([]string{"dataset", "load", write(t, "x.csv", text), "--name", "x", "--time", "day", "--measure", "cups"}, more...)
	}
	cases := []struct {
		args []string
		cure string // what the sentence has to name
	}{
		{[]string{"datset", "list"}, "dataset"},
		{[]string{"dataset", "lsit"}, `did you mean "list"`},
		{[]string{"dataset", "load", good, "--nmae", "x"}, "did you mean --name"},
		{[]string{"dataset", "load", good}, "--name"},
		{[]string{"dataset", "load", "/nowhere/x.csv", "--name", "x", "--time", "day", "--measure", "cups"}, "/nowhere/x.csv"},
		{[]string{"dataset", "load", t.TempDir(), "--name", "x", "--time", "day", "--measure", "cups"}, "not a file"},
		{[]string{"dataset", "load", good, "--name", "x", "--time", "date", "--measure", "cups"}, "the columns are day, shop, cups, price"},
		{[]string{"dataset", "load", good, "--name", "x", "--time", "day", "--measure", "mugs"}, "the columns are"},
		{[]string{"dataset", "load", good, "--name", "x", "--time", "day", "--measure", "shop"}, "is not a number"},
		{[]string{"dataset", "load", good, "--name", "x", "--time", "day", "--measure", "cups"}, "was already given on line 2"},
		{[]string{"dataset", "load", good, "--name", "x/y", "--time", "day", "--measure", "cups", "--by", "shop"}, "letters"},
		{[]string{"dataset", "load", good, "--name", "cups", "--cadence", "month"}, "is not the start of a month"},
		{[]string{"dataset", "load", good, "--name", "x", "--measure", "cups", "--by", "shop"}, "name the time column"},
		{load(""), "empty"},
		{load("day,cups\n"), "no rows"},
		{load("day,cups\n2026-01-01,1\n2026-01-01 10:00,2\n"), "write all periods in one form"},
		{load("day,cups\n01/02/2026,1\n02/02/2026,2\n"), "day first (2026-02-01) or month first (2026-01-02)"},
		{load("day,cups\n2026-01-01,1\n2026-02-30,2\n"), "no day of the calendar"},
		{load("day,cups\n2026-01-01,1\n,2\n"), "every row needs its period"},
		{load("day,cups\n2026-01-01,1\n2026-01-09,2\n"), "give the cadence"},
		{load("day,cups\n2026-01-01,1e999\n2026-01-02,1\n"), "cups"},
		{load("day,cups\n2026-01-01,1\n2026-01-02\n"), "line 3"},
		{load(days, "--floor", "low", "--by", "shop"), "is not a number"},
		{load(days, "--gaps", "holes", "--by", "shop"), "zero, unknown, carry, interpolate"},
		{load(days, "--cadence", "fortnight", "--by", "shop"), "use one of"},
		{load(days, "--first-day", "noon", "--by", "shop"), "write monday"},
		{load(days, "--first-day", "sunday", "--cadence", "day", "--by", "shop"), "leave one of the two out"},
		{load(days, "--aggregate", "sum", "--by", "shop"), "give it"},
		{load(days, "--where", "shop", "--by", "shop"), "="},
		{load(days, "--by", "shop", "--closed", "sundae"), "sundae"},
		{load(days, "--by", "shop", "--known-ahead", "price"), "not among the drivers"},
		{load(days, "--by", "shop", "--zone", "Moon"), "Europe/Lisbon"},
		{load(days, "--by", "shop", "--encoding", "ebcdic"), "utf-8"},
		{load(days, "--by", "shop", "--delimiter", "~"), "comma, semicolon, tab or pipe"},
		{load(days, "--by", "shop", "--format", "dbf"), "csv"},
		{[]string{"dataset", "show", "cpus"}, "there are cups"},
		{[]string{"dataset", "undo", "cups", "--yes"}, "remove the dataset instead"},
		{[]string{"dataset", "diff", "cups"}, "none before it"},
		{[]string{"dataset", "remove", "cups"}, "--yes"},
		{[]string{"series", "show", "cups", "key"}, "key"},
		{[]string{"series", "list", "cups", "--where", "town=quay"}, "town"},
		{[]string{"series", "list", "cups", "--weights", "heavy"}, "volume:28"},
		{[]string{"bakeoff", "run"}, "--dataset"},
		{run("--horizon", "0"), "--horizon"},
		{run("--horizon", "400"), "shorten the horizon"},
		{run("--windows", "50"), "window"},
		{run("--contender", "naiv"), "naive"},
		{run("--contender", "moving-average:length=none"), "is not a number"},
		{run("--contender", "moving-average:lenght=5"), "length"},
		{run("--contender", "moving-average:length"), "SETTING=VALUE"},
		{run("--contender", "naive"), "two contenders are called"},
		{run("--metric", "mace"), "mase"},
		{run("--metric", "weighted mase"), "volume:28"},
		{run("--level", "10"), "level"},
		{run("--baseline", "theta"), "theta"},
		{run("--history", "short"), "sliding:"},
		{run("--refit", "never"), "every"},
		{run("--past", "rosy"), "as-loaded"},
		{run("--where", "shop=key"), "key"},
		{run("--where", "shop"), "attribute=value"},
		{run("--driver-gap", "colour=0"), "colour"},
		{run("--driver-ahead", "price=guess"), "forecast"},
		{run("--neighbours", "size"), "all or none"},
		{run("--carry-over", "price"), "say price:1"},
		{run("--carry-over", "colour:1"), "colour"},
		{[]string{"bakeoff", "standings", "bake-9"}, "no bake-off bake-9"},
		{[]string{"bakeoff", "standings", "bake-1", "--per", "colour"}, "colour"},
		{[]string{"bakeoff", "standings", "bake-1", "--metric", "mace"}, "mase"},
		{[]string{"bakeoff", "duel", "bake-1", "naive", "theta"}, "theta"},
		{[]string{"bakeoff", "resume", "bake-1"}, "only a paused, cancelled or failed one"},
		{[]string{"bakeoff", "remove", "bake-1", "--yes"}, "remove that first"},
		{[]string{"bakeoff", "export", "bake-1", "--format", "dbf"}, "csv"},
		{[]string{"bakeoff", "run", write(t, "plan.yaml", "dataset: cups\nhorizon: seven\n")}, "line 2"},
		{[]string{"release", "publish", "bake-1", "--contender", "theta"}, "best-per-series"},
		{[]string{"release", "publish", "bake-1", "--horizon", "30"}, "longer-horizon"},
		{[]string{"release", "publish", "bake-1", "--consent", "anything"}, "fewer-series"},
		{[]string{"release", "live", "rel-1"}, "only one that is held"},
		{[]string{"release", "remove", "rel-1", "--yes"}, "withdraw"},
		{[]string{"flag", "settle", "flag-1"}, "expected, data-error, real-change or chance"},
		{[]string{"flag", "settle", "flag-1", "--as", "chance"}, "no flag flag-1"},
		{[]string{"scenario", "run", "rel-1"}, "--case"},
		{[]string{"scenario", "run", "rel-1", "--case", "colour +10 %"}, "colour"},
		{[]string{"event", "load", write(t, "e.csv", "event,date\nfair,someday\n"), "--dataset", "cups"}, "easter"},
		{[]string{"actuals", "load", good}, "--dataset"},
		{[]string{"forecast", good, "--horizon", "0"}, "horizon"},
		{[]string{"forecast", good, "--horizon", "7", "--family", "crystal"}, "crystal"},
		{[]string{"token", "create", "ada", "--role", "king"}, "admin"},
		{[]string{"restore", good, "--data", t.TempDir()}, "no backup"},
		{[]string{"check", "--data", t.TempDir()}, "there is no data"},
		{[]string{"dataset", "list", "--output", "xml"}, "table, json or csv"},
	}
	require.Greater(t, len(cases), 60)
	for _, c := range cases {
		out, messages, code := sh.run(c.args...)
		said := strings.TrimSpace(messages)
		assert.NotZero(t, code, "%v: %s%s", c.args, out, messages)
		assert.Contains(t, said, c.cure, "%v", c.args)
		assert.True(t, strings.HasPrefix(said, "paperkettle: "), "%v: %s", c.args, said)
		first, _, _ := strings.Cut(said, "\n")
		assert.Less(t, len(first), 700, "%v", c.args)
		assert.NotRegexp(t, jargon, said, "%v", c.args)
	}
}
