package service_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/client"
)

// pricedWeeks loads weekly sales of three shops with elasticity -1.5 and promotions that
// bring 42 %, both known eight weeks ahead, but for the prices of the last shop where short.
func pricedWeeks(t *testing.T, c *client.Client, short bool) {
	t.Helper()
	rnd := rand.New(rand.NewPCG(4, 4))
	text := strings.Builder{}
	text.WriteString("week,shop,sales,price,promotion\n")
	for _, shop := range []string{"Hill", "Mill", "Quay"} {
		monday := time.Date(2023, 1, 2, 0, 0, 0, 0, time.UTC)
		base := 4.0
		for k := range 156 {
			if k%9 == 0 {
				base = 4 * math.Exp(0.12*rnd.NormFloat64())
			}
			promotion := 0.0
			if rnd.IntN(6) == 0 {
				promotion = 1
			}
			sales := strconv.FormatFloat(math.Exp(6-1.5*math.Log(base)+0.35*promotion+0.1*rnd.NormFloat64()), 'f', 2, 64)
			price := strconv.FormatFloat(base, 'f', 3, 64)
			if k >= 148 {
				sales, promotion = "", 0
				if price = "4"; short && shop == "Quay" {
					price = ""
				}
			}
			fmt.Fprintf(&text, "%s,%s,%s,%s,%v\n", monday.AddDate(0, 0, 7*k).Format("2006-01-02"), shop, sales, price, promotion)
		}
	}
	_, err := c.Load(ctx, "sales", api.LoadColumns{File: "sales.csv", Time: "week", Measure: "sales", By: []string{"shop"},
		Drivers: []string{"price", "promotion"}, KnownAhead: []string{"price", "promotion"}}, strings.NewReader(text.String()))
	require.NoError(t, err)
}

func whatIf(t *testing.T, c *client.Client, in api.ScenarioRequest) api.Scenario {
	t.Helper()
	sc, err := c.RunScenario(ctx, in, "")
	require.NoError(t, err)
	job, err := c.Wait(ctx, sc.Job.ID, nil)
	require.NoError(t, err)
	require.Equal(t, "done", job.State, job.Error)
	sc, err = c.Scenario(ctx, sc.ID)
	require.NoError(t, err)
	return sc
}

// What-if by both families: a price ten per cent dearer sells 12 to 15 % less, promotions
// bring 42 %, and the base is the release itself.
func TestWhatIf(t *testing.T) {
	c, _ := start(t, t.TempDir())
	pricedWeeks(t, c, false)
	b := run(t, c, api.Plan{Dataset: "sales", Horizon: 8, Contenders: contenders("naive", "additive", "linear", "smoothing")})
	rel, err := c.Publish(ctx, api.PublishRequest{Bakeoff: b.ID, Contender: "additive"}, "")
	require.NoError(t, err)
	_, err = c.Wait(ctx, rel.Job.ID, nil)
	require.NoError(t, err)
	cases := []api.ScenarioCase{
		{Name: "Dearer", Changes: []string{"price +10 %"}},
		{Name: "Push in Quay", Changes: []string{"promotion = 1 where shop=Quay"},
			Values: []api.ScenarioValue{{Series: "Quay", Period: "step 1", Driver: "promotion", Value: 0}}},
	}
	for _, of := range []api.ScenarioRequest{{Release: rel.ID}, {Bakeoff: b.ID, Contender: "linear"}, {Bakeoff: b.ID, Contender: "additive"}} {
		of.Name, of.Cases = "Prices", cases
		sc := whatIf(t, c, of)
		require.Len(t, sc.Totals, 3)
		assert.Equal(t, 3, sc.Series)
		assert.InDelta(t, -0.133, *sc.Totals[1].ChangeShare, 0.017, sc.Contender)
		assert.Less(t, sc.Totals[1].ChangeHigh[1], 0.0, "surely less")
		truth := sc.Totals[0].Total * (math.Pow(1.1, -1.5) - 1)
		assert.Less(t, sc.Totals[1].ChangeLow[1], truth, sc.Contender)
		assert.Greater(t, sc.Totals[1].ChangeHigh[1], truth, sc.Contender)
		wide := (sc.Totals[1].ChangeHigh[1] - sc.Totals[1].ChangeLow[1]) / -sc.Totals[1].Change
		assert.Greater(t, wide, 0.02, "the effect is in doubt too: %s", sc.Contender)
		assert.Less(t, wide, 0.8, sc.Contender)
		curve, err := c.ScenarioCurve(ctx, sc.ID, "Quay")
		require.NoError(t, err)
		base, push := curve.Cases[0], curve.Cases[2]
		assert.Equal(t, 0.0, push.Change[0], "the first week is left alone, to the last digit")
		assert.InDelta(t, 1.42, push.Forecast[3]/base.Forecast[3], 0.06, sc.Contender)
		assert.Less(t, push.ChangeHigh[1][3]-push.ChangeLow[1][3], push.High[1][3]-push.Low[1][3], "a difference is surer than a forecast")
		hill, err := c.ScenarioCurve(ctx, sc.ID, "Hill")
		require.NoError(t, err)
		assert.Equal(t, hill.Cases[0].Forecast, hill.Cases[2].Forecast, "another shop's push changes nothing")
		if of.Release != "" {
			released, err := c.ReleaseCurve(ctx, rel.ID, "Quay")
			require.NoError(t, err)
			assert.InDeltaSlice(t, released.Forecast, base.Forecast, 1e-4, "the base is the release")
		}
		var out bytes.Buffer
		require.NoError(t, c.ExportScenario(ctx, sc.ID, &out))
		rows, err := csv.NewReader(&out).ReadAll()
		require.NoError(t, err)
		assert.Len(t, rows, 1+3*3*8)
		assert.Equal(t, []string{"shop", "case", "contender", "step", "period", "forecast", "low80", "high80", "low95", "high95", "change",
			"change_low80", "change_high80", "change_low95", "change_high95"}, rows[0])
	}
	again := whatIf(t, c, api.ScenarioRequest{Release: rel.ID, Cases: cases})
	first, err := c.Scenario(ctx, "scen-1")
	require.NoError(t, err)
	assert.Equal(t, first.Totals, again.Totals, "asked again, the same numbers")
	list, err := c.Scenarios(ctx, rel.ID)
	require.NoError(t, err)
	assert.Len(t, list, 2)
	plain := whatIf(t, c, api.ScenarioRequest{Bakeoff: b.ID, Contender: "smoothing", Cases: cases[:1]})
	assert.Contains(t, plain.LeftOut[0].Reason, "neither drivers nor events")

	for name, of := range map[string]api.ScenarioRequest{
		"one of them":          {Cases: cases},
		"changes nothing":      {Release: rel.ID, Cases: []api.ScenarioCase{{Name: "Empty"}}},
		"a name of its own":    {Release: rel.ID, Cases: []api.ScenarioCase{cases[0], cases[0]}},
		"starts with no drive": {Release: rel.ID, Cases: []api.ScenarioCase{{Changes: []string{"rent +3 %"}}}},
		"leave the contender":  {Release: rel.ID, Contender: "linear", Cases: cases},
	} {
		_, err := c.RunScenario(ctx, of, "")
		assert.ErrorContains(t, err, name)
	}
}

// Drivers that nobody gave are filled by the plan's rules or a named one, with a caution, or
// refused with the list where the plan says so.
func TestWhatIfWithGaps(t *testing.T) {
	c, _ := start(t, t.TempDir())
	pricedWeeks(t, c, true)
	b := run(t, c, api.Plan{Dataset: "sales", Horizon: 8, Contenders: contenders("naive", "additive")})
	ask := api.ScenarioRequest{Bakeoff: b.ID, Contender: "additive", Cases: []api.ScenarioCase{{Name: "Push", Changes: []string{"promotion = 1"}}}}
	assert.Contains(t, strings.Join(whatIf(t, c, ask).Cautions, " "), "filled by the plan's driver_gaps")
	strict := run(t, c, api.Plan{Dataset: "sales", Horizon: 8, Contenders: contenders("naive", "additive"), Gaps: map[string]string{"price": "refuse"}})
	refused := ask
	refused.Bakeoff = strict.ID
	_, err := c.RunScenario(ctx, refused, "")
	assert.ErrorContains(t, err, "of Quay, and driver_gaps refuses that")
	ask.Fill = "last"
	sc := whatIf(t, c, ask)
	assert.Equal(t, 3, sc.Series)
	assert.Contains(t, strings.Join(sc.Cautions, " "), `filled by the rule "last"`)
}

// The features that a dataset can have, with their meaning, and what can't be.
func TestFeaturesAreListed(t *testing.T) {
	c, _ := start(t, t.TempDir())
	pricedWeeks(t, c, false)
	usual, err := c.Features(ctx, "sales", nil, 8)
	require.NoError(t, err)
	assert.Contains(t, usual.Lines, "drivers")
	list, err := c.Features(ctx, "sales", []string{"lag 1 to 3", "price log change"}, 8)
	require.NoError(t, err)
	require.Len(t, list.Features, 4)
	assert.Equal(t, api.Feature{Name: "price log change", Line: "price log change", Meaning: "the driver, log change", Known: "ahead"}, list.Features[3])
	_, err = c.Features(ctx, "sales", []string{"mood"}, 8)
	assert.ErrorContains(t, err, "the drivers are price, promotion")
	for part, contender := range map[string]api.Contender{
		"neither a word of the calendar": {Family: "linear", Settings: map[string]any{"features": []string{"mood"}}},
		"group by shop, all or none":     {Family: "additive", Settings: map[string]any{"together": []string{"region"}}},
		"no such driver or event":        {Family: "additive", Settings: map[string]any{"signs": []string{"rent negative"}}},
	} {
		_, err := c.StartBakeoff(ctx, api.Plan{Dataset: "sales", Horizon: 4, Contenders: []api.Contender{contender}}, "")
		assert.ErrorContains(t, err, part, "refused with the plan, not while it runs")
	}
}

// The editor: a line, a block pasted from a spreadsheet, and the comparison.
func TestAScenarioInTheConsole(t *testing.T) {
	base, c := withConsole(t, t.TempDir())
	pricedWeeks(t, c, false)
	b := run(t, c, api.Plan{Dataset: "sales", Horizon: 8, Contenders: contenders("naive", "additive")})
	rel, err := c.Publish(ctx, api.PublishRequest{Bakeoff: b.ID, Contender: "additive"}, "")
	require.NoError(t, err)
	_, err = c.Wait(ctx, rel.Job.ID, nil)
	require.NoError(t, err)
	p := openTab(t, base)
	p.open("/releases/" + rel.ID)
	p.click("What if")
	p.until(fmt.Sprintf("(%s).startsWith(%q)", lead, "What would the forecast be"))
	p.until(`!!document.querySelector("textarea")`)
	require.NoError(t, chromedp.Do(p.ctx, chromedp.SendKeys(chromedp.CSS("textarea"), "price +10 %")))
	p.click("Single values in a grid")
	const cell = `document.querySelector("input[aria-label='promotion in 2025-11-03']")`
	p.until("!!" + cell)
	assert.Empty(t, p.axe(), "the editor")
	eval[bool](p, `(() => { const d = new DataTransfer(); d.setData("text", "1\n1\nyes\n"); `+cell+
		`.dispatchEvent(new ClipboardEvent("paste", {clipboardData: d, bubbles: true})); return true })()`)
	p.until(`document.body.innerText.includes("(2 set)")`)
	p.until(`document.querySelector("[role=alert]")?.innerText === "Not taken: promotion in 2025-11-17: “yes” is no number."`)
	p.click("Compare")
	p.until(fmt.Sprintf("(%s).startsWith(%q)", lead, "price +10 %"))
	p.until(allDrawn)
	sc, err := c.Scenario(ctx, "scen-1")
	require.NoError(t, err)
	assert.Equal(t, []api.ScenarioValue{{Period: "2025-11-03", Driver: "promotion", Value: 1},
		{Period: "2025-11-10", Driver: "promotion", Value: 1}}, sc.Cases[0].Values)
}
