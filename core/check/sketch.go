package check

import (
	"fmt"
	"html"
	"strings"
)

// sketches are small drawings of a kind, before and after: shapes divided by
// bars, each a letter for how it is drawn and an SVG path in a frame of 100 by
// 70. The letters: s solid with its outline, l line, d dashed line, b line and B
// solid in the finding colour, n line and N solid in the colour of what was
// mended, t text at a place (x y words).
type sketches [2]string

var sketchStyles = map[byte]string{
	's': `fill="#b4c4c6" stroke="#14323a" stroke-width="1.6"`,
	'l': `fill="none" stroke="#14323a" stroke-width="1.6"`,
	'd': `fill="none" stroke="#14323a" stroke-width="1.2" stroke-dasharray="3 3"`,
	'b': `fill="none" stroke="#d6205f" stroke-width="2.6"`,
	'B': `fill="#d6205f" fill-opacity="0.75" stroke="#d6205f" stroke-width="1.2"`,
	'n': `fill="none" stroke="#12747c" stroke-width="2.6"`,
	'N': `fill="#12747c" fill-opacity="0.55" stroke="#12747c" stroke-width="1.2"`,
}

// Sketch draws what a kind looks like and what is done about it, as SVG.
func (k Kind) Sketch() string {
	var b strings.Builder
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 236 82" width="236" height="82" role="img"><title>%s, before and after</title>`, html.EscapeString(k.Title))
	b.WriteString(`<rect width="236" height="82" rx="8" fill="#f4f7f6"/><path d="M112 41h10m-4-4 4 4-4 4" fill="none" stroke="#14323a" stroke-width="1.6"/>`)
	for i, sketch := range k.sketch {
		fmt.Fprintf(&b, `<g transform="translate(%d 6)" stroke-linejoin="round" stroke-linecap="round">`, 6+124*i)
		for _, shape := range strings.Split(sketch, "|") {
			how, what := shape[0], strings.TrimSpace(shape[1:])
			if how != 't' {
				fmt.Fprintf(&b, `<path %s d="%s"/>`, sketchStyles[how], what)
				continue
			}
			words := strings.SplitN(what, " ", 3)
			fmt.Fprintf(&b, `<text x="%s" y="%s" font-family="sans-serif" font-size="12" fill="#14323a" text-anchor="middle">%s</text>`, words[0], words[1], html.EscapeString(words[2]))
		}
		b.WriteString("</g>")
	}
	b.WriteString("</svg>\n")
	return b.String()
}
