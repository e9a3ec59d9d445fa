package demo

import (
	"context"
	"fmt"
	"io"
	"slices"

	"paperkettle/api"
	"paperkettle/client"
)

// The names under which the scenario is loaded.
const (
	Daily   = "daily"
	Weekly  = "weekly"
	Monthly = "monthly"
	bakeoff = "Daily orders, four weeks ahead"
)

// columns are the parts of each file's columns.
var columns = map[string]api.LoadColumns{
	Daily: {Time: "date", Measure: "orders", By: []string{"town", "channel", "line"}, Drivers: []string{"price", "promotion", "temperature"},
		KnownAhead: []string{"price", "promotion"}, Floor: "0"},
	Weekly:  {Time: "week", Measure: "orders", By: []string{"town", "channel", "line"}, Floor: "0"},
	Monthly: {Time: "month", Measure: "orders", By: []string{"town", "channel", "line"}, Floor: "0"},
}

// Plan is the demo's bake-off.
func Plan() api.Plan {
	p := api.Plan{Name: bakeoff, Dataset: Daily, Horizon: AheadDays, Windows: 3, Seed: 1}
	for _, f := range []string{"naive", "seasonal-naive", "moving-average", "calendar-mean", "smoothing", "theta", "linear", "additive"} {
		p.Contenders = append(p.Contenders, api.Contender{Family: f})
	}
	return p
}

// SetUp walks the path of a user through the service: load, bake off, publish, let
// actuals arrive. What is there already is left as it is, so that a start cut short
// goes on where it stopped.
func SetUp(ctx context.Context, c *client.Client, say func(string)) error {
	datasets, err := c.Datasets(ctx)
	if err != nil {
		return err
	}
	loaded := map[string]api.Dataset{}
	for _, d := range datasets {
		loaded[d.Name] = d
	}
	w := New(Seed)
	for _, name := range []string{Daily, Weekly, Monthly} {
		if loaded[name].Revision == 0 {
			say("Loading " + name + ".csv")
			if err := send(w, name+".csv", func(r io.Reader) error {
				cols := columns[name]
				cols.File = name + ".csv"
				_, err := c.Load(ctx, name, cols, r)
				return err
			}); err != nil {
				return err
			}
		}
		if loaded[name].Events == 0 {
			if err := send(w, "holidays.csv", func(r io.Reader) error {
				_, err := c.LoadEvents(ctx, name, api.LoadColumns{File: "holidays.csv"}, 0, 0, r)
				return err
			}); err != nil {
				return err
			}
		}
	}
	b, err := runBakeoff(ctx, c, say)
	if err != nil {
		return err
	}
	rel, err := publish(ctx, c, b.ID, say)
	if err != nil {
		return err
	}
	if err := askWhatIf(ctx, c, rel.ID, say); err != nil {
		return err
	}
	if loaded[Daily].Last == End.Format(isoDate) {
		return nil
	}
	say("Four weeks pass: loading actuals.csv")
	return send(w, "actuals.csv", func(r io.Reader) error {
		_, err := c.LoadActuals(ctx, Daily, api.LoadColumns{File: "actuals.csv"}, r)
		return err
	})
}

// send writes a file of the world into a request.
func send(w *World, name string, use func(io.Reader) error) error {
	r, out := io.Pipe()
	go func() { out.CloseWithError(w.WriteFile(name, out)) }()
	err := use(r)
	r.CloseWithError(err)
	return err
}

func runBakeoff(ctx context.Context, c *client.Client, say func(string)) (api.Bakeoff, error) {
	list, err := c.Bakeoffs(ctx)
	if err != nil {
		return api.Bakeoff{}, err
	}
	var b api.Bakeoff
	if i := slices.IndexFunc(list, func(b api.Bakeoff) bool { return b.Name == bakeoff }); i >= 0 {
		b = list[i]
	} else if b, err = c.StartBakeoff(ctx, Plan(), "demo-bake-off"); err != nil {
		return b, err
	}
	if b.Job.Over() {
		return b, nil
	}
	say(fmt.Sprintf("Running the bake-off: %d contenders, %d windows of four weeks", len(Plan().Contenders), Plan().Windows))
	b.Job, err = c.Wait(ctx, b.Job.ID, nil)
	if err == nil && b.Job.State != "done" {
		err = fmt.Errorf("the demo's bake-off is %s: %s", b.Job.State, b.Job.Error)
	}
	return b, err
}

// publish releases the demo's leader, or finds the release that it was: others' do not matter.
func publish(ctx context.Context, c *client.Client, bake string, say func(string)) (api.Release, error) {
	list, err := c.Releases(ctx)
	if err != nil {
		return api.Release{}, err
	}
	if i := slices.IndexFunc(list, func(r api.Release) bool { return r.Bakeoff == bake && r.Job.State == "done" }); i >= 0 {
		return list[i], nil
	}
	say("Publishing the leader with its intervals")
	rel, err := c.Publish(ctx, api.PublishRequest{Bakeoff: bake}, "")
	if err != nil {
		return rel, err
	}
	job, err := c.Wait(ctx, rel.Job.ID, nil)
	if err == nil && job.State != "done" {
		err = fmt.Errorf("the demo's release is %s: %s", job.State, job.Error)
	}
	return rel, err
}

// WhatIf is the demo's scenario.
func WhatIf(release string) api.ScenarioRequest {
	return api.ScenarioRequest{Name: "Prices and promotions in June", Release: release, Cases: []api.ScenarioCase{
		{Name: "Dearer", Changes: []string{"price +10 %"}},
		{Name: "No promotions", Changes: []string{"no promotion"}},
		{Name: "Dearer, with a push", Changes: []string{"price +10 %", "promotion = 1 from 2026-06-15 to 2026-06-21"}},
	}}
}

// askWhatIf runs the scenario on the demo's release, once.
func askWhatIf(ctx context.Context, c *client.Client, release string, say func(string)) error {
	asked := WhatIf(release)
	list, err := c.Scenarios(ctx, "")
	if err != nil || slices.ContainsFunc(list, func(s api.Scenario) bool { return s.Name == asked.Name && s.Release == release }) {
		return err
	}
	say("Asking what prices and promotions would change")
	sc, err := c.RunScenario(ctx, asked, "")
	if err != nil {
		return err
	}
	job, err := c.Wait(ctx, sc.Job.ID, nil)
	if err == nil && job.State != "done" {
		err = fmt.Errorf("the demo's scenario is %s: %s", job.State, job.Error)
	}
	return err
}
