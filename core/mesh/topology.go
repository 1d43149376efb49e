package mesh

import "sort"

// Topology says which triangles meet in which edge. Triangles that name a
// vertex twice are left out (EdgeOf is -1 for their half-edges); zero-area
// triangles with three vertices take part.
//
// Idea: the half-edges are put into buckets by the lower vertex of their edge
// (a counting sort), and each bucket, about three edges long on a surface, is
// sorted by the other vertex by insertion. Cost O(t) for bounded vertex degree
// and O(d·log d) for a vertex of degree d; 30 bytes per triangle.
type Topology struct {
	Mesh      *Mesh
	EdgeOf    []int32 // the edge of each half-edge, or -1
	EdgeStart []int32 // edge e has the half-edges EdgeHalf[EdgeStart[e]:EdgeStart[e+1]]
	EdgeHalf  []int32 // ascending within an edge; edges ascend by lower, then higher vertex
}

// NewTopology gathers the edges of a welded mesh.
func NewTopology(m *Mesh) *Topology {
	halves := 3 * len(m.Triangles)
	topo := &Topology{Mesh: m, EdgeOf: make([]int32, halves), EdgeHalf: make([]int32, 0, halves)}

	start := make([]int32, len(m.Positions)+2)
	for t := range m.Triangles {
		v := m.Triangles[t]
		if v[0] == v[1] || v[1] == v[2] || v[2] == v[0] {
			continue
		}
		start[min(v[0], v[1])+2]++
		start[min(v[1], v[2])+2]++
		start[min(v[2], v[0])+2]++
	}
	for i := 2; i < len(start); i++ {
		start[i] += start[i-1]
	}
	// An entry is the higher vertex over the half-edge: sorting entries sorts by both.
	entries := make([]uint64, start[len(start)-1])
	for t := range m.Triangles {
		v := m.Triangles[t]
		if v[0] == v[1] || v[1] == v[2] || v[2] == v[0] {
			topo.EdgeOf[3*t], topo.EdgeOf[3*t+1], topo.EdgeOf[3*t+2] = -1, -1, -1
			continue
		}
		for c := range 3 {
			a, b := v[c], v[(c+1)%3]
			lo, hi := min(a, b), max(a, b)
			at := &start[lo+1]
			entries[*at] = uint64(hi)<<32 | uint64(3*t+c)
			*at++
		}
	}
	topo.EdgeStart = make([]int32, 0, halves/2+1)
	for lo := range m.Positions {
		bucket := entries[start[lo]:start[lo+1]]
		sortEntries(bucket)
		last := ^uint64(0)
		for _, e := range bucket {
			if e>>32 != last {
				last = e >> 32
				topo.EdgeStart = append(topo.EdgeStart, int32(len(topo.EdgeHalf)))
			}
			h := int32(e & 0xFFFFFFFF)
			topo.EdgeOf[h] = int32(len(topo.EdgeStart) - 1)
			topo.EdgeHalf = append(topo.EdgeHalf, h)
		}
	}
	topo.EdgeStart = append(topo.EdgeStart, int32(len(topo.EdgeHalf)))
	return topo
}

// Edges is the number of edges.
func (topo *Topology) Edges() int { return len(topo.EdgeStart) - 1 }

// Halves are the half-edges of edge e, in ascending order.
func (topo *Topology) Halves(e int32) []int32 {
	return topo.EdgeHalf[topo.EdgeStart[e]:topo.EdgeStart[e+1]]
}

// From and To are the vertices between which half-edge h runs.
func (topo *Topology) From(h int32) int32 { return topo.Mesh.Triangles[h/3][h%3] }

// To is the vertex at which half-edge h ends.
func (topo *Topology) To(h int32) int32 { return topo.Mesh.Triangles[h/3][(h+1)%3] }

// Opposite is the vertex of h's triangle that h does not touch.
func (topo *Topology) Opposite(h int32) int32 { return topo.Mesh.Triangles[h/3][(h+2)%3] }

// Next is the half-edge after h in its triangle.
func Next(h int32) int32 {
	if h%3 == 2 {
		return h - 2
	}
	return h + 1
}

// SameWay reports whether two half-edges of one edge run the same way.
func (topo *Topology) SameWay(g, h int32) bool { return topo.From(g) == topo.From(h) }

// EdgeCounts are the counts that follow from the edges alone.
type EdgeCounts struct {
	Edges        int
	Boundary     int // edges of one triangle
	NonManifold  int // edges of three or more
	Odd          int // edges of an odd number of triangles, boundary edges included
	Inconsistent int // edges of exactly two triangles that run the same way
}

// Count sorts the edges by the number and direction of their triangles.
func (topo *Topology) Count() EdgeCounts {
	c := EdgeCounts{Edges: topo.Edges()}
	for e := range topo.Edges() {
		s := topo.EdgeStart[e]
		n := topo.EdgeStart[e+1] - s
		switch {
		case n == 1:
			c.Boundary++
		case n > 2:
			c.NonManifold++
		case topo.SameWay(topo.EdgeHalf[s], topo.EdgeHalf[s+1]):
			c.Inconsistent++
		}
		c.Odd += int(n & 1)
	}
	return c
}

// Duplicates marks the triangles that have the vertex set of an earlier one,
// among triangles with three different vertices.
//
// Idea: equal triangles share the edge between their two lowest vertices and
// the vertex opposite to it, so only the half-edges of one edge are compared.
func (topo *Topology) Duplicates() (list []int32) {
	for e := range int32(topo.Edges()) {
		halves := topo.Halves(e)
		if len(halves) < 2 {
			continue
		}
		hi := max(topo.From(halves[0]), topo.To(halves[0]))
		if len(halves) > 16 {
			list = append(list, duplicatesOfMany(topo, halves, hi)...)
			continue
		}
		for i, h := range halves {
			w := topo.Opposite(h)
			if w < hi {
				continue
			}
			for _, g := range halves[:i] {
				if topo.Opposite(g) == w {
					list = append(list, h/3)
					break
				}
			}
		}
	}
	sortInt32(list)
	return list
}

// Twins marks the listed triangles and all others on the same corners.
func (topo *Topology) Twins(list []int32) map[int32]bool {
	twins := make(map[int32]bool, 2*len(list)) // duplicates are few
	for _, t := range list {
		h := 3 * t
		for _, g := range topo.Halves(topo.EdgeOf[h]) {
			if topo.Opposite(g) == topo.Opposite(h) {
				twins[g/3] = true
			}
		}
	}
	return twins
}

// duplicatesOfMany does the same by sorting, for an edge that so many
// triangles share that comparing all pairs would take too long.
func duplicatesOfMany(topo *Topology, halves []int32, hi int32) (list []int32) {
	keys := make([]uint64, 0, len(halves))
	for _, h := range halves {
		if w := topo.Opposite(h); w > hi {
			keys = append(keys, uint64(w)<<32|uint64(h))
		}
	}
	sortEntries(keys)
	for i := 1; i < len(keys); i++ {
		if keys[i]>>32 == keys[i-1]>>32 {
			list = append(list, int32(keys[i]&0xFFFFFFFF)/3)
		}
	}
	return list
}

// NonManifoldVertices lists the vertices whose triangles form more than one
// fan. Triangles belong to one fan when they are joined through edges at the
// vertex, however many triangles such an edge has.
//
// Idea: a union-find over the corners; every edge joins the corners at each of
// its ends. A vertex of d corners and j successful joins has d-j fans.
func (topo *Topology) NonManifoldVertices() (list []int32, fans int) {
	m := topo.Mesh
	corners := NewForest(3 * len(m.Triangles))
	left := make([]int32, len(m.Positions)) // corners minus joins
	for t := range m.Triangles {
		if topo.EdgeOf[3*t] >= 0 {
			for _, v := range m.Triangles[t] {
				left[v]++
			}
		}
	}
	cornerAt := func(h, v int32) int32 {
		if topo.From(h) == v {
			return h
		}
		return Next(h)
	}
	for e := range int32(topo.Edges()) {
		halves := topo.Halves(e)
		if len(halves) < 2 {
			continue
		}
		u, v := topo.From(halves[0]), topo.To(halves[0])
		for _, h := range halves[1:] {
			if corners.Join(cornerAt(halves[0], u), cornerAt(h, u)) {
				left[u]--
			}
			if corners.Join(cornerAt(halves[0], v), cornerAt(h, v)) {
				left[v]--
			}
		}
	}
	for v, n := range left {
		fans += int(n)
		if n > 1 {
			list = append(list, int32(v))
		}
	}
	return list, fans
}

// Triangles is how many triangles share the edge between vertices a and b; 0
// when there is no such edge. It searches the edges, which ascend: O(log e).
func (topo *Topology) Triangles(a, b int32) int {
	lo, hi := min(a, b), max(a, b)
	e := sort.Search(topo.Edges(), func(e int) bool {
		h := topo.EdgeHalf[topo.EdgeStart[e]]
		u, v := topo.From(h), topo.To(h)
		if u > v {
			u, v = v, u
		}
		return u > lo || u == lo && v >= hi
	})
	if e == topo.Edges() {
		return 0
	}
	h := topo.EdgeHalf[topo.EdgeStart[e]]
	if u, v := topo.From(h), topo.To(h); min(u, v) != lo || max(u, v) != hi {
		return 0
	}
	return int(topo.EdgeStart[e+1] - topo.EdgeStart[e])
}
