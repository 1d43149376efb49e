package obj

import (
	"bytes"

	"veneer/core/format/number"
	"veneer/core/geom"
	"veneer/core/mesh"
)

const plainLine = 192 // bytes that must be in memory for plain to look

// plain reads as many statements as are laid out in the common way straight
// from memory, which most of a large file is: vertices of three numbers, their
// texture coordinates and normals, and triangles. It stops at the first that
// is anything else, for statement to look at with care.
func (p *parser) plain() {
	b := p.in.Rest()
	i := 0
	for i+plainLine < len(b) {
		end := -1
		switch line := b[i : i+plainLine]; {
		case line[0] == 'v' && line[1] == ' ':
			end = p.plainVertex(line)
		case line[0] == 'f' && line[1] == ' ':
			end = p.plainFace(line)
		case line[0] == 'v' && line[1] == 't' && line[2] == ' ':
			end = p.plainPlace(line)
		case line[0] == 'v' && line[1] == 'n' && line[2] == ' ':
			if n := bytes.IndexByte(line, '\n'); n > 0 && !continues(line[:n]) {
				end = n + 1
			}
		}
		if end < 0 {
			break
		}
		i += end
		p.lines++
	}
	p.in.Skip(i)
}

// numbers reads that many numbers from a line, and returns where the last one
// ends; -1 when they are not plain.
func numbers(line []byte, at int, xs []float64) int {
	for k := range xs {
		if at = blanks(line, at); at < 0 {
			return -1
		}
		x, n := number.Prefix(line[at:])
		if n == 0 {
			return -1
		}
		xs[k], at = x, at+n
	}
	return at
}

// blanks skips spaces, at least one; -1 when there is none, or too little is
// left of the line for a number.
func blanks(line []byte, at int) int {
	if line[at] != ' ' {
		return -1
	}
	for at < plainLine-64 && line[at] == ' ' {
		at++
	}
	if at >= plainLine-64 {
		return -1
	}
	return at
}

// newline is where the next line begins, when nothing but the line's end
// follows; else -1.
func newline(line []byte, at int) int {
	switch {
	case at < 0:
	case line[at] == '\n':
		return at + 1
	case line[at] == '\r' && line[at+1] == '\n':
		return at + 2
	}
	return -1
}

func (p *parser) plainVertex(line []byte) int {
	var xyz [3]float64
	end := newline(line, numbers(line, 1, xyz[:]))
	if end < 0 || len(p.painted) > 0 || int64(len(p.mesh.Positions)) >= 3*p.opt.Limits.Triangles {
		return -1
	}
	v := geom.Vec{X: xyz[0], Y: xyz[1], Z: xyz[2]}
	if !v.Finite() {
		return -1
	}
	p.mesh.Positions = append(p.mesh.Positions, v)
	return end
}

func (p *parser) plainPlace(line []byte) int {
	var uv [2]float64
	end := newline(line, numbers(line, 2, uv[:]))
	if end < 0 || int64(len(p.uv)) >= 3*p.opt.Limits.Triangles {
		return -1
	}
	p.uv = append(p.uv, [2]float32{float32(uv[0]), float32(uv[1])})
	return end
}

// plainFace reads a triangle whose corners are 7, 7/2, 7//5 or 7/2/5, counted
// from the file's start and without a texture in use.
func (p *parser) plainFace(line []byte) int {
	var t mesh.Triangle
	at := 1
	for k := range t {
		if at = blanks(line, at); at < 0 {
			return -1
		}
		n, digits := index(line[at:])
		if digits == 0 || n == 0 || n > uint64(len(p.mesh.Positions)) {
			return -1
		}
		t[k] = int32(n - 1)
		if at += digits; line[at] == '/' {
			uv, digits := index(line[at+1:])
			if digits > 0 && uv == 0 || uv > uint64(len(p.uv)) {
				return -1
			}
			if at += 1 + digits; line[at] == '/' {
				_, digits = index(line[at+1:])
				at += 1 + digits
			}
		}
	}
	end := newline(line, at)
	if end < 0 || len(p.bodies) == 0 || p.mesh.Covers != nil || p.texture != 0 ||
		int64(len(p.mesh.Triangles)) >= min(p.opt.Limits.Triangles, mesh.MaxTriangles) {
		return -1
	}
	p.mesh.Triangles = append(p.mesh.Triangles, t)
	if p.mesh.Colours != nil || p.material != 0 || len(p.painted) > 0 {
		p.paint(t[0], t[1], t[2])
	}
	return end
}

// index reads a number of at most 15 digits and returns how many they are.
func index(b []byte) (n uint64, digits int) {
	n, digits = number.Digits(b)
	if digits == 8 {
		more, d := number.Digits(b[8:])
		for range d {
			n *= 10
		}
		n, digits = n+more, 8+d
	}
	return n, digits
}
