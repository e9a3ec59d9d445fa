// Package cli is the command line: serve and demo run the service, everything else
// is a client of it.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"paperkettle/api"
	"paperkettle/client"
	"paperkettle/service"
)

// Exit codes.
const (
	exitDone   = 0
	exitFailed = 1
	exitMisuse = 2
	exitBreak  = 130 // as shells tell of Ctrl-C
)

// misuse is an error in how a command was written.
type misuse struct{ error }

func misused(format string, args ...any) error { return misuse{fmt.Errorf(format, args...)} }

// interrupted is a wait that was broken off.
type interrupted struct{ error }

// app is what all commands share.
type app struct {
	server string
	token  string
	output string
	wide   bool
	out    io.Writer
	err    io.Writer
}

// Run runs the command line and gives its exit code.
func Run(args []string, out, errOut io.Writer) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	a := &app{out: out, err: errOut}
	root := a.root()
	root.SetArgs(args)
	root.SetOut(out)
	root.SetErr(errOut)
	err := root.ExecuteContext(ctx)
	if err == nil {
		return exitDone
	}
	a.explain(err)
	var broken interrupted
	if errors.As(err, &broken) {
		return exitBreak
	}
	var m misuse
	if errors.As(err, &m) || isCobraMisuse(err) {
		return exitMisuse
	}
	return exitFailed
}

// isCobraMisuse knows the errors that Cobra makes itself, which have no type.
func isCobraMisuse(err error) bool {
	for _, start := range []string{"unknown command", "unknown flag", "unknown shorthand", "required flag", "accepts ", "requires at least"} {
		if strings.HasPrefix(err.Error(), start) {
			return true
		}
	}
	return false
}

// explain prints one sentence, and the further faults of a refused file.
func (a *app) explain(err error) {
	fmt.Fprintln(a.err, "paperkettle:", err)
	var p *api.Problem
	if errors.As(err, &p) && len(p.Errors) > 1 {
		for _, e := range p.Errors {
			fmt.Fprintf(a.err, "  %s: %s\n", e.Location, e.Message)
		}
	}
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "paperkettle",
		Args:  aCommand,
		RunE:  func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
		Short: "Bake-offs of forecasts: load series, compare contenders, publish intervals, watch actuals",
		Long: `Paper Kettle compares forecasts of many series honestly against a naive baseline,
publishes the winner with intervals, and flags the actuals that fall outside them.

The path of the work:
  dataset load ...     load a table of sales
  series list ...      look at it
  bakeoff run ...      let contenders forecast the held-back past
  bakeoff standings    see who leads, and by how much
  release publish      refit the leader on everything and publish intervals
  actuals load         let the actuals arrive
  flag list            see what fell outside

In a hurry: 'paperkettle forecast FILE' forecasts a table at once, and keeps nothing.

Start with 'paperkettle demo', which brings data of its own. 'paperkettle completion bash'
(or zsh, fish, powershell) lets the shell complete commands, names and settings.
The environment: PAPERKETTLE_SERVER is the address of the service, PAPERKETTLE_TOKEN the
secret that lets you in.`,
		SilenceUsage:  true,
		SilenceErrors: true,
		Version:       service.Version,
		PersistentPreRunE: func(*cobra.Command, []string) error {
			switch a.output {
			case "table", "json", "csv", "yaml":
				return nil
			}
			return misused("--output %s is not known: use table, json or csv", a.output)
		},
	}
	root.SetFlagErrorFunc(flagMistake)
	root.CompletionOptions.HiddenDefaultCmd = true
	f := root.PersistentFlags()
	f.StringVar(&a.server, "server", env("PAPERKETTLE_SERVER", "http://"+service.DefaultListen), "address of the service (PAPERKETTLE_SERVER)")
	f.StringVarP(&a.output, "output", "o", "table", "table, json or csv")
	f.BoolVar(&a.wide, "wide", false, "don't fit tables to the terminal")
	a.token = os.Getenv("PAPERKETTLE_TOKEN")
	root.AddCommand(a.serve(), a.demo(), a.check(), a.backup(), a.restore(), a.dataset(), a.event(), a.connection(), a.codes(), a.series(),
		a.forecast(), a.model(), a.bakeoff(), a.release(), a.scenario(), a.actuals(), a.flag(), a.job(), a.tokens(), a.man())
	a.complete(root)
	return root
}

// flagMistake names the flag that may be meant where one is not known.
func flagMistake(cmd *cobra.Command, err error) error {
	name, unknown := strings.CutPrefix(err.Error(), "unknown flag: --")
	if !unknown {
		return misuse{err}
	}
	words := &cobra.Command{SuggestionsMinimumDistance: 2}
	cmd.Flags().VisitAll(func(f *pflag.Flag) {
		words.AddCommand(&cobra.Command{Use: f.Name, Run: func(*cobra.Command, []string) {}})
	})
	near := words.SuggestionsFor(name)
	if len(near) == 0 {
		return misused("%w: see '%s --help'", err, cmd.CommandPath())
	}
	return misused("%w: did you mean --%s?", err, near[0])
}

func env(name, fallback string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return fallback
}

func (a *app) client() (*client.Client, error) {
	c, err := client.New(a.server, client.WithToken(a.token))
	if err != nil {
		return nil, misuse{err}
	}
	return c, nil
}

// aCommand refuses what is no command, and says which one may be meant: one spelled alike, or one of the
// same name a level deeper.
func aCommand(root *cobra.Command, args []string) error {
	if len(args) == 0 {
		return nil
	}
	root.SuggestionsMinimumDistance = 2
	near := root.SuggestionsFor(args[0])
	for _, c := range root.Commands() {
		for _, deeper := range c.Commands() {
			if deeper.Name() == args[0] {
				near = append(near, c.Name()+" "+deeper.Name())
			}
		}
	}
	if len(near) == 0 {
		return misused("unknown command %q: see 'paperkettle --help'", args[0])
	}
	if len(near) > 1 {
		near = []string{strings.Join(near[:len(near)-1], ", "), near[len(near)-1]}
	}
	return misused("unknown command %q: did you mean %s?", args[0], strings.Join(near, " or "))
}

// group is a command that only holds others; called alone it shows its help.
func group(use, short string, children ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, Args: exactly(0), RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() }}
	c.AddCommand(children...)
	return c
}

// exactly wants n arguments.
func exactly(n int) cobra.PositionalArgs { return between(n, n) }

func between(low, high int) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		switch {
		case len(args) < low:
			return misused("'%s' needs an argument: %s", cmd.CommandPath(), cmd.UseLine())
		case len(args) > high && cmd.HasSubCommands():
			cmd.SuggestionsMinimumDistance = 2
			if near := cmd.SuggestionsFor(args[0]); len(near) > 0 {
				return misused("'%s' has no command %q: did you mean %q?", cmd.CommandPath(), args[0], near[0])
			}
			return misused("'%s' has no command %q: see '%s --help'", cmd.CommandPath(), args[0], cmd.CommandPath())
		case len(args) > high:
			return misused("'%s' does not take %q: %s", cmd.CommandPath(), args[high], cmd.UseLine())
		}
		return nil
	}
}

// withClient is a command that calls the service.
func (a *app) withClient(run func(ctx context.Context, c *client.Client, args []string) error) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, args []string) error {
		c, err := a.client()
		if err != nil {
			return err
		}
		return run(cmd.Context(), c, args)
	}
}
