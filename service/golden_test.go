package service_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/demo"
)

// The numbers of a bake-off, a release and a scenario on parts of the demo are those of the file
// kept beside: what changes one of them on purpose writes it anew with -update, and says why.
func TestNumbersAreAsTheyWere(t *testing.T) {
	c, s := start(t, t.TempDir())
	w := demo.New(demo.Seed)
	load := func(name string, cols api.LoadColumns) {
		var file bytes.Buffer
		require.NoError(t, w.WriteFile(name+".csv", &file))
		cols.Floor = "0"
		_, err := c.Load(ctx, name, cols, &file)
		require.NoError(t, err)
	}
	by := []string{"town", "channel", "line"}
	load("monthly", api.LoadColumns{Time: "month", Measure: "orders", By: by})
	load("daily", api.LoadColumns{Time: "date", Measure: "orders", By: by, Drivers: []string{"price", "promotion"},
		KnownAhead: []string{"price", "promotion"}})
	var holidays bytes.Buffer
	require.NoError(t, w.WriteFile("holidays.csv", &holidays))
	_, err := c.LoadEvents(ctx, "daily", api.LoadColumns{File: "holidays.csv"}, 0, 0, &holidays)
	require.NoError(t, err)

	got := golden{}
	months := run(t, c, api.Plan{Name: "months", Dataset: "monthly", Where: map[string]string{"channel": "shop"}, Horizon: 3, Windows: 2,
		Seed: 1, Contenders: contenders("naive", "seasonal-naive",
			"drift", "calendar-mean", "calendar-median", "smoothing", "theta", "arima", "intermittent", "decomposition", "linear", "additive",
			"boosting", "blend", "best-per-series")})
	got.sum(t, s, "/bakeoffs/"+months.ID+"/export", "contender")
	days := run(t, c, api.Plan{Name: "days", Dataset: "daily", Where: map[string]string{"town": "Driftwick", "channel": "shop"}, Horizon: 14,
		Seed:       1, // Networks, and automatic that mixes one, are left out: their last digits depend on vector units.
		Contenders: contenders("seasonal-naive", "smoothing", "linear", "additive")})
	got.sum(t, s, "/bakeoffs/"+days.ID+"/export", "contender")
	rel, err := c.Publish(ctx, api.PublishRequest{Bakeoff: days.ID, Contender: "linear"}, "")
	require.NoError(t, err)
	done(t, c, rel.Job.ID)
	got.sum(t, s, "/releases/"+rel.ID+"/export", "contender")
	scen, err := c.RunScenario(ctx, api.ScenarioRequest{Release: rel.ID,
		Cases: []api.ScenarioCase{{Name: "dearer", Changes: []string{"price +10 %"}}}}, "")
	require.NoError(t, err)
	done(t, c, scen.Job.ID)
	got.sum(t, s, "/scenarios/"+scen.ID+"/export", "case")

	file := filepath.Join("testdata", "golden.json")
	if *update {
		b, err := json.MarshalIndent(got, "", " ")
		require.NoError(t, err)
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(file, append(b, '\n'), 0o644))
	}
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	want := golden{}
	require.NoError(t, json.Unmarshal(b, &want))
	for what, sums := range want {
		for column, v := range sums {
			assert.InDelta(t, v, got[what][column], 1e-9*math.Max(1, math.Abs(v)), "%s: %s", what, column)
		}
	}
	assert.Len(t, got, len(want))
}

// golden is sums of the columns of exports, by whose they are.
type golden map[string]map[string]float64

func (g golden) sum(t *testing.T, s interface{ Address() string }, path, by string) {
	res, body := get(t, s.Address()+"/api/v1"+path)
	require.Equal(t, 200, res.StatusCode, body)
	rows, err := csv.NewReader(strings.NewReader(body)).ReadAll()
	require.NoError(t, err)
	at := slices.Index(rows[0], by)
	require.GreaterOrEqual(t, at, 0, fmt.Sprint(rows[0]))
	for _, row := range rows[1:] {
		what := strings.Split(path, "/")[1] + " " + row[at]
		if g[what] == nil {
			g[what] = map[string]float64{}
		}
		for k, cell := range row {
			name := rows[0][k]
			if v, err := strconv.ParseFloat(cell, 64); err == nil &&
				(strings.HasPrefix(name, "forecast") || strings.HasPrefix(name, "low") || strings.HasPrefix(name, "high")) {
				g[what][name] += v
			}
		}
	}
}
