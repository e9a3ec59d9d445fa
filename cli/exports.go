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

	"github.com/spf13/cobra"

	"paperkettle/client"
)

// exportTo streams to a file and says so, or to the standard output. A broken export leaves no
// half file.
func (a *app) exportTo(file string, write func(io.Writer) error) error {
	if file == "" {
		return write(a.out)
	}
	f, err := os.Create(file)
	if err != nil {
		return err
	}
	if err := errors.Join(write(f), f.Close()); err != nil {
		os.Remove(file)
		return err
	}
	info, err := os.Stat(file)
	if err == nil {
		fmt.Fprintf(a.err, "Wrote %s (%s).\n", file, byteText(info.Size()))
	}
	return err
}

// byteText writes a size for reading.
func byteText(n int64) string {
	switch {
	case n >= 1e6:
		return fmt.Sprintf("%.1f MB", float64(n)/1e6)
	case n >= 1e3:
		return fmt.Sprintf("%.1f kB", float64(n)/1e3)
	}
	return fmt.Sprintf("%d bytes", n)
}

// formatFlag adds the flag of an export's format; left out, the file's name says it.
func formatFlag(cmd *cobra.Command, format *string) {
	cmd.Flags().StringVar(format, "format", "", "csv, csv-text (no text that a spreadsheet takes for a formula), json, jsonl, xlsx or "+
		"parquet; as the file's name has it, or csv, if left out")
	_ = cmd.RegisterFlagCompletionFunc("format", cobra.FixedCompletions(exportFormats,
		cobra.ShellCompDirectiveNoFileComp)) // of a flag that was just made
}

var exportFormats = []string{"csv", "csv-text", "json", "jsonl", "xlsx", "parquet"}

// formatOf is the format that is asked for, or that a file's name ends in.
func formatOf(format, file string) string {
	if end := strings.TrimPrefix(strings.ToLower(filepath.Ext(file)), "."); format == "" && slices.Contains(exportFormats, end) {
		return end
	}
	return format
}

func (a *app) bakeoffExport() *cobra.Command {
	var file, format string
	var newcomers bool
	cmd := &cobra.Command{Use: "export ID", Short: "Stream every forecast point", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			write := c.ExportBakeoff
			if newcomers {
				write = c.ExportNewcomers
			}
			return a.exportTo(file, func(w io.Writer) error { return write(ctx, args[0], w, formatOf(format, file)) })
		})}
	cmd.Flags().BoolVar(&newcomers, "newcomers", false, "the points of series that were too new to be trained on, in place of the others")
	cmd.Flags().StringVar(&file, "to", "", "file to write; standard output if left out")
	formatFlag(cmd, &format)
	return cmd
}

func (a *app) bakeoffReport() *cobra.Command {
	var file string
	cmd := &cobra.Command{Use: "report ID --to FILE.html", Short: "Write a report that stands by itself, as one HTML page", Args: exactly(1),
		RunE: a.withClient(func(ctx context.Context, c *client.Client, args []string) error {
			return a.exportTo(file, func(w io.Writer) error { return c.Report(ctx, args[0], w) })
		})}
	cmd.Flags().StringVar(&file, "to", "", "file to write; standard output if left out")
	return cmd
}
