package cli

import (
	"fmt"
	"io"
	"reflect"
	"strings"

	"github.com/spf13/cobra"

	"paperkettle/api"
)

func (a *app) bakeoffPlan() *cobra.Command {
	dataset, horizon, file := "", 0, ""
	cmd := &cobra.Command{Use: "plan [--dataset N] [--horizon 28] [--to plan.yaml]",
		Short: "Write a plan to start from, with every field explained", Args: exactly(0),
		Example: "  paperkettle bakeoff plan --dataset daily --horizon 28 --to plan.yaml\n  paperkettle bakeoff run plan.yaml --wait",
		RunE: func(*cobra.Command, []string) error {
			return a.exportTo(file, func(w io.Writer) error {
				_, err := io.WriteString(w, planText(dataset, horizon))
				return err
			})
		}}
	cmd.Flags().StringVar(&dataset, "dataset", "daily", "the dataset that it is for")
	cmd.Flags().IntVar(&horizon, "horizon", 28, "periods to forecast")
	cmd.Flags().StringVar(&file, "to", "", "file to write; the standard output if left out")
	return cmd
}

// planExamples are values to show of fields that a plan may leave out.
var planExamples = map[string]string{
	"name": "spring", "revision": "2", "where": "{town: Saltmarsh}", "windows": "3", "gap": "0", "refit": "every", "stride": "28",
	"ends": "own", "history": "sliding:730", "baseline": "seasonal-naive",
	"metric": "mase", "weights": "volume:28", "fallback": "naive", "drivers_ahead": "{temperature: lag}", "driver_gaps": "{promotion: 0}",
	"past": "as-loaded", "neighbours": "town", "carry_over": "price:1",
	"levels": "[80, 95]", "scale_lag": "7", "seed": "1",
}

// planContenders are the contenders of a new plan, with the ways to enter one.
const planContenders = `contenders:
  - family: seasonal-naive
  - family: calendar-mean
    name: long mean
    settings: {length: 56}
  - family: smoothing
  # a search over settings, on inner windows of the training part
  # - family: calendar-mean
  #   name: tuned mean
  #   tune:
  #     settings: {length: [28, 56, 112]}
  #     search: grid
  #     within: 2
`

// fieldsOf gives the names and meanings of a contract's fields.
func fieldsOf(of any, each func(name, meaning string)) {
	t := reflect.TypeOf(of)
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("yaml"), ",")
		each(name, t.Field(i).Tag.Get("doc"))
	}
}

// planText is a plan to start from.
func planText(dataset string, horizon int) string {
	var b strings.Builder
	b.WriteString("# A bake-off's plan. Run it with 'paperkettle bakeoff run FILE'.\n")
	fieldsOf(api.Plan{}, func(name, meaning string) {
		b.WriteString("\n")
		if meaning != "" {
			fmt.Fprintf(&b, "# %s\n", meaning)
		}
		switch name {
		case "dataset":
			fmt.Fprintf(&b, "dataset: %s\n", dataset)
		case "horizon":
			fmt.Fprintf(&b, "horizon: %d\n", horizon)
		case "contenders":
			b.WriteString(planContenders)
		default:
			fmt.Fprintf(&b, "# %s: %s\n", name, planExamples[name])
		}
	})
	return b.String()
}
