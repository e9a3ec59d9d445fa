package service_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
)

// townWeeks are weekly sales of two kinds in three towns whose good and bad weeks are common to all.
func townWeeks(weeks int) string {
	rnd := rand.New(rand.NewPCG(6, 2))
	monday := time.Date(2023, 1, 2, 0, 0, 0, 0, time.UTC)
	text := strings.Builder{}
	text.WriteString("week,town,kind,sales\n")
	for k := range weeks {
		mood := 20 * rnd.NormFloat64()
		for i, town := range []string{"Hill", "Mill", "Quay"} {
			for j, kind := range []string{"pot", "cup"} {
				fmt.Fprintf(&text, "%s,%s,%s,%.1f\n", monday.AddDate(0, 0, 7*k).Format(time.DateOnly), town, kind,
					300+100*float64(i)+50*float64(j)+mood+2*rnd.NormFloat64())
			}
		}
	}
	return text.String()
}

// Totals of a release add up whatever they are cut by, are as wide as errors that go together make
// them, and meet the actuals when these arrive.
func TestTotalsOfARelease(t *testing.T) {
	c, _ := start(t, t.TempDir())
	cols := api.LoadColumns{File: "weeks.csv", Time: "week", Measure: "sales", By: []string{"town", "kind"}}
	whole := townWeeks(108)
	lines := strings.SplitAfter(whole, "\n")
	_, err := c.Load(ctx, "weeks", cols, strings.NewReader(strings.Join(lines[:1+100*6], "")))
	require.NoError(t, err)
	b := run(t, c, api.Plan{Dataset: "weeks", Horizon: 4, Windows: 8, Contenders: contenders("naive", "mean", "smoothing")})
	rel := published(t, c, api.PublishRequest{Bakeoff: b.ID, Contender: "mean"})

	all, err := c.ReleaseTotals(ctx, rel.ID, "", nil)
	require.NoError(t, err)
	require.Len(t, all.Groups, 1)
	sum := all.Groups[0]
	assert.Equal(t, []any{"all", 6, 0}, []any{sum.Group, sum.Series, sum.LeftOut})
	assert.Nil(t, sum.Actual)
	assert.Greater(t, all.Ties.Series, 0.9, "all have the same good and bad weeks")
	assert.Less(t, all.Ties.Steps, 0.3)
	parts, alone := 0.0, 0.0
	for _, town := range []string{"Hill", "Mill", "Quay"} {
		for _, kind := range []string{"cup", "pot"} {
			one, err := c.ReleaseCurve(ctx, rel.ID, town+" / "+kind)
			require.NoError(t, err)
			for k, f := range one.Forecast {
				parts += f
				alone += math.Pow(one.High[0][k]-one.Low[0][k], 2)
			}
		}
	}
	assert.InEpsilon(t, parts, sum.Total, 1e-9, "the points are means")
	assert.Greater(t, sum.High[0]-sum.Low[0], 2*math.Sqrt(alone), "twice as wide as if errors were independent")
	assert.Equal(t, "2024-11-25", sum.Curve.Periods[sum.Curve.Start-1+0], "the history ends at the origin")

	for _, by := range []string{"town", "kind"} {
		cut, err := c.ReleaseTotals(ctx, rel.ID, by, nil)
		require.NoError(t, err)
		total := 0.0
		for _, g := range cut.Groups {
			total += g.Total
		}
		assert.InEpsilon(t, sum.Total, total, 1e-9, by)
		assert.True(t, slices.IsSortedFunc(cut.Groups, func(a, b api.ReleaseTotal) int { return int(b.Total - a.Total) }))
	}
	quay, err := c.ReleaseTotals(ctx, rel.ID, "kind", []string{"town=Quay"})
	require.NoError(t, err)
	assert.Equal(t, []any{2, 1, 1}, []any{len(quay.Groups), quay.Groups[0].Series, quay.Groups[1].Series})
	_, err = c.ReleaseTotals(ctx, rel.ID, "colour", nil)
	assert.ErrorContains(t, err, `no attribute is called "colour": use one of town, kind`)

	// Three of four weeks: the sum of all steps is not known yet.
	_, err = c.LoadActuals(ctx, "weeks", api.LoadColumns{}, strings.NewReader(lines[0]+strings.Join(lines[1+100*6:1+103*6], "")))
	require.NoError(t, err)
	all, err = c.ReleaseTotals(ctx, rel.ID, "", nil)
	require.NoError(t, err)
	assert.Nil(t, all.Groups[0].Actual)
	assert.NotNil(t, all.Groups[0].Curve.Actual[all.Groups[0].Curve.Start+2])
	_, err = c.LoadActuals(ctx, "weeks", api.LoadColumns{}, strings.NewReader(lines[0]+strings.Join(lines[1+103*6:1+104*6], "")))
	require.NoError(t, err)
	all, err = c.ReleaseTotals(ctx, rel.ID, "", nil)
	require.NoError(t, err)
	require.NotNil(t, all.Groups[0].Actual)
	assert.InDelta(t, all.Groups[0].Total, *all.Groups[0].Actual, 2*(all.Groups[0].High[1]-all.Groups[0].Low[1]))
}

// What a contender found for each series is told where standings are cut by series.
func TestStandingsTellWhatWasFound(t *testing.T) {
	c, _ := start(t, t.TempDir())
	load(t, c, stallColumns, stallRows([]string{"quay", "mill"}, "2026-01-01", 84, 84))
	b := run(t, c, api.Plan{Dataset: "stalls", Horizon: 7, Windows: 2, Contenders: contenders("naive", "theta", "additive", "automatic")})
	st, err := c.Standings(ctx, b.ID, "", "series")
	require.NoError(t, err)
	require.Len(t, st.Slices, 2)
	for _, slice := range st.Slices {
		found := map[string]string{}
		for _, r := range slice.Rows {
			found[r.Contender] = r.Found
		}
		assert.Empty(t, found["naive"])
		assert.Contains(t, found["theta"], "season of 7")
		assert.Contains(t, found["additive"], "week")
		assert.NotEmpty(t, found["automatic"])
	}
	st, err = c.Standings(ctx, b.ID, "", "")
	require.NoError(t, err)
	assert.Empty(t, st.Slices[0].Rows[0].Found)
}

// A dataset that is written as a workbook loads again to the same content.
func TestADatasetAsAWorkbook(t *testing.T) {
	c, _ := start(t, t.TempDir())
	shops(t, c)
	first, err := c.Dataset(ctx, "shops")
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, c.ExportDataset(ctx, "shops", nil, &out, "xlsx"))
	again, err := c.Load(ctx, "again", api.LoadColumns{File: "again.xlsx", Time: "day", Measure: "sold", By: []string{"shop", "item"},
		Drivers: []string{"price"}}, &out)
	require.NoError(t, err)
	assert.Equal(t, first.Hash, again.Dataset.Hash)
}

// Windows that count back from each series' own end take in those that ended early.
func TestOwnEndsInTheService(t *testing.T) {
	c, _ := start(t, t.TempDir())
	rows := stallRows([]string{"quay"}, "2026-01-01", 84, 84) +
		strings.TrimPrefix(stallRows([]string{"mill"}, "2026-01-01", 60, 60), "day,stall,cups,price\n")
	load(t, c, stallColumns, rows)
	plan := api.Plan{Dataset: "stalls", Horizon: 7, Windows: 2, Metric: "mae", Contenders: contenders("naive", "seasonal-naive", "blend")}
	b := run(t, c, plan)
	st, err := c.Standings(ctx, b.ID, "", "")
	require.NoError(t, err)
	assert.Equal(t, []any{1, 14}, []any{st.Series, st.Slices[0].Rows[0].Points})
	plan.Ends = "own"
	drawn, err := c.Split(ctx, plan)
	require.NoError(t, err)
	assert.Equal(t, []any{4, 2, 0}, []any{len(drawn.Windows), drawn.Series, drawn.Aside})
	b = run(t, c, plan)
	st, err = c.Standings(ctx, b.ID, "", "")
	require.NoError(t, err)
	assert.Equal(t, []any{2, 28}, []any{st.Series, st.Slices[0].Rows[0].Points})
	assert.Contains(t, st.Sentence, "2 windows before each series' own end")
	fit, err := c.Fit(ctx, b.ID, "seasonal-naive", "mill", 0)
	require.NoError(t, err)
	assert.Equal(t, 2, fit.Window, "the last of its own")
	plan.Ends = "both"
	_, err = c.Split(ctx, plan)
	assert.ErrorContains(t, err, "use data")
	plan.Ends, plan.Refit = "own", "once"
	_, err = c.Split(ctx, plan)
	assert.ErrorContains(t, err, "leave refit at every")
}

// A release by a contender that knows their likes covers series without a past; others say who would.
func TestAReleaseCoversNewcomers(t *testing.T) {
	c, _ := start(t, t.TempDir())
	rnd := rand.New(rand.NewPCG(9, 1))
	text := strings.Builder{}
	text.WriteString("week,kind,size,item,sold,price\n")
	for i := range 14 {
		for k := range 70 {
			sold := fmt.Sprintf("%.0f", 100*float64(1+i%2)*(1+float64(i/2%2))*math.Exp(0.1*rnd.NormFloat64()))
			if k >= 66 || i >= 12 && k < 66-(i-12) {
				sold = "" // the last but one has none so far, the last has one
			}
			fmt.Fprintf(&text, "%s,%d,%d,item %d,%s,%.2f\n", time.Date(2024, 1, 1+7*k, 0, 0, 0, 0, time.UTC).Format(time.DateOnly), i%2, i/2%2, i,
				sold, 2+rnd.Float64())
		}
	}
	_, err := c.Load(ctx, "new", api.LoadColumns{File: "new.csv", Time: "week", Measure: "sold", By: []string{"kind", "size", "item"},
		Drivers:    []string{"price"},
		KnownAhead: []string{"price"}}, strings.NewReader(text.String()))
	require.NoError(t, err)
	plan := api.Plan{Dataset: "new", Horizon: 4, Contenders: []api.Contender{{Family: "seasonal-naive"}, {Family: "boosting",
		Settings: map[string]any{"from": "naive"}}}}
	b := run(t, c, plan)
	st, err := c.Standings(ctx, b.ID, "", "")
	require.NoError(t, err)
	assert.Contains(t, strings.Join(st.Cautions, " "), "1 series is too new to be ranked on: fewer than 2 values before each origin. boosting forecasts them")
	require.NotNil(t, st.Newcomers)
	assert.Equal(t, []string{"1 / 0 / item 13"}, st.Newcomers.Series)
	require.Len(t, st.Newcomers.Rows, 2)
	for _, r := range st.Newcomers.Rows {
		assert.Equal(t, 1, r.Points, "%s %s", r.Contender, r.Why)
		assert.Equal(t, r.Reference, r.Contender == "all others")
		assert.NotNil(t, r.Values["wape"])
		assert.Nil(t, r.Values["mase"], "it has no scale")
	}
	assert.Less(t, *st.Newcomers.Rows[0].Values["wape"], *st.Newcomers.Rows[1].Values["wape"])
	// Its forecasts can be looked at and taken away, apart from those that are ranked.
	curves, err := c.Curves(ctx, b.ID, "1 / 0 / item 13")
	require.NoError(t, err)
	require.Len(t, curves.Curves, 1)
	assert.Equal(t, []any{"boosting", true, 62}, []any{curves.Curves[0].Contender, curves.Curves[0].Newcomer, curves.Curves[0].Start})
	var ranked, apart bytes.Buffer
	require.NoError(t, c.ExportBakeoff(ctx, b.ID, &ranked))
	require.NoError(t, c.ExportNewcomers(ctx, b.ID, &apart))
	assert.NotContains(t, ranked.String(), "item 13")
	points, err := csv.NewReader(&apart).ReadAll()
	require.NoError(t, err)
	require.Len(t, points, 1+4)
	head := map[string]int{}
	for i, name := range points[0] {
		head[name] = i
	}
	errors, actuals := 0.0, 0.0
	for i, r := range points[1:] {
		assert.Equal(t, []string{"item 13", "boosting", "1", strconv.Itoa(i + 1), ""},
			[]string{r[head["item"]], r[head["contender"]], r[head["window"]], r[head["step"]], r[head["mase_scale"]]})
		if r[head["actual"]] != "" {
			y, _ := strconv.ParseFloat(r[head["actual"]], 64)
			f, _ := strconv.ParseFloat(r[head["forecast"]], 64)
			errors, actuals = errors+math.Abs(f-y), actuals+math.Abs(y)
		}
	}
	assert.InDelta(t, *st.Newcomers.Rows[0].Values["wape"], errors/actuals, 1e-9, "the table comes back from the points")
	cut, err := c.Standings(ctx, b.ID, "", "kind")
	require.NoError(t, err)
	assert.Nil(t, cut.Newcomers, "of the whole alone")
	preview, err := c.Preview(ctx, api.PublishRequest{Bakeoff: b.ID, Contender: "boosting"})
	require.NoError(t, err)
	assert.Equal(t, 14, preview.Series)
	preview, err = c.Preview(ctx, api.PublishRequest{Bakeoff: b.ID, Contender: "seasonal-naive"})
	require.NoError(t, err)
	assert.Equal(t, 12, preview.Series)
	assert.Contains(t, strings.Join(preview.Cautions, " "), "but by boosting or automatic")

	rel := published(t, c, api.PublishRequest{Bakeoff: b.ID, Contender: "boosting"})
	require.Equal(t, []any{"live", 14, 0}, []any{rel.State, rel.Series, len(rel.LeftOut)})
	for _, key := range []string{"0 / 0 / item 12", "1 / 0 / item 13"} {
		curve, err := c.ReleaseFit(ctx, rel.ID, key)
		require.NoError(t, err)
		likes := map[string]float64{"0 / 0 / item 12": 100, "1 / 0 / item 13": 200}[key]
		assert.InEpsilon(t, likes, curve.Forecast[0], 0.25, key)
		assert.Contains(t, curve.Fit.Form, "what series like it sell", key)
		assert.Less(t, curve.Low[0][0], curve.Forecast[0])
	}
}
