package cli

import (
	"context"
	"fmt"
	"math"
	"strings"

	"github.com/spf13/cobra"

	"paperkettle/api"
	"paperkettle/client"
)

func (a *app) model() *cobra.Command {
	list := &cobra.Command{Use: "list", Short: "List the model families", Args: exactly(0),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, _ []string) error {
			families, err := c.Families(ctx)
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"family", "how it forecasts", "settings"}}
			for _, f := range families {
				names := make([]string, len(f.Settings))
				for i, x := range f.Settings {
					names[i] = x.Name
				}
				s.add(f.Name, f.Summary, strings.Join(names, ", "))
			}
			return a.print(families, s)
		})}
	var in, series string
	var window int
	show := &cobra.Command{Use: "show FAMILY | show CONTENDER --in BAKEOFF|RELEASE --series KEY",
		Short: "Show a family with its settings, or how a contender was fitted", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if in != "" {
				fit, err := fitIn(ctx, c, in, args[0], series, window)
				if err != nil {
					return err
				}
				return a.showFit(fit)
			}
			f, err := c.Family(ctx, args[0])
			if err != nil {
				return err
			}
			if a.output == "table" {
				fmt.Fprintf(a.out, "%s: %s\nSource: %s\n", f.Name, f.Summary, f.Reference)
				if len(f.Settings) == 0 {
					fmt.Fprintln(a.out, "It has no settings.")
					return nil
				}
				fmt.Fprintln(a.out)
			}
			s := &sheet{head: []string{"setting", "kind", "range", "default", "meaning"}}
			for _, x := range f.Settings {
				s.add(x.Name, x.Kind, settingRange(x), settingDefault(x), x.Meaning)
			}
			return a.print(f, s)
		})}
	show.Flags().StringVar(&in, "in", "", "the bake-off or release whose contender is shown")
	show.Flags().StringVar(&series, "series", "", "the series it was fitted to; the first if left out")
	show.Flags().IntVar(&window, "window", 0, "the window it was fitted for; the last if left out")
	return group("model", "Look at the catalogue of model families, and at fitted contenders", list, show)
}

func (a *app) metrics() *cobra.Command {
	return &cobra.Command{Use: "metrics", Short: "List the metrics that rank, with their meaning", Args: exactly(0),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Metrics(ctx)
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"metric", "meaning"}}
			for _, m := range list {
				s.add(m.Name, m.Meaning)
			}
			return a.print(list, s)
		})}
}

func settingRange(x api.Setting) string {
	switch {
	case len(x.Choices) > 0:
		return strings.Join(x.Choices, ", ")
	case x.Min != nil && x.Max != nil:
		return fmt.Sprintf("%v to %v", *x.Min, *x.Max)
	case x.Min != nil:
		return fmt.Sprintf("at least %v", *x.Min)
	}
	return ""
}

func settingDefault(x api.Setting) string {
	if x.Default != nil {
		return fmt.Sprint(x.Default)
	}
	return x.Auto
}

// fitIn asks a bake-off or a release how a contender was fitted.
func fitIn(ctx context.Context, c *client.Client, in, contender, series string, window int) (api.Fit, error) {
	if !strings.HasPrefix(in, "rel-") {
		return c.Fit(ctx, in, contender, series, window)
	}
	curve, err := c.ReleaseFit(ctx, in, series)
	switch {
	case err != nil:
		return api.Fit{}, err
	case curve.Fit == nil:
		return api.Fit{}, fmt.Errorf("%s has no forecast of %s: %s", in, curve.Series, curve.LeftOut)
	case curve.Contender != contender:
		return api.Fit{}, fmt.Errorf("%s was forecast by %s in %s, not by %s", curve.Series, curve.Contender, in, contender)
	}
	fit := *curve.Fit
	fit.Contender, fit.Series = curve.Contender, curve.Series
	return fit, nil
}

// showFit prints a fit: what it is in words, then its numbers; as CSV its components.
func (a *app) showFit(f api.Fit) error {
	if a.output == "csv" {
		return a.print(f, a.componentSheet(f))
	}
	if a.output == "table" {
		at := ""
		if f.Window > 0 {
			at = fmt.Sprintf(", window %d", f.Window)
		}
		fmt.Fprintf(a.out, "%s on %s%s: %s.\n", f.Contender, f.Series, at, f.Form)
		fmt.Fprintf(a.out, "It used %d known values from %s to %s", f.Known, f.From, f.To)
		if f.Why != "" {
			fmt.Fprintf(a.out, "; chosen: %s", f.Why)
		}
		fmt.Fprintln(a.out, ".")
		if l := f.Line; l != nil {
			fmt.Fprintf(a.out, "As a straight line the forecast is %s %+.4g a step (R2 %.2f).\n", a.figure(&l.Start), l.Slope, l.R2)
		}
		for _, text := range f.Cautions {
			fmt.Fprintf(a.out, "Caution: %s.\n", text)
		}
		fmt.Fprintln(a.out)
	}
	s := &sheet{head: []string{"what", "name", ">value", "meaning"}}
	add := func(what string, list []api.Parameter) {
		for _, p := range list {
			s.add(what, p.Name, a.figure(&p.Value), p.Meaning)
		}
	}
	for _, x := range f.LeftOut {
		s.add("left out", stretch(x), "", x.Why)
	}
	for _, x := range f.Effects {
		s.add("effect", x.Name, a.figure(x.Units), fmt.Sprintf("%s of the usual level, %s to %s (95 %%), of %s", percentOf(x.Percent),
			percentOf(x.PercentLow), percentOf(x.PercentHigh), x.Per))
	}
	for _, x := range f.Bends {
		s.add("bend", x.Period, a.figure(x.Change), fmt.Sprintf("change of the slope a period, %s of the usual level", percentOf(x.Percent)))
	}
	for _, x := range f.Reasons {
		s.add("first step", x.Name, a.figure(x.Steps[0]), "part of the forecast of the first step, in the measure's unit")
	}
	for _, x := range f.Worths {
		s.add("worth", x.Name, a.figure(&x.Share), fmt.Sprintf("share of what all columns explain; %s. Held-out error without it: %s (%s to %s)",
			x.Meaning, shareOf(x.Rise), shareOf(x.Low), shareOf(x.High)))
	}
	for _, x := range f.Curves {
		s.add("moves by", x.Name, a.figure(spreadOf(x.Mean)), "what is added, from the lowest to the highest place, in shares of the recent "+
			"size; "+highest(x))
	}
	add("parameter", f.Parameters)
	if f.Sigma != nil {
		s.add("errors", "sigma", a.figure(f.Sigma), "standard deviation, one step ahead")
	}
	add("start", f.States)
	add("training", f.Training)
	for _, t := range f.Tests {
		s.add("test, p", t.Name, a.figure(t.P), t.Meaning)
	}
	add("share", f.Shares)
	for _, c := range f.Choices {
		s.add("choice", c.Form, a.figure(c.Value), f.Criterion)
	}
	return a.print(f, s)
}

// spreadOf is how far apart the outermost of some values are.
func spreadOf(values []*float64) *float64 {
	low, high := math.Inf(1), math.Inf(-1)
	for _, v := range values {
		if v != nil {
			low, high = min(low, *v), max(high, *v)
		}
	}
	if low > high {
		return nil
	}
	high -= low
	return &high
}

// highest says at which places an effect is at its least and at its most.
func highest(x api.EffectCurve) string {
	at := func(k int) float64 {
		if x.Mean[k] == nil {
			return 0
		}
		return *x.Mean[k]
	}
	least, most := 0, 0
	for k := range x.Mean {
		if at(k) < at(least) {
			least = k
		}
		if at(k) > at(most) {
			most = k
		}
	}
	return fmt.Sprintf("least at %s, most at %s", x.Places[least], x.Places[most])
}

// shareOf writes a share as a change in per cent.
func shareOf(v *float64) string {
	if v == nil {
		return "unknown"
	}
	percent := 100 * *v
	return percentOf(&percent)
}

func percentOf(v *float64) string {
	if v == nil {
		return "unknown"
	}
	return fmt.Sprintf("%+.1f %%", *v)
}

func stretch(x api.Stretch) string {
	if x.From == x.To {
		return x.From
	}
	return x.From + " to " + x.To
}

// componentSheet lays the components out, a row a period.
func (a *app) componentSheet(f api.Fit) *sheet {
	s := &sheet{head: []string{"period", "ahead"}}
	for _, c := range f.Components {
		s.head = append(s.head, ">"+c.Name)
	}
	for i, period := range f.Periods {
		row := []string{period, fmt.Sprint(len(f.Components) > 0 && i >= len(f.Components[0].Past))}
		for _, c := range f.Components {
			var v *float64
			if i < len(c.Past) {
				v = c.Past[i]
			} else if i-len(c.Past) < len(c.Ahead) {
				v = c.Ahead[i-len(c.Past)]
			}
			if a.output == "table" {
				row = append(row, a.figure(v))
				continue
			}
			row = append(row, plainNumber(v))
		}
		s.add(row...)
	}
	return s
}

func plainNumber(v *float64) string {
	if v == nil {
		return ""
	}
	return fmt.Sprint(*v)
}
