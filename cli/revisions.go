package cli

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"paperkettle/client"
)

func (a *app) datasetDiff() *cobra.Command {
	var from, to int
	cmd := &cobra.Command{Use: "diff N [--from 1] [--to 2]", Short: "Say which values a revision restated, old and new", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			d, err := c.Diff(ctx, args[0], from, to)
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"series", "period", ">old", ">new"}}
			for _, r := range d.Restated {
				s.add(r.Series, r.Period, a.figure(&r.Old), a.figure(&r.New))
			}
			if a.output == "table" {
				fmt.Fprintf(a.out, "Revision %d has %d new series, %d new periods and %d new values beside revision %d; %d values are restated, %d "+
					"values and %d series are gone.\n",
					d.To, d.NewSeries, d.NewPeriods, d.NewValues, d.From, d.RestatedCount, d.Gone, d.Lost)
				if len(s.rows) == 0 {
					return nil
				}
				fmt.Fprintln(a.out)
			}
			return a.print(d, s)
		})}
	cmd.Flags().IntVar(&from, "from", 0, "a revision; the one before the other if left out")
	cmd.Flags().IntVar(&to, "to", 0, "a revision; the latest if left out")
	return cmd
}

func (a *app) datasetUndo() *cobra.Command {
	yes := false
	cmd := &cobra.Command{Use: "undo N", Short: "Take back a dataset's newest revision, on which nothing stands", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			d, err := c.Dataset(ctx, args[0])
			if err != nil {
				return err
			}
			r := d.Revisions[0]
			what := fmt.Sprintf("Take back revision %d of %s (%s: %d new values, %d restated)", r.Number, d.Name, r.Source, r.Changes.NewValues,
				r.Changes.RestatedCount)
			if err := a.agree(yes, what); err != nil {
				return err
			}
			now, err := c.Undo(ctx, args[0], r.Number)
			if err != nil {
				return err
			}
			fmt.Fprintf(a.err, "Took back revision %d of %s: it ends at %s again.\n", r.Number, now.Name, now.Last)
			return nil
		})}
	cmd.Flags().BoolVar(&yes, "yes", false, "don't ask")
	return cmd
}

func (a *app) datasetRemove() *cobra.Command {
	yes := false
	cmd := &cobra.Command{Use: "remove N", Short: "Remove a dataset with its bake-offs and releases", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			d, err := c.Dataset(ctx, args[0])
			if err != nil {
				return err
			}
			what := fmt.Sprintf("Remove dataset %s with its %s, %s and %s", d.Name, many(len(d.Revisions), "revision"), many(d.Bakeoffs, "bake-off"),
				many(d.Releases, "release"))
			if err := a.agree(yes, what); err != nil {
				return err
			}
			if err := c.RemoveDataset(ctx, args[0]); err != nil {
				return err
			}
			fmt.Fprintf(a.err, "Removed dataset %s.\n", args[0])
			return nil
		})}
	cmd.Flags().BoolVar(&yes, "yes", false, "don't ask")
	return cmd
}

// remover is a command that removes something by its ID.
func (a *app) remover(what, short string, remove func(c *client.Client, ctx context.Context, id string) error) *cobra.Command {
	yes := false
	cmd := &cobra.Command{Use: "remove ID", Short: short, Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if err := a.agree(yes, "Remove "+args[0]); err != nil {
				return err
			}
			if err := remove(c, ctx, args[0]); err != nil {
				return err
			}
			fmt.Fprintf(a.err, "Removed %s %s.\n", what, args[0])
			return nil
		})}
	cmd.Flags().BoolVar(&yes, "yes", false, "don't ask")
	return cmd
}

// many counts things in words.
func many(n int, thing string) string {
	if n != 1 {
		thing += "s"
	}
	return fmt.Sprintf("%d %s", n, thing)
}

// agree asks on a terminal before something is lost; elsewhere it has to be said beforehand.
func (a *app) agree(yes bool, what string) error {
	if yes {
		return nil
	}
	if !isTerminal(os.Stdin) || !isTerminal(a.err) {
		return misused("%s? Say so with --yes", what)
	}
	fmt.Fprintf(a.err, "%s? [y/N] ", what)
	answer, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if answer = strings.ToLower(strings.TrimSpace(answer)); err != nil || answer != "y" && answer != "yes" {
		return fmt.Errorf("nothing was done")
	}
	return nil
}
