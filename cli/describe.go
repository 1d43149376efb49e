package cli

import (
	"os"

	"github.com/spf13/cobra"

	"veneer/api"
)

func describeCommand() *cobra.Command {
	var types, page string
	c := &cobra.Command{
		Use: "describe", Short: "Print the description of the network interface, in OpenAPI 3.1", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, args []string) error {
			if types != "" {
				return os.WriteFile(types, []byte(api.Describe().TypeScript()), 0o644)
			}
			if page != "" {
				return os.WriteFile(page, []byte(api.Describe().Markdown()), 0o644)
			}
			return printJSON(c.OutOrStdout(), api.Describe())
		},
	}
	c.Flags().StringVar(&types, "typescript", "", "write its types to this file instead, for the console")
	c.Flags().StringVar(&page, "markdown", "", "write it to this file instead, as a page of the documentation")
	return c
}
