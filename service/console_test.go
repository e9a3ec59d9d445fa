package service_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
	"paperkettle/console"
	"paperkettle/demo"
	"paperkettle/service"
)

// browser is one headless Chromium for all tests of the console.
var browser = sync.OnceValue(func() context.Context {
	opts := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("headless", "new"), chromedp.Flag("disable-quic", true), chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true),
		chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND , EXCLUDE 127.0.0.1"), chromedp.WindowSize(1280, 800))
	alloc, _ := chromedp.NewExecAllocator(context.Background(), opts...)
	ctx, _ := chromedp.NewContext(alloc) //nolint:lostcancel // it ends with the tests
	return ctx
})

// tab is a page of the console; errors on its console fail the test.
type tab struct {
	t    *testing.T
	ctx  context.Context
	base string
}

func openTab(t *testing.T, base string) tab {
	t.Helper()
	root := browser()
	require.NoError(t, chromedp.Do(root)) // starts the browser
	ctx, cancel := chromedp.NewContext(root)
	ctx, stop := context.WithTimeout(ctx, 10*time.Minute)
	// A window that is put in the background would close its lists and take no keys.
	_, err := chromedp.Call(ctx, emulation.SetFocusEmulationEnabled, emulation.SetFocusEmulationEnabledParams{Enabled: true})
	require.NoError(t, err)
	var mu sync.Mutex
	var complaints []string
	messages := chromedp.Console(ctx)
	go func() {
		for m, err := range messages {
			if err != nil {
				return
			}
			if m.Type == chromedp.ConsoleException || m.Type == chromedp.ConsoleError {
				mu.Lock()
				complaints = append(complaints, m.Text)
				mu.Unlock()
			}
		}
	}()
	t.Cleanup(func() {
		mu.Lock()
		assert.Empty(t, complaints, "the browser's console")
		mu.Unlock()
		stop()
		cancel()
	})
	return tab{t, ctx, base}
}

func (p tab) open(path string) {
	p.t.Helper()
	require.NoError(p.t, chromedp.Do(p.ctx, chromedp.Navigate(p.base+path)))
}

// until waits for an expression of the page to be true.
func (p tab) until(expression string) {
	p.t.Helper()
	_, err := chromedp.Run(p.ctx, chromedp.Poll[bool](expression, chromedp.WithPollingTimeout(4*time.Minute)))
	if err != nil {
		text, _ := chromedp.Run(p.ctx, chromedp.Evaluate[string](`document.body.innerText.slice(0, 1500)`))
		require.NoError(p.t, err, "waiting for %s on\n%s", expression, text)
	}
}

func eval[T any](p tab, expression string, opts ...chromedp.EvaluateOption) T {
	p.t.Helper()
	v, err := chromedp.Run(p.ctx, chromedp.Evaluate[T](expression, opts...))
	require.NoError(p.t, err, expression)
	return v
}

// click presses the first button or link whose text begins so.
func (p tab) click(text string) {
	p.t.Helper()
	find := fmt.Sprintf(`[...document.querySelectorAll("button, a, summary")].find(e => e.innerText.trim().startsWith(%q) && !e.disabled)`, text)
	p.until("!!" + find)
	eval[bool](p, "(("+find+").click(), true)")
}

const (
	lead     = `document.querySelector("h1")?.innerText ?? ""`
	allDrawn = `document.querySelectorAll("[data-drawn=true] canvas").length === document.querySelectorAll("[data-drawn]").length && document.querySelectorAll("[data-drawn]").length > 0`
)

// axe gives the serious and critical findings of the accessibility checker: of all its rules, or of some.
func (p tab) axe(rules ...string) []string {
	p.t.Helper()
	source, err := os.ReadFile(filepath.Join("..", "console", "node_modules", "axe-core", "axe.min.js"))
	require.NoError(p.t, err, "run 'make setup'")
	eval[bool](p, string(source)+"; true")
	only := ""
	if len(rules) > 0 {
		only = fmt.Sprintf(`, runOnly: ["%s"]`, strings.Join(rules, `", "`))
	}
	text := eval[string](p, `axe.run(document, {resultTypes: ["violations"]`+only+`}).then(r => JSON.stringify(r.violations
		.filter(v => v.impact === "serious" || v.impact === "critical").map(v => v.id + ": " + v.nodes.slice(0, 2).map(n => n.html.slice(0, 160)).join(" | "))))`, chromedp.EvalAwaitPromise)
	var found []string
	require.NoError(p.t, json.Unmarshal([]byte(text), &found))
	return found
}

// withConsole runs the demo with the built console.
func withConsole(t *testing.T, data string) (string, *client.Client) {
	t.Helper()
	files := console.Files()
	require.NotNil(t, files, "the console is not built: run 'make build'")
	s, err := service.Start(service.Config{Data: data, Listen: "127.0.0.1:0", Workers: 2, Console: files})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	c, err := client.New(s.Address())
	require.NoError(t, err)
	return s.Address(), c
}

// sums is a release with its totals narrowed by two conditions.
const sums = "/releases/rel-1?where=town%3DSaltmarsh&where=channel%3Dshop"

// Every page answers in its first line, draws its charts, raises no error and has
// nothing serious against it, by day and by night.
func TestEveryPage(t *testing.T) {
	base, _ := withConsole(t, withDemo(t))
	pages := []struct {
		path, lead string
		chart      bool
	}{
		{"/data", "3 datasets", false},
		{"/data/daily?where=town%3DSaltmarsh", "daily holds orders of 140 series", true},
		{"/data/daily?revision=1&series=Saltmarsh+%2F+shop+%2F+green+tea&beside=Saltmarsh+%2F+hotel+%2F+herb+tea&scaled=1",
			"2023-01-01 to 2026-05-31", true},
		{"/data/weekly?series=Saltmarsh+%2F+shop+%2F+black+tea&parts=1", "weekly holds orders of 140 series", true},
		{"/data/monthly?spread=1&scaled=1", "monthly holds orders of 140 series over 41 months", true},
		{"/bakeoffs", "In the latest, Daily orders, four weeks ahead, ", false},
		{"/bakeoffs/bake-1", " leads by", true},
		{"/bakeoffs/bake-1?per=channel&metric=wape", " leads by", true},
		{"/bakeoffs/bake-1?per=step&metrics=all", " leads by", true},
		{"/bakeoffs/bake-1?look=duel&per=channel,volume", " leads by", false},
		{"/bakeoffs/bake-1?look=residuals&of=naive", " leads by", true},
		{"/bakeoffs/bake-1?look=fit&fit-of=additive", " leads by", true},
		{"/bakeoffs/bake-1?look=series&metrics=all", " leads by", false},
		{"/bakeoffs/new?dataset=daily", "6 contenders will forecast 3 windows of 28 periods", false},
		{"/releases", "rel-1 of daily is live", false},
		{sums, "rel-1 forecasts orders of 119 series", true},
		{"/scenarios", "1 scenario; the latest, “Prices and promotions in June”, sets 3 cases", false},
		{"/scenarios/scen-1", "Dearer takes", true},
		{"/scenarios/scen-1?series=Saltmarsh+%2F+shop+%2F+green+tea", "Dearer takes", true},
		{"/scenarios/new?from=scen-1", "What would the forecast be", false},
		{"/flags", "flags open; the farthest out is", true},
		{"/nowhere", "There is no page", false},
	}
	// By night a page is the same but for its colours.
	rules := map[string][]string{"night": {"color-contrast"}}
	for _, theme := range []string{"day", "night"} {
		p := openTab(t, base)
		p.open("/data")
		eval[bool](p, fmt.Sprintf(`(localStorage.setItem("paperkettle-theme", %q), true)`, theme))
		for _, page := range pages {
			p.open(page.path)
			p.until(fmt.Sprintf("(%s).includes(%q)", lead, page.lead))
			if page.chart {
				p.until(allDrawn)
			}
			if paint := eval[float64](p, `performance.getEntriesByName("first-contentful-paint")[0]?.startTime ?? -1`); theme == "day" {
				t.Logf("%s: first painted after %.0f ms", page.path, paint)
			}
			assert.Equal(t, theme, eval[string](p, "document.documentElement.dataset.theme"))
			assert.Empty(t, p.axe(rules[theme]...), "%s by %s", page.path, theme)
			assert.LessOrEqual(t, eval[int](p, "document.documentElement.scrollWidth"), 1280, "%s fits", page.path)
			if page.path == sums {
				assert.Equal(t, "6, 1 left out", eval[string](p, `document.querySelector("section[aria-label=Totals] tbody").children[0].children[1].innerText`),
					"series of one town and one channel")
			}
		}
	}
}

// What a page with a chart is told to fetch ahead is what it then asks for, once and not again.
func TestPagesFetchAheadWhatTheyAskFor(t *testing.T) {
	base, _ := withConsole(t, withDemo(t))
	p := openTab(t, base)
	for path, links := range map[string]int{"/data/daily": 2, "/releases/rel-1": 4, "/flags": 1} {
		p.open(path)
		p.until(allDrawn)
		ahead := eval[[]string](p, `[...document.querySelectorAll("link[rel=preload], link[rel=modulepreload]")].map(l => l.href)`)
		assert.Len(t, ahead, links, path)
		for _, address := range ahead {
			n := eval[int](p, fmt.Sprintf(`performance.getEntriesByType("resource").filter(e => e.name === %q).length`, address))
			assert.Equal(t, 1, n, "%s on %s", address, path)
		}
		// What the page itself asked for is something else: not the same in another spelling.
		for _, own := range eval[[]string](p, `performance.getEntriesByType("resource").filter(e => e.initiatorType === "fetch").map(e => e.name.split("?")[0])`) {
			for _, address := range ahead {
				assert.NotEqual(t, strings.Split(address, "?")[0], own, path)
			}
		}
	}
	p.open("/bakeoffs")
	assert.Zero(t, eval[int](p, `document.querySelectorAll("link[rel=preload], link[rel=modulepreload]").length`))
}

// The accessibility check finds what is planted: a check that could not fail is none.
func TestTheCheckItselfFinds(t *testing.T) {
	base, _ := withConsole(t, t.TempDir())
	p := openTab(t, base)
	p.open("/data")
	p.until(fmt.Sprintf("(%s) === %q", lead, "No data yet."))
	require.Empty(t, p.axe())
	eval[bool](p, `(document.querySelector("main").insertAdjacentHTML("beforeend", "<button></button><img src='/kettle.svg'><p style='color:#ddd;background:#fff'>pale</p>"), true)`)
	found := strings.Join(p.axe(), " ")
	for _, want := range []string{"button-name", "image-alt", "color-contrast"} {
		assert.Contains(t, found, want)
	}
	found = strings.Join(p.axe("color-contrast"), " ")
	assert.Contains(t, found, "color-contrast")
	assert.NotContains(t, found, "image-alt")
}

// The whole path in the console: load a file, run a bake-off, toggle a contender,
// publish, settle a flag.
func TestThePathInTheConsole(t *testing.T) {
	base, c := withConsole(t, t.TempDir())
	p := openTab(t, base)
	p.open("/data")
	p.until(fmt.Sprintf("(%s) === %q", lead, "No data yet."))
	file := weeklyOf(t, "Saltmarsh")
	p.click("Load a file")
	p.until(`!!document.querySelector("input[type=file]")`)
	require.NoError(t, chromedp.Do(p.ctx, chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), []string{file})))
	p.until(`document.body.innerText.includes("rows make 20 series by week")`)
	assert.Empty(t, p.axe(), "the load dialog")
	p.choose("Part of orders", "measure")
	p.click("A first forecast")
	p.until(`!!document.querySelector("[role=dialog] [data-drawn=true]")`)
	assert.Contains(t, eval[string](p, `document.querySelector("[role=dialog]").innerText`), "orders of 20 series, 2026-06-29 to")
	assert.Empty(t, p.axe(), "the first forecast")
	eval[bool](p, `(document.querySelector("[role=dialog] form").requestSubmit(), true)`)
	p.until(fmt.Sprintf("(%s).startsWith(%q)", lead, "weekly holds orders of 20 series"))
	p.until(allDrawn)

	p.click("New bake-off")
	p.until(fmt.Sprintf("(%s).startsWith(%q)", lead, "6 contenders will forecast 3 windows of 8 periods"))
	p.click("Run the bake-off")
	p.until(fmt.Sprintf("(%s).includes(%q)", lead, " in 3 windows; the lead over"))
	p.until(allDrawn)
	b, err := c.Bakeoff(ctx, "bake-1")
	require.NoError(t, err)
	require.Equal(t, "done", b.Job.State)

	leading := fmt.Sprintf(`[...document.querySelectorAll("button[aria-pressed]")].find(e => e.innerText === %q)`, b.Leader)
	assert.Equal(t, "true", eval[string](p, leading+`.getAttribute("aria-pressed")`), "the leader's curve is drawn at first")
	const plain = `[...document.querySelectorAll("button[aria-pressed]")].find(e => e.innerText === "naive")`
	assert.Equal(t, "false", eval[string](p, plain+`.getAttribute("aria-pressed")`))
	took := eval[float64](p, `new Promise(done => { const start = performance.now(); `+plain+
		`.click(); requestAnimationFrame(() => setTimeout(() => done(performance.now() - start))) })`, chromedp.EvalAwaitPromise)
	t.Logf("toggling a contender took %.0f ms to the next frame", took)
	p.until(plain + `.getAttribute("aria-pressed") === "true"`)
	saved := eval[string](p, `new Promise(done => { const make = URL.createObjectURL; URL.createObjectURL = b => { b.text().then(done); return make(b); };
		[...document.querySelectorAll("button")].find(e => e.innerText === "Save the values").click(); })`, chromedp.EvalAwaitPromise)
	assert.Regexp(t, `^period,actual(,[a-z-]+( (80|95) % (low|high))?)+`+"\n2023-01-02,", saved[:min(len(saved), 400)],
		"what the chart shows, as a table")
	assert.Contains(t, strings.Split(saved, "\n")[0], "naive")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.Reload()))
	p.until("!!(" + plain + ")")
	assert.Equal(t, "true", eval[string](p, plain+`.getAttribute("aria-pressed")`), "a deep link survives a reload")

	p.click("Publish …")
	p.until(`document.querySelector("[role=dialog]")?.innerText.includes("forecasts 20 series for 8 weeks")`)
	assert.Empty(t, p.axe(), "the publish dialog")
	eval[bool](p, `(document.querySelector("[role=dialog] form").requestSubmit(), true)`)
	p.until(fmt.Sprintf("(%s).includes(%q)", lead, "no actuals have arrived yet"))
	_, err = c.LoadActuals(ctx, "weekly", api.LoadColumns{},
		strings.NewReader("week,town,channel,line,orders\n2026-06-29,Saltmarsh,shop,black tea,99999\n2026-06-29,Saltmarsh,web,black tea,88888\n"))
	require.NoError(t, err)
	p.open("/flags")
	p.until(fmt.Sprintf("(%s).startsWith(%q)", lead, "2 flags open; the farthest out is Saltmarsh"))
	p.until(allDrawn)
	p.click("Data error")
	p.until(fmt.Sprintf("(%s).startsWith(%q)", lead, "1 flag open"))
	flags, err := c.Flags(ctx, "", "settled", 0)
	require.NoError(t, err)
	require.Len(t, flags, 1)
	assert.Equal(t, "data-error", flags[0].SettledAs)

	p.open("/data/weekly")
	p.until(`document.body.innerText.includes("From revision 1 to 2: 1 period more, 2 values more.")`)
	p.click("Take back revision 2")
	p.until(`document.querySelector("[role=dialog]")?.innerText.includes("weekly is then as revision 1 left it")`)
	assert.Empty(t, p.axe(), "the dialog that takes a revision back")
	p.click("Take it back")
	p.until(`!document.body.innerText.includes("Take back revision") && document.body.innerText.includes("to 2026-06-22")`)
	ds, err := c.Dataset(ctx, "weekly")
	require.NoError(t, err)
	assert.Equal(t, 1, ds.Revision)
	flags, err = c.Flags(ctx, "", "open", 0)
	require.NoError(t, err)
	assert.Empty(t, flags, "open flags of values that are gone")
}

// weeklyOf is a file of the demo's weekly series of one town.
func weeklyOf(t *testing.T, town string) string {
	t.Helper()
	var all bytes.Buffer
	require.NoError(t, demo.New(demo.Seed).WriteFile("weekly.csv", &all))
	var kept []string
	for line := range strings.Lines(all.String()) {
		if len(kept) == 0 || strings.Contains(line, ","+town+",") {
			kept = append(kept, line)
		}
	}
	file := filepath.Join(t.TempDir(), "weekly.csv")
	require.NoError(t, os.WriteFile(file, []byte(strings.Join(kept, "")), 0o600))
	return file
}

// choose picks an option of a select by keyboard.
func (p tab) choose(label, option string) {
	p.t.Helper()
	trigger := fmt.Sprintf(`[...document.querySelectorAll("[role=combobox]")].find(e => document.getElementById(e.getAttribute("aria-labelledby"))?.innerText === %q)`, label)
	p.until("!!(" + trigger + ")")
	const at = `(document.querySelector("[role=option][data-highlighted]")?.innerText.trim() ?? "")`
	// A list that closes again, as it does where the window loses the focus, is opened once more.
	for tries := 1; eval[string](p, at) == ""; tries++ {
		require.LessOrEqual(p.t, tries, 20, "%s does not open", label)
		eval[bool](p, "(("+trigger+").focus(), true)")
		require.NoError(p.t, chromedp.Do(p.ctx, chromedp.KeyEvent(" ")))
		p.until(fmt.Sprintf(`%s !== "" || (%s)?.ariaExpanded === "false"`, at, trigger))
	}
	// Not by typing its name: letters that come late, on a loaded machine, begin another name.
	require.NoError(p.t, chromedp.Do(p.ctx, chromedp.KeyEvent(kb.Home)))
	p.until(`document.querySelector("[role=option]").hasAttribute("data-highlighted")`)
	for now := eval[string](p, at); now != option; now = eval[string](p, at) {
		require.NoError(p.t, chromedp.Do(p.ctx, chromedp.KeyEvent(kb.ArrowDown)))
		p.until(fmt.Sprintf(`!["", %q].includes(%s)`, now, at))
	}
	require.NoError(p.t, chromedp.Do(p.ctx, chromedp.KeyEvent("\r")))
	p.until(fmt.Sprintf(`(%s)?.innerText.trim() === %q`, trigger, option))
	// A list that was told twice to open may do so again, and would take what the next select is told.
	expanded := fmt.Sprintf(`(%s)?.ariaExpanded === "true"`, trigger)
	for eval[bool](p, expanded) {
		require.NoError(p.t, chromedp.Do(p.ctx, chromedp.KeyEvent(kb.Escape)))
	}
}
