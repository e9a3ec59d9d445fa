package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/guptarohit/asciigraph"
	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"

	"paperkettle/api"
	"paperkettle/client"
)

func (a *app) dataset() *cobra.Command {
	return group("dataset", "Load, list, check and remove datasets", a.datasetLoad(), a.datasetAttach(), a.datasetList(), a.datasetShow(),
		a.datasetCheck(),
		a.datasetClosed(), a.datasetDiff(), a.datasetUndo(), a.datasetExport(), a.datasetRemove())
}

// columnFlags adds the flags that say how a file is written and which column is what, but for
// those that a command has no use for.
func columnFlags(cmd *cobra.Command, cols *api.LoadColumns, without ...string) {
	f := cmd.Flags()
	for o := range cols.Each() {
		name := strings.TrimPrefix(o.Flag(), "--")
		if name == "file" || slices.Contains(without, name) {
			continue
		}
		usage := o.Doc
		if len(o.Words) > 0 {
			usage = strings.Join(o.Words, ", ") + ": " + o.Doc
		}
		switch v := o.Value.(type) {
		case *string:
			f.StringVar(v, name, "", usage)
		case *bool:
			f.BoolVar(v, name, false, usage)
		case *int:
			f.IntVar(v, name, 0, usage)
		case *[]string:
			if o.Lines {
				f.StringArrayVar(v, name, nil, usage)
			} else {
				f.StringSliceVar(v, name, nil, usage)
			}
		}
		if len(o.Words) > 0 {
			_ = cmd.RegisterFlagCompletionFunc(name, cobra.FixedCompletions(o.Words, cobra.ShellCompDirectiveNoFileComp)) // of a flag that was just made
		}
	}
}

// openFile opens a file to send, with a progress bar on a terminal. "-" is the
// standard input.
func (a *app) openFile(name string) (io.ReadCloser, string, error) {
	if name == "-" {
		return io.NopCloser(os.Stdin), "standard input", nil
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, "", err
	}
	info, err := f.Stat()
	if err != nil || info.IsDir() {
		f.Close()
		return nil, "", errors.Join(err, fmt.Errorf("%s is not a file that can be read", name))
	}
	if !isTerminal(a.err) || info.Size() < 1<<22 {
		return f, filepath.Base(name), nil
	}
	bar := progressbar.NewOptions64(info.Size(), progressbar.OptionSetWriter(a.err), progressbar.OptionSetDescription("sending"),
		progressbar.OptionShowBytes(true), progressbar.OptionClearOnFinish())
	r := progressbar.NewReader(f, bar)
	return &r, filepath.Base(name), nil
}

func isTerminal(w io.Writer) bool {
	f, ok := w.(*os.File)
	if !ok {
		return false
	}
	info, err := f.Stat()
	return err == nil && info.Mode()&os.ModeCharDevice != 0
}

func (a *app) datasetLoad() *cobra.Command {
	var cols api.LoadColumns
	var name string
	var dryRun bool
	cmd := &cobra.Command{
		Use:   "load FILE --name N --time COL --measure COL [--by COL,COL]",
		Short: "Load a table (CSV, JSON Lines, XLSX, Parquet); again under the same name, it appends",
		Long: `Load a table as a dataset. What is left out is found from the file where it can be. A
further load under the same name appends, and corrects: what it leaves out is as the
dataset was loaded before, its filter included (--where all lifts that). Columns whose
names hold a comma stand in double quotes: --by '"town, part",line'.`,
		Example: `  paperkettle dataset load daily.csv --name daily --time date --measure orders \
      --by town,channel,line --driver price,promotion,temperature --known-ahead price,promotion --floor 0`,
		Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if !dryRun && name == "" {
				return misused("a load needs --name: see what the file holds with --dry-run")
			}
			file, shown, err := a.openFile(args[0])
			if err != nil {
				return err
			}
			defer file.Close()
			cols.File = shown
			if dryRun {
				seen, err := c.Inspect(ctx, name, cols, file)
				if err != nil {
					return err
				}
				return a.showInspected(seen)
			}
			loaded, err := c.Load(ctx, name, cols, file)
			if err != nil {
				return err
			}
			a.likeBefore(loaded.AsBefore)
			a.caution(loaded.Cautions)
			return a.print(loaded, loadedSheet(loaded))
		}),
	}
	cmd.Flags().StringVar(&name, "name", "", "name of the dataset")
	cmd.Flags().BoolVar(&dryRun, "dry-run", false, "only show what would be read: the columns, the first values as understood, the checks")
	columnFlags(cmd, &cols)
	return cmd
}

func (a *app) datasetAttach() *cobra.Command {
	var cols api.LoadColumns
	var dataset string
	cmd := &cobra.Command{
		Use:   "attach FILE --dataset N --time COL --driver COL,COL [--by COL,COL]",
		Short: "Join drivers from another table, by time and any of the attributes",
		Long: `Join drivers from another table to a dataset, by time and by those of its attributes
that the table has, at the same or a coarser cadence: a weekly price on daily sales, or
one temperature for all. The report says what matched and which periods ahead are covered.`,
		Example: "  paperkettle dataset attach price.csv --dataset daily --time week --by line --driver price --known-ahead price",
		Args:    exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if dataset == "" || cols.Time == "" || len(cols.Drivers) == 0 {
				return misused("an attachment needs --dataset, --time and --driver")
			}
			file, shown, err := a.openFile(args[0])
			if err != nil {
				return err
			}
			defer file.Close()
			cols.File = shown
			got, err := c.Attach(ctx, dataset, cols, file)
			if err != nil {
				return err
			}
			a.caution(got.Cautions)
			s := &sheet{head: []string{"driver", "known ahead", ">series matched", ">not matched", ">periods covered", ">periods ahead",
				">keys unused", "for example"}}
			for _, d := range got.Drivers {
				example := ""
				if len(d.Missing) > 0 {
					example = "not matched: " + d.Missing[0]
				} else if len(d.Unused) > 0 {
					example = "unused: " + d.Unused[0]
				}
				s.add(d.Name, fmt.Sprint(d.KnownAhead), whole(d.Matched), whole(d.Unmatched), a.share(&d.Covered),
					fmt.Sprintf("%d to %d", d.AheadFrom, d.AheadTo), whole(d.UnusedAll), example)
			}
			return a.print(got, s)
		}),
	}
	cmd.Flags().StringVar(&dataset, "dataset", "", "the dataset they join")
	columnFlags(cmd, &cols)
	return cmd
}

// likeBefore says what a load took from the one before.
func (a *app) likeBefore(parts []string) {
	if len(parts) > 0 {
		fmt.Fprintln(a.err, "As loaded before:", strings.Join(parts, "; "))
	}
}

// caution prints sentences that say why a number deserves less trust.
func (a *app) caution(sentences []string) {
	for _, s := range sentences {
		fmt.Fprintln(a.err, "Caution:", s)
	}
}

// showInspected prints what a load would read.
func (a *app) showInspected(in api.Inspected) error {
	s := &sheet{head: []string{"column", "holds", "would be", "samples"}}
	for _, c := range in.Columns {
		s.add(c.Name, c.Kind, c.Part, strings.Join(c.Samples, " | "))
	}
	if a.output != "table" {
		if err := a.print(in, s); err != nil || in.Problem == "" {
			return err
		}
		return refusedLoad(in)
	}
	fmt.Fprintf(a.out, "%s\n\n", in.Form)
	if err := a.print(in, s); err != nil {
		return err
	}
	a.likeBefore(in.AsBefore)
	if in.Problem != "" {
		return refusedLoad(in)
	}
	d := in.Dataset
	fmt.Fprintf(a.out, "\n%d rows make %d series by %s, %s to %s. The first values as understood:\n\n", in.Rows, d.Series, d.Cadence, d.First, d.Last)
	first := &sheet{head: []string{"series", "period", ">" + d.Measure}}
	for _, r := range in.First {
		first.add(r.Series, r.Period, a.figure(r.Value))
	}
	if err := a.print(in, first); err != nil {
		return err
	}
	fmt.Fprintln(a.out)
	if ch := in.Changes; ch != nil {
		fmt.Fprintf(a.out, "The dataset is there: a load would add %d series, %d periods and %d values, and restate %d values.\n", ch.NewSeries,
			ch.NewPeriods, ch.NewValues, ch.RestatedCount)
		for _, r := range ch.Restated[:min(restatedShown, len(ch.Restated))] {
			fmt.Fprintf(a.out, "  %s, %s: %s becomes %s\n", r.Series, r.Period, short(r.Old), short(r.New))
		}
	}
	a.caution(in.Cautions)
	for _, c := range in.Checks {
		fmt.Fprintf(a.out, "%s: %d series, for one %s, %s.\n", c.Kind, c.Series, c.Example[0], c.Meaning)
	}
	return nil
}

// restatedShown is how many restated values a preview lists.
const restatedShown = 5

// refusedLoad is the error that a load would end in.
func refusedLoad(in api.Inspected) error {
	p := &api.Problem{Detail: "a load would be refused: " + in.Problem}
	if len(in.Faults) > 1 {
		p.Errors = in.Faults
	}
	return p
}

func loadedSheet(l api.Loaded) *sheet {
	d := l.Dataset
	s := &sheet{head: []string{"dataset", ">revision", ">rows", ">series", "cadence", "first", "last", ">new series", ">new periods",
		">new values", ">restated", "hash"}}
	s.add(d.Name, whole(d.Revision), whole(l.Rows), whole(d.Series), d.Cadence, d.First, d.Last,
		whole(l.Changes.NewSeries), whole(l.Changes.NewPeriods), whole(l.Changes.NewValues), whole(l.Changes.RestatedCount), d.Hash[:12])
	return s
}

func (a *app) datasetList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List datasets", Args: exactly(0),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Datasets(ctx)
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"dataset", ">revision", "cadence", ">series", ">periods", "first", "last", "measure", "attributes", "drivers"}}
			for _, d := range list {
				s.add(d.Name, whole(d.Revision), d.Cadence, whole(d.Series), whole(d.Periods), d.First, d.Last, d.Measure, attributeNames(d), driverNames(d))
			}
			return a.print(list, s)
		})}
}

func attributeNames(d api.Dataset) string {
	names := make([]string, len(d.Attributes))
	for i, x := range d.Attributes {
		names[i] = x.Name
	}
	return strings.Join(names, ", ")
}

func driverNames(d api.Dataset) string {
	names := make([]string, len(d.Drivers))
	for i, x := range d.Drivers {
		names[i] = x.Name
		if x.KnownAhead {
			names[i] += " (known ahead)"
		}
	}
	return strings.Join(names, ", ")
}

func (a *app) datasetShow() *cobra.Command {
	return &cobra.Command{Use: "show N", Short: "Show a dataset with its revisions", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			d, err := c.Dataset(ctx, args[0])
			if err != nil {
				return err
			}
			if a.output == "table" {
				fmt.Fprintf(a.out, "%s: %s of %d series by %s, %s to %s (%d periods, %d known values)\n", d.Name, d.Measure, d.Series, d.Cadence,
					d.First, d.Last, d.Periods, d.Values)
				for _, at := range d.Attributes {
					fmt.Fprintf(a.out, "  %s: %s\n", at.Name, some(at.Values, at.Count))
				}
				if len(d.Drivers) > 0 {
					fmt.Fprintf(a.out, "  drivers: %s\n", driverNames(d))
				}
				if len(d.Closed) > 0 {
					fmt.Fprintf(a.out, "  closed: %s\n", strings.Join(d.Closed, ", "))
				}
				fmt.Fprintln(a.out)
			}
			s := &sheet{head: []string{">revision", "loaded", "source", ">rows", ">series", ">new series", ">new periods", ">new values", ">restated", "hash"}}
			for _, r := range d.Revisions {
				s.add(whole(r.Number), r.Loaded.Format("2006-01-02 15:04:05"), r.Source, whole(r.Rows), whole(r.Series),
					whole(r.Changes.NewSeries), whole(r.Changes.NewPeriods), whole(r.Changes.NewValues), whole(r.Changes.RestatedCount), r.Hash[:12])
			}
			return a.print(d, s)
		})}
}

func some(values []string, total int) string {
	const most = 8
	if total > most {
		return strings.Join(values[:most], ", ") + fmt.Sprintf(" and %d more", total-most)
	}
	return strings.Join(values, ", ")
}

func (a *app) datasetCheck() *cobra.Command {
	return &cobra.Command{Use: "check N", Short: "Say what in a dataset deserves a look", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Check(ctx, args[0])
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"grade", "check", ">series", "meaning", "for example"}}
			for _, x := range list {
				s.add(x.Grade, x.Kind, whole(x.Series), x.Meaning, x.Example[0])
			}
			if len(list) == 0 {
				fmt.Fprintln(a.err, "Nothing stands out.")
			}
			return a.print(list, s)
		})}
}

func (a *app) datasetExport() *cobra.Command {
	var where []string
	var to, format string
	cmd := &cobra.Command{Use: "export N [--where ATTRIBUTE=VALUE] [--to FILE]", Short: "Write a dataset's series, a row a period",
		Args: exactly(1), RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			return a.exportTo(to, func(w io.Writer) error { return c.ExportDataset(ctx, args[0], where, w, formatOf(format, to)) })
		})}
	cmd.Flags().StringArrayVar(&where, "where", nil, "only series with this attribute value, as town=Saltmarsh; several narrow further")
	cmd.Flags().StringVar(&to, "to", "", "file to write; standard output if left out")
	formatFlag(cmd, &format)
	return cmd
}

func (a *app) series() *cobra.Command {
	var where []string
	var order, weights string
	list := &cobra.Command{Use: "list N [--where ATTRIBUTE=VALUE]", Short: "List the series of a dataset", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			rows, err := c.Series(ctx, args[0], where, order, weights)
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"series", "first", "last", ">known", ">mean", ">zeros", ">trend", ">season", "demand", "checks"}}
			if weights != "" {
				s.head = append(s.head, ">weight")
			}
			for _, r := range rows {
				cells := []string{r.Key, r.First, r.Last, whole(r.Known), a.figure(r.Mean), a.share(r.Zeros), a.part(r.Trend), a.part(r.Season),
					r.Demand, strings.Join(r.Marks, ", ")}
				if weights != "" {
					cells = append(cells, a.share(r.Weight))
				}
				s.rows = append(s.rows, cells)
			}
			return a.print(rows, s)
		})}
	list.Flags().StringArrayVar(&where, "where", nil, "keep series with this attribute value, as town=Saltmarsh; several narrow further")
	list.Flags().StringVar(&order, "sort", "", "key, known, mean, zeros, trend, season, marks or weight; with a dash before it, the largest first")
	list.Flags().StringVar(&weights, "weights", "", "weigh the series: volume:28 (over the last 28 periods), volume*price:28 (times a "+
		"driver) or column:NAME")
	parts := &cobra.Command{Use: "parts N KEY", Short: "Take one series apart into trend, seasons and rest", Args: exactly(2),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			fit, err := c.Parts(ctx, args[0], args[1])
			if err != nil {
				return err
			}
			for _, text := range fit.Cautions {
				fmt.Fprintf(a.err, "Caution: %s.\n", text)
			}
			return a.print(fit, a.componentSheet(fit))
		})}
	show := &cobra.Command{Use: "show N KEY", Short: "Show one series: facts and a plot, or its values as CSV or JSON", Args: exactly(2),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			v, err := c.SeriesValues(ctx, args[0], args[1])
			if err != nil {
				return err
			}
			if a.output == "table" {
				a.plotSeries(v)
				return nil
			}
			s := &sheet{head: []string{"period", "value"}}
			for i, p := range v.Periods {
				s.add(p, a.figure(v.Values[i]))
			}
			return a.print(v, s)
		})}
	return group("series", "Look at the series of a dataset", list, show, parts, a.features())
}

const plotWidth, plotHeight = 96, 14

// plotSeries draws a series in the terminal, as means where it is longer than wide.
func (a *app) plotSeries(v api.SeriesValues) {
	fmt.Fprintln(a.out, v.Key)
	for _, f := range v.Facts {
		fmt.Fprintf(a.out, "  %s %s", f.Name, short(f.Value))
	}
	fmt.Fprintln(a.out)
	if len(v.Values) < 2 {
		return
	}
	n := min(plotWidth, len(v.Values))
	points := make([]float64, 0, n)
	for i := range n {
		sum, known := 0.0, 0
		for _, x := range v.Values[i*len(v.Values)/n : (i+1)*len(v.Values)/n] {
			if x != nil {
				sum += *x
				known++
			}
		}
		points = append(points, sum/float64(known)) // 0/0 leaves a gap
	}
	fmt.Fprintln(a.out, asciigraph.Plot(points, asciigraph.Height(plotHeight), asciigraph.Precision(1)))
	first, last := v.Periods[0], v.Periods[len(v.Periods)-1]
	fmt.Fprintf(a.out, "%10s%*s\n", first, n-2, last)
	if n < len(v.Values) {
		fmt.Fprintf(a.out, "Each point is the mean of %.1f periods; --output csv gives every value.\n", float64(len(v.Values))/float64(n))
	}
}

func (a *app) actuals() *cobra.Command {
	var cols api.LoadColumns
	var dataset string
	load := &cobra.Command{
		Use:   "load FILE --dataset N",
		Short: "Append actuals, score the live release and flag what lies outside; columns are those of the dataset unless named",
		Args:  exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if dataset == "" {
				return misused("--dataset is needed: say which dataset the actuals belong to")
			}
			file, shown, err := a.openFile(args[0])
			if err != nil {
				return err
			}
			defer file.Close()
			cols.File = shown
			got, err := c.LoadActuals(ctx, dataset, cols, file)
			if err != nil {
				return err
			}
			a.likeBefore(got.AsBefore)
			a.caution(got.Cautions)
			s := loadedSheet(got.Loaded)
			s.head = append(s.head, "release", ">points", ">outside", ">open flags")
			points, outside := "", ""
			if got.Score != nil {
				points, outside = whole(got.Score.Points), whole(got.Score.Outside)
			} else {
				fmt.Fprintln(a.err, "No release is live for this dataset, so nothing was scored or flagged.")
			}
			s.rows[0] = append(s.rows[0], got.Release, points, outside, whole(got.Flags))
			return a.print(got, s)
		}),
	}
	load.Flags().StringVar(&dataset, "dataset", "", "the dataset they belong to")
	columnFlags(load, &cols)
	return group("actuals", "Let actuals arrive", load)
}
