package cli

import (
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"paperkettle/api"
	"paperkettle/client"
)

func (a *app) scenario() *cobra.Command {
	return group("scenario", "Ask what a forecast would be under other drivers and events", a.scenarioRun(), a.scenarioList(),
		a.scenarioShow(), a.scenarioExport(),
		a.remover("scenario", "Remove a scenario", (*client.Client).RemoveScenario))
}

func (a *app) scenarioRun() *cobra.Command {
	in := api.ScenarioRequest{}
	var cases []string
	var file string
	cmd := &cobra.Command{Use: "run RELEASE|BAKEOFF --case \"NAME: CHANGE; CHANGE\"",
		Short: "Forecast under other drivers and events, case by case, beside the base", Args: exactly(1),
		Example: "  paperkettle scenario run rel-1 --case \"Dearer: price +10 % from March\" --case \"Quiet: no promotion; price -5 %\"\n" +
			"  paperkettle scenario run bake-2 --contender additive --case \"price = 3.20 in week 12 where town=Quay\"\n" +
			"  paperkettle scenario run rel-1 --file plan.csv     (columns: case, series, period, and a column a driver)",
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if strings.HasPrefix(args[0], "rel-") {
				in.Release = args[0]
			} else {
				in.Bakeoff = args[0]
			}
			in.Cases = parseCases(cases)
			if file != "" {
				if err := readCases(file, &in); err != nil {
					return err
				}
			}
			if len(in.Cases) == 0 {
				return misused("say what changes: --case \"price +10 %%\", or --file plan.csv")
			}
			sc, err := c.RunScenario(ctx, in, newKey())
			if err != nil {
				return err
			}
			if err := a.waitFor(ctx, c, sc.Job.ID); err != nil {
				return err
			}
			return a.showScenario(ctx, c, sc.ID)
		})}
	cmd.Flags().StringArrayVar(&cases, "case", nil, "a case: its name, a colon, and its changes apart by semicolons; again for another")
	cmd.Flags().StringVar(&file, "file", "", "CSV of driver values: columns case, series, period, and one a driver")
	cmd.Flags().StringVar(&in.Name, "name", "", "the scenario's name")
	cmd.Flags().StringVar(&in.Contender, "contender", "", "of a bake-off; its leader if left out")
	cmd.Flags().IntVar(&in.Horizon, "horizon", 0, "periods ahead; the release's or bake-off's if left out")
	cmd.Flags().Float64SliceVar(&in.Levels, "level", nil, "interval levels in per cent; 80,95 if left out")
	cmd.Flags().StringVar(&in.Fill, "fill", "", "how drivers ahead that nobody gave are filled: last, season or mean; refused if left out")
	return cmd
}

// parseCases reads "Dearer: price +10 %; no promotion"; a name may be left out.
func parseCases(texts []string) (out []api.ScenarioCase) {
	for _, text := range texts {
		var c api.ScenarioCase
		if name, rest, ok := strings.Cut(text, ":"); ok && !strings.ContainsAny(name, "=%+;") {
			c.Name, text = strings.TrimSpace(name), rest
		}
		for _, line := range strings.Split(text, ";") {
			if line = strings.TrimSpace(line); line != "" {
				c.Changes = append(c.Changes, line)
			}
		}
		out = append(out, c)
	}
	return out
}

// readCases adds a file's values to the cases of their names.
func readCases(file string, in *api.ScenarioRequest) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	r := csv.NewReader(f)
	head, err := r.Read()
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	for i := range head {
		head[i] = strings.TrimSpace(strings.TrimPrefix(head[i], "\ufeff"))
	}
	period := slices.Index(head, "period")
	if period < 0 {
		return fmt.Errorf("%s: line 1 has no column period: it names case and series where they matter, period, and a column a driver", file)
	}
	for {
		row, err := r.Read()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
		line, _ := r.FieldPos(0)
		if err := addRow(in, file, line, head, row, row[period]); err != nil {
			return err
		}
	}
}

func addRow(in *api.ScenarioRequest, file string, line int, head, row []string, period string) error {
	name, series := "plan", ""
	for i, h := range head {
		switch h {
		case "case":
			name = row[i]
		case "series":
			series = row[i]
		}
	}
	at := slices.IndexFunc(in.Cases, func(c api.ScenarioCase) bool { return c.Name == name })
	if at < 0 {
		at = len(in.Cases)
		in.Cases = append(in.Cases, api.ScenarioCase{Name: name})
	}
	for i, h := range head {
		text := strings.TrimSpace(row[i])
		if h == "case" || h == "series" || h == "period" || text == "" {
			continue
		}
		v, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return fmt.Errorf("%s: line %d, column %s: %q is not a number", file, line, h, text)
		}
		in.Cases[at].Values = append(in.Cases[at].Values, api.ScenarioValue{Series: series, Period: period, Driver: h, Value: v})
	}
	return nil
}

func (a *app) scenarioList() *cobra.Command {
	release := ""
	cmd := &cobra.Command{Use: "list", Short: "List scenarios, newest first", Args: exactly(0),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Scenarios(ctx, release)
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"id", "name", "of", "contender", "state", "first", "last", "cases"}}
			for _, x := range list {
				s.add(x.ID, x.Name, scenarioOf(x), x.Contender, x.State, x.First, x.Last, caseNames(x))
			}
			return a.print(list, s)
		})}
	cmd.Flags().StringVar(&release, "release", "", "only those of a release")
	return cmd
}

func scenarioOf(x api.Scenario) string {
	if x.Release != "" {
		return x.Release
	}
	return x.Bakeoff
}

func caseNames(x api.Scenario) string {
	names := make([]string, len(x.Cases))
	for i, c := range x.Cases {
		names[i] = c.Name
	}
	return strings.Join(names, "; ")
}

func (a *app) scenarioShow() *cobra.Command {
	series := ""
	cmd := &cobra.Command{Use: "show ID", Short: "Show a scenario's totals, or one series step by step", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if series == "" {
				return a.showScenario(ctx, c, args[0])
			}
			curve, err := c.ScenarioCurve(ctx, args[0], series)
			if err != nil {
				return err
			}
			if curve.LeftOut != "" {
				return fmt.Errorf("%s has no forecast in %s: %s", series, args[0], curve.LeftOut)
			}
			return a.print(curve, a.scenarioSteps(curve))
		})}
	cmd.Flags().StringVar(&series, "series", "", "a series to show step by step")
	return cmd
}

// scenarioSteps lays a series out, a row a step and case.
func (a *app) scenarioSteps(curve api.ScenarioCurve) *sheet {
	s := &sheet{head: []string{"period", "case", ">forecast"}}
	for _, l := range curve.Levels {
		s.head = append(s.head, fmt.Sprintf(">low%v", l), fmt.Sprintf(">high%v", l))
	}
	s.head = append(s.head, ">change")
	for _, l := range curve.Levels {
		s.head = append(s.head, fmt.Sprintf(">from (%v %%)", l), fmt.Sprintf(">to (%v %%)", l))
	}
	for _, c := range curve.Cases {
		for h := range c.Forecast {
			row := []string{curve.Periods[curve.Start+h], c.Case, a.figure(&c.Forecast[h])}
			for l := range curve.Levels {
				row = append(row, a.figure(&c.Low[l][h]), a.figure(&c.High[l][h]))
			}
			if c.Case == "base" {
				s.add(append(row, make([]string, 1+2*len(curve.Levels))...)...)
				continue
			}
			row = append(row, a.figure(&c.Change[h]))
			for l := range curve.Levels {
				row = append(row, a.figure(&c.ChangeLow[l][h]), a.figure(&c.ChangeHigh[l][h]))
			}
			s.add(row...)
		}
	}
	return s
}

func (a *app) showScenario(ctx context.Context, c *client.Client, id string) error {
	x, err := c.Scenario(ctx, id)
	if err != nil {
		return err
	}
	if a.output == "table" {
		cases := "one case"
		if n := len(x.Cases); n > 1 {
			cases = fmt.Sprintf("%d cases", n)
		}
		fmt.Fprintf(a.out, "%s, %q: %s of %d series under %s, by %s of %s, from %s to %s.\n", x.ID, x.Name, x.Measure, x.Series,
			cases, x.Contender, scenarioOf(x), x.First, x.Last)
		for _, k := range x.Cases {
			if len(k.Changes)+len(k.Values) > 0 {
				fmt.Fprintf(a.out, "  %s: %s\n", k.Name, changesOf(k))
			}
		}
		if x.Job.Error != "" {
			fmt.Fprintln(a.out, "Failed:", x.Job.Error)
		}
		for _, text := range x.Cautions {
			fmt.Fprintln(a.out, "Caution:", text)
		}
		fmt.Fprintln(a.out)
	}
	s := &sheet{head: []string{"case", ">total"}}
	level := 0
	if n := len(x.Levels); n > 0 {
		level = n - 1
		s.head = append(s.head, fmt.Sprintf(">low%v", x.Levels[level]), fmt.Sprintf(">high%v", x.Levels[level]))
	}
	s.head = append(s.head, ">change", ">from", ">to", ">change %")
	beside := slices.ContainsFunc(x.Totals, func(t api.ScenarioTotal) bool { return t.Neighbours != nil })
	if beside {
		s.head = append(s.head, ">of neighbours")
	}
	for _, t := range x.Totals {
		row := []string{t.Case, a.figure(&t.Total), a.figure(&t.Low[level]), a.figure(&t.High[level])}
		if t.Case == "base" {
			s.add(append(row, make([]string, len(s.head)-len(row))...)...)
			continue
		}
		row = append(row, a.figure(&t.Change), a.figure(&t.ChangeLow[level]), a.figure(&t.ChangeHigh[level]))
		share := ""
		if t.ChangeShare != nil {
			share = fmt.Sprintf("%+.1f", 100**t.ChangeShare)
		}
		if row = append(row, share); beside {
			row = append(row, a.figure(t.Neighbours))
		}
		s.add(row...)
	}
	return a.print(x, s)
}

func changesOf(c api.ScenarioCase) string {
	list := slices.Clone(c.Changes)
	if n := len(c.Values); n > 0 {
		list = append(list, fmt.Sprintf("%d values", n))
	}
	return strings.Join(list, "; ")
}

func (a *app) scenarioExport() *cobra.Command {
	var file, format string
	cmd := &cobra.Command{Use: "export ID", Short: "Stream every series, case and step", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			return a.exportTo(file, func(w io.Writer) error { return c.ExportScenario(ctx, args[0], w, formatOf(format, file)) })
		})}
	cmd.Flags().StringVar(&file, "to", "", "file to write; the standard output if left out")
	formatFlag(cmd, &format)
	return cmd
}

// features lists what declared lines stand for.
func (a *app) features() *cobra.Command {
	var lines []string
	horizon := 1
	cmd := &cobra.Command{Use: "features DATASET", Short: "List what declared features stand for: the columns that regressions learn from",
		Args:    exactly(1),
		Example: "  paperkettle series features orders --feature \"lag 1 to 4\" --feature \"price log\" --feature \"until Lantern Fair\"",
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Features(ctx, args[0], lines, horizon)
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"feature", "declared by", "known", "meaning"}}
			for _, f := range list.Features {
				s.add(f.Name, f.Line, f.Known, f.Meaning)
			}
			for _, n := range list.Notes {
				fmt.Fprintln(a.err, "Note:", n)
			}
			return a.print(list, s)
		})}
	cmd.Flags().StringArrayVar(&lines, "feature", nil, "a declaration; those that suit the dataset if left out")
	cmd.Flags().IntVar(&horizon, "horizon", 1, "steps that are to be forecast")
	return cmd
}
