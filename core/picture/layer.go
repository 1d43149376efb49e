package picture

import (
	"bufio"
	"fmt"
	"io"

	"veneer/core/geom"
	"veneer/core/measure"
)

// WriteLayer draws a layer as SVG at true size, in the frame of the part's box
// so that all layers of a part lie on one another: solid filled, lines that do
// not close in the finding colour.
func WriteLayer(w io.Writer, l measure.Layer, box geom.Box) error {
	out := bufio.NewWriter(w)
	size := box.Size()
	margin := 0.03 * max(size.X, size.Y, 1e-9)
	width, height := size.X+2*margin, size.Y+2*margin
	line := max(size.X, size.Y) / 400
	fmt.Fprintf(out, `<svg xmlns="http://www.w3.org/2000/svg" width="%.6gmm" height="%.6gmm" viewBox="%.6g %.6g %.6g %.6g">`+"\n",
		width, height, box.Min.X-margin, -(box.Max.Y + margin), width, height)
	fmt.Fprintf(out, "<title>Layer at %.6g mm, %.6g mm²</title>\n", l.ZMM, l.AreaMM2)
	path := func(style string, closed bool) {
		any := false
		for _, c := range l.Contours {
			if c.Closed != closed {
				continue
			}
			if !any {
				fmt.Fprintf(out, "<path %s d=\"", style)
				any = true
			}
			for i, p := range c.Points {
				letter := 'L'
				if i == 0 {
					letter = 'M'
				}
				fmt.Fprintf(out, "%c%.6g %.6g", letter, p[0], -p[1]) // SVG counts y downward
			}
			if closed {
				out.WriteByte('Z')
			}
		}
		if any {
			out.WriteString("\"/>\n")
		}
	}
	fill := "#a8babe"
	if l.Open() > 0 { // what is inside cannot be told
		fill = "none"
	}
	path(fmt.Sprintf(`fill="%s" fill-rule="evenodd" stroke="#14323a" stroke-width="%.4g"`, fill, line/2), true)
	path(fmt.Sprintf(`fill="none" stroke="#d62860" stroke-linecap="round" stroke-width="%.4g"`, 2*line), false)
	out.WriteString("</svg>\n")
	return out.Flush() // a bufio.Writer keeps its first error
}
