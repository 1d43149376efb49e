package cli

import (
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"veneer/core/check"
	"veneer/core/picture"
)

// sides are the directions that a picture may look from, in degrees around and above.
var sides = map[string][2]float64{"front": {0, 0}, "back": {180, 0}, "left": {-90, 0}, "right": {90, 0}, "top": {0, 90}, "below": {0, -90}}

func pictureCommand() *cobra.Command {
	var flags fileFlags
	var out, view string
	var marked bool
	var width, height int
	c := &cobra.Command{
		Use: "picture FILE -o PNG", Short: "Draw a part, with its errors marked if asked", Args: cobra.ExactArgs(1),
		Example: "  veneer picture fog-bell.stl -o bell.png\n  veneer picture fog-bell.stl --marked --view below -o bell.png",
		RunE: func(c *cobra.Command, args []string) error {
			if strings.ToLower(filepath.Ext(out)) != ".png" {
				return errors.New("name the picture to write with -o, ending in .png")
			}
			if width < 16 || height < 16 || width > 4096 || height > 4096 {
				return errors.New("a picture is 16 to 4096 pixels wide and high")
			}
			set, err := flags.settings()
			if err != nil {
				return err
			}
			checked, err := readable(c, args[0], set)
			if err != nil {
				return err
			}
			opt := picture.DefaultOptions(checked.Mesh)
			if view != "" {
				at, is := sides[view]
				if !is {
					return fmt.Errorf("a view is front, back, left, right, top or below, not %q", view)
				}
				opt.Azimuth, opt.Elevation = at[0], at[1]
			}
			opt.Width, opt.Height = width, height
			if marked {
				opt.Marked = check.Marked(checked.Report)
			}
			return whole(out, func(o *output) error { return picture.WritePNG(o, checked.Mesh, opt) })
		},
	}
	flags.add(c)
	c.Flags().StringVarP(&out, "output", "o", "", "PNG to write")
	c.Flags().StringVar(&view, "view", "", "front, back, left, right, top or below (default: from the front right, a little from above)")
	c.Flags().BoolVar(&marked, "marked", false, "mark the triangles of errors")
	c.Flags().IntVar(&width, "width", 960, "pixels")
	c.Flags().IntVar(&height, "height", 720, "pixels")
	return c
}
