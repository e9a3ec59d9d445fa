package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"paperkettle/service"
)

const folderWord = "data folder (PAPERKETTLE_DATA)"

func dataFlag(cmd *cobra.Command, data *string) {
	cmd.Flags().StringVar(data, "data", env("PAPERKETTLE_DATA", "paperkettle-data"), folderWord)
}

func (a *app) check() *cobra.Command {
	data := ""
	cmd := &cobra.Command{Use: "check --data DIR", Short: "Read a whole data folder and name what is damaged", Args: exactly(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			faults, err := service.Examine(cmd.Context(), data)
			if err != nil {
				return err
			}
			for _, f := range faults {
				fmt.Fprintln(a.out, f)
			}
			if len(faults) > 0 {
				return fmt.Errorf("%s is damaged (%s): restore a backup with 'paperkettle restore FILE --data DIR'", data, many(len(faults), "fault"))
			}
			fmt.Fprintf(a.err, "%s is whole.\n", data)
			return nil
		}}
	dataFlag(cmd, &data)
	return cmd
}

func (a *app) backup() *cobra.Command {
	data := ""
	cmd := &cobra.Command{Use: "backup FILE --data DIR",
		Short: "Copy a data folder into a file, also while the service runs, and look the copy over", Args: exactly(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := service.Backup(cmd.Context(), data, args[0]); err != nil {
				return err
			}
			info, err := os.Stat(args[0])
			if err != nil {
				return err
			}
			fmt.Fprintf(a.err, "Wrote %s (%s), and it is whole.\n", args[0], byteText(info.Size()))
			return nil
		}}
	dataFlag(cmd, &data)
	return cmd
}

func (a *app) restore() *cobra.Command {
	data, replace := "", false
	cmd := &cobra.Command{Use: "restore FILE --data DIR", Short: "Put a backup into a data folder that no service uses", Args: exactly(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			kept, err := service.Restore(cmd.Context(), args[0], data, replace)
			if err != nil {
				return err
			}
			fmt.Fprintf(a.err, "Restored %s into %s.\n", args[0], data)
			if kept != "" {
				fmt.Fprintf(a.err, "What was there is kept as %s.\n", kept)
			}
			return nil
		}}
	dataFlag(cmd, &data)
	cmd.Flags().BoolVar(&replace, "replace", false, "put it in place of the data that is there, which is kept beside")
	return cmd
}
