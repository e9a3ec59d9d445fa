package cli

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"paperkettle/api"
	"paperkettle/client"
)

func (a *app) datasetClosed() *cobra.Command {
	var none bool
	cmd := &cobra.Command{
		Use:   "closed NAME [LINE ...]",
		Short: "Show, or say, which periods are known not to happen",
		Long: `Show which periods of a dataset are known not to happen, or say so: its lines are then
those that are given. A line is one of

  sunday               a day of the week
  november to march    months of the year, or one alone
  event stocktaking    periods that lie wholly within an event's occasions
  driver open=0        where a driver has a value; without one, where it is not 0
  gaps                 periods without a row, and ahead the places in the week, or the
                       year, in which a series never sold anything

A line holds for those series alone that hardly ever sold anything in its periods. Nothing
is learnt from a closed period, forecast, scored or flagged there; sums take it for zero.
'paperkettle dataset check' proposes lines.`,
		Example: "  paperkettle dataset closed daily sunday \"event stocktaking\"",
		Args:    cobra.MinimumNArgs(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			var report api.ClosedReport
			var err error
			switch {
			case none && len(args) > 1:
				return misused("--none lifts all lines: give either it or lines")
			case none || len(args) > 1:
				report, err = c.SetClosed(ctx, args[0], append([]string{}, args[1:]...))
			default:
				report, err = c.Closed(ctx, args[0])
			}
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"line", ">holds for", ">of series"}}
			for _, l := range report.Lines {
				s.add(l.Line, whole(l.Series), whole(l.Of))
			}
			if len(report.Lines) == 0 && a.output == "table" {
				fmt.Fprintf(a.out, "No period of %s is closed.\n", args[0])
				return nil
			}
			return a.print(report, s)
		}),
	}
	cmd.Flags().BoolVar(&none, "none", false, "lift all lines")
	return cmd
}
