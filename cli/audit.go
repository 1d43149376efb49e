package cli

import (
	"cmp"
	"fmt"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"veneer/client"
)

func auditCommand() *cobra.Command {
	c := &cobra.Command{Use: "audit", Short: "The trail of who did what"}
	c.AddCommand(&cobra.Command{
		Use: "verify", Short: "Check that no line of the audit trail was changed, taken out or put in", Args: cobra.NoArgs,
		Long: "Each line of the trail carries a hash over itself and the line before it. Exit code: 0 all lines hold, 1 one does not.",
		RunE: func(c *cobra.Command, args []string) error {
			return withClient(func(cl *client.Client) error {
				a, err := cl.VerifyAudit(c.Context())
				if err != nil {
					return err
				}
				if a.Broken != 0 {
					fmt.Fprintf(c.OutOrStdout(), "line %d does not follow from the lines before it; %d hold\n", a.Broken, a.Lines)
					return exit{somePass}
				}
				fmt.Fprintf(c.OutOrStdout(), "all %d lines hold\n", a.Lines)
				return nil
			})
		},
	})
	c.AddCommand(auditList())
	return c
}

func auditList() *cobra.Command {
	q := map[string]*string{}
	var asJSON bool
	c := &cobra.Command{
		Use: "list", Short: "Show the newest lines of the audit trail", Args: cobra.NoArgs, Example: "  veneer audit list --person ben\n  veneer audit list --action 'signed off' --json",
		RunE: func(c *cobra.Command, args []string) error {
			return withClient(func(cl *client.Client) error {
				trail, err := cl.Trail(c.Context(), queryOf(q))
				if err != nil {
					return err
				}
				if asJSON {
					return printJSON(c.OutOrStdout(), trail.Lines)
				}
				t := newTable(c.OutOrStdout())
				t.AppendHeader(table.Row{"line", "when (UTC)", "who", "what", "about", "in detail"})
				for _, l := range trail.Lines {
					t.AppendRow(table.Row{l.ID, l.At.Format("2006-01-02 15:04:05"), l.Person, l.Action, cmp.Or(l.PartName, l.BatchName), string(l.Detail)})
				}
				t.Render()
				return nil
			})
		},
	}
	for name, about := range map[string]string{"person": "whose lines", "action": "what was done, such as 'signed off'", "batch": "about which batch", "part": "about which part", "before": "go on below this line's number"} {
		q[name] = c.Flags().String(name, "", about)
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}
