package cli

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"

	"paperkettle/api"
	"paperkettle/client"
)

func (a *app) bakeoff() *cobra.Command {
	return group("bakeoff", "Run and read bake-offs", a.bakeoffPlan(), a.bakeoffRun(), a.metrics(), a.bakeoffList(), a.bakeoffShow(),
		a.bakeoffStandings(), a.bakeoffExport(), a.bakeoffReport(),
		a.bakeoffDuel(), a.bakeoffTuning(), a.bakeoffAdd(), a.bakeoffPause(), a.bakeoffCancel(), a.bakeoffResume(),
		a.remover("bake-off", "Remove a bake-off with all that it forecast", (*client.Client).RemoveBakeoff))
}

// planFlags are the flags that make a plan without a file.
type planFlags struct {
	plan       api.Plan
	contenders []string
	where      []string
	holdout    bool
	wait       bool
	draw       bool
	priority   int
	file       *planFile // where the plan came from, to say where it is wrong
}

func (a *app) bakeoffRun() *cobra.Command {
	var p planFlags
	cmd := &cobra.Command{
		Use:   "run [PLAN.yaml]",
		Short: "Start a bake-off from a plan file or from flags",
		Example: `  paperkettle bakeoff run --dataset daily --horizon 28 --windows 3 \
      --contender naive --contender seasonal-naive --contender calendar-mean:length=56 --wait
  paperkettle bakeoff run plan.yaml --wait`,
		Args: between(0, 1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			plan, err := p.read(args)
			if err != nil {
				return err
			}
			if p.draw {
				split, err := c.Split(ctx, plan)
				if err != nil {
					return p.file.place(err)
				}
				return a.drawSplit(split)
			}
			b, err := c.StartBakeoff(ctx, plan, newKey())
			if err != nil {
				return p.file.place(err)
			}
			if p.priority != 0 {
				if _, err := c.SetPriority(ctx, b.Job.ID, p.priority); err != nil {
					return err
				}
			}
			if !p.wait {
				fmt.Fprintf(a.err, "Started %s. Follow it with: paperkettle bakeoff show %s\n", b.ID, b.ID)
				return a.print(b, bakeoffSheet(a, []api.Bakeoff{b}))
			}
			fmt.Fprintf(a.err, "Started %s.\n", b.ID)
			if err := a.waitFor(ctx, c, b.Job.ID); err != nil {
				return err
			}
			return a.showStandings(ctx, c, b.ID, "", "")
		}),
	}
	p.flags(cmd)
	return cmd
}

func (p *planFlags) flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&p.plan.Name, "name", "", "name of the bake-off")
	f.StringVar(&p.plan.Dataset, "dataset", "", "the dataset")
	f.IntVar(&p.plan.Revision, "revision", 0, "its revision; the latest if left out")
	f.StringArrayVar(&p.where, "where", nil, "keep series with this attribute value, as town=Saltmarsh; several narrow further")
	f.IntVar(&p.plan.Horizon, "horizon", 0, "periods to forecast")
	f.BoolVar(&p.holdout, "holdout", false, "assess the last horizon once (the default)")
	f.IntVar(&p.plan.Windows, "windows", 0, "number of rolling windows")
	f.IntVar(&p.plan.Stride, "stride", 0, "periods between origins; the horizon if left out")
	f.StringVar(&p.plan.Ends, "ends", "", "what windows count back from: the end of the data (data) or the last known period of each series (own)")
	f.StringVar(&p.plan.History, "history", "", "expanding, or sliding:N for the last N periods")
	f.IntVar(&p.plan.Gap, "gap", 0, "periods between the origin and the first assessed one")
	f.StringVar(&p.plan.Refit, "refit", "", "train at every window (every), every Nth (every:N) or once, and advance in between")
	f.StringVar(&p.plan.Weights, "weights", "", "of series in weighted scores: volume:28, volume*price:28 or column:NAME")
	f.StringVar(&p.plan.Fallback, "fallback", "", "the family that stands in where a contender fails, or leave-out; naive if left out")
	f.StringToStringVar(&p.plan.Gaps, "driver-gap", nil,
		"what stands for values of a driver that are unknown or slips, as promotion=0: hold, usual, a number or refuse (left out: as its own values have it)")
	f.StringToStringVar(&p.plan.Ahead, "driver-ahead", nil,
		"what becomes of a driver that is not known ahead, as temperature=lag: drop (the default), lag or forecast")
	f.StringVar(&p.plan.Past, "past", "",
		"what families learn from: mended (the default) leaves out mistakes and pauses and takes over changes of unit or level, as-loaded believes every value")
	f.StringVar(&p.plan.Neighbours, "neighbours", "",
		"whose drivers contenders see beside a series' own: of those with the same shop (shop), shop and size (shop,size), all or none; found from the data if left out")
	f.StringVar(&p.plan.CarryOver, "carry-over", "",
		"which drivers contenders see as they were some periods before, too: price:1,price:2, or none; found from the data if left out")
	f.IntVar(&p.priority, "priority", 0, "place in the queue: higher goes first")
	f.StringArrayVar(&p.contenders, "contender", nil,
		"FAMILY[:SETTING=VALUE,...]; once for each contender. Several values apart by | are tried on inner windows")
	f.StringVar(&p.plan.Baseline, "baseline", "", "the contender that skill is measured against; a naive if left out")
	f.StringVar(&p.plan.Metric, "metric", "", "the metric that ranks; mase if left out")
	f.Float64SliceVar(&p.plan.Levels, "level", nil, "interval levels in per cent; 80,95 if left out")
	f.IntVar(&p.plan.ScaleLag, "scale-lag", 0, "lag of MASE; the shortest season if left out")
	f.Uint64Var(&p.plan.Seed, "seed", 0, "seed of whatever is random")
	f.BoolVar(&p.wait, "wait", false, "wait for the standings")
	f.BoolVar(&p.draw, "draw", false, "draw the windows and stop")
}

func (p *planFlags) read(args []string) (api.Plan, error) {
	if len(args) == 1 {
		if p.plan.Dataset != "" || len(p.contenders) > 0 || p.plan.Horizon != 0 {
			return api.Plan{}, misused("give a plan file or the flags of a plan, not both")
		}
		var err error
		p.file, err = readPlan(args[0])
		if err != nil {
			return api.Plan{}, err
		}
		return p.file.plan, nil
	}
	plan := p.plan
	if plan.Dataset == "" || plan.Horizon == 0 || len(p.contenders) == 0 {
		return plan, misused("a bake-off needs --dataset, --horizon and at least one --contender, or a plan file")
	}
	if p.holdout && plan.Windows > 1 {
		return plan, misused("--holdout is a single window: leave out --windows")
	}
	for _, text := range p.contenders {
		c, err := parseContender(text)
		if err != nil {
			return plan, err
		}
		plan.Contenders = append(plan.Contenders, c)
	}
	for _, pair := range p.where {
		name, value, ok := strings.Cut(pair, "=")
		if !ok {
			return plan, misused("--where %s is not attribute=value", pair)
		}
		if plan.Where == nil {
			plan.Where = map[string]string{}
		}
		plan.Where[name] = value
	}
	return plan, nil
}

// parseContender reads FAMILY[:SETTING=VALUE,...], which is also the name. Several values
// apart by bars are tried on inner windows.
func parseContender(text string) (api.Contender, error) {
	family, rest, found := strings.Cut(text, ":")
	c := api.Contender{Name: text, Family: family}
	if !found {
		return c, nil
	}
	c.Settings = map[string]any{}
	for _, pair := range settingPairs(rest) {
		name, value, ok := strings.Cut(pair, "=")
		if !ok || name == "" {
			return c, misused("--contender %s: %q is not SETTING=VALUE", text, pair)
		}
		if tried := strings.Split(value, "|"); len(tried) > 1 {
			if c.Tune == nil {
				c.Tune = &api.Tune{Settings: map[string][]any{}}
			}
			for _, v := range tried {
				c.Tune.Settings[name] = append(c.Tune.Settings[name], strings.TrimSpace(v))
			}
			continue
		}
		c.Settings[name] = value
	}
	return c, nil
}

// settingPairs parts settings at their commas; what has no = of its own goes on with the
// list before it, as in order=0,1,1.
func settingPairs(text string) (out []string) {
	for _, part := range strings.Split(text, ",") {
		if len(out) > 0 && !strings.Contains(part, "=") {
			out[len(out)-1] += "," + part
			continue
		}
		out = append(out, part)
	}
	return out
}

// newKey makes a repeated request safe.
func newKey() string {
	var b [16]byte
	_, _ = rand.Read(b[:]) // never fails
	return hex.EncodeToString(b[:])
}

// barLength is how finely a bar shows what is done.
const barLength = 1000

// waitFor follows a job, with a bar on a terminal.
func (a *app) waitFor(ctx context.Context, c *client.Client, id string) error {
	var bar *progressbar.ProgressBar
	job, err := c.Wait(ctx, id, func(j api.Job) {
		if !isTerminal(a.err) || j.Total == 0 {
			return
		}
		if bar == nil {
			bar = progressbar.NewOptions(barLength, progressbar.OptionSetWriter(a.err), progressbar.OptionClearOnFinish())
		}
		bar.Describe(strings.TrimSuffix(fmt.Sprintf("%s, %d of %d tasks; %s", j.About, j.Done, j.Total, j.Note), "; "))
		_ = bar.Set(int(barLength * j.Share))
	})
	if bar != nil {
		_ = bar.Clear()
	}
	if errors.Is(ctx.Err(), context.Canceled) {
		return interrupted{fmt.Errorf("no longer waiting for %s, which goes on: cancel it with 'paperkettle job cancel %s'", id, id)}
	}
	if err != nil {
		return err
	}
	switch job.State {
	case "failed":
		return fmt.Errorf("%s failed: %s", job.About, job.Error)
	case "cancelled":
		return fmt.Errorf("%s was cancelled after %d of %d tasks", job.About, job.Done, job.Total)
	}
	return nil
}

const splitWidth = 64

// windowName names a window; 0 stands for all.
func windowName(window int) string {
	if window == 0 {
		return "every window"
	}
	return fmt.Sprintf("window %d", window)
}

// drawSplit shows each window as a bar over the dataset's axis.
func (a *app) drawSplit(s api.Split) error {
	sh := &sheet{head: []string{">window", "trained from", "origin", "assessed from", "to", ">series", "· unused  ━ trained  ░ assessed"}}
	for _, w := range s.Windows {
		at := func(i int) int { return i * splitWidth / s.Periods }
		bar := strings.Repeat("·", at(w.TrainIndex)) + strings.Repeat("━", max(1, at(w.OriginIndex+1)-at(w.TrainIndex)))
		bar += strings.Repeat("░", max(1, at(w.LastIndex+1)-at(w.OriginIndex+1)))
		bar += strings.Repeat("·", max(0, splitWidth-len([]rune(bar))))
		sh.add(whole(w.Window), w.TrainFirst, w.Origin, w.AssessFirst, w.AssessLast, whole(w.Series), bar)
	}
	if err := a.print(s, sh); err != nil || a.output != "table" {
		return err
	}
	fmt.Fprintf(a.out, "\n%d series, %d models to train.\n", s.Series, s.Fits)
	for _, text := range s.Cautions {
		fmt.Fprintf(a.out, "Caution: %s\n", text)
	}
	for i, x := range s.SetAside {
		if i == 5 {
			fmt.Fprintf(a.out, "... and %d more set aside.\n", s.Aside-i)
			break
		}
		fmt.Fprintf(a.out, "Set aside in %s: %s %s.\n", windowName(x.Window), x.Series, x.Reason)
	}
	return nil
}

func bakeoffSheet(a *app, list []api.Bakeoff) *sheet {
	s := &sheet{head: []string{"id", "name", "dataset", ">horizon", ">windows", ">contenders", "state", ">done", ">tasks", "leader", ">skill"}}
	for _, b := range list {
		s.add(b.ID, b.Name, fmt.Sprintf("%s r%d", b.Plan.Dataset, b.Plan.Revision), whole(b.Plan.Horizon), whole(b.Plan.Windows),
			whole(len(b.Plan.Contenders)),
			b.Job.State, whole(b.Job.Done), whole(b.Job.Total), b.Leader, a.share(b.Skill))
	}
	return s
}

func (a *app) bakeoffList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List bake-offs, newest first", Args: exactly(0),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Bakeoffs(ctx)
			if err != nil {
				return err
			}
			return a.print(list, bakeoffSheet(a, list))
		})}
}

func (a *app) bakeoffShow() *cobra.Command {
	return &cobra.Command{Use: "show ID", Args: exactly(1),
		Short: "Show a bake-off's progress and windows; with --output yaml, its plan, which reruns it exactly",
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			b, err := c.Bakeoff(ctx, args[0])
			if err != nil {
				return err
			}
			switch a.output {
			case "yaml":
				e := yaml.NewEncoder(a.out)
				e.SetIndent(2)
				return e.Encode(b.Plan)
			case "table":
				if err := a.print(b, bakeoffSheet(a, []api.Bakeoff{b})); err != nil {
					return err
				}
				if b.Job.Error != "" {
					fmt.Fprintln(a.out, "Failed:", b.Job.Error)
				}
				fmt.Fprintln(a.out)
				return a.drawSplit(*b.Split)
			}
			return a.print(b, bakeoffSheet(a, []api.Bakeoff{b}))
		})}
}

func (a *app) bakeoffAdd() *cobra.Command {
	var texts []string
	var wait, resume bool
	cmd := &cobra.Command{Use: "add ID --contender FAMILY[:SETTING=VALUE,...]",
		Short: "Enter further contenders into a finished bake-off: only they run", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			var list []api.Contender
			for _, text := range texts {
				x, err := parseContender(text)
				if err != nil {
					return err
				}
				list = append(list, x)
			}
			if len(list) == 0 {
				return misused("name at least one --contender")
			}
			b, err := c.AddContenders(ctx, args[0], api.Added{Contenders: list, Resume: resume})
			if err != nil {
				return err
			}
			if !wait {
				return a.print(b, bakeoffSheet(a, []api.Bakeoff{b}))
			}
			if err := a.waitFor(ctx, c, b.Job.ID); err != nil {
				return err
			}
			return a.showStandings(ctx, c, b.ID, "", "")
		})}
	cmd.Flags().StringArrayVar(&texts, "contender", nil, "FAMILY[:SETTING=VALUE,...]; once for each contender")
	cmd.Flags().BoolVar(&wait, "wait", false, "wait for the standings")
	cmd.Flags().BoolVar(&resume, "resume", false, "run what was cancelled or failed too")
	return cmd
}

func (a *app) bakeoffPause() *cobra.Command {
	return &cobra.Command{Use: "pause ID", Short: "Pause a bake-off; what is done stays, and resume goes on", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			b, err := c.PauseBakeoff(ctx, args[0])
			if err != nil {
				return err
			}
			return a.print(b, bakeoffSheet(a, []api.Bakeoff{b}))
		})}
}

func (a *app) bakeoffCancel() *cobra.Command {
	return &cobra.Command{Use: "cancel ID", Short: "Cancel a bake-off; what is done stays", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			b, err := c.CancelBakeoff(ctx, args[0])
			if err != nil {
				return err
			}
			if b.Job, err = c.Wait(ctx, b.Job.ID, nil); err != nil {
				return err
			}
			return a.print(b, bakeoffSheet(a, []api.Bakeoff{b}))
		})}
}

func (a *app) bakeoffResume() *cobra.Command {
	return &cobra.Command{Use: "resume ID", Short: "Run what a cancelled or failed bake-off lacks", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			b, err := c.ResumeBakeoff(ctx, args[0])
			if err != nil {
				return err
			}
			if err := a.waitFor(ctx, c, b.Job.ID); err != nil {
				return err
			}
			return a.showStandings(ctx, c, b.ID, "", "")
		})}
}

func (a *app) job() *cobra.Command {
	jobSheet := func(list []api.Job) *sheet {
		s := &sheet{head: []string{"id", "kind", "about", "state", ">done", ">tasks", ">a second", ">seconds left", "error"}}
		for _, j := range list {
			s.add(j.ID, j.Kind, j.About, j.State, whole(j.Done), whole(j.Total), short(j.Rate), short(j.Left), j.Error)
		}
		return s
	}
	list := &cobra.Command{Use: "list", Short: "List jobs, newest first", Args: exactly(0),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, _ []string) error {
			jobs, err := c.Jobs(ctx)
			if err != nil {
				return err
			}
			return a.print(jobs, jobSheet(jobs))
		})}
	cancel := &cobra.Command{Use: "cancel ID", Short: "Cancel a job", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if _, err := c.CancelJob(ctx, args[0]); err != nil {
				return err
			}
			j, err := c.Wait(ctx, args[0], nil)
			if err != nil {
				return err
			}
			return a.print(j, jobSheet([]api.Job{j}))
		})}
	return group("job", "List and cancel long work", list, cancel)
}
