package cli

import (
	"fmt"
	"io"
	"math"
	"path/filepath"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"veneer/core/pipeline"
)

func compareCommand() *cobra.Command {
	var flags fileFlags
	c := &cobra.Command{
		Use:   "compare A B",
		Short: "Say how far two mesh files are apart, and what else differs",
		Long: "Compare measures how far the surfaces of A and B are from each other, both ways, by many samples and all vertices, where they\n" +
			"lie in the same place, and puts their measures and findings side by side. --unit and --answer go for both.\n\n" +
			"Exit code: 0 both were read, 2 one could not be.",
		Example: "  veneer compare fog-bell.stl fog-bell-repaired.stl",
		Args:    cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			set, err := flags.settings()
			if err != nil {
				return err
			}
			a, err := readable(c, args[0], set)
			if err != nil {
				return err
			}
			b, err := readable(c, args[1], set)
			if err != nil {
				return err
			}
			r, err := pipeline.Compare(c.Context(), a, b)
			if err != nil {
				return err
			}
			if flags.json {
				return printJSON(c.OutOrStdout(), r)
			}
			printComparison(c.OutOrStdout(), r, filepath.Base(args[0]), filepath.Base(args[1]))
			return nil
		},
	}
	flags.add(c)
	return c
}

func printComparison(w io.Writer, r *pipeline.Comparison, a, b string) {
	d := r.Deviation
	if d.Max < 1e-6 { // rounding
		fmt.Fprintf(w, "%s and %s lie on one another\n\n", text.Bold.Sprint(a), text.Bold.Sprint(b))
	} else {
		fmt.Fprintf(w, "%s and %s are at most %s mm apart\n", text.Bold.Sprint(a), text.Bold.Sprint(b), fine(d.Max))
		fmt.Fprintf(w, "at %.4g, %.4g, %.4g mm; 99 %% within %s mm, %s mm on average\n\n", d.AtMM[0], d.AtMM[1], d.AtMM[2], fine(d.P99), fine(d.Mean))
	}
	t := newTable(w)
	t.AppendHeader(table.Row{"", a, b, "change"})
	p, q := r.A.Geometry, r.B.Geometry
	row := func(name string, x, y, change any) { t.AppendRow(table.Row{name, x, y, change}) }
	change := ""
	if r.VolumeChange != nil {
		change = percent(*p.VolumeMM3, *q.VolumeMM3)
	}
	row("verdict", r.A.Verdict, r.B.Verdict, "")
	row("size mm", sizeWords(p.SizeMM), sizeWords(q.SizeMM), "")
	row("volume", volumeOf(p), volumeOf(q), change)
	row("area", fmt.Sprintf("%.4g cm²", p.AreaMM2/100), fmt.Sprintf("%.4g cm²", q.AreaMM2/100), percent(p.AreaMM2, q.AreaMM2))
	row("triangles", thousands(p.Triangles), thousands(q.Triangles), percent(float64(p.Triangles), float64(q.Triangles)))
	row("shells", p.Shells, q.Shells, "")
	if p.Genus != nil && q.Genus != nil {
		row("through-holes", *p.Genus, *q.Genus, "")
	}
	row("hollows", r.Hollows[0], r.Hollows[1], "")
	wrong := [2]int{}
	for _, l := range r.Layers {
		for i := range wrong {
			if l.Wrong[i] {
				wrong[i]++
			}
		}
	}
	row(fmt.Sprintf("bad layers of %d", len(r.Layers)), wrong[0], wrong[1], "")
	appendFindings(t, r.A, r.B)
	t.Render()
	if l := r.Worst(); l != nil {
		fmt.Fprintf(w, "\nOf all layers that were cut, the one at z = %.4g mm changes most: %.5g to %.5g mm² (%s)\n", l.ZMM, l.AreaMM2[0], l.AreaMM2[1], percent(l.AreaMM2[0], l.AreaMM2[1]))
	}
}

// fine is a small length with sensible digits; below a millionth is rounding.
func fine(mm float64) string {
	if mm < 1e-6 {
		return "0"
	}
	return fmt.Sprintf("%.2g", mm)
}

func percent(from, to float64) string {
	if from == to || from == 0 {
		return ""
	}
	share := 100 * (to - from) / math.Abs(from)
	if math.Abs(share) < 0.01 {
		return "under 0.01 %"
	}
	return fmt.Sprintf("%+.2f %%", share)
}
