package cli_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every command has its page of the manual.
func TestManualPages(t *testing.T) {
	sh := newShell(t)
	dir := filepath.Join(t.TempDir(), "man")
	sh.must("man", dir)
	for name, want := range map[string]string{"paperkettle.1": "The path of the work", "paperkettle-release-totals.1": "--by",
		"paperkettle-bakeoff-run.1": "--ends"} {
		page, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		assert.Contains(t, string(page), want, name)
	}
}
