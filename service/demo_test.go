package service_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"paperkettle/api"
	"paperkettle/demo"
)

// late is a weekly table of three items, of which the last has a single value.
func late() string {
	text := "week,item,sold\n"
	monday := time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC)
	for w := range 60 {
		for i, item := range []string{"cups", "jugs", "pots"} {
			if item != "pots" || w == 59 {
				text += fmt.Sprintf("%s,%s,%d\n", monday.AddDate(0, 0, 7*w).Format(time.DateOnly), item, 20+(7*w+3*i)%11)
			}
		}
	}
	return text
}

// The demo goes on where it stopped, whatever its user has made and removed since: it asks its what-if of its
// own release, not of the newest.
func TestTheDemoGoesOnBesideOthers(t *testing.T) {
	c, s := start(t, withDemo(t))
	scenarios, err := c.Scenarios(ctx, "")
	require.NoError(t, err)
	require.Len(t, scenarios, 1)
	own := scenarios[0].Release
	require.NoError(t, c.RemoveScenario(ctx, scenarios[0].ID))

	_, err = c.Load(ctx, "late.2024", api.LoadColumns{Time: "week", Measure: "sold", By: []string{"item"}, File: "late.csv"}, strings.NewReader(late()))
	require.NoError(t, err)
	b := run(t, c, api.Plan{Dataset: "late.2024", Horizon: 4, Contenders: contenders("naive", "mean")})
	other := published(t, c, api.PublishRequest{Bakeoff: b.ID})

	require.NoError(t, demo.SetUp(ctx, c, func(string) {}))
	scenarios, err = c.Scenarios(ctx, "")
	require.NoError(t, err)
	require.Len(t, scenarios, 1)
	assert.Equal(t, []string{own, "ready"}, []string{scenarios[0].Release, scenarios[0].State})
	require.NoError(t, demo.SetUp(ctx, c, func(string) {}))
	scenarios, err = c.Scenarios(ctx, "")
	require.NoError(t, err)
	assert.Len(t, scenarios, 1, "what is there is left as it is")

	// A series without a forecast has its reason, its history, and lists that are empty, not null.
	require.Equal(t, []api.LeftOut{{Series: "pots", Reason: other.LeftOut[0].Reason}}, other.LeftOut)
	_, body := get(t, s.Address()+"/api/v1/releases/"+other.ID+"/curve?series=pots")
	var curve map[string]any
	require.NoError(t, json.Unmarshal([]byte(body), &curve))
	for _, list := range []string{"forecast", "low", "high", "flags"} {
		assert.Equal(t, []any{}, curve[list], list)
	}
	assert.Equal(t, other.LeftOut[0].Reason, curve["left_out"])
	assert.Len(t, curve["actual"], 60+4)
}
