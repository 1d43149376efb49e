package obj

import (
	"bufio"
	"bytes"
	"io"

	"veneer/core/format/number"
	"veneer/core/mesh"
)

const maxLibrary = 16 << 20 // bytes of a material library

// readLibrary gathers the diffuse colours of a material library by name. A
// library is an extra: what cannot be understood in it is passed over. It
// reports whether a material has a texture.
func readLibrary(r io.Reader, into map[string]mesh.Colour) (textured bool) {
	lines := bufio.NewScanner(io.LimitReader(r, maxLibrary))
	lines.Buffer(make([]byte, 64<<10), 1<<20)
	name := ""
	for lines.Scan() {
		word, rest := field(lines.Bytes())
		switch string(word) {
		case "newmtl":
			name = string(bytes.TrimSpace(rest))
			into[name] = 0xffffffff
		case "Kd":
			if c, ok := threeShares(rest); ok && name != "" {
				into[name] = c | into[name]&0xff
			}
		case "d":
			word, _ := field(rest)
			if x, ok := number.Float(word); ok && name != "" {
				into[name] = into[name]&^0xff | mesh.Colour(share(x))
			}
		case "map_Kd":
			textured = true
		}
	}
	return textured
}

// threeShares reads red, green and blue as shares of 1, without opacity.
func threeShares(line []byte) (c mesh.Colour, ok bool) {
	for range 3 {
		var word []byte
		word, line = field(line)
		x, good := number.Float(word)
		if !good {
			return 0, false
		}
		c = c<<8 | mesh.Colour(share(x))
	}
	return c << 8, true
}

func share(x float64) uint32 { return uint32(min(max(x, 0), 1)*255 + 0.5) }
