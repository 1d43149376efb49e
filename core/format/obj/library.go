package obj

import (
	"bufio"
	"bytes"
	"io"

	"veneer/core/format/number"
	"veneer/core/mesh"
)

const maxLibrary = 16 << 20 // bytes of a material library

// material is what a library says of one: its diffuse colour, and the texture
// that it multiplies.
type material struct {
	colour  mesh.Colour
	texture string // file name, "" for none
}

// readLibrary gathers a material library's materials by name. A library is an
// extra: what cannot be understood in it is passed over.
func readLibrary(r io.Reader, into map[string]material) {
	lines := bufio.NewScanner(io.LimitReader(r, maxLibrary))
	lines.Buffer(make([]byte, 64<<10), 1<<20)
	name := ""
	for lines.Scan() {
		word, rest := field(lines.Bytes())
		switch string(word) {
		case "newmtl":
			name = string(bytes.TrimSpace(rest))
			into[name] = material{colour: 0xffffffff}
		case "Kd":
			if c, ok := threeShares(rest); ok && name != "" {
				m := into[name]
				m.colour = c | m.colour&0xff
				into[name] = m
			}
		case "d":
			word, _ := field(rest)
			if x, ok := number.Float(word); ok && name != "" {
				m := into[name]
				m.colour = m.colour&^0xff | mesh.Colour(share(x))
				into[name] = m
			}
		case "map_Kd":
			if m := into[name]; name != "" {
				m.texture = mapName(rest)
				into[name] = m
			}
		}
	}
}

// mapName is the file that a map statement names, behind its options: options
// begin with a dash and take words that are numbers, on or off, or one letter.
func mapName(line []byte) string {
	for {
		word, rest := field(line)
		if len(word) < 2 || word[0] != '-' {
			return string(bytes.TrimSpace(line))
		}
		for line = rest; ; line = rest {
			word, rest = field(line)
			_, isNumber := number.Float(word)
			if on := string(word); len(word) == 0 || !isNumber && on != "on" && on != "off" && len(word) > 1 {
				break
			}
		}
	}
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
