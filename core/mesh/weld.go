package mesh

import (
	"math"
	"math/bits"

	"veneer/core/geom"
)

// Welder gives equal points one number. Points are equal when their
// coordinates are the same float64 values; -0 is 0.
//
// Idea: one open-addressing table of 8-byte entries (a tag from the hash, and
// the vertex number), probed in blocks so that the cache misses of a block
// overlap instead of waiting for one another. Cost about one miss per look-up
// in file order and two when shuffled; memory 8 to 20 bytes per vertex beside
// the positions. Vertices are numbered in the order in which they first occur.
type Welder struct {
	Positions []geom.Vec
	table     []weldSlot
	shift     uint
	limit     int
}

type weldSlot struct {
	tag    uint32
	vertex int32 // 1 more than the vertex number; 0 is an empty slot
}

// NewWelder makes room for about that many different points.
func NewWelder(points int) *Welder {
	w := &Welder{Positions: make([]geom.Vec, 0, points)}
	w.resize(bits.Len(uint(max(points, 8) * 2)))
	return w
}

func (w *Welder) resize(log int) {
	old := w.table
	w.table = make([]weldSlot, 1<<log)
	w.shift = uint(64 - log)
	w.limit = len(w.table) * 5 / 8
	if old == nil {
		return
	}
	mask := uint64(len(w.table) - 1)
	for v, p := range w.Positions {
		h := hashPoint(p)
		i := h >> w.shift
		for w.table[i].vertex != 0 {
			i = (i + 1) & mask
		}
		w.table[i] = weldSlot{uint32(h), int32(v + 1)}
	}
}

func hashPoint(p geom.Vec) uint64 {
	p = positive(p)
	h := math.Float64bits(p.X) * 0x9E3779B97F4A7C15
	h ^= bits.RotateLeft64(math.Float64bits(p.Y)*0xC2B2AE3D27D4EB4F, 23)
	h ^= bits.RotateLeft64(math.Float64bits(p.Z)*0x165667B19E3779F9, 43)
	h *= 0x9FB21C651E98DF25
	return h ^ h>>32
}

// positive makes -0 in a point 0.
func positive(p geom.Vec) geom.Vec { return geom.Vec{X: p.X + 0, Y: p.Y + 0, Z: p.Z + 0} }

const weldBlock = 256

// Add writes the vertex number of every point to vertices, which is as long as points.
func (w *Welder) Add(points []geom.Vec, vertices []int32) {
	var hashes [weldBlock]uint64
	var guess [weldBlock]int32
	for len(points) > 0 {
		n := min(len(points), weldBlock)
		for len(w.Positions)+n > w.limit {
			w.resize(64 - int(w.shift) + 1)
		}
		// Three sweeps of independent loads: the table, then the position the
		// table names, and only then the chain of probes.
		table, shift := w.table, w.shift
		for i := range n {
			hashes[i] = hashPoint(points[i])
			guess[i] = table[hashes[i]>>shift].vertex
		}
		for i := range n {
			if g := guess[i]; g != 0 && w.Positions[g-1] == points[i] {
				vertices[i] = g - 1
				guess[i] = -1
			}
		}
		for i := range n {
			if guess[i] >= 0 {
				vertices[i] = w.find(points[i], hashes[i])
			}
		}
		points, vertices = points[n:], vertices[n:]
	}
}

func (w *Welder) find(p geom.Vec, h uint64) int32 {
	mask := uint64(len(w.table) - 1)
	for i := h >> w.shift; ; i = (i + 1) & mask {
		s := w.table[i]
		if s.vertex == 0 {
			w.Positions = append(w.Positions, positive(p))
			w.table[i] = weldSlot{uint32(h), int32(len(w.Positions))}
			return int32(len(w.Positions) - 1)
		}
		if s.tag == uint32(h) && w.Positions[s.vertex-1] == p {
			return s.vertex - 1
		}
	}
}

// Weld makes vertices of exactly equal position one, drops vertices that no
// triangle uses, and numbers the rest in the order in which triangles first
// use them.
func (m *Mesh) Weld() {
	points := make([]geom.Vec, len(m.Positions))
	copy(points, m.Positions)
	same := make([]int32, len(points))
	w := NewWelder(len(points))
	w.Add(points, same)
	m.WeldBy(w, same)
}

// WeldBy is Weld with a welder that has seen all positions already, in order:
// same is what it said of each.
func (m *Mesh) WeldBy(w *Welder, same []int32) {
	number := make([]int32, len(w.Positions))
	positions := make([]geom.Vec, 0, len(w.Positions))
	for t := range m.Triangles {
		v := &m.Triangles[t]
		for c, old := range v {
			s := same[old]
			if number[s] == 0 {
				positions = append(positions, w.Positions[s])
				number[s] = int32(len(positions))
			}
			v[c] = number[s] - 1
		}
	}
	m.Positions = positions
}
