package cli

import (
	"context"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"paperkettle/api"
	"paperkettle/client"
)

// completionPatience is how long a completion waits for the service.
const completionPatience = 2 * time.Second

// names lists what a service has of a kind.
type names func(ctx context.Context, c *client.Client) ([]string, error)

// namesOf lists what one call gives, by a name of each.
func namesOf[T any](list func(*client.Client, context.Context) ([]T, error), name func(T) string) names {
	return func(ctx context.Context, c *client.Client) ([]string, error) {
		all, err := list(c, ctx)
		var out []string
		for _, x := range all {
			out = append(out, name(x))
		}
		return out, err
	}
}

// known are the kinds of names that the shell can complete.
var known = map[string]names{
	"dataset": namesOf((*client.Client).Datasets, func(d api.Dataset) string { return d.Name }),
	"bakeoff": namesOf((*client.Client).Bakeoffs, func(b api.Bakeoff) string { return b.ID }),
	"release": namesOf((*client.Client).Releases, func(r api.Release) string { return r.ID }),
	"job":     namesOf((*client.Client).Jobs, func(j api.Job) string { return j.ID }),
	"family":  namesOf((*client.Client).Families, func(f api.Family) string { return f.Name }),
	"metric":  namesOf((*client.Client).Metrics, func(m api.Metric) string { return m.Name }),
	"scenario": namesOf(func(c *client.Client, ctx context.Context) ([]api.Scenario, error) { return c.Scenarios(ctx, "") },
		func(s api.Scenario) string { return s.ID }),
	"flag": namesOf(func(c *client.Client, ctx context.Context) ([]api.Flag, error) { return c.Flags(ctx, "", "", 0) },
		func(f api.Flag) string { return f.ID }),
}

// firstNames say what the first argument of a group's commands names.
var firstNames = map[string]string{"dataset": "dataset", "series": "dataset", "bakeoff": "bakeoff", "release": "release",
	"scenario": "scenario", "flag": "flag", "job": "job", "model": "family"}

// flagNames say what flags name, whatever their command.
var flagNames = map[string]string{"dataset": "dataset", "release": "release", "contender": "family", "family": "family",
	"baseline": "family", "fallback": "family", "metric": "metric", "in": "bakeoff"}

// complete lets the shell complete names that the service knows.
func (a *app) complete(cmd *cobra.Command) {
	for _, child := range cmd.Commands() {
		if kind := firstNames[cmd.Name()]; kind != "" && takesName(child) {
			child.ValidArgsFunction = a.completer(kind, true)
		}
		for flag, kind := range flagNames {
			if child.Flags().Lookup(flag) != nil {
				_ = child.RegisterFlagCompletionFunc(flag, a.completer(kind, false)) // it has none yet
			}
		}
		a.complete(child)
	}
	if cmd.Name() == "publish" {
		cmd.ValidArgsFunction = a.completer("bakeoff", true)
	}
}

// takesName says whether a command's first argument is a name that exists.
func takesName(cmd *cobra.Command) bool {
	words := strings.Fields(cmd.Use)
	return len(words) > 1 && (words[1] == "N" || words[1] == "ID" || words[1] == "DATASET" || words[1] == "FAMILY")
}

func (a *app) completer(kind string, firstAlone bool) cobra.CompletionFunc {
	return func(cmd *cobra.Command, args []string, _ string) ([]cobra.Completion, cobra.ShellCompDirective) {
		if firstAlone && len(args) > 0 {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		c, err := a.client()
		if err != nil {
			return nil, cobra.ShellCompDirectiveError
		}
		ctx, stop := context.WithTimeout(context.Background(), completionPatience)
		defer stop()
		list, err := known[kind](ctx, c)
		if err != nil {
			return nil, cobra.ShellCompDirectiveError
		}
		return list, cobra.ShellCompDirectiveNoFileComp
	}
}
