package service_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A table as it is exported, with a title, its times in two columns and a currency's sign, loads by what the
// dialog proposes; a column that takes another part leaves the times as they are.
func TestATableAsItIsExported(t *testing.T) {
	base, c := withConsole(t, t.TempDir())
	text := "Orders of tea\n\nYear,Month,Town,Stock,Turnover\n"
	for k := range 40 {
		for _, town := range []string{"Saltmarsh", "Vale"} {
			text += fmt.Sprintf("%d,%d,%s,%d.5,\"£1,%03d.50\"\n", 2023+k/12, k%12+1, town, k, 100+(7*k)%90)
		}
	}
	file := filepath.Join(t.TempDir(), "tea.csv")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	p := openTab(t, base)
	p.open("/data")
	p.click("Load a file")
	p.until(`!!document.querySelector("input[type=file]")`)
	require.NoError(t, chromedp.Do(p.ctx, chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), []string{file})))
	p.until(`document.body.innerText.includes("2 series by month")`)
	said := eval[string](p, `document.querySelector("[role=dialog]").innerText`)
	assert.Contains(t, said, `What stands above the header is left out: "Orders of tea".`)
	p.choose("Part of Turnover", "measure")
	p.until(`document.body.innerText.includes("4 series by month")`)
	p.choose("Part of Stock", "left out")
	p.until(`document.body.innerText.includes("2 series by month")`)
	assert.Empty(t, p.axe(), "the load dialog")
	eval[bool](p, `(document.querySelector("[role=dialog] form").requestSubmit(), true)`)
	p.until(fmt.Sprintf("(%s).startsWith(%q)", lead, "tea holds Turnover of 2 series"))
	d, err := c.Dataset(t.Context(), "tea")
	require.NoError(t, err)
	assert.Equal(t, []string{"2023-01", "2026-04"}, []string{d.First, d.Last}, strings.TrimSpace(said))
}
