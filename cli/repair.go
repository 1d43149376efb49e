package cli

import (
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"veneer/core/check"
	"veneer/core/format"
	"veneer/core/pipeline"
	"veneer/core/repair"
	"veneer/core/repair/recast"
)

func repairCommand() *cobra.Command {
	var flags fileFlags
	var out, method string
	var plan bool
	var steps []string
	var draw recast.Settings
	c := &cobra.Command{
		Use:   "repair FILE -o OUT",
		Short: "Mend a mesh file, check the result, and write it in mm",
		Long: "Repair mends what the check finds by the lightest method, keeping the customer's triangles, writes the result,\n" +
			"reads it back and checks it. FILE itself is never changed.\n\n" +
			"What touching up leaves is fused into one skin, exactly; what that leaves is recast: a new skin is drawn around\n" +
			"whatever the surface encloses, on cells half as large as the finest detail that the process shows.\n\n" +
			"Exit code: 0 what was written passes, 1 it does not or a question is open, 2 FILE could not be read.",
		Example: "  veneer repair fog-bell.stl -o fog-bell-repaired.stl\n  veneer repair hand.stl --unit in -o hand-mm.stl\n  veneer repair fog-bell.stl --plan\n  veneer repair buoy.stl --method recast --cell 0.2 -o buoy-new.stl\n  veneer repair anchor.stl --step drop-shell=2 --step fill -o anchor-1.stl",
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			set, err := flags.settings()
			if err != nil {
				return err
			}
			if set.Method, err = repair.MethodNamed(method); err != nil {
				return err
			}
			if set.Recast = draw; draw.CellMM < 0 || draw.GapMM < 0 || draw.DetailMM < 0 || draw.ToleranceMM < 0 {
				return errors.New("lengths are 0 or more mm")
			}
			for _, text := range steps {
				order, err := repair.ParseOrder(text)
				if err != nil {
					return err
				}
				set.Orders = append(set.Orders, order)
			}
			if out == "" && !plan {
				return errors.New("name the file to write with -o OUT")
			}
			if out != "" {
				if set.Format, err = format.ForName(out); err != nil {
					return err
				}
			}
			return runRepair(c, args[0], out, set, flags.json, plan)
		},
	}
	flags.add(c)
	c.Flags().StringVarP(&out, "output", "o", "", "file to write")
	c.Flags().StringVar(&method, "method", "auto", "auto, touch-up (the customer's own triangles), fuse (one skin of all that passes through each other) or recast (a new skin around the whole); auto takes the lightest that does")
	c.Flags().Float64Var(&draw.CellMM, "cell", 0, "recast: side of a cell in mm (default half the process's finest detail)")
	c.Flags().Float64Var(&draw.GapMM, "gap", 0, "recast: close gaps up to so many mm (default the finest detail)")
	c.Flags().Float64Var(&draw.DetailMM, "smallest", 0, "recast: leave out solids and hollows up to so many mm (default the finest detail)")
	c.Flags().Float64Var(&draw.ToleranceMM, "tolerance", 0, "recast: mm by which the skin may move to become lighter (default an eighth of a cell)")
	c.Flags().StringArrayVar(&steps, "step", nil, "do this step instead, and no other; may be given several times: the name of a step of --plan, or "+repair.ByHandOrders)
	c.Flags().BoolVar(&plan, "plan", false, "print what would be done, and do nothing")
	return c
}

func runRepair(c *cobra.Command, path, out string, set pipeline.Settings, asJSON, planOnly bool) error {
	w := c.OutOrStdout()
	if err := notItself(path, out); err != nil {
		return err
	}
	bar := newBar(filepath.Base(path))
	defer bar.clear()
	set.Progress = func(stage string, done float64) { bar.set(stage, done/2) }
	checked, err := checkFile(c, path, set)
	if err != nil {
		return err
	}
	before := checked.Report
	if before.Unread != "" {
		bar.clear()
		fmt.Fprintln(os.Stderr, "veneer:", before.Unread)
		return exit{unusable}
	}
	if planOnly {
		bar.clear()
		return printPlan(w, before, set, asJSON)
	}
	if len(before.Questions) > 0 && (len(set.Orders) == 0 || before.Unit.Doubtful) { // only a person can decide: write nothing
		bar.clear()
		if asJSON {
			none := &repair.Result{Schema: repair.Schema, Method: repair.TouchUp, Verdict: before.Verdict, Steps: []repair.Step{},
				Questions: before.Questions, Before: before}
			if err := printJSON(w, none); err != nil {
				return err
			}
		} else {
			printReport(w, before)
		}
		fmt.Fprintln(os.Stderr, "veneer: a question is open; answer it with --answer, or take the defaults with --answer default")
		return exit{somePass}
	}
	set.Progress = func(stage string, done float64) { bar.set(stage, 0.5+done/2) }
	result, err := repairTo(c, checked, path, out, set)
	held := errors.Is(err, errHeld)
	if err != nil && !held {
		return err
	}
	bar.clear()
	if asJSON {
		err = printJSON(w, result)
	} else if err = nil; held {
		printReport(w, result.After)
	} else {
		printResult(w, result, out)
	}
	if held {
		fmt.Fprintln(os.Stderr, "veneer: a question is open; answer it with --answer, or take the defaults with --answer default")
	}
	if err == nil && !result.Repaired {
		err = exit{somePass}
	}
	return err
}

// errHeld says that nothing was written, for a question came up.
var errHeld = errors.New("a question is open")

// repairTo writes the repaired mesh. A file that passes already, in mm and in
// the format asked for, is copied byte by byte.
func repairTo(c *cobra.Command, checked *pipeline.Checked, path, out string, set pipeline.Settings) (result *repair.Result, err error) {
	return result, whole(out, func(o *output) error {
		set.Beside = o
		r := checked.Report
		if r.Verdict != check.Pass || len(set.Orders) > 0 || r.File.Format != string(set.Format) || r.Unit.Chosen != "mm" {
			if result, err = pipeline.Mend(c.Context(), checked, o, set); err == nil && result.Verdict == check.Hold && len(set.Orders) == 0 {
				err = errHeld
			}
			return err
		}
		src, err := os.Open(path)
		if err != nil {
			return err
		}
		defer src.Close()
		zero := 0.0
		result = &repair.Result{Schema: repair.Schema, Method: repair.TouchUp, Repaired: true, Verdict: check.Pass, Steps: []repair.Step{},
			Deviation: &repair.Deviation{}, VolumeChange: &zero, Questions: []check.Ask{}, Before: r, After: r}
		_, err = io.Copy(o, src)
		return err
	})
}

func printPlan(w io.Writer, r *check.Report, set pipeline.Settings, asJSON bool) error {
	plan := repair.Plan(r, repair.Settings{Process: set.Process, Method: set.Method, Recast: set.Recast, Orders: set.Orders})
	if asJSON {
		return printJSON(w, plan)
	}
	if len(plan) == 0 {
		fmt.Fprintf(w, "%s: nothing to do (%s)\n", r.File.Name, r.Verdict)
		return nil
	}
	t := newTable(w)
	t.AppendHeader(table.Row{"step", "what", "why", "takes about"})
	for _, s := range plan {
		takes := ""
		if s.Needs != nil {
			takes = fmt.Sprintf("%.2g s, %s", s.Needs.Seconds, fmt.Sprintf("%.0f MB", float64(s.Needs.Bytes)/1e6))
		}
		t.AppendRow(table.Row{s.Step, s.Title, s.Why, takes})
	}
	t.Render()
	for _, s := range plan {
		if len(s.With) > 0 {
			fmt.Fprintf(w, "%s is set to %s.\n", s.Step, withWords(s.With))
		}
	}
	if len(set.Orders) == 0 && (set.Method == repair.Auto || set.Method == "") {
		fmt.Fprintln(w, "What these leave is fused, and recast after that.")
	}
	return nil
}

func printResult(w io.Writer, r *repair.Result, out string) {
	if r.Repaired {
		fmt.Fprintf(w, "%s  %s  written, read back and checked\n\n", verdictColours[check.Pass].Sprint("REPAIRED"), text.Bold.Sprint(out))
	} else {
		fmt.Fprintf(w, "%s  %s  written, but it still does not pass\n\n", verdictColours[r.Verdict].Sprint("NOT REPAIRED"), text.Bold.Sprint(out))
	}
	for _, s := range r.Steps {
		detail := s.Detail
		if detail == "" {
			detail = "nothing to change"
		}
		if s.Undone != "" {
			detail = "undone: " + s.Undone
		}
		if s.Left != "" {
			detail += "; " + s.Left
		}
		fmt.Fprintf(w, "  %-16s %s\n", s.Step, wrap(detail, 19))
	}
	if len(r.Steps) == 0 {
		fmt.Fprintln(w, "  nothing to mend")
	}
	fmt.Fprintln(w)
	t := newTable(w)
	t.AppendHeader(table.Row{"", "before", "after"})
	b, a := r.Before.Geometry, r.After.Geometry
	t.AppendRow(table.Row{"verdict", r.Before.Verdict, verdictColours[r.After.Verdict].Sprint(r.After.Verdict)})
	t.AppendRow(table.Row{"size mm", sizeWords(b.SizeMM), sizeWords(a.SizeMM)})
	t.AppendRow(table.Row{"volume", volumeOf(b), volumeOf(a)})
	if d := r.Deviation; d != nil {
		t.AppendRow(table.Row{"deviation", "", fmt.Sprintf("at most %.2g mm, %.2g mm on average", d.Max, d.Mean)})
	}
	t.AppendRow(table.Row{"triangles", thousands(b.Triangles), thousands(a.Triangles)})
	t.AppendRow(table.Row{"shells", b.Shells, a.Shells})
	appendFindings(t, r.Before, r.After)
	t.Render()
}

// appendFindings adds a row for each kind of finding of two reports, notes aside.
func appendFindings(t table.Writer, before, after *check.Report) {
	counts := map[string][2]int{}
	var order []string
	for i, findings := range [][]check.Finding{before.Findings, after.Findings} {
		for _, f := range findings {
			if f.Severity == check.Note {
				continue
			}
			n, known := counts[f.Kind]
			if !known {
				order = append(order, f.Kind)
			}
			n[i] = f.Count
			counts[f.Kind] = n
		}
	}
	for _, kind := range order {
		t.AppendRow(table.Row{kind, counts[kind][0], counts[kind][1]})
	}
}

// withWords tells what a step is set to.
func withWords(with map[string]float64) string {
	var words []string
	for _, name := range slices.Sorted(maps.Keys(with)) {
		what, length := strings.CutSuffix(strings.ReplaceAll(name, "_", " "), " mm")
		if what = fmt.Sprintf("%s %.3g", what, with[name]); length {
			what += " mm"
		}
		words = append(words, what)
	}
	return strings.Join(words, ", ")
}
