// Package cli is the command line: it reads flags, calls the core or a
// service, and prints tables for people or JSON for programs.
package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"strings"
	"syscall"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
	"golang.org/x/term"
)

// Exit codes: 0 all is well, 1 some parts do not pass, 2 the command was used
// wrongly or a file could not be read.
const (
	allPass  = 0
	somePass = 1
	unusable = 2
)

// exit ends the command with a code other than 2, its message printed already.
type exit struct{ code int }

func (e exit) Error() string { return fmt.Sprintf("exit code %d", e.code) }

// Main runs the command line and returns the exit code. Interrupt and
// terminate cancel what runs; a second one ends at once.
func Main(args []string) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	context.AfterFunc(ctx, stop)
	if !term.IsTerminal(int(os.Stdout.Fd())) {
		text.DisableColors()
	}
	root := &cobra.Command{
		Use:           "veneer",
		Short:         "Check, repair and record mesh files for 3D printing",
		Long:          "Veneer checks STL, OBJ and 3MF files, repairs them, and keeps the record.\n\ncheck, layers, compare, repair, convert and explain work on plain files; serve runs the service that the batch commands and the console use.",
		SilenceErrors: true,
		SilenceUsage:  true,
	}
	root.CompletionOptions.HiddenDefaultCmd = true
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		return fmt.Errorf("%w; see %s --help", err, c.CommandPath())
	})
	root.AddCommand(checkCommand(), compareCommand(), layersCommand(), explainCommand(), describeCommand(), reportCommand(), searchCommand(), auditCommand(), processCommand(), tokenCommand(), backupCommand(), restoreCommand(), vaultCommand(), pictureCommand(), repairCommand(), decimateCommand(), convertCommand(), batchCommand(), loginCommand(), serveCommand(), demoCommand(), taskCommand())
	root.SetArgs(args)
	err := root.ExecuteContext(ctx)
	var e exit
	switch {
	case err == nil:
		return allPass
	case errors.As(err, &e):
		return e.code
	case errors.Is(err, context.Canceled):
		fmt.Fprintln(os.Stderr, "veneer: stopped")
		return 130
	}
	fmt.Fprintln(os.Stderr, "veneer:", err)
	return unusable
}

func printJSON(w io.Writer, v any) error {
	e := json.NewEncoder(w)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

// newTable is a table in our style, as wide as the terminal at most.
func newTable(w io.Writer) table.Writer {
	t := table.NewWriter()
	t.SetOutputMirror(w)
	style := table.StyleLight
	style.Options = table.Options{SeparateHeader: true}
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	if term.IsTerminal(int(os.Stdout.Fd())) {
		t.Style().Size.WidthMax = width()
	}
	return t
}

// width is how many characters fit on a line of standard output.
func width() int {
	if w, _, err := term.GetSize(int(os.Stdout.Fd())); err == nil && w >= 40 {
		return min(w, 140)
	}
	return 140
}

// wrap breaks text into lines, each after the first indented.
func wrap(s string, indent int) string {
	return strings.ReplaceAll(text.WrapSoft(s, max(width()-indent, 30)), "\n", "\n"+strings.Repeat(" ", indent))
}

func megabytes(n int64) string {
	switch {
	case n < 10_000:
		return fmt.Sprintf("%d B", n)
	case n < 1_000_000:
		return fmt.Sprintf("%.0f kB", float64(n)/1e3)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}

// thousands groups a number's digits: 1 234 567.
func thousands(n int) string {
	s := fmt.Sprint(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "\u202f" + s[i:]
	}
	return s
}
