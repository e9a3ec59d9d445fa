package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"paperkettle/api"
	"paperkettle/client"
)

func (a *app) connection() *cobra.Command {
	return group("connection", "Databases that loads can ask", a.connectionAdd(), a.connectionList(), a.connectionTry(), a.connectionRemove())
}

func (a *app) connectionAdd() *cobra.Command {
	var in api.Connection
	cmd := &cobra.Command{
		Use:   "add NAME ADDRESS [--secret-env VARIABLE | --secret-file PATH]",
		Short: "Add a PostgreSQL database or a SQLite file",
		Long: `Add a database that loads can ask: postgresql://user@host:5432/database, or the whole
path of a SQLite file as the service sees it. The password stays in an environment
variable of the service, whose name begins with PAPERKETTLE_, or in a file that it can
read; it is never shown. Queries can't change the database; give the user no more than
the right to read.`,
		Example: `  paperkettle connection add warehouse postgresql://reader@db.example:5432/sales --secret-env PAPERKETTLE_WAREHOUSE
  paperkettle dataset load orders.sql --connection warehouse --name daily --time day --measure orders --by town,line`,
		Args: exactly(2),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			in.Name, in.Address, in.Kind = args[0], args[1], "postgresql"
			if !strings.Contains(args[1], "://") {
				in.Kind = "sqlite"
			}
			added, err := c.AddConnection(ctx, in)
			if err != nil {
				return err
			}
			fmt.Fprintf(a.err, "Added connection %s. See whether it answers: paperkettle connection try %s\n", added.Name, added.Name)
			return nil
		}),
	}
	cmd.Flags().StringVar(&in.SecretEnv, "secret-env", "", "the service's environment variable that holds the password")
	cmd.Flags().StringVar(&in.SecretFile, "secret-file", "",
		"the file that holds the password, in the folder that the service was started with (--secrets)")
	return cmd
}

func (a *app) connectionList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List connections", Args: exactly(0),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Connections(ctx)
			if err != nil {
				return err
			}
			s := &sheet{head: []string{"connection", "kind", "address", "secret from"}}
			for _, x := range list {
				s.add(x.Name, x.Kind, x.Address, x.SecretEnv+x.SecretFile)
			}
			return a.print(list, s)
		})}
}

func (a *app) connectionTry() *cobra.Command {
	return &cobra.Command{Use: "try NAME", Short: "See whether a connection's database answers", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			got, err := c.TryConnection(ctx, args[0])
			if err != nil {
				return err
			}
			if !got.Reached {
				return fmt.Errorf("connection %s: %s", args[0], got.Problem)
			}
			fmt.Fprintf(a.err, "Connection %s answers.\n", args[0])
			return nil
		})}
}

func (a *app) connectionRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove a connection", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if err := c.RemoveConnection(ctx, args[0]); err != nil {
				return err
			}
			fmt.Fprintf(a.err, "Removed connection %s.\n", args[0])
			return nil
		})}
}

func (a *app) codes() *cobra.Command {
	return group("codes", "Calendars that translate period codes into dates", a.codesLoad(), a.codesList(), a.codesRemove())
}

func (a *app) codesLoad() *cobra.Command {
	var cols api.LoadColumns
	var name, code string
	cmd := &cobra.Command{
		Use:   "load FILE --name N --code COL --time COL",
		Short: "Load a calendar with a code and a date on each row",
		Long: `Load a calendar that translates the period codes of your house, such as fiscal weeks
or running days: a row for each day or period, with its code in one column and its date
in another. A code that stands on several days starts on the earliest. Loads and
attachments whose time column holds such codes then name it with --codes.`,
		Example: `  paperkettle codes load calendar.csv --name fiscal --code week --time date
  paperkettle dataset attach price.csv --dataset daily --codes fiscal --time week --by line --driver price --known-ahead price`,
		Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if name == "" || code == "" || cols.Time == "" {
				return misused("period codes need --name, --code and --time")
			}
			file, shown, err := a.openFile(args[0])
			if err != nil {
				return err
			}
			defer file.Close()
			cols.File = shown
			got, err := c.LoadCodes(ctx, name, code, cols, file)
			if err != nil {
				return err
			}
			return a.print(got, codesSheet(got))
		}),
	}
	f := cmd.Flags()
	f.StringVar(&name, "name", "", "name of the codes")
	f.StringVar(&code, "code", "", "column of the codes")
	f.StringVar(&cols.Time, "time", "", "column of the dates")
	f.StringVar(&cols.DateOrder, "date-order", "", "day-first or month-first, where dates fit both")
	return cmd
}

func codesSheet(list ...api.PeriodCodes) *sheet {
	s := &sheet{head: []string{"codes", ">count", "first", "last", "from"}}
	for _, x := range list {
		s.add(x.Name, whole(x.Codes), x.First, x.Last, x.Source)
	}
	return s
}

func (a *app) codesList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List them", Args: exactly(0),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Codes(ctx)
			if err != nil {
				return err
			}
			return a.print(list, codesSheet(list...))
		})}
}

func (a *app) codesRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove them; datasets loaded with them stay", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if err := c.RemoveCodes(ctx, args[0]); err != nil {
				return err
			}
			fmt.Fprintf(a.err, "Removed the codes %s.\n", args[0])
			return nil
		})}
}

func (a *app) event() *cobra.Command {
	return group("event", "Holidays, promotions, launches: what may move the measure", a.eventLoad(), a.eventList(), a.eventRemove())
}

func (a *app) eventLoad() *cobra.Command {
	var cols api.LoadColumns
	var dataset string
	var before, after int
	cmd := &cobra.Command{
		Use:   "load FILE --dataset N [--where ATTRIBUTE=VALUE] [--days-before N] [--days-after N]",
		Short: "Load events from a calendar file (iCalendar) or a table",
		Long: `Load events from a calendar file (iCalendar, with recurrences, exclusions and spans) or
from a table with the columns event and date, and any of: until or days (how long it
lasts), before and after (days around it), and the dataset's attributes, which limit an
event to a town or a line. The date may be a rule for every year:

  12-25                        a fixed day
  easter-2, orthodox easter    days before or after Easter Sunday
  last monday of may           also first to fourth
  monday on or before 05-24    also before, after, on or after
  12-26, sunday to monday      kept on another weekday if it falls on one

Events of the same name are replaced. They are known ahead: ten years are written out.`,
		Example: "  paperkettle event load holidays.csv --dataset daily --days-before 1",
		Args:    exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if dataset == "" {
				return misused("events need --dataset")
			}
			file, shown, err := a.openFile(args[0])
			if err != nil {
				return err
			}
			defer file.Close()
			cols.File = shown
			got, err := c.LoadEvents(ctx, dataset, cols, before, after, file)
			if err != nil {
				return err
			}
			a.caution(got.Cautions)
			return a.print(got, eventSheet(got.Events))
		}),
	}
	f := cmd.Flags()
	f.StringVar(&dataset, "dataset", "", "the dataset they belong to")
	f.IntVar(&before, "days-before", 0, "days before each event that it may move too")
	f.IntVar(&after, "days-after", 0, "days after each event that it may move too")
	f.StringArrayVar(&cols.Where, "where", nil, "limit the file's events to an attribute's value, as town=Saltmarsh")
	f.StringVar(&cols.Zone, "zone", "", "where a calendar's instants go: UTC or an area's name")
	f.StringVar(&cols.DateOrder, "date-order", "", "day-first or month-first, where dates fit both")
	return cmd
}

func eventSheet(list []api.Event) *sheet {
	s := &sheet{head: []string{"event", "where", ">series", ">days before", ">days after", ">past", ">ahead", "last or next"}}
	for _, e := range list {
		where := []string{}
		for k, v := range e.Where {
			where = append(where, k+"="+v)
		}
		slices.Sort(where)
		near := ""
		if n := len(e.Occasions); n > 0 {
			o := e.Occasions[min(e.Past, n-1)]
			if near = o.First; o.Last != o.First {
				near += " to " + o.Last
			}
		}
		s.add(e.Name, strings.Join(where, ", "), whole(e.Series), whole(e.Before), whole(e.After), whole(e.Past), whole(e.Ahead), near)
	}
	return s
}

func (a *app) eventList() *cobra.Command {
	return &cobra.Command{Use: "list DATASET", Short: "List a dataset's events", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Events(ctx, args[0])
			if err != nil {
				return err
			}
			return a.print(list, eventSheet(list))
		})}
}

func (a *app) eventRemove() *cobra.Command {
	return &cobra.Command{Use: "remove DATASET EVENT", Short: "Remove an event, in a new revision", Args: exactly(2),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			if err := c.RemoveEvent(ctx, args[0], args[1]); err != nil {
				return err
			}
			fmt.Fprintf(a.err, "Removed the event %s from %s.\n", args[1], args[0])
			return nil
		})}
}
