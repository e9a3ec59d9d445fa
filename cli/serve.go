package cli

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"runtime"

	"github.com/spf13/cobra"

	"paperkettle/client"
	"paperkettle/console"
	"paperkettle/demo"
	"paperkettle/service"
)

// serving is how the service is run.
type serving struct {
	data, listen string
	secrets      string
	public       string
	workers      int
	fits         int64 // MB
}

func (a *app) start(ctx context.Context, with serving) (*service.Server, error) {
	keepRoom(ctx)
	slog.SetDefault(slog.New(slog.NewTextHandler(a.err, nil)))
	cfg := service.Config{Data: with.data, Listen: with.listen, Workers: with.workers, Fits: with.fits << 20, Secrets: with.secrets,
		Public: with.public, Console: console.Files()}
	if with.fits <= 0 {
		cfg.Fits = -1
	}
	return service.Start(cfg)
}

func (s *serving) flags(cmd *cobra.Command, folder string) {
	cmd.Flags().StringVar(&s.data, "data", env("PAPERKETTLE_DATA", folder), "data folder (PAPERKETTLE_DATA)")
	cmd.Flags().StringVar(&s.listen, "listen", env("PAPERKETTLE_LISTEN", service.DefaultListen), "address to listen on (PAPERKETTLE_LISTEN)")
	cmd.Flags().StringVar(&s.secrets, "secrets", env("PAPERKETTLE_SECRETS", ""),
		"folder of the files that hold connections' passwords (PAPERKETTLE_SECRETS)")
	cmd.Flags().StringVar(&s.public, "public-url", env("PAPERKETTLE_PUBLIC_URL", ""),
		"address that people use, as https://kettle.example, where a proxy stands before the service (PAPERKETTLE_PUBLIC_URL)")
	cmd.Flags().IntVar(&s.workers, "workers", runtime.GOMAXPROCS(0), "workers for bake-offs; results do not depend on it")
	cmd.Flags().Int64Var(&s.fits, "fits", service.DefaultFits>>20,
		"MB of trained contenders to keep, so that they are explained and published at once; 0 for none")
}

func (a *app) serve() *cobra.Command {
	var with serving
	cmd := &cobra.Command{Use: "serve", Short: "Run the service", Args: exactly(0), RunE: func(cmd *cobra.Command, _ []string) error {
		s, err := a.start(cmd.Context(), with)
		if err != nil {
			return err
		}
		fmt.Fprintf(a.err, "Paper Kettle is at %s, its data in %s. Stop it with Ctrl-C.\n", s.Address(), with.data)
		if s.Open() {
			fmt.Fprintln(a.err, "No token exists yet: every user of this machine is its admin. Make one with 'paperkettle token create NAME --role admin'.")
		}
		return a.untilDone(cmd.Context(), s)
	}}
	with.flags(cmd, "paperkettle-data")
	return cmd
}

// untilDone waits for the signal to stop, or for serving to end by itself, which is a failure.
func (a *app) untilDone(ctx context.Context, s *service.Server) error {
	var failed error
	select {
	case <-ctx.Done():
	case failed = <-s.Ended():
	}
	return errors.Join(failed, s.Close())
}

func (a *app) demo() *cobra.Command {
	var with serving
	var folder string
	var truth bool
	cmd := &cobra.Command{Use: "demo", Short: "Run the service with the demo scenario, Saltmarsh & Vale", Args: exactly(0),
		Example: "  paperkettle demo\n  paperkettle demo --write saltmarsh    # only write its files\n  paperkettle demo --truth              # " +
			"only print what was planted in the last weeks",
		RunE: func(cmd *cobra.Command, _ []string) error {
			switch {
			case truth:
				return demo.New(demo.Seed).WriteFile("truth.csv", a.out)
			case folder != "":
				return a.writeDemo(folder)
			}
			s, err := a.start(cmd.Context(), with)
			if err != nil {
				return err
			}
			if err := a.setUpDemo(cmd.Context(), s.Address()); err != nil {
				s.Close()
				return err
			}
			a.welcome(s.Address())
			return a.untilDone(cmd.Context(), s)
		}}
	with.flags(cmd, "paperkettle-demo")
	cmd.Flags().StringVar(&folder, "write", "", "only write the scenario's files into this folder")
	cmd.Flags().BoolVar(&truth, "truth", false, "only print the oddities planted in the last four weeks")
	return cmd
}

func (a *app) writeDemo(folder string) error {
	if err := demo.New(demo.Seed).WriteFiles(folder); err != nil {
		return err
	}
	for _, f := range demo.Files {
		fmt.Fprintf(a.err, "%s%c%s: %s\n", folder, os.PathSeparator, f.Name, f.Meaning)
	}
	return nil
}

func (a *app) setUpDemo(ctx context.Context, address string) error {
	c, err := client.New(address, client.WithToken(a.token))
	if err != nil {
		return err
	}
	return demo.SetUp(ctx, c, func(step string) { fmt.Fprintln(a.err, step) })
}

func (a *app) welcome(address string) {
	fmt.Fprintf(a.err, `
Paper Kettle is ready at %s

  %s/bakeoffs/bake-1   who forecasts four weeks of orders best
  %s/releases/rel-1    the published forecast with its intervals
  %s/scenarios/scen-1  what other prices and promotions would change
  %s/flags             the actuals that fell outside: find the planted ones
  %s/data/daily        140 series of Saltmarsh & Vale

What was planted in the last weeks: paperkettle demo --truth
Stop with Ctrl-C; the next start reuses the data.
`, address, address, address, address, address, address)
}
