package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"veneer/core/check"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/picture"
	"veneer/core/pipeline"
)

const mostLayers = 20_000

// layerLine is a layer as --json prints it.
type layerLine struct {
	ZMM      float64  `json:"z_mm"`
	AreaMM2  *float64 `json:"area_mm2"`      // null while a line is open
	Filled   float64  `json:"misfilled_mm2"` // enclosed twice, or backwards, or not closed off
	Wrong    bool     `json:"wrong"`         // it does not close, or fills otherwise than once
	Contours int      `json:"contours"`
	Open     int      `json:"open"`
	File     string   `json:"file,omitempty"`
}

func layersCommand() *cobra.Command {
	var flags fileFlags
	var out string
	var at, every float64
	c := &cobra.Command{
		Use:   "layers FILE (--at Z | --every H) [-o OUT.svg]",
		Short: "Cut a part into layers as a printer sees them, and say which do not close",
		Long: "Layers cuts FILE level, at one height or every so many mm from its lowest point, and says for each layer the area,\n" +
			"whether its lines close, and how much they enclose twice or backwards. With -o each layer is drawn as SVG at true size: OUT.svg, or OUT-0001.svg and on.\n\n" +
			"Exit code: 0 all layers close and fill once, 1 some do not or a question is open, 2 FILE could not be read.",
		Example: "  veneer layers fog-bell.stl --at 36 -o bell.svg\n  veneer layers fog-bell.stl --every 0.2\n  veneer layers hand.stl --unit in --every 0.05 -o hand.svg --json",
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			set, err := flags.settings()
			if err != nil {
				return err
			}
			one, many := c.Flags().Changed("at"), c.Flags().Changed("every")
			switch {
			case one == many:
				return errors.New("say --at Z or --every H")
			case many && !(every > 0):
				return errors.New("--every is a height above 0, in mm")
			case out != "" && !strings.EqualFold(filepath.Ext(out), ".svg"):
				return errors.New("layers are drawn as .svg")
			}
			heights := func(checked *pipeline.Checked) ([]float64, error) {
				if one {
					return []float64{at}, nil
				}
				box := checked.Mesh.Bounds()
				if n := box.Size().Z / every; n > mostLayers {
					return nil, fmt.Errorf("%.0f layers are more than the %d that are cut at a time; choose a larger height", n, mostLayers)
				}
				return measure.Heights(box, every), nil
			}
			return runLayers(c, args[0], out, set, flags.json, heights)
		},
	}
	flags.add(c)
	c.Flags().Float64Var(&at, "at", 0, "height of one layer, in mm as the part lies")
	c.Flags().Float64Var(&every, "every", 0, "height of the layers, in mm; they are cut in their middles")
	c.Flags().StringVarP(&out, "output", "o", "", "SVG file to draw to; numbered when there are several layers")
	return c
}

func runLayers(c *cobra.Command, path, out string, set pipeline.Settings, asJSON bool, heightsOf func(*pipeline.Checked) ([]float64, error)) error {
	checked, err := readable(c, path, set)
	if err != nil {
		return err
	}
	r := checked.Report
	if r.Unit.Doubtful {
		printReport(os.Stderr, r)
		fmt.Fprintln(os.Stderr, "veneer: the unit is in doubt; set --unit, or take the likeliest with --answer default")
		return exit{somePass}
	}
	heights, err := heightsOf(checked)
	if err != nil {
		return err
	}
	layers, err := measure.Layers(c.Context(), mesh.NewTopology(checked.Mesh), heights)
	if err != nil {
		return err
	}
	lines := make([]layerLine, len(layers))
	open, twice := 0, 0 // layers that do not close, and those that close wrongly
	for i, l := range layers {
		lines[i] = layerLine{ZMM: l.ZMM, Filled: l.MisfilledMM2, Wrong: l.Wrong(), Contours: len(l.Contours), Open: l.Open()}
		if lines[i].Open > 0 {
			open++
		} else {
			lines[i].AreaMM2 = &l.AreaMM2
			if lines[i].Wrong {
				twice++
			}
		}
		if out == "" {
			continue
		}
		if lines[i].File = out; len(layers) > 1 {
			lines[i].File = fmt.Sprintf("%s-%04d%s", strings.TrimSuffix(out, filepath.Ext(out)), i+1, filepath.Ext(out))
		}
		if err := whole(lines[i].File, func(o *output) error { return picture.WriteLayer(o, l, checked.Mesh.Bounds()) }); err != nil {
			return err
		}
	}
	if asJSON {
		if err := printJSON(c.OutOrStdout(), lines); err != nil {
			return err
		}
	} else {
		printLayers(c, filepath.Base(path), lines, open, twice)
	}
	if open+twice > 0 {
		return exit{somePass}
	}
	return nil
}

// printLayers prints the layers that do not close, or, of a few, all.
func printLayers(c *cobra.Command, name string, lines []layerLine, open, twice int) {
	w := c.OutOrStdout()
	words := verdictColours[check.Pass].Sprint("all close")
	switch {
	case open > 0:
		words = verdictColours[check.Repair].Sprintf("%d of them do not close", open)
	case twice > 0:
		words = verdictColours[check.Repair].Sprintf("all close, but %d of them enclose area twice or backwards", twice)
	}
	fmt.Fprintf(w, "%s  %s, %s\n\n", text.Bold.Sprint(name), counted(len(lines), "layer"), words)
	t := newTable(w)
	header := table.Row{"layer", "height mm", "area cm²", "misfilled cm²", "lines", "open"}
	drawn := len(lines) > 0 && lines[0].File != ""
	if drawn {
		header = append(header, "drawn as")
	}
	t.AppendHeader(header)
	shown := 0
	for i, l := range lines {
		if shown == 40 {
			t.AppendRow(table.Row{"…"})
			break
		}
		if len(lines) > 40 && l.Open == 0 && !l.Wrong && open+twice > 0 {
			continue
		}
		shown++
		area := "none"
		if l.AreaMM2 != nil {
			area = fmt.Sprintf("%.4g", *l.AreaMM2/100)
		}
		row := table.Row{i + 1, fmt.Sprintf("%.5g", l.ZMM), area, fmt.Sprintf("%.3g", l.Filled/100), l.Contours, l.Open}
		if drawn {
			row = append(row, l.File)
		}
		t.AppendRow(row)
	}
	t.Render()
}

func counted(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return fmt.Sprintf("%d %ss", n, noun)
}
