package stl

import (
	"bytes"

	"veneer/core/mesh"
)

// paint says how a file's attribute bytes hold colours. Two layouts are in
// common use, five bits a channel in both. In one, the highest bit says that
// the facet has a colour, and red is topmost. In the other, the header names a
// colour for the whole part behind COLOR=; the highest bit says that the facet
// takes it, and blue is topmost.
type paint struct {
	whole  mesh.Colour
	header bool
}

func paintOf(header []byte) paint {
	i := bytes.Index(header, []byte("COLOR="))
	if i < 0 || len(header) < i+10 {
		return paint{}
	}
	c := header[i+6:]
	return paint{mesh.Colour(uint32(c[0])<<24 | uint32(c[1])<<16 | uint32(c[2])<<8 | uint32(c[3])), true}
}

// decode turns attribute bytes into colours, one for each triangle.
func (p paint) decode(attributes []uint16, colours [][3]mesh.Colour) {
	five := func(x uint16) uint32 { return uint32(x&31)<<3 | uint32(x&31)>>2 } // 31 becomes 255
	for i, a := range attributes {
		var c mesh.Colour
		top, mid, low := five(a>>10), five(a>>5), five(a)
		switch valid := a>>15 == 1; {
		case p.header && valid:
			c = p.whole
		case p.header:
			c = mesh.Colour(low<<24 | mid<<16 | top<<8 | 0xff)
		case valid:
			c = mesh.Colour(top<<24 | mid<<16 | low<<8 | 0xff)
		}
		colours[i] = [3]mesh.Colour{c, c, c}
	}
}
