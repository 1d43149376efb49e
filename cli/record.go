package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"veneer/api"
	"veneer/bureau/record"
	"veneer/client"
)

// number reads a part's or a batch's number.
func number(text, what string) (int64, error) {
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || n < 1 {
		return 0, fmt.Errorf("%q is no number of a %s", text, what)
	}
	return n, nil
}

// fetchTo writes what fetch copies to a file, whole or not at all.
func fetchTo(path string, fetch func(io.Writer) error) error {
	tmp, err := os.CreateTemp(filepath.Dir(path), ".veneer-*")
	if err != nil {
		return err
	}
	defer os.Remove(tmp.Name())
	if err := errors.Join(fetch(tmp), tmp.Chmod(0o644), tmp.Close()); err != nil {
		return err
	}
	return os.Rename(tmp.Name(), path)
}

// fetchReport is a way to fetch a report in one format.
type fetchReport func(cl *client.Client, ctx context.Context, n int64, customer bool, w io.Writer) error

// reportOf is the command that fetches the report of a part or a batch, in the format
// that the file's ending names.
func reportOf(what, example string, formats map[string]fetchReport) *cobra.Command {
	var out string
	var customer bool
	endings := strings.Join(slices.Sorted(maps.Keys(formats)), " or ")
	c := &cobra.Command{
		Use: "report " + strings.ToUpper(what) + " -o FILE", Short: "Fetch the printability report of a " + what + ", as " + endings, Args: cobra.ExactArgs(1), Example: example,
		RunE: func(c *cobra.Command, args []string) error {
			n, err := number(args[0], what)
			if err != nil {
				return err
			}
			fetch := formats[strings.ToLower(filepath.Ext(out))]
			if fetch == nil {
				return fmt.Errorf("name the file to write with -o, ending in %s", endings)
			}
			return withClient(func(cl *client.Client) error {
				return fetchTo(out, func(w io.Writer) error { return fetch(cl, c.Context(), n, customer, w) })
			})
		},
	}
	c.Flags().StringVarP(&out, "output", "o", "", "file to write, "+endings)
	c.Flags().BoolVar(&customer, "customer", false, "for the customer: without names and internal notes")
	return c
}

func reportCommand() *cobra.Command {
	return reportOf("part", "  veneer report 12 -o fog-bell.pdf\n  veneer report 12 --customer -o for-the-museum.pdf\n  veneer report 12 -o fog-bell.json",
		map[string]fetchReport{".pdf": (*client.Client).ReportPDF, ".json": (*client.Client).ReportJSON})
}

func batchReportCommand() *cobra.Command {
	return reportOf("batch", "  veneer batch report 2 -o fittings.pdf\n  veneer batch report 2 -o fittings.csv", map[string]fetchReport{
		".pdf": (*client.Client).BatchReportPDF,
		".csv": func(cl *client.Client, ctx context.Context, n int64, _ bool, w io.Writer) error {
			return cl.BatchCSV(ctx, n, w)
		},
	})
}

func searchCommand() *cobra.Command {
	q := map[string]*string{}
	var asJSON bool
	c := &cobra.Command{
		Use: "search [WORD…]", Short: "Find parts by words, finding, verdict, size and day",
		Example: "  veneer search fog bell\n  veneer search --finding open-boundary --since 2026-11-01\n  veneer search --verdict hold --customer 'Harbour Museum'",
		RunE: func(c *cobra.Command, args []string) error {
			values := queryOf(q)
			if len(args) > 0 {
				values.Set("q", strings.Join(args, " "))
			}
			return withClient(func(cl *client.Client) error {
				list, err := cl.Search(c.Context(), values)
				if err != nil {
					return err
				}
				if asJSON {
					return printJSON(c.OutOrStdout(), list)
				}
				if len(list) == 0 {
					fmt.Fprintln(c.OutOrStdout(), "nothing was found")
					return nil
				}
				t := newTable(c.OutOrStdout())
				t.AppendHeader(table.Row{"part", "file", "verdict", "size mm", "batch", "customer", "received"})
				for _, p := range list {
					t.AppendRow(table.Row{p.ID, p.Name, p.Verdict, sizeWords(p.SizeMM), p.BatchName, p.Customer, p.CreatedAt.Format("2006-01-02")})
				}
				t.Render()
				return nil
			})
		},
	}
	for name, about := range map[string]string{"finding": "kind of finding as received", "verdict": "of the newest revision", "customer": "exactly", "process": "its name", "signed": "proposed, approved or sent back",
		"least": "longest side in mm, at least", "most": "longest side in mm, at most", "since": "day, such as 2026-11-24", "until": "day"} {
		q[name] = c.Flags().String(name, "", about)
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// queryOf is a query of the flags that were given.
func queryOf(flags map[string]*string) url.Values {
	values := url.Values{}
	for name, value := range flags {
		if *value != "" {
			values.Set(name, *value)
		}
	}
	return values
}

func tokenCommand() *cobra.Command {
	var days int
	var reading bool
	c := &cobra.Command{Use: "token", Short: "Personal tokens, for programs"}
	made := &cobra.Command{
		Use: "new NAME", Short: "Make a token and print it, this once; programs give it as VENEER_TOKEN", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			return withClient(func(cl *client.Client) error {
				order := api.TokenOrder{Name: args[0], Scope: record.Everything, Days: days}
				if reading {
					order.Scope = record.Reading
				}
				t, err := cl.NewToken(c.Context(), order)
				if err == nil {
					fmt.Fprintln(c.OutOrStdout(), t.Token)
				}
				return err
			})
		},
	}
	made.Flags().IntVar(&days, "days", 90, "days that it lasts")
	made.Flags().BoolVar(&reading, "reading", false, "for looking only")
	end := &cobra.Command{
		Use: "end NUMBER", Short: "End a token", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			n, err := number(args[0], "token")
			if err != nil {
				return err
			}
			return withClient(func(cl *client.Client) error { return cl.EndToken(c.Context(), n) })
		},
	}
	c.AddCommand(made, end)
	return c
}

func withClient(do func(*client.Client) error) error {
	cl, err := signedIn()
	if err != nil {
		return err
	}
	return do(cl)
}
