package cli

import (
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"veneer/core/check"
)

func explainCommand() *cobra.Command {
	return &cobra.Command{
		Use:     "explain [KIND]",
		Short:   "Tell what a kind of finding is, what it does to a print, and what Veneer does",
		Example: "  veneer explain\n  veneer explain open-boundary",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			w := c.OutOrStdout()
			if len(args) == 0 {
				t := newTable(w)
				t.AppendHeader(table.Row{"kind", "usually", "what it is"})
				for _, k := range check.Kinds() {
					t.AppendRow(table.Row{k.Name, severityColours[k.Usual].Sprint(k.Usual), k.Title})
				}
				t.Render()
				return nil
			}
			k, ok := check.KindNamed(args[0])
			if !ok {
				var names []string
				for _, k := range check.Kinds() {
					names = append(names, k.Name)
				}
				return fmt.Errorf("no finding is called %q; there are %s", args[0], strings.Join(names, ", "))
			}
			fmt.Fprintf(w, "%s  %s, usually: %s\n\n", text.Bold.Sprint(k.Title), k.Name, severityColours[k.Usual].Sprint(k.Usual))
			for _, p := range [][2]string{{"What it is", k.What}, {"On a print", k.Harm}, {"Veneer", k.Action}} {
				fmt.Fprintf(w, "  %-11s %s\n", p[0], wrap(p[1], 14))
			}
			return nil
		},
	}
}
