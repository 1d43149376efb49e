package mesh

import (
	"math"
	"math/bits"

	"veneer/core/geom"
)

// SinglePoint is a point whose coordinates are the bits of float32 numbers, as
// binary STL has them; -0 must be 0.
type SinglePoint [3]uint32

// SinglePointOf makes -0 0.
func SinglePointOf(x, y, z uint32) SinglePoint {
	const minusZero = 1 << 31
	if x == minusZero {
		x = 0
	}
	if y == minusZero {
		y = 0
	}
	if z == minusZero {
		z = 0
	}
	return SinglePoint{x, y, z}
}

// Hash is what SingleWelder finds the point by.
func (p SinglePoint) Hash() uint32 {
	h := uint64(p[0])*0x9E3779B97F4A7C15 ^ uint64(p[1])*0xC2B2AE3D27D4EB4F ^ uint64(p[2])*0x165667B19E3779F9
	h ^= h >> 29
	h *= 0xBF58476D1CE4E5B9
	return uint32(h >> 32)
}

func (p SinglePoint) vec() geom.Vec {
	return geom.Vec{X: float64(math.Float32frombits(p[0])), Y: float64(math.Float32frombits(p[1])), Z: float64(math.Float32frombits(p[2]))}
}

// SingleWelder is Welder for float32 points. Their keys are small enough to lie
// in the table itself, 16 bytes an entry, so that a look-up is one cache miss
// instead of two; half of what makes shuffled files slow.
type SingleWelder struct {
	Positions []geom.Vec
	table     []singleSlot
	shift     uint
}

type singleSlot struct {
	key    SinglePoint
	vertex int32 // 1 more than the vertex number; 0 is an empty slot
}

// NewSingleWelder makes room for about that many different points.
func NewSingleWelder(points int) *SingleWelder {
	w := &SingleWelder{Positions: make([]geom.Vec, 0, points)}
	w.resize(bits.Len(uint(max(points, 8) * 2)))
	return w
}

func (w *SingleWelder) resize(log int) {
	old := w.table
	w.table = make([]singleSlot, 1<<log)
	w.shift = uint(32 - log)
	mask := uint32(len(w.table) - 1)
	for _, s := range old {
		if s.vertex == 0 {
			continue
		}
		i := s.key.Hash() >> w.shift
		for w.table[i].vertex != 0 {
			i = (i + 1) & mask
		}
		w.table[i] = s
	}
}

// Add writes the vertex number of every point to vertices; hashes are the
// points' hashes, perhaps computed on another core.
func (w *SingleWelder) Add(points []SinglePoint, hashes []uint32, vertices []int32) {
	for len(points) > 0 {
		n := min(len(points), weldBlock)
		for len(w.Positions)+n > len(w.table)*5/8 {
			w.resize(32 - int(w.shift) + 1)
		}
		// A sweep of independent loads first: most points are there already.
		table, shift := w.table, w.shift
		block, found := points[:n], vertices[:n]
		for i, h := range hashes[:n] {
			found[i] = -1
			if s := &table[h>>shift]; s.key == block[i] {
				found[i] = s.vertex - 1
			}
		}
		for i, v := range found {
			if v < 0 {
				found[i] = w.find(block[i], hashes[i])
			}
		}
		points, hashes, vertices = points[n:], hashes[n:], vertices[n:]
	}
}

func (w *SingleWelder) find(p SinglePoint, h uint32) int32 {
	mask := uint32(len(w.table) - 1)
	for i := h >> w.shift; ; i = (i + 1) & mask {
		s := &w.table[i]
		if s.vertex == 0 {
			w.Positions = append(w.Positions, p.vec())
			*s = singleSlot{p, int32(len(w.Positions))}
			return int32(len(w.Positions) - 1)
		}
		if s.key == p {
			return s.vertex - 1
		}
	}
}
