package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"paperkettle/service"
)

// man writes the manual, a page a command.
func (a *app) man() *cobra.Command {
	return &cobra.Command{Use: "man DIR", Short: "Write the manual pages of all commands into a folder", Args: exactly(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := os.MkdirAll(args[0], 0o755); err != nil {
				return err
			}
			root := cmd.Root()
			root.DisableAutoGenTag = true // the same pages whatever the day
			if err := doc.GenManTree(root, &doc.GenManHeader{Section: "1", Source: "Paper Kettle " + service.Version, Manual: "Paper Kettle"},
				args[0]); err != nil {
				return err
			}
			pages, err := os.ReadDir(args[0])
			fmt.Fprintf(a.err, "%d files in %s; read one with: man -l %s/paperkettle.1\n", len(pages), args[0], args[0])
			return err
		}}
}
