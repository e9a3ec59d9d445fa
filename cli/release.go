package cli

import (
	"context"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"paperkettle/api"
	"paperkettle/client"
)

func (a *app) release() *cobra.Command {
	return group("release", "Publish and read interval forecasts", a.releasePublish(), a.releaseList(), a.releaseShow(), a.releaseTotals(),
		a.releaseExport(), a.releaseLive(), a.releaseWithdraw(),
		a.remover("release", "Remove a release that is not live, with its flags and scenarios", (*client.Client).RemoveRelease))
}

func (a *app) releaseSheet(list []api.Release) *sheet {
	s := &sheet{head: []string{"id", "dataset", "contender", "state", "origin", ">horizon", "levels", ">actuals", ">wape", ">skill",
		">coverage", ">promised", ">open flags", "bake-off"}}
	for _, r := range list {
		points, wape, skill, coverage, promised := "", "", "", "", ""
		if sc := r.Score; sc != nil && sc.Points > 0 {
			inside, level := 1-float64(sc.Outside)/float64(sc.Points), sc.Level/100
			points, wape, skill, coverage, promised = whole(sc.Points), a.share(sc.Metrics["wape"]), a.share(sc.Skill), a.share(&inside), a.share(&level)
		}
		s.add(r.ID, fmt.Sprintf("%s r%d", r.Dataset, r.Revision), r.Contender, r.State, r.Origin, whole(r.Horizon), levelList(r.Levels), points,
			wape, skill, coverage, promised, whole(r.OpenFlags), r.Bakeoff)
	}
	return s
}

func levelList(levels []float64) string {
	out := make([]string, len(levels))
	for i, l := range levels {
		out[i] = strconv.FormatFloat(l, 'f', -1, 64)
	}
	return strings.Join(out, ", ")
}

func (a *app) releasePublish() *cobra.Command {
	in := api.PublishRequest{}
	var consent []string
	wait, preview := true, false
	cmd := &cobra.Command{Use: "publish BAKEOFF", Short: "Refit the chosen contender on all data and publish its interval forecast", Args: exactly(1),
		Long: `Refit the chosen contender on all data and publish its interval forecast. What would
surprise needs a word of consent: longer-horizon where it reaches further ahead than
was assessed, fewer-series where it has fewer series than the live release.`,
		Example: "  paperkettle release publish bake-1 --contender best-per-series\n  paperkettle release publish bake-1 --preview",
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			in.Bakeoff, in.Consent = args[0], nil
			for _, word := range consent {
				in.Consent = append(in.Consent, api.Consent(word))
			}
			if preview {
				return a.previewRelease(ctx, c, in)
			}
			rel, err := c.Publish(ctx, in, newKey())
			if err != nil {
				return err
			}
			if wait {
				if err := a.waitFor(ctx, c, rel.Job.ID); err != nil {
					return err
				}
			}
			return a.showRelease(ctx, c, rel.ID)
		})}
	cmd.Flags().StringVar(&in.Contender, "contender", "best", "a contender's name, best or best-per-series")
	cmd.Flags().IntVar(&in.Horizon, "horizon", 0, "periods to forecast; the bake-off's if left out")
	cmd.Flags().Float64SliceVar(&in.Levels, "level", nil, "interval levels in per cent; 80,95 if left out")
	cmd.Flags().StringSliceVar(&consent, "consent", nil, "what is agreed to: longer-horizon, fewer-series")
	cmd.Flags().BoolVar(&preview, "preview", false, "only say what would be published, and what it would need consent for")
	cmd.Flags().BoolVar(&wait, "wait", true, "wait until it is live")
	return cmd
}

func (a *app) previewRelease(ctx context.Context, c *client.Client, in api.PublishRequest) error {
	p, err := c.Preview(ctx, in)
	if err != nil {
		return err
	}
	s := &sheet{head: []string{"dataset", ">revision", "contender", ">horizon", "origin", "first", "last", ">series", "replaces"}}
	s.add(p.Dataset, whole(p.Revision), p.Contender, whole(p.Horizon), p.Origin, p.First, p.Last, whole(p.Series), p.Replaces)
	if err := a.print(p, s); err != nil || a.output != "table" {
		return err
	}
	for _, q := range p.Asks {
		fmt.Fprintf(a.out, "Needs --consent %s: %s.\n", q.Consent, q.Why)
	}
	for _, t := range p.Cautions {
		fmt.Fprintln(a.out, "Caution:", t)
	}
	return nil
}

func (a *app) showRelease(ctx context.Context, c *client.Client, id string) error {
	rel, err := c.Release(ctx, id)
	if err != nil {
		return err
	}
	if err := a.print(rel, a.releaseSheet([]api.Release{rel})); err != nil || a.output != "table" {
		return err
	}
	fmt.Fprintf(a.out, "\nForecasts %s of %d series from %s to %s, trained up to %s.\n", rel.Measure, rel.Series, rel.First, rel.Last, rel.Origin)
	for _, u := range rel.Used {
		fmt.Fprintf(a.out, "  %s for %d series\n", u.Contender, u.Series)
	}
	if n := rel.ClosedPeriods; n > 0 {
		fmt.Fprintf(a.out, "  nothing happens in %d of their %d periods: closed\n", n, rel.Series*rel.Horizon)
	}
	if rel.Job.Error != "" {
		fmt.Fprintln(a.out, "Failed:", rel.Job.Error)
	}
	if rel.Held != "" {
		fmt.Fprintf(a.out, "Not live: %s. Put it live with 'paperkettle release live %s' if that is meant.\n", rel.Held, rel.ID)
	}
	for _, t := range rel.Cautions {
		fmt.Fprintln(a.out, "Caution:", t)
	}
	return nil
}

func (a *app) releaseList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List releases, newest first", Args: exactly(0),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Releases(ctx)
			if err != nil {
				return err
			}
			return a.print(list, a.releaseSheet(list))
		})}
}

func (a *app) releaseShow() *cobra.Command {
	return &cobra.Command{Use: "show ID", Short: "Show a release with its live score", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			return a.showRelease(ctx, c, args[0])
		})}
}

func (a *app) releaseExport() *cobra.Command {
	var file, format string
	cmd := &cobra.Command{Use: "export ID", Short: "Stream a release", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			return a.exportTo(file, func(w io.Writer) error { return c.ExportRelease(ctx, args[0], w, formatOf(format, file)) })
		})}
	cmd.Flags().StringVar(&file, "to", "", "file to write; the standard output if left out")
	formatFlag(cmd, &format)
	return cmd
}

func (a *app) releaseTotals() *cobra.Command {
	var by string
	var where []string
	steps := false
	cmd := &cobra.Command{Use: "totals ID [--by ATTRIBUTE] [--where ATTRIBUTE=VALUE]",
		Short: "Add a release up over its series, in the whole or by an attribute, with intervals for the sums", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			t, err := c.ReleaseTotals(ctx, args[0], by, where)
			if err != nil {
				return err
			}
			if err := a.print(t, a.totalsSheet(t, steps)); err != nil || a.output != "table" {
				return err
			}
			fmt.Fprintf(a.out, "\n%s to %s. The intervals count how far errors went together in the bake-off: %.2f between series, %.2f between steps.\n",
				t.First, t.Last, t.Ties.Series, t.Ties.Steps)
			return nil
		})}
	cmd.Flags().StringVar(&by, "by", "", "an attribute: a sum for each of its values")
	cmd.Flags().StringArrayVar(&where, "where", nil, "keep series with this attribute value, as town=Saltmarsh; several narrow further")
	cmd.Flags().BoolVar(&steps, "steps", false, "a row a step rather than the sums over all steps")
	return cmd
}

// totalsSheet is a row a group, or a row a group and step.
func (a *app) totalsSheet(t api.ReleaseTotals, steps bool) *sheet {
	group := t.By
	if group == "" {
		group = "sum"
	}
	sh := &sheet{head: []string{group, ">series", ">left out"}}
	if steps {
		sh.head = append(sh.head, "period")
	}
	sh.head = append(sh.head, ">actual", ">forecast")
	for _, l := range t.Levels {
		sh.head = append(sh.head, fmt.Sprintf(">low %v", l), fmt.Sprintf(">high %v", l))
	}
	for _, g := range t.Groups {
		if !steps {
			row := []string{g.Group, whole(g.Series), whole(g.LeftOut), a.figure(g.Actual), a.figure(&g.Total)}
			for i := range t.Levels {
				row = append(row, a.figure(&g.Low[i]), a.figure(&g.High[i]))
			}
			sh.add(row...)
			continue
		}
		for h, f := range g.Curve.Forecast {
			at := g.Curve.Start + h
			row := []string{g.Group, whole(g.Series), whole(g.LeftOut), g.Curve.Periods[at], a.figure(g.Curve.Actual[at]), a.figure(&f)}
			for i := range t.Levels {
				row = append(row, a.figure(&g.Curve.Low[i][h]), a.figure(&g.Curve.High[i][h]))
			}
			sh.add(row...)
		}
	}
	return sh
}

func (a *app) releaseLive() *cobra.Command {
	return &cobra.Command{Use: "live ID", Short: "Put a held or an earlier release live", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			rel, err := c.PutLive(ctx, args[0])
			if err != nil {
				return err
			}
			return a.print(rel, a.releaseSheet([]api.Release{rel}))
		})}
}

func (a *app) releaseWithdraw() *cobra.Command {
	alone := false
	cmd := &cobra.Command{Use: "withdraw ID", Short: "Withdraw a release; it stays readable, and the one that it replaced is live again",
		Args: exactly(1), RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			rel, err := c.Withdraw(ctx, args[0], alone)
			if err != nil {
				return err
			}
			if rel.Back != "" {
				fmt.Fprintf(a.err, "%s is live again.\n", rel.Back)
			} else {
				fmt.Fprintf(a.err, "No release of %s takes its place.\n", rel.Dataset)
			}
			return a.print(rel, a.releaseSheet([]api.Release{rel.Release}))
		})}
	cmd.Flags().BoolVar(&alone, "alone", false, "the one that it replaced stays superseded, so that none is live")
	return cmd
}

func (a *app) flag() *cobra.Command {
	var release, state string
	beyond := 0.0
	list := &cobra.Command{Use: "list", Short: "List flags, the farthest out first", Args: exactly(0),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, _ []string) error {
			flags, err := c.Flags(ctx, release, state, beyond)
			if err != nil {
				return err
			}
			return a.print(flags, a.flagSheet(flags))
		})}
	list.Flags().StringVar(&release, "release", "", "only those of a release")
	list.Flags().StringVar(&state, "state", "open", "open, settled, restated or all")
	list.Flags().Float64Var(&beyond, "beyond", 0, "only those at least as many standard deviations out, above or below")
	in := api.SettleRequest{}
	settle := &cobra.Command{Use: "settle ID... --as expected|data-error|real-change|chance", Short: "Say what flags were", Args: between(1, 10000),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			switch in.As {
			case "expected", "data-error", "real-change", "chance":
			default:
				return misused("--as %s is not known: use expected, data-error, real-change or chance", in.As)
			}
			list, err := c.SettleAll(ctx, api.SettleManyRequest{Flags: args, SettleRequest: in})
			if err != nil {
				return err
			}
			if len(list) == 1 {
				return a.print(list[0], a.flagSheet(list))
			}
			return a.print(list, a.flagSheet(list))
		})}
	settle.Flags().StringVar(&in.As, "as", "", "expected, data-error, real-change or chance")
	settle.Flags().StringVar(&in.Note, "note", "", "why")
	return group("flag", "Work through the actuals that fell outside", list, settle)
}

func (a *app) flagSheet(flags []api.Flag) *sheet {
	s := &sheet{head: []string{"id", "release", "series", "period", ">actual", ">low", ">forecast", ">high", ">severity", "state", "settled as", "note"}}
	for _, f := range flags {
		s.add(f.ID, f.Release, f.Series, f.Period, a.figure(&f.Actual), a.figure(&f.Low), a.figure(&f.Forecast), a.figure(&f.High),
			a.figure(&f.Severity), f.State, f.SettledAs, f.Note)
	}
	return s
}

func (a *app) tokens() *cobra.Command {
	in := api.TokenRequest{}
	role := ""
	create := &cobra.Command{Use: "create NAME --role reader|analyst|publisher|admin", Short: "Create a token; its secret is shown this once",
		Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			in.Name, in.Role = args[0], api.Role(role)
			t, err := c.CreateToken(ctx, in)
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"name", "role", "secret"}}
			s.add(t.Name, string(t.Role), t.Secret)
			fmt.Fprintln(a.err, "Keep the secret: it is not shown again. Give it as PAPERKETTLE_TOKEN.")
			return a.print(t, s)
		})}
	create.Flags().StringVar(&role, "role", "reader", "reader, analyst, publisher or admin")
	list := &cobra.Command{Use: "list", Short: "List tokens", Args: exactly(0),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, _ []string) error {
			tokens, err := c.Tokens(ctx)
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"name", "role", "created"}}
			for _, t := range tokens {
				s.add(t.Name, string(t.Role), t.Created.Format("2006-01-02 15:04"))
			}
			return a.print(tokens, s)
		})}
	revoke := &cobra.Command{Use: "revoke NAME", Short: "Revoke a token", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			return c.RevokeToken(ctx, args[0])
		})}
	return group("token", "Let people and programs in", create, list, revoke)
}
