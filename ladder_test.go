// Package paperkettle holds the tests of the whole tree.
package paperkettle

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const module = "paperkettle/"

// ladder says which parts of the house each part may import. Tests may import more.
var ladder = map[string][]string{
	"core":     {"core"},
	"api":      {},
	"console":  {},
	"ingest":   {"core"},
	"export":   {"core"},
	"store":    {"core"},
	"results":  {"core", "store"},
	"jobs":     {"core", "store", "results"},
	"pretrain": {"core"},
	"service":  {"core", "pretrain", "ingest", "export", "store", "results", "jobs", "api"},
	"client":   {"api"},
	"demo":     {"api", "client", "core"},
	"cli":      {"api", "client", "demo", "service", "console"}, // serve and demo run the service
	"cmd":      {"cli"},
	"bench":    {"api", "client"},
	"scripts":  {},
}

// floors are the core's packages from the ground up: each may import those before it alone.
var floors = []string{"num", "num/tensor", "num/net", "synth", "calendar", "split", "panel", "influence", "forecast", "feature", "boost", "interval",
	"score", "watch", "scenario",
	"model", "model/harmonic", "model/days", "model/young", "model/loess", "model/combine", "model/single", "model/baseline",
	"model/intermittent", "model/smoothing", "model/theta", "model/arima",
	"model/decomposition", "model/linear", "model/additive", "model/outlook", "model/boosting", "model/neural", "model/pretrained",
	"model/automatic", "model/catalogue", "bakeoff"}

func TestTheCoreIsBuiltFromTheGroundUp(t *testing.T) {
	seen := map[string]bool{}
	require.NoError(t, filepath.WalkDir("core", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return err
		}
		own := strings.TrimPrefix(filepath.ToSlash(filepath.Dir(name)), "core/")
		floor := slices.Index(floors, own)
		assert.GreaterOrEqual(t, floor, 0, "core/%s has no floor", own)
		seen[own] = true
		f, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, spec := range f.Imports {
			imported, _ := strconv.Unquote(spec.Path.Value)
			if below, ok := strings.CutPrefix(imported, module+"core/"); ok {
				assert.Less(t, slices.Index(floors, below), floor, "%s: core/%s must not import core/%s", name, own, below)
			}
		}
		return nil
	}))
	for _, floor := range floors {
		assert.True(t, seen[floor], "core/%s is gone", floor)
	}
}

// coreMay lists what the core may use besides the standard library's computing parts.
var coreMay = []string{"gonum.org/v1/gonum", "golang.org/x/sys/cpu"}

// coreMustNot lists the standard library's ways out of a computation.
var coreMustNot = []string{"net", "net/http", "os", "io/fs", "database/sql", "log", "log/slog", "os/exec", "syscall"}

func TestImportsPointDownTheLadder(t *testing.T) {
	seen := 0
	require.NoError(t, filepath.WalkDir(".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && (d.Name() == "node_modules" || strings.HasPrefix(d.Name(), ".") && name != ".") {
			if err == nil {
				return fs.SkipDir
			}
			return err
		}
		if !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return nil
		}
		part, _, inside := strings.Cut(filepath.ToSlash(name), "/")
		if !inside {
			return nil
		}
		f, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		seen++
		for _, spec := range f.Imports {
			imported, _ := strconv.Unquote(spec.Path.Value)
			checkImport(t, name, part, imported)
		}
		return nil
	}))
	assert.Greater(t, seen, 50, "the test walks the tree")
}

func checkImport(t *testing.T, file, part, imported string) {
	if rest, ok := strings.CutPrefix(imported, module); ok {
		target, _, _ := strings.Cut(rest, "/")
		allowed, known := ladder[part]
		assert.True(t, known, "%s: the part %q has no rung on the ladder", file, part)
		assert.True(t, slices.Contains(allowed, target), "%s: %s must not import %s", file, part, imported)
		return
	}
	if part != "core" {
		return
	}
	assert.False(t, slices.Contains(coreMustNot, imported), "%s: the core computes; it must not import %s", file, imported)
	if first, _, _ := strings.Cut(imported, "/"); strings.Contains(first, ".") {
		ok := slices.ContainsFunc(coreMay, func(m string) bool { return imported == m || strings.HasPrefix(imported, m+"/") })
		assert.True(t, ok, "%s: the core must not import %s", file, path.Clean(imported))
	}
}
