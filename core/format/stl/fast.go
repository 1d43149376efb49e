package stl

import (
	"bytes"

	"veneer/core/format/number"
	"veneer/core/geom"
)

// longestFacet is how many bytes must be in memory for fastFacet to be tried.
const longestFacet = 1024

// fastFacet reads what follows the word facet when it is laid out as nearly all
// programs do: lower case, three corners, plain numbers. It fills in the stored
// normal and the corners and returns how many bytes that took; 0 when anything is out of the ordinary, for facet to look at
// with care.
func fastFacet(b []byte, facet *[4]geom.Vec) int {
	if len(b) < longestFacet {
		return 0
	}
	i := word(b, 0, "normal")
	for c := range facet {
		switch c {
		case 1:
			i = word(b, i, "outer")
			i = word(b, i, "loop")
			fallthrough
		case 2, 3:
			i = word(b, i, "vertex")
		}
		var xyz [3]float64
		for k := range xyz {
			if i = space(b, i); i < 0 {
				return 0
			}
			x, n := number.Prefix(b[i:])
			if n == 0 {
				return 0
			}
			xyz[k], i = x, i+n
		}
		facet[c] = geom.Vec{X: xyz[0], Y: xyz[1], Z: xyz[2]}
	}
	i = word(b, i, "endloop")
	i = word(b, i, "endfacet")
	if i < 0 || b[i] > ' ' {
		return 0
	}
	return i
}

// space skips white space, at least one; -1 when there is none or too much.
func space(b []byte, i int) int {
	if i < 0 || b[i] > ' ' {
		return -1
	}
	for i < longestFacet-64 && b[i] <= ' ' {
		i++
	}
	if i >= longestFacet-64 {
		return -1
	}
	return i
}

// word skips white space and then that word; -1 when there is another.
func word(b []byte, i int, w string) int {
	if i = space(b, i); i < 0 || string(b[i:i+len(w)]) != w {
		return -1
	}
	return i + len(w)
}

// lines counts the newlines in a piece of text.
func lines(b []byte) int { return bytes.Count(b, []byte{'\n'}) }
