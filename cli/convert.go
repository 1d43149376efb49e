package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"veneer/core/format"
	"veneer/core/format/file"
	"veneer/core/pipeline"
)

func convertCommand() *cobra.Command {
	var flags fileFlags
	var asText bool
	c := &cobra.Command{
		Use:   "convert IN OUT",
		Short: "Write a mesh file in another format, in mm, and prove that nothing changed",
		Long: "Convert reads IN, settles its unit, and writes it as OUT's ending says: .stl, .obj (with its .mtl and textures when there are colours) or .3mf.\n" +
			"What was written is read back and compared corner by corner. What the new format cannot hold is said.\n\n" +
			"Exit code: 0 written and the same, 1 written but triangles lost their area to the format's precision, or a question is open, 2 unreadable.",
		Example: "  veneer convert tide-dial.3mf tide-dial.stl\n  veneer convert hand.stl hand.3mf --unit in",
		Args:    cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			set, err := flags.settings()
			if err != nil {
				return err
			}
			if set.Format, err = format.ForName(args[1]); err != nil {
				return err
			}
			if asText {
				if set.Format != file.STLBinary {
					return errors.New("--text is for .stl")
				}
				set.Format = file.STLASCII
			}
			return runConvert(c, args[0], args[1], set, flags.json)
		},
	}
	flags.add(c)
	c.Flags().BoolVar(&asText, "text", false, "write text STL instead of binary")
	return c
}

// readable checks a file that a command goes on with, a bar telling how far it
// is; a file that cannot be read ends the command.
func readable(c *cobra.Command, path string, set pipeline.Settings) (*pipeline.Checked, error) {
	bar := newBar(filepath.Base(path))
	defer bar.clear()
	set.Progress = bar.set
	checked, err := checkFile(c, path, set)
	if err == nil && checked.Report.Unread != "" {
		bar.clear()
		fmt.Fprintln(os.Stderr, "veneer:", checked.Report.Unread)
		return nil, exit{unusable}
	}
	return checked, err
}

func runConvert(c *cobra.Command, in, out string, set pipeline.Settings, asJSON bool) error {
	if err := notItself(in, out); err != nil {
		return err
	}
	checked, err := readable(c, in, set)
	if err != nil {
		return err
	}
	r := checked.Report
	if len(r.Questions) > 0 {
		printReport(os.Stderr, r)
		fmt.Fprintln(os.Stderr, "veneer: a question is open; answer it with --answer, or take the defaults with --answer default")
		return exit{somePass}
	}
	var done *pipeline.Conversion
	err = whole(out, func(o *output) (err error) {
		set.Beside = o
		done, err = pipeline.Convert(c.Context(), checked, o, filepath.Base(out), set)
		return err
	})
	if err != nil {
		return err
	}
	if asJSON {
		if err := printJSON(c.OutOrStdout(), done); err != nil {
			return err
		}
	} else {
		fmt.Fprintf(c.OutOrStdout(), "%s  %s, %s triangles in mm, read back and the same\n", text.Bold.Sprint(out), done.Format, thousands(done.Triangles))
		for _, what := range done.Lost {
			fmt.Fprintf(c.OutOrStdout(), "  not carried over: %s\n", what)
		}
	}
	if done.Folded > 0 {
		fmt.Fprintf(os.Stderr, "veneer: %d triangles are so thin that the precision of %s leaves them without area; write .3mf or .obj to keep them\n", done.Folded, done.Format)
		return exit{somePass}
	}
	return nil
}
