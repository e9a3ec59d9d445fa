package cli

import (
	"context"
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"paperkettle/api"
	"paperkettle/client"
)

// mostForecastRows is how many rows of a forecast a table shows.
const mostForecastRows = 60

// forecast forecasts a table without ceremony.
func (a *app) forecast() *cobra.Command {
	var cols api.LoadColumns
	var ask api.ForecastAsk
	cmd := &cobra.Command{
		Use:   "forecast FILE [--horizon H] [--level 80,95] [--flag]",
		Short: "Forecast a table's series at once, keeping nothing",
		Long: `Forecast a table's series at once. The columns of the time, the measure and the names of the
series are found where they are not said; nothing is stored. Which family forecasts best is for a
bake-off to say: this takes pretrained, which needs no training, unless another is named.`,
		Example: "  paperkettle forecast orders.csv --horizon 12\n  paperkettle forecast orders.csv --by town --family smoothing --flag --output csv",
		Args:    exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			file, shown, err := a.openFile(args[0])
			if err != nil {
				return err
			}
			defer file.Close()
			cols.File = shown
			got, err := c.Forecast(ctx, cols, ask, file)
			if err != nil {
				return err
			}
			a.caution(got.Cautions)
			return a.printGlance(got, ask.Flag)
		}),
	}
	columnFlags(cmd, &cols)
	f := cmd.Flags()
	for _, name := range []string{"driver", "known-ahead", "closed"} { // which need a dataset
		if err := f.MarkHidden(name); err != nil {
			panic(err)
		}
	}
	f.IntVar(&ask.Horizon, "horizon", 12, "periods to forecast")
	f.Float64SliceVar(&ask.Levels, "level", nil, "of the intervals, in per cent (80,95)")
	f.StringVar(&ask.Family, "family", "", "of the catalogue, with its settings as they come (pretrained)")
	f.BoolVar(&ask.Flag, "flag", false, "also say which of the last values lie outside the interval of one step ahead of them")
	return cmd
}

func (a *app) printGlance(got api.Forecast, flags bool) error {
	s := glanceSheet(got, a)
	if a.output != "table" {
		return a.print(got, s)
	}
	what := got.Measure
	if got.Time != "" { // a wide table has no column of times
		what += " of " + got.Time
	}
	fmt.Fprintf(a.out, "%s by %s, %s to %s: %d series, forecast by %s.\n\n", what, got.Cadence, got.First, got.Origin, len(got.Series), got.Family)
	more := len(s.rows) - mostForecastRows
	s.rows = s.rows[:min(len(s.rows), mostForecastRows)]
	if err := a.print(got, s); err != nil {
		return err
	}
	if more > 0 {
		fmt.Fprintf(a.out, "\nand %d more rows: --output csv gives them all\n", more)
	}
	for _, one := range got.Series {
		if one.LeftOut != "" {
			fmt.Fprintf(a.err, "Left out: %s: %s\n", one.Series, one.LeftOut)
		}
	}
	if !flags {
		return nil
	}
	fmt.Fprintf(a.out, "\n%d of the last %d values lie outside the %g %% interval of one step ahead of them.\n\n", len(got.Flags), got.Tried,
		got.Levels[len(got.Levels)-1])
	t := &sheet{head: []string{"series", "period", ">actual", ">forecast", ">low", ">high", ">severity"}}
	for _, x := range got.Flags {
		t.add(x.Series, x.Period, a.figure(&x.Actual), a.figure(&x.Forecast), a.figure(&x.Low), a.figure(&x.High),
			strconv.FormatFloat(x.Severity, 'f', 1, 64))
	}
	return a.print(got.Flags, t)
}

func glanceSheet(got api.Forecast, a *app) *sheet {
	s := &sheet{head: []string{"series", "origin", ">step", "period", ">forecast"}}
	for _, l := range got.Levels {
		s.head = append(s.head, fmt.Sprintf(">low%g", l), fmt.Sprintf(">high%g", l))
	}
	for _, one := range got.Series {
		for h := range one.Forecast {
			row := []string{one.Series, got.Origin, strconv.Itoa(h + 1), got.Periods[h], a.figure(&one.Forecast[h])}
			for k := range got.Levels {
				row = append(row, a.figure(&one.Low[k][h]), a.figure(&one.High[k][h]))
			}
			s.add(row...)
		}
	}
	return s
}
