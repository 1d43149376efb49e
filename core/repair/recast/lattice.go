package recast

import (
	"math"

	"veneer/core/geom"
)

// lattice is the points of a grid that is parallel to the axes. A step and the
// first point are whole multiples of one power of two with few digits, so that
// every coordinate is exact, in single precision too unless the part lies far
// from the origin; and the coordinates are odd multiples of it, so that faces at
// round numbers of mm do not fall onto the grid.
type lattice struct {
	n     [3]int // points along x, y and z
	first [3]float64
	step  float64
}

const stepDigits = 10 // binary digits of a step

// newLattice covers a box, and a margin around it on every side, with cells of
// about that size, never larger.
func newLattice(box geom.Box, cell, margin float64) lattice {
	_, e := math.Frexp(cell)
	unit := math.Ldexp(1, e-stepDigits)
	steps := math.Floor(cell/unit/2) * 2 // even
	l := lattice{step: steps * unit}
	low, size := box.Min.Array(), box.Size().Array()
	for k := range 3 {
		rim := math.Ceil(margin/l.step) + 1
		o := math.Floor(low[k]/unit) - math.Floor((rim+0.382)*steps)
		if math.Mod(o, 2) == 0 {
			o--
		}
		l.first[k] = o * unit
		l.n[k] = int(math.Ceil((low[k]+size[k]-l.first[k])/l.step+rim)) + 1
	}
	return l
}

// at is a coordinate along an axis.
func (l *lattice) at(axis, i int) float64 { return l.first[axis] + float64(i)*l.step }

// points is how many points there are.
func (l *lattice) points() int { return l.n[0] * l.n[1] * l.n[2] }

// ahead is the first index along an axis whose coordinate is not below x.
func (l *lattice) ahead(axis int, x float64) int {
	i := int(math.Ceil((x - l.first[axis]) / l.step))
	for i > 0 && l.at(axis, i-1) >= x {
		i--
	}
	for l.at(axis, i) < x {
		i++
	}
	return max(i, 0)
}

// bitmap holds for every point of a lattice whether it is inside: rows along x,
// 64 points a word, the rows of one z after another.
type bitmap struct {
	words int // of a row
	ny    int
	bits  []uint64
}

func newBitmap(l *lattice) bitmap {
	w := (l.n[0] + 63) / 64
	return bitmap{w, l.n[1], make([]uint64, w*l.n[1]*l.n[2])}
}

// row is the points at one y and z.
func (b *bitmap) row(j, k int) []uint64 {
	at := (k*b.ny + j) * b.words
	return b.bits[at : at+b.words]
}

func (b *bitmap) inside(i, j, k int) bool { return b.row(j, k)[i>>6]>>(i&63)&1 > 0 }

func (b *bitmap) set(i, j, k int, inside bool) {
	if w := &b.row(j, k)[i>>6]; inside {
		*w |= 1 << (i & 63)
	} else {
		*w &^= 1 << (i & 63)
	}
}

// fill sets the points from (included) to (not included) of a row.
func fill(row []uint64, from, to int) {
	for i := from; i < to; {
		if i&63 == 0 && to-i >= 64 {
			row[i>>6] = ^uint64(0)
			i += 64
			continue
		}
		row[i>>6] |= 1 << (i & 63)
		i++
	}
}

// opened keeps the points of cells all of whose corners are inside: what is thinner than
// a cell is gone.
func (b *bitmap) opened(l *lattice) bitmap {
	out := newBitmap(l)
	for k := range l.n[2] - 1 {
		for j := range l.n[1] - 1 {
			rows := [4][2][]uint64{{b.row(j, k), out.row(j, k)}, {b.row(j+1, k), out.row(j+1, k)}, {b.row(j, k+1), out.row(j, k+1)}, {b.row(j+1, k+1), out.row(j+1, k+1)}}
			before := uint64(0) // whether the last point of the word before is a cell's first
			for w := range b.words {
				all := ^uint64(0)
				next := ^uint64(0)
				for _, r := range rows {
					all &= r[0][w]
					if w+1 < b.words {
						next &= r[0][w+1]
					} else {
						next = 0
					}
				}
				cells := all & (all>>1 | next<<63)
				points := cells | cells<<1 | before
				before = cells >> 63
				for _, r := range rows {
					r[1][w] |= points
				}
			}
		}
	}
	return out
}
