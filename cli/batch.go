package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"veneer/api"
	"veneer/bureau"
	"veneer/bureau/record"
	"veneer/client"
	"veneer/core/check"
	"veneer/core/format/archive"
	"veneer/core/process"
	"veneer/core/repair"
)

func batchCommand() *cobra.Command {
	c := &cobra.Command{Use: "batch", Short: "Send batches to a service, follow them, and fetch what came of them",
		Long: "The batch commands speak to a running service (veneer serve). Sign in once with veneer login,\nor set VENEER_SERVER and VENEER_TOKEN."}
	c.AddCommand(batchSubmit(), batchList(), batchShow(), batchWatch(), batchRepair(), batchDecimate(), batchFetch(), batchReportCommand())
	return c
}

func batchSubmit() *cobra.Command {
	var s client.Submission
	var watch, asJSON bool
	c := &cobra.Command{
		Use: "submit PATH…", Short: "Send files, or all mesh files of a folder with their materials and textures, as one batch", Args: cobra.MinimumNArgs(1),
		Example: "  veneer batch submit parts/ --customer \"Harbour Museum\" --process resin --watch",
		RunE: func(c *cobra.Command, args []string) (err error) {
			if s.Paths, s.Names, err = batchFiles(args); err != nil {
				return err
			}
			cl, err := signedIn()
			if err != nil {
				return err
			}
			bar := newBar("sending")
			total := int64(1)
			for _, p := range s.Paths {
				if info, err := os.Stat(p); err == nil {
					total += info.Size()
				}
			}
			s.Progress = func(sent int64) { bar.set("sending", min(1, float64(sent)/float64(total))) }
			b, err := cl.Submit(c.Context(), s)
			bar.clear()
			if err != nil {
				return err
			}
			if watch {
				return follow(c, cl, b.ID, asJSON)
			}
			if asJSON {
				return printJSON(c.OutOrStdout(), b)
			}
			fmt.Fprintf(c.OutOrStdout(), "batch %d  %s  %s received; follow it with: veneer batch watch %d\n", b.ID, b.Name, files(len(s.Paths)), b.ID)
			return nil
		},
	}
	c.Flags().StringVarP(&s.Customer, "customer", "c", "", "who sent the files (required)")
	c.Flags().StringVarP(&s.Process, "process", "p", process.Default, "printing process")
	c.Flags().StringVarP(&s.Name, "name", "n", "", "the batch's name (default: after its first file)")
	c.Flags().StringArrayVar(&s.Expect, "expect", nil, "size that the customer stated: 120x80x40mm for all, lamp.stl=120x80x40mm for one (may be repeated)")
	c.Flags().BoolVar(&s.NoRepair, "no-repair", false, "check only, repair nothing by itself")
	c.Flags().BoolVarP(&watch, "watch", "w", false, "follow it until it is done")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	c.MarkFlagRequired("customer")
	return c
}

func files(n int) string {
	if n == 1 {
		return "1 file"
	}
	return fmt.Sprintf("%d files", n)
}

// meshFiles expands folders to the mesh files and archives below them, in order
// of name. Files that are named outright are taken whatever they are.
func meshFiles(paths []string) ([]string, error) {
	list, _, err := expand(paths, func(name string) bool { return false })
	return list, err
}

// batchFiles is meshFiles with what comes along in folders; names are the
// files' paths in their folder.
func batchFiles(paths []string) (list, names []string, err error) {
	return expand(paths, archive.Companion)
}

// patterns expands names such as *.stl that no shell has expanded; a file that
// is called so comes first.
func patterns(paths []string) (list []string) {
	for _, path := range paths {
		found, err := filepath.Glob(path)
		if _, missing := os.Lstat(path); missing == nil || err != nil || len(found) == 0 {
			found = []string{path}
		}
		list = append(list, found...)
	}
	return list
}

func expand(paths []string, also func(name string) bool) (list, names []string, err error) {
	for _, path := range patterns(paths) {
		info, err := os.Stat(path)
		if err != nil {
			return nil, nil, err
		}
		if !info.IsDir() {
			list, names = append(list, path), append(names, filepath.Base(path))
			continue
		}
		meshes := 0
		err = filepath.WalkDir(path, func(p string, d fs.DirEntry, err error) error {
			if err != nil || !d.Type().IsRegular() {
				return err
			}
			mesh := archive.Mesh(p) || strings.EqualFold(filepath.Ext(p), ".zip")
			if !mesh && !also(filepath.ToSlash(p)) {
				return nil
			}
			if mesh {
				meshes++
			}
			name, err := filepath.Rel(path, p)
			list, names = append(list, p), append(names, filepath.ToSlash(name))
			return err
		})
		if err != nil {
			return nil, nil, err
		}
		if meshes == 0 {
			return nil, nil, fmt.Errorf("%s holds no .stl, .obj, .3mf or .zip file", path)
		}
	}
	return list, names, nil
}

func batchList() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "list", Short: "List the newest batches", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, args []string) error {
			cl, err := signedIn()
			if err != nil {
				return err
			}
			list, err := cl.Batches(c.Context())
			if err != nil {
				return err
			}
			if asJSON {
				return printJSON(c.OutOrStdout(), list)
			}
			t := newTable(c.OutOrStdout())
			t.AppendHeader(table.Row{"batch", "name", "customer", "process", "received (UTC)", "parts", "state"})
			for _, b := range list {
				t.AppendRow(table.Row{b.ID, text.Snip(b.Name, 36, "…"), text.Snip(b.Customer, 28, "…"), b.Process, b.CreatedAt.Format("2006-01-02 15:04"), b.Counts.Parts, countWords(b.Counts)})
			}
			t.Render()
			return nil
		}}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

// countWords is "4 pass, 2 repaired, 1 hold"; what is zero is left out.
func countWords(c record.Counts) string {
	var words []string
	for _, w := range []struct {
		n    int
		what string
	}{{c.Waiting, "at work"}, {c.Pass, "pass"}, {c.Repaired, "repaired"}, {c.Repair, "need repair"}, {c.Hold, "on hold"}, {c.Reject, "rejected"}, {c.Failed, "failed"}} {
		if w.n > 0 {
			words = append(words, fmt.Sprintf("%d %s", w.n, w.what))
		}
	}
	return strings.Join(words, ", ")
}

func batchShow() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "show BATCH", Short: "Show a batch and its parts", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			cl, id, err := signedInFor(args[0])
			if err != nil {
				return err
			}
			b, err := cl.Batch(c.Context(), id)
			if err != nil {
				return err
			}
			return show(c.OutOrStdout(), b, asJSON)
		}}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

func show(w io.Writer, b api.BatchWithParts, asJSON bool) error {
	if asJSON {
		return printJSON(w, b)
	}
	fmt.Fprintf(w, "%s  batch %d, %s, %s\n%s\n\n", text.Bold.Sprint(b.Batch.Name), b.Batch.ID, b.Batch.Customer, b.Batch.Process, countWords(b.Batch.Counts))
	t := newTable(w)
	t.AppendHeader(table.Row{"part", "file", "verdict", "size mm", "triangles", "found in the file as received"})
	t.SetColumnConfigs([]table.ColumnConfig{{Number: 5, Align: text.AlignRight}, {Number: 6, WidthMax: max(width()-80, 24), WidthMaxEnforcer: text.WrapSoft}})
	for _, p := range b.Parts {
		size, triangles := "", ""
		if p.Triangles > 0 {
			size, triangles = sizeWords(p.SizeMM), thousands(p.Triangles)
		}
		t.AppendRow(table.Row{p.ID, text.Snip(p.Name, 30, "…"), partWords(p), size, triangles, rowWords(p)})
	}
	t.Render()
	return nil
}

func partWords(p record.Part) string {
	switch p.State {
	case record.PartWaiting:
		return "waiting"
	case record.PartWorking:
		return fmt.Sprintf("%s %.0f %%", p.Stage, 100*p.Progress)
	case record.PartFailed:
		return text.FgRed.Sprint("failed")
	}
	v := verdictColours[check.Verdict(p.Verdict)].Sprint(p.Verdict)
	if p.Current > 0 {
		v += fmt.Sprintf(" (r%d)", p.Current)
	}
	return v
}

func rowWords(p record.Part) string {
	if p.Problem != "" {
		return strings.TrimLeft(strings.TrimPrefix(p.Problem, p.Name), ",: ")
	}
	var words []string
	for _, f := range p.Findings {
		if f.Severity != check.Note {
			words = append(words, fmt.Sprintf("%d %s", f.Count, f.Kind))
		}
	}
	return strings.Join(words, ", ")
}

func batchWatch() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "watch BATCH", Short: "Follow a batch until it is done", Args: cobra.ExactArgs(1),
		Long: "Watch shows a batch's progress until nothing of it waits or runs, then shows its parts.\n\nExit code: 0 every part passes, 1 some do not.",
		RunE: func(c *cobra.Command, args []string) error {
			cl, id, err := signedInFor(args[0])
			if err != nil {
				return err
			}
			return follow(c, cl, id, asJSON)
		}}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON when it is done")
	return c
}

func batchRepair() *cobra.Command {
	var part int64
	var from int
	var method string
	var steps []string
	var watch, asJSON bool
	c := &cobra.Command{Use: "repair BATCH", Short: "Have all parts of a batch mended that call for it, or one part in a way of your own", Args: cobra.ExactArgs(1),
		Long: "Repair mends every part whose newest revision still has errors; parts with an open question wait for their answer.\n" +
			"With --part it mends that part only, from any revision, and with --step by single steps: " + repair.ByHandOrders + ".\n" +
			"Each repair makes a new revision; none is ever taken away.",
		Example: "  veneer batch repair 3 --watch\n  veneer batch repair 3 --part 12 --from 1 --step drop-shell=2 --step fill",
		RunE: func(c *cobra.Command, args []string) error {
			cl, id, err := signedInFor(args[0])
			if err != nil {
				return err
			}
			n := 1
			switch {
			case part != 0 && method != "":
				if len(steps) > 0 {
					return errors.New("--method or --step, not both")
				}
				err = cl.RepairBy(c.Context(), part, from, method)
			case part != 0:
				err = cl.Repair(c.Context(), part, from, steps...)
			case len(steps) > 0 || from != 0 || method != "":
				err = errors.New("--from, --method and --step are for one part; name it with --part")
			default:
				n, err = cl.RepairBatch(c.Context(), id)
			}
			if err != nil {
				return err
			}
			if watch {
				return follow(c, cl, id, asJSON)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s being mended; follow with: veneer batch watch %d\n", counted(n, "part"), id)
			return nil
		}}
	c.Flags().Int64Var(&part, "part", 0, "mend this part only, by its number")
	c.Flags().IntVar(&from, "from", 0, "revision to start from")
	c.Flags().StringVar(&method, "method", "", "mend by touch-up, fuse or recast, whatever would do; revisions from one parent stand side by side")
	c.Flags().StringArrayVar(&steps, "step", nil, "do this step instead, and no other (may be repeated)")
	c.Flags().BoolVarP(&watch, "watch", "w", false, "follow the batch until it is done")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON when it is done")
	return c
}

func batchDecimate() *cobra.Command {
	var above int
	var within float64
	var watch, asJSON bool
	c := &cobra.Command{Use: "decimate BATCH --above N", Short: "Have all heavy parts of a batch made lighter", Args: cobra.ExactArgs(1),
		Long: "Decimate makes every part lighter whose newest revision has more than N triangles: to N, or with --deviation as light as it gets\n" +
			"with no point farther off than that. Parts whose unit is in doubt wait. Each makes a new revision; none is ever taken away.",
		Example: "  veneer batch decimate 3 --above 500000 --watch\n  veneer batch decimate 3 --above 50000 --deviation 0.05",
		RunE: func(c *cobra.Command, args []string) error {
			if above < 4 {
				return errors.New("say above how many triangles a part is too heavy with --above N")
			}
			cl, id, err := signedInFor(args[0])
			if err != nil {
				return err
			}
			n, err := cl.LightenBatch(c.Context(), id, above, within)
			if err != nil {
				return err
			}
			if watch {
				return follow(c, cl, id, asJSON)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s being made lighter; follow with: veneer batch watch %d\n", counted(n, "part"), id)
			return nil
		}}
	c.Flags().IntVar(&above, "above", 0, "parts of more triangles than that are too heavy")
	c.Flags().Float64Var(&within, "deviation", 0, "as light as they get with no point farther off than so many mm, instead of to N triangles")
	c.Flags().BoolVarP(&watch, "watch", "w", false, "follow the batch until it is done")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON when it is done")
	return c
}

func follow(c *cobra.Command, cl *client.Client, id int64, asJSON bool) error {
	bar := newBar("waiting")
	err := cl.WatchUntilDone(c.Context(), id, func(b api.BatchWithParts) {
		counts := b.Batch.Counts
		bar.set(fmt.Sprintf("%d of %d done", counts.Parts-counts.Waiting, counts.Parts), counts.Progress)
	})
	bar.clear()
	if err != nil {
		return err
	}
	b, err := cl.Batch(c.Context(), id)
	if err != nil {
		return err
	}
	if err := show(c.OutOrStdout(), b, asJSON); err != nil {
		return err
	}
	if n := b.Batch.Counts; n.Pass+n.Repaired < n.Parts {
		return exit{somePass}
	}
	return nil
}

func batchFetch() *cobra.Command {
	var dir string
	c := &cobra.Command{Use: "fetch BATCH", Short: "Download the newest revision and the report of every part", Args: cobra.ExactArgs(1),
		Long:    "Fetch writes, for every part of a batch, its newest revision and the report of that revision as JSON.\nFiles that are there already are not overwritten.",
		Example: "  veneer batch fetch 3 -o from-veneer/",
		RunE: func(c *cobra.Command, args []string) error {
			cl, id, err := signedInFor(args[0])
			if err != nil {
				return err
			}
			if dir == "" {
				dir = "batch-" + args[0]
			}
			return fetch(c.Context(), c.OutOrStdout(), cl, id, dir)
		}}
	c.Flags().StringVarP(&dir, "output", "o", "", "folder to write to (default: batch-N)")
	return c
}

func fetch(ctx context.Context, w io.Writer, cl *client.Client, id int64, dir string) error {
	b, err := cl.Batch(ctx, id)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	taken := map[string]bool{}
	for _, p := range b.Parts {
		part, err := cl.Part(ctx, p.ID)
		if err != nil {
			return err
		}
		r := part.Revisions[p.Current]
		name := bureau.ShownName(r.FileName) // names come from customers: never a path
		if taken[strings.ToLower(name)] {
			name = fmt.Sprintf("%d-%s", p.ID, name)
		}
		taken[strings.ToLower(name)] = true
		if err := save(ctx, cl, p.ID, r.Number, "file", filepath.Join(dir, name)); err != nil {
			return err
		}
		if r.Verdict != "" {
			if err := save(ctx, cl, p.ID, r.Number, "report", filepath.Join(dir, name+".report.json")); err != nil {
				return err
			}
		}
		fmt.Fprintf(w, "%-8s %s\n", r.Verdict, filepath.Join(dir, name))
	}
	return nil
}

func save(ctx context.Context, cl *client.Client, part int64, number int, thing, path string) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if errors.Is(err, fs.ErrExist) {
		return fmt.Errorf("%s is there already; fetch into another folder with -o", path)
	}
	if err != nil {
		return err
	}
	if err := errors.Join(cl.Fetch(ctx, part, number, thing, f), f.Close()); err != nil {
		os.Remove(path)
		return err
	}
	return nil
}

func signedInFor(batch string) (*client.Client, int64, error) {
	id, err := strconv.ParseInt(batch, 10, 64)
	if err != nil {
		return nil, 0, fmt.Errorf("%q is no batch number; veneer batch list shows them", batch)
	}
	cl, err := signedIn()
	return cl, id, err
}
