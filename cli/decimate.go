package cli

import (
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"veneer/core/check"
	"veneer/core/format"
	"veneer/core/geom"
	"veneer/core/pipeline"
)

func decimateCommand() *cobra.Command {
	var flags fileFlags
	var out, size, as, level string
	var goal pipeline.Goal
	var levels bool
	var keep []string
	c := &cobra.Command{
		Use:   "decimate FILE -o OUT (--triangles N | --share 0.25 | --bytes 8MB | --deviation 0.05 | --level fine)",
		Short: "Make a part lighter, and prove that nothing was lost",
		Long: "Decimate takes triangles away where the shape does not need them. Sharp edges, open rims and the borders of bodies and colours stay;\n" +
			"what was closed stays closed, and nothing comes to pass through itself. With --deviation no point of either surface is farther from\n" +
			"the other than that, everywhere. --deviation 0 drops only what adds nothing to the shape. What was written is read back and checked.\n\n" +
			"--levels makes three levels at one go, for the printing process, and tells how light each is; --level NAME writes one.\n\n" +
			"Exit code: 0 what was written passes, 1 it does not, 2 FILE could not be read or made so light.",
		Example: "  veneer decimate hull-section.stl --levels\n  veneer decimate hull-section.stl --level even -o hull-light.stl\n  veneer decimate hull-section.stl --deviation 0.05 -o hull-light.stl\n  veneer decimate tide-dial.3mf --bytes 500kB -o dial-light.3mf",
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			set, err := flags.settings()
			if err != nil {
				return err
			}
			if out != "" {
				if set.Format, err = format.ForName(out); err != nil {
					return err
				}
			}
			if as != "" {
				if set.Format, err = format.ForName("part." + strings.TrimPrefix(as, ".")); err != nil {
					return err
				}
				if out != "" && !strings.EqualFold(filepath.Ext(out), "."+strings.TrimPrefix(as, ".")) {
					return errors.New("-o and --as name different formats")
				}
			}
			if levels {
				if out != "" {
					return errors.New("--levels writes nothing; choose one of them with --level")
				}
				return runLevels(c, args[0], set, flags.json)
			}
			given := 0
			for _, name := range []string{"triangles", "share", "bytes", "deviation", "level"} {
				if c.Flags().Changed(name) {
					given++
				}
			}
			if given != 1 {
				return errors.New("say how light: one of --triangles, --share, --bytes, --deviation and --level (--levels shows what there is)")
			}
			if size != "" {
				if goal.Bytes, err = parseBytes(size); err != nil {
					return err
				}
			}
			if level != "" {
				if goal, err = pipeline.LevelNamed(level, set.Process); err != nil {
					return err
				}
			}
			for _, text := range keep {
				box, err := parseBox(text)
				if err != nil {
					return err
				}
				goal.Keep = append(goal.Keep, box)
			}
			switch {
			case c.Flags().Changed("triangles") && goal.Triangles < 4:
				return errors.New("--triangles is 4 or more: nothing smaller encloses anything")
			case c.Flags().Changed("share") && !(goal.Share > 0 && goal.Share < 1):
				return errors.New("--share is a part of what there is, between 0 and 1")
			case !(goal.DeviationMM >= 0) || math.IsInf(goal.DeviationMM, 1):
				return errors.New("--deviation is 0 or more mm")
			case out == "":
				return errors.New("name the file to write with -o OUT")
			}
			return runDecimate(c, args[0], out, goal, set, flags.json)
		},
	}
	flags.add(c)
	c.Flags().StringVarP(&out, "output", "o", "", "file to write")
	c.Flags().IntVar(&goal.Triangles, "triangles", 0, "at most so many triangles")
	c.Flags().Float64Var(&goal.Share, "share", 0, "that share of the triangles, such as 0.25")
	c.Flags().StringVar(&size, "bytes", "", "a file of at most that size, such as 8MB or 500kB")
	c.Flags().StringVar(&as, "as", "", "format: stl, obj or 3mf (default by OUT's ending)")
	c.Flags().Float64Var(&goal.DeviationMM, "deviation", 0, "as light as it gets with no point farther off than so many mm")
	c.Flags().StringVar(&level, "level", "", "one of the levels that --levels shows")
	c.Flags().StringArrayVar(&keep, "keep", nil, "leave what lies within this box as it is: two opposite corners in mm, X,Y,Z,X,Y,Z; may be given several times")
	c.Flags().BoolVar(&levels, "levels", false, "make the levels for the process and show them; writes nothing")
	return c
}

// parseBox reads two opposite corners of a box.
func parseBox(s string) (geom.Box, error) {
	box := geom.EmptyBox()
	words := strings.Split(s, ",")
	var x [6]float64
	for i, word := range words {
		n, err := strconv.ParseFloat(strings.TrimSpace(word), 64)
		if err != nil || i > 5 || math.IsNaN(n) {
			return box, fmt.Errorf("%q is no box; write two opposite corners in mm, X,Y,Z,X,Y,Z", s)
		}
		x[i] = n
	}
	if len(words) != 6 {
		return box, fmt.Errorf("%q is no box; write two opposite corners in mm, X,Y,Z,X,Y,Z", s)
	}
	return box.Extend(geom.Vec{X: x[0], Y: x[1], Z: x[2]}).Extend(geom.Vec{X: x[3], Y: x[4], Z: x[5]}), nil
}

// parseBytes reads a size such as 8MB, 500 kB or 1200.
func parseBytes(s string) (int64, error) {
	word := strings.ToLower(strings.TrimSpace(s))
	unit := 1.0
	for _, u := range []struct {
		name  string
		bytes float64
	}{{"kb", 1e3}, {"mb", 1e6}, {"gb", 1e9}, {"b", 1}} {
		if strings.HasSuffix(word, u.name) {
			word, unit = strings.TrimSpace(strings.TrimSuffix(word, u.name)), u.bytes
			break
		}
	}
	n, err := strconv.ParseFloat(word, 64)
	if err != nil || !(n*unit >= 1) || n*unit > 1e15 {
		return 0, fmt.Errorf("%q is not a file size; write it as 8MB or 500kB", s)
	}
	return int64(n * unit), nil
}

// settled reads a part whose unit is not in doubt, for otherwise lengths mean nothing.
func settled(c *cobra.Command, path string, set pipeline.Settings) (*pipeline.Checked, error) {
	checked, err := readable(c, path, set)
	if err != nil || !checked.Report.Unit.Doubtful {
		return checked, err
	}
	printReport(os.Stderr, checked.Report)
	fmt.Fprintln(os.Stderr, "veneer: the part's unit is in doubt; set it with --unit, or take the likeliest with --answer default")
	return nil, exit{somePass}
}

func runLevels(c *cobra.Command, path string, set pipeline.Settings, asJSON bool) error {
	checked, err := settled(c, path, set)
	if err != nil {
		return err
	}
	bar := newBar(filepath.Base(path))
	defer bar.clear()
	set.Progress = bar.set
	list, err := pipeline.Suggest(c.Context(), checked, set.Process, set)
	if err != nil {
		return err
	}
	bar.clear()
	if asJSON {
		return printJSON(c.OutOrStdout(), list)
	}
	as := set.Format
	if as == "" {
		as = pipeline.Keeping(checked.Mesh)
	}
	w := c.OutOrStdout()
	fmt.Fprintf(w, "%s  %s triangles, %s as it is, for %s\n\n", text.Bold.Sprint(filepath.Base(path)), thousands(checked.Report.Geometry.Triangles), megabytes(checked.Report.File.Bytes), set.Process.Name)
	t := newTable(w)
	t.AppendHeader(table.Row{"level", "triangles", "as " + string(as), "nowhere off by more than", "what is lost"})
	for _, l := range list {
		t.AppendRow(table.Row{l.Name, thousands(l.Triangles), megabytes(l.Bytes), fmt.Sprintf("%s mm", fine(l.WithinMM)), l.Why})
	}
	t.Render()
	return nil
}

func runDecimate(c *cobra.Command, path, out string, goal pipeline.Goal, set pipeline.Settings, asJSON bool) error {
	if err := notItself(path, out); err != nil {
		return err
	}
	checked, err := settled(c, path, set)
	if err != nil {
		return err
	}
	bar := newBar(filepath.Base(path))
	defer bar.clear()
	set.Progress = bar.set
	var r *pipeline.Lightened
	err = whole(out, func(o *output) (err error) {
		set.Beside = o
		r, err = pipeline.Lighten(c.Context(), checked, goal, o, set)
		return err
	})
	if err != nil {
		return err
	}
	bar.clear()
	if asJSON {
		err = printJSON(c.OutOrStdout(), r)
	} else {
		printLightened(c.OutOrStdout(), r, out)
	}
	if err == nil && r.Verdict != check.Pass {
		err = exit{somePass}
	}
	return err
}

func printLightened(w io.Writer, r *pipeline.Lightened, out string) {
	fmt.Fprintf(w, "%s  %s triangles of %s, %s of %s\n", text.Bold.Sprint(out), thousands(r.Triangles[1]), thousands(r.Triangles[0]), megabytes(r.Bytes), megabytes(r.Before.File.Bytes))
	if r.WithinMM > 0 {
		fmt.Fprintf(w, "No point of either surface is farther than %s mm from the other.\n", fine(r.WithinMM))
	}
	for _, what := range r.Lost {
		fmt.Fprintf(w, "not carried over: %s\n", what)
	}
	fmt.Fprintln(w)
	t := newTable(w)
	t.AppendHeader(table.Row{"", "before", "after"})
	b, a := r.Before.Geometry, r.After.Geometry
	t.AppendRow(table.Row{"verdict", r.Before.Verdict, verdictColours[r.Verdict].Sprint(r.Verdict)})
	t.AppendRow(table.Row{"size mm", sizeWords(b.SizeMM), sizeWords(a.SizeMM)})
	t.AppendRow(table.Row{"volume", volumeOf(b), volumeOf(a)})
	t.AppendRow(table.Row{"deviation", "", fmt.Sprintf("%s mm measured, %s mm on average", fine(r.Deviation.Max), fine(r.Deviation.Mean))})
	t.AppendRow(table.Row{"shells", b.Shells, a.Shells})
	appendFindings(t, r.Before, r.After)
	t.Render()
}

// volumeOf is a part's volume in words.
func volumeOf(g check.Geometry) string {
	if g.VolumeMM3 == nil {
		return "none"
	}
	return volumeWords(*g.VolumeMM3)
}
