package cli_test

import (
	"bytes"
	"encoding/csv"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// readmeCommands are the commands of the README's first ten minutes, in order.
func readmeCommands(t *testing.T) (out []string) {
	b, err := os.ReadFile("../README.md")
	require.NoError(t, err)
	_, text, found := strings.Cut(string(b), "## The first ten minutes")
	require.True(t, found)
	text, _, _ = strings.Cut(text, "\n## ")
	text = strings.ReplaceAll(text, "\\\n", " ")
	for _, line := range strings.Split(text, "\n") {
		if command, ok := strings.CutPrefix(line, "    paperkettle "); ok {
			command, _, _ = strings.Cut(command, "  #")
			out = append(out, strings.TrimSpace(command))
		}
	}
	return out
}

// words parts a command as a shell does, as far as the README's go.
func words(command string) (out []string) {
	for _, m := range regexp.MustCompile(`"([^"]*)"|(\S+)`).FindAllStringSubmatch(command, -1) {
		out = append(out, m[1]+m[2])
	}
	return out
}

// claims are what the README says of some commands' output, by how they begin.
var claims = map[string]string{
	"dataset load saltmarsh/weekly.csv --dry-run": `rows make \d+ series by week`,
	"forecast saltmarsh/monthly.csv":              `forecast by pretrained`,
	"dataset check daily":                         `notable|serious`,
	"series show daily":                           `┤`,
	"dataset closed daily":                        `(?i)closed|line`,
	"bakeoff run --dataset daily --horizon 28 --windows 3 --contender naive --draw": `━░`,
	"bakeoff standings":                `^[^\n]* leads by [^\n]*\n`,
	"bakeoff add bake-1":               `^[^\n]* leads by [^\n]*\n`,
	"bakeoff duel":                     `is better than smoothing on \d+ series`,
	"model show smoothing --in bake-1": `(?i)season`,
	"release publish bake-1 --contender additive --preview": `additive`,
	"release publish bake-1 --contender additive":           `additive`,
	"release list":                        `rel-2 +daily r3 +additive +live +2026-06-28`,
	"dataset diff":                        `Revision 3 has .* new values beside revision 2`,
	"bakeoff plan":                        ``,
	"model show additive --in rel-1":      `New Sail Day`,
	"scenario run rel-1":                  `Dearer`,
	"scenario run bake-2":                 `(?s)of neighbours.*Cheap .* -\d+\s*$`,
	"scenario show":                       `Push`,
	"actuals load":                        `rel-1`,
	"flag list":                           `flag-1 +rel-1 +Gullhaven / web / green tea +2026-06-06`,
	"flag settle flag-1 --as data-error ": `settled`,
	"demo --truth":                        `an order typed with a nought too many`,
}

// keepTowns cuts a file of the scenario down to seven series, so that the walk is quick.
func keepTowns(t *testing.T, file string) {
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	rows, err := csv.NewReader(bytes.NewReader(b)).ReadAll()
	require.NoError(t, err)
	if len(rows[0]) < 4 || rows[0][1] != "town" || rows[0][2] != "channel" {
		return
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	for i, r := range rows {
		if i == 0 || r[3] == "green tea" && (r[1] == "Saltmarsh" || r[1] == "Gullhaven") || r[3] == "black tea" && r[1] == "Saltmarsh" && r[2] == "shop" {
			require.NoError(t, w.Write(r))
		}
	}
	w.Flush()
	require.NoError(t, os.WriteFile(file, out.Bytes(), 0o600))
}

// Every command of the README runs as it stands there, and says what the README claims.
func TestEveryCommandOfTheReadme(t *testing.T) {
	sh := newShell(t)
	dir := t.TempDir()
	made := map[string]bool{}
	for _, command := range readmeCommands(t) {
		if command == "serve &" {
			continue // the test's own service runs
		}
		cmd := exec.Command(os.Args[0], words(command)...)
		cmd.Dir = dir
		cmd.Env = append(os.Environ(), asProgram+"=1", "PAPERKETTLE_SERVER="+sh.server)
		var out, messages bytes.Buffer
		cmd.Stdout, cmd.Stderr = &out, &messages
		require.NoError(t, cmd.Run(), "%s\n%s%s", command, out.String(), messages.String())
		for start, want := range claims {
			if strings.HasPrefix(command, start) {
				made[start] = true
				assert.Regexp(t, want, out.String(), command)
			}
		}
		if strings.HasPrefix(command, "demo --write") {
			files, err := filepath.Glob(filepath.Join(dir, "saltmarsh", "*.csv"))
			require.NoError(t, err)
			for _, f := range files {
				keepTowns(t, f)
			}
		}
	}
	for start := range claims {
		assert.True(t, made[start], "the README has no command %q", start)
	}
	for _, f := range []string{"report.html", "points.csv", "forecast.csv"} {
		info, err := os.Stat(filepath.Join(dir, f))
		require.NoError(t, err)
		assert.Greater(t, info.Size(), int64(1000), f)
	}
}
