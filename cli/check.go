package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"veneer/bureau"
	"veneer/core/check"
	"veneer/core/format/archive"
	"veneer/core/format/file"
	"veneer/core/pipeline"
	"veneer/core/process"
	"veneer/core/unit"
)

// fileFlags are what check and repair have in common.
type fileFlags struct {
	process, unit, expect string
	answers               []string
	json                  bool
}

func (f *fileFlags) add(c *cobra.Command) {
	c.Flags().StringVarP(&f.process, "process", "p", process.Default, "printing process: colour, filament, metal, powder or resin, or a JSON file of one")
	c.Flags().StringVarP(&f.unit, "unit", "u", "", "unit of the file's numbers (mm, cm, m, in, ft, um) when you know it")
	c.Flags().StringVar(&f.expect, "expect", "", "size that the customer stated, such as 120x80x40mm or 120mm")
	c.Flags().StringArrayVar(&f.answers, "answer", nil, "answer to a question, such as "+check.CutShort+"="+check.Use+", or default to take the default of every question (may be repeated)")
	c.Flags().BoolVar(&f.json, "json", false, "print JSON")
}

func (f *fileFlags) settings() (pipeline.Settings, error) {
	p, err := processOf(f.process)
	if err != nil {
		return pipeline.Settings{}, err
	}
	if f.unit != "" {
		if _, err := unit.Millimetres(f.unit); err != nil {
			return pipeline.Settings{}, err
		}
	}
	expect, err := unit.ParseSize(f.expect)
	set := pipeline.Settings{Process: p, Unit: f.unit, ExpectMM: expect, Limits: file.DefaultLimits(), Now: time.Now}
	return set, errors.Join(err, takeAnswers(&set, f.answers))
}

// takeAnswers reads the values of --answer: the word default, or answers to
// questions by their ids.
func takeAnswers(set *pipeline.Settings, answers []string) error {
	for _, a := range answers {
		question, answer, both := strings.Cut(a, "=")
		switch {
		case a == "default":
			set.TakeDefaults = true
		case !both:
			return fmt.Errorf("--answer takes the word default, or a question and its answer such as %s=%s, not %q", check.CutShort, check.Use, a)
		case question == "unit":
			if _, err := unit.Millimetres(answer); err != nil {
				return err
			}
			set.Unit = answer
		default:
			if set.Answers == nil {
				set.Answers = map[string]string{}
			}
			set.Answers[question] = answer
		}
	}
	return nil
}

func checkCommand() *cobra.Command {
	var flags fileFlags
	var lines bool
	c := &cobra.Command{
		Use:   "check PATH…",
		Short: "Say whether mesh files print, and if not, why",
		Long: "Check reads STL, OBJ and 3MF files, and those in folders and zip archives, and reports everything that is wrong with each, with one verdict:\n" +
			"pass, repair (errors that can be mended), hold (a question only you can answer) or reject.\n\n" +
			"Exit code: 0 all pass, 1 some do not, 2 some could not be read.",
		Example: "  veneer check fog-bell.stl\n  veneer check parts/ late.zip --process resin\n  veneer check hand.stl --unit in --json",
		Args:    cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			set, err := flags.settings()
			if err != nil {
				return err
			}
			return runCheck(c, args, set, flags.json, lines)
		},
	}
	flags.add(c)
	c.Flags().BoolVar(&lines, "jsonl", false, "print one line of JSON for each file")
	return c
}

func runCheck(c *cobra.Command, paths []string, set pipeline.Settings, asJSON, asLines bool) error {
	out := c.OutOrStdout()
	paths, clean, err := unpacked(paths, set.Limits)
	defer clean()
	if err != nil {
		return err
	}
	reports := make([]*check.Report, len(paths))
	run := func(i int) error {
		bar := newBar(filepath.Base(paths[i]))
		defer bar.clear()
		set.Progress = bar.set
		checked, err := checkFile(c, paths[i], set)
		if err == nil {
			reports[i] = checked.Report
		}
		return err
	}
	for i := range paths {
		if err := run(i); err != nil {
			return err
		}
	}
	for i, r := range reports { // files that are unclear alone may be clear by their sisters
		if r.Unread != "" || !r.Unit.Doubtful {
			continue
		}
		if set.Sisters = sisters(reports, i); len(set.Sisters) > 0 {
			if err := run(i); err != nil {
				return err
			}
		}
	}
	code := allPass
	for _, r := range reports {
		if r.Unread != "" {
			code = unusable
		} else if r.Verdict != check.Pass {
			code = max(code, somePass)
		}
		if asLines {
			if err := json.NewEncoder(out).Encode(r); err != nil {
				return err
			}
		}
	}
	switch {
	case asLines:
	case asJSON && len(reports) == 1:
		if err := printJSON(out, reports[0]); err != nil {
			return err
		}
	case asJSON:
		if err := printJSON(out, reports); err != nil {
			return err
		}
	case len(reports) == 1:
		printReport(out, reports[0])
	default:
		printReports(out, reports)
	}
	if code != allPass {
		return exit{code}
	}
	return nil
}

// unpacked expands folders to the mesh files below them, and archives to those
// in them, unpacked to a folder of their own that clean removes.
func unpacked(paths []string, limits file.Limits) (list []string, clean func(), err error) {
	var folders []string
	clean = func() {
		for _, f := range folders {
			os.RemoveAll(f)
		}
	}
	if paths, err = meshFiles(paths); err != nil {
		return nil, clean, err
	}
	for _, path := range paths {
		f, err := os.Open(path)
		if err != nil {
			return nil, clean, err
		}
		info, err := f.Stat()
		if src := (file.Source{Name: filepath.Base(path), R: f}); err == nil && info.Mode().IsRegular() {
			if src.Size = info.Size(); archive.Is(src) {
				var dir string
				if dir, err = os.MkdirTemp("", "veneer-zip-"); err == nil {
					folders = append(folders, dir)
					var files []string
					files, err = unpackTo(dir, src, limits)
					list = append(list, files...)
				}
			} else {
				list = append(list, path)
			}
		}
		f.Close()
		if err != nil {
			return nil, clean, err
		}
	}
	return list, clean, nil
}

// unpackTo unpacks an archive. Its folders are made below dir, under names made
// fit to be shown, so that files find what they name beside them.
func unpackTo(dir string, src file.Source, limits file.Limits) (files []string, err error) {
	root, err := os.OpenRoot(dir) // whatever names say, nothing lands elsewhere
	if err != nil {
		return nil, err
	}
	defer root.Close()
	return files, archive.Walk(src, limits, func(name string, r io.Reader) error {
		var within []string
		for _, word := range strings.Split(name, "/") {
			within = append(within, bureau.ShownName(word))
		}
		path := filepath.Join(within...)
		if err := root.MkdirAll(filepath.Dir(path), 0o700); err != nil {
			return err
		}
		f, err := root.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
		if err != nil {
			return err
		}
		_, err = io.Copy(f, r)
		if archive.Mesh(name) {
			files = append(files, filepath.Join(dir, path))
		}
		return errors.Join(err, f.Close())
	})
}

// sisters are the clues of the files of the same kind as file i.
func sisters(reports []*check.Report, i int) (list []unit.Clues) {
	family := func(r *check.Report) string { return strings.SplitN(r.File.Format, "-", 2)[0] }
	for j, r := range reports {
		if j != i && r.Unread == "" && r.Unit.Clues != nil && family(r) == family(reports[i]) {
			list = append(list, *r.Unit.Clues)
		}
	}
	return list
}

func checkFile(c *cobra.Command, path string, set pipeline.Settings) (*pipeline.Checked, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	if info.IsDir() {
		return nil, fmt.Errorf("%s is a folder; name a file in it", path)
	}
	return pipeline.Check(c.Context(), file.Source{Name: filepath.Base(path), R: f, Size: info.Size(), Beside: beside(path)}, set)
}

// beside opens files in the folder of another and below it: under the path
// that a mesh file names, or else under its last element alone.
func beside(path string) func(string) (io.ReadCloser, error) {
	return func(name string) (io.ReadCloser, error) {
		root, err := os.OpenRoot(filepath.Dir(path)) // nothing outside of it, links included
		if err != nil {
			return nil, err
		}
		defer root.Close()
		f, err := root.Open(filepath.FromSlash(name))
		if err != nil {
			f, err = root.Open(file.BaseName(name))
		}
		if err != nil {
			return nil, err
		}
		if info, err := f.Stat(); err != nil || !info.Mode().IsRegular() {
			f.Close()
			return nil, fmt.Errorf("%s is no plain file", name)
		}
		return f, nil
	}
}

// bar is a progress bar on a terminal, and nothing anywhere else.
type bar struct{ *progressbar.ProgressBar }

func newBar(name string) bar {
	return bar{progressbar.NewOptions(1000, progressbar.OptionSetWriter(os.Stderr),
		progressbar.OptionSetVisibility(term.IsTerminal(int(os.Stderr.Fd()))),
		progressbar.OptionSetDescription(name), progressbar.OptionSetWidth(24), progressbar.OptionClearOnFinish(),
		progressbar.OptionThrottle(80*time.Millisecond), progressbar.OptionSetElapsedTime(true), progressbar.OptionSetPredictTime(true))}
}

func (b bar) set(stage string, done float64) {
	b.Describe(stage)
	b.Set(int(done * 1000))
}

func (b bar) clear() { b.Clear() }

var verdictColours = map[check.Verdict]text.Colors{
	check.Pass: {text.FgGreen, text.Bold}, check.Repair: {text.FgYellow, text.Bold},
	check.Hold: {text.FgCyan, text.Bold}, check.Reject: {text.FgHiRed, text.Bold},
}

var severityColours = map[check.Severity]text.Colors{
	check.Error: {text.FgHiRed}, check.Warning: {text.FgYellow}, check.Question: {text.FgCyan}, check.Note: {text.Faint},
}

var verdictWords = map[check.Verdict]string{
	check.Pass:   "no errors found",
	check.Repair: "it has errors; try: veneer repair",
	check.Hold:   "a question is open",
	check.Reject: "nothing printable can be made of it",
}

// printReport is the report of one file: verdict first, then what it is, then
// the findings with their reasons, worst first.
func printReport(w io.Writer, r *check.Report) {
	fmt.Fprintf(w, "%s  %s  %s\n", verdictColours[r.Verdict].Sprint(strings.ToUpper(string(r.Verdict))), text.Bold.Sprint(r.File.Name), verdictWords[r.Verdict])
	if r.Unread != "" {
		fmt.Fprintf(w, "\n  %s\n", wrap(r.Unread, 2))
		return
	}
	g := r.Geometry
	row := func(name, format string, a ...any) {
		fmt.Fprintf(w, "  %-10s %s\n", name, wrap(fmt.Sprintf(format, a...), 13))
	}
	fmt.Fprintln(w)
	row("size", "%s mm", sizeWords(g.SizeMM))
	row("unit", "%s", unitWords(r.Unit))
	row("surface", "%s", surfaceWords(g))
	if g.VolumeMM3 != nil {
		row("volume", "%s, area %.4g cm²", volumeWords(*g.VolumeMM3), g.AreaMM2/100)
	} else {
		row("volume", "none: the surface is not closed and consistent; area %.4g cm²", g.AreaMM2/100)
	}
	if m := r.Material; m != nil {
		row("material", "%.4g g of %s if printed solid, priced %.2f", m.Grams, r.Process, m.Price)
	}
	row("mesh", "%s triangles, %s vertices, %s, %s", thousands(g.Triangles), thousands(g.Vertices), r.File.Format, megabytes(r.File.Bytes))
	if len(r.Findings) == 0 {
		fmt.Fprintf(w, "\n  no findings for %s\n", r.Process)
		return
	}
	fmt.Fprintln(w)
	for _, severity := range []check.Severity{check.Question, check.Error, check.Warning, check.Note} {
		for _, f := range r.Findings {
			if f.Severity == severity {
				fmt.Fprintf(w, "  %s  %-20s %s\n", severityColours[severity].Sprintf("%-8s", severity), f.Kind, wrap(f.Summary, 33))
				if len(f.Places) > 0 && severity != check.Note {
					p := f.Places[0]
					first := "at"
					if f.PlacesTotal > 1 {
						first = "largest at"
					}
					fmt.Fprintf(w, "%33s%s\n", "", text.Faint.Sprint(wrap(fmt.Sprintf("%s %.4g, %.4g, %.4g mm, %.3g mm across", first, p.AtMM[0], p.AtMM[1], p.AtMM[2], p.SizeMM), 33)))
				}
			}
		}
	}
	for _, q := range r.Questions {
		fmt.Fprintf(w, "\n  %s\n", text.Bold.Sprint(q.Text))
		if q.ID != unitQuestion { // the candidates say it
			for _, e := range q.Evidence {
				fmt.Fprintf(w, "    %s\n", wrap(e, 4))
			}
		}
		width := 0
		for _, choice := range q.Choices {
			width = max(width, len(q.ID)+len(choice.Answer))
		}
		for _, choice := range q.Choices {
			effect := choice.Effect
			if choice.Answer == q.Default {
				effect += " (unless you say otherwise)"
			}
			fmt.Fprintf(w, "    --answer %-*s  %s\n", width+1, q.ID+"="+choice.Answer, wrap(effect, width+17))
		}
	}
	fmt.Fprintln(w)
	fmt.Fprintf(w, "  %s\n", text.Faint.Sprint("veneer explain KIND tells what a finding is and does to a print"))
}

// unitQuestion is the question in which unit a file is.
const unitQuestion = "unit"

func volumeWords(mm3 float64) string {
	if mm3 > -100 && mm3 < 100 {
		return fmt.Sprintf("%.4g mm³", mm3)
	}
	return fmt.Sprintf("%.5g cm³", mm3/1000)
}

func sizeWords(s [3]float64) string { return fmt.Sprintf("%.4g × %.4g × %.4g", s[0], s[1], s[2]) }

func unitWords(e unit.Estimate) string {
	words := e.Chosen
	if e.Declared != nil {
		words += ", as the file says"
	}
	if e.Confidence < 0.995 {
		words += fmt.Sprintf(" (%.0f %%)", 100*e.Confidence)
	}
	if len(e.Candidates) > 0 && len(e.Candidates[0].Evidence) > 0 {
		words += ": " + e.Candidates[0].Evidence[0]
	}
	return words
}

func surfaceWords(g check.Geometry) string {
	words := "open"
	switch {
	case g.Oriented:
		words = "closed and consistent"
	case g.Watertight:
		words = "closed, but triangles face both ways"
	}
	shells := "1 shell"
	if g.Shells != 1 {
		shells = fmt.Sprintf("%d shells", g.Shells)
	}
	words += ", " + shells
	if g.Genus != nil && *g.Genus > 0 {
		words += fmt.Sprintf(", %d through-holes", *g.Genus)
		if *g.Genus == 1 {
			words = strings.TrimSuffix(words, "s")
		}
	}
	return words
}

// printReports is a table of several files, one line each.
func printReports(w io.Writer, reports []*check.Report) {
	t := newTable(w)
	t.AppendHeader(table.Row{"verdict", "file", "size mm", "triangles", "findings"})
	t.SetColumnConfigs([]table.ColumnConfig{{Number: 4, Align: text.AlignRight}, {Number: 5, WidthMax: max(width()-75, 24), WidthMaxEnforcer: text.WrapSoft},
		{Number: 2, WidthMax: 28, WidthMaxEnforcer: text.WrapHard}})
	for _, r := range reports {
		verdict := verdictColours[r.Verdict].Sprint(r.Verdict)
		if r.Unread != "" {
			_, why, _ := strings.Cut(r.Unread, ": ")
			t.AppendRow(table.Row{verdict, r.File.Name, "", "", why})
			continue
		}
		t.AppendRow(table.Row{verdict, r.File.Name, sizeWords(r.Geometry.SizeMM), thousands(r.Geometry.Triangles), findingWords(r)})
	}
	t.Render()
}

func findingWords(r *check.Report) string {
	var words []string
	for _, f := range r.Findings {
		if f.Severity == check.Note {
			continue
		}
		if f.Count == 1 {
			words = append(words, f.Kind)
		} else {
			words = append(words, fmt.Sprintf("%d %s", f.Count, f.Kind))
		}
	}
	return strings.Join(words, ", ")
}
