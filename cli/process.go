package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"veneer/client"
	"veneer/core/process"
)

// processOf is the process that a flag names: one that comes along, or one in a file.
func processOf(name string) (process.Process, error) {
	if strings.EqualFold(filepath.Ext(name), ".json") {
		return readProcess(name)
	}
	return process.Named(name)
}

func readProcess(path string) (process.Process, error) {
	f, err := os.Open(path)
	if err != nil {
		return process.Process{}, err
	}
	defer f.Close()
	p, err := process.Read(f)
	if err != nil {
		return p, fmt.Errorf("%s: %w", path, err)
	}
	return p, nil
}

func processCommand() *cobra.Command {
	c := &cobra.Command{Use: "process", Short: "Printing processes of a service, and their limits",
		Long: "What parts are checked against, and how much a repair may change before it asks. A change counts for checks from then on;\nparts that were checked before are checked again when somebody asks for it."}
	var asJSON bool
	list := &cobra.Command{
		Use: "list", Short: "List the processes", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, args []string) error {
			return withClient(func(cl *client.Client) error {
				list, err := cl.Processes(c.Context())
				if err != nil {
					return err
				}
				if asJSON {
					return printJSON(c.OutOrStdout(), list)
				}
				t := newTable(c.OutOrStdout())
				t.AppendHeader(table.Row{"process", "title", "machine mm", "wall mm", "detail mm", "layer mm", "a cm³", "origin", "changed by"})
				for _, p := range list {
					t.AppendRow(table.Row{p.Name, p.Title, sizeWords(p.MachineMM), p.WallMM, p.DetailMM, p.LayerMM, fmt.Sprintf("%.2f", p.PricePerCM3), p.Origin, p.ChangedBy})
				}
				t.Render()
				return nil
			})
		},
	}
	list.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	show := &cobra.Command{
		Use: "show NAME", Short: "Print a process as JSON, to be changed and set", Args: cobra.ExactArgs(1),
		Example: "  veneer process show resin > resin.json",
		RunE: func(c *cobra.Command, args []string) error {
			return withClient(func(cl *client.Client) error {
				rows, err := cl.Processes(c.Context())
				if err != nil {
					return err
				}
				var list []process.Process
				for _, row := range rows {
					list = append(list, row.Process)
				}
				p, err := process.Find(list, args[0])
				if err != nil {
					return err
				}
				return printJSON(c.OutOrStdout(), p)
			})
		},
	}
	set := &cobra.Command{
		Use: "set FILE", Short: "Change a process to what a JSON file says, or add it", Args: cobra.ExactArgs(1),
		Example: "  veneer process set resin.json",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := readProcess(args[0])
			if err != nil {
				return err
			}
			return withClient(func(cl *client.Client) error { return cl.SetProcess(c.Context(), p) })
		},
	}
	reset := &cobra.Command{
		Use: "reset NAME", Short: "Bring a process back to what it came as, or take out one that was added", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			return withClient(func(cl *client.Client) error { return cl.ResetProcess(c.Context(), args[0]) })
		},
	}
	c.AddCommand(list, show, set, reset)
	return c
}
