package decimate

import (
	"slices"

	"veneer/core/mesh"
)

// What a vertex may do.
const (
	free  = iota // go anywhere
	line         // go along the border that it is on
	fixed        // nothing
)

// border is what keeps vertices back: open rims, and lines where bodies, colours
// or textures change, along which vertices may only go into one another.
type border struct {
	kind  []uint8    // of each vertex
	along [][2]int32 // of each vertex on a line: those next to it along the line
	chart []int32    // of each triangle: the smallest triangle that no border parts from it; nil when there is one chart only
	edges []int32    // half-edges on lines, of every triangle there
}

// newBorder looks for borders. Vertices where lines end or meet, those on edges of
// three and more triangles or of two that run the same way, and those where
// several fans meet are fixed.
func newBorder(m *mesh.Mesh) *border {
	b := &border{kind: make([]uint8, len(m.Positions)), along: make([][2]int32, len(m.Positions))}
	for v := range b.along {
		b.along[v] = [2]int32{-1, -1}
	}
	topo := mesh.NewTopology(m)
	count := make([]uint8, len(m.Positions))
	next := func(v, u int32) {
		if count[v] < 2 {
			b.along[v][count[v]] = u
		}
		count[v] = min(count[v]+1, 3)
	}
	parted := false
	for e := range int32(topo.Edges()) {
		halves := topo.Halves(e)
		v, u := topo.From(halves[0]), topo.To(halves[0])
		switch {
		case len(halves) == 2 && !topo.SameWay(halves[0], halves[1]):
			if alike(m, halves[0], halves[1]) {
				continue
			}
			parted = true
		case len(halves) != 1:
			b.kind[v], b.kind[u] = fixed, fixed
			continue
		}
		next(v, u)
		next(u, v)
		b.edges = append(b.edges, halves...)
	}
	for v, n := range count {
		switch {
		case n == 2 && b.kind[v] == free:
			b.kind[v] = line
		case n > 0:
			b.kind[v] = fixed
		}
	}
	pinched, _ := topo.NonManifoldVertices()
	for _, v := range pinched {
		b.kind[v] = fixed
	}
	if parted {
		charts := mesh.NewForest(len(m.Triangles))
		for e := range int32(topo.Edges()) {
			if h := topo.Halves(e); len(h) == 2 && alike(m, h[0], h[1]) {
				charts.Join(h[0]/3, h[1]/3)
			}
		}
		b.chart = make([]int32, len(m.Triangles))
		for t := range b.chart {
			b.chart[t] = charts.Root(int32(t))
		}
	}
	return b
}

// clone copies what work uses up.
func (b *border) clone() *border {
	return &border{slices.Clone(b.kind), slices.Clone(b.along), b.chart, nil}
}

// keep fixes vertices.
func (b *border) keep(vertices []bool) {
	for v, is := range vertices {
		if is {
			b.kind[v] = fixed
		}
	}
}

// beside reports whether u is next to v on a border.
func (b *border) beside(v, u int32) bool { return b.along[v][0] == u || b.along[v][1] == u }

// other is the vertex next to v along its line on the side away from u; -1 when u
// is not next to it.
func (b *border) other(v, u int32) int32 {
	switch u {
	case b.along[v][0]:
		return b.along[v][1]
	case b.along[v][1]:
		return b.along[v][0]
	}
	return -1
}

// into takes a vertex out of its line: it went into a, next to it.
func (b *border) into(gone, a int32) {
	far := b.other(gone, a)
	for k := range 2 {
		if b.along[far][k] == gone {
			b.along[far][k] = a
		}
		if b.along[a][k] == gone {
			b.along[a][k] = far
		}
	}
}

// alike reports whether the triangles of two half-edges of one edge are of one
// body, and colours and textures go on across it.
func alike(m *mesh.Mesh, g, h int32) bool {
	s, t := g/3, h/3
	if m.BodyOf != nil && m.BodyOf[s] != m.BodyOf[t] {
		return false
	}
	for k := range int32(2) { // the ends of the edge, which run against each other
		i, j := g%3, h%3
		if k == 0 {
			j = (j + 1) % 3
		} else {
			i = (i + 1) % 3
		}
		if m.Colours != nil && m.Colours[s][i] != m.Colours[t][j] {
			return false
		}
		if m.Covers != nil && (m.Covers[s].Texture != m.Covers[t].Texture || m.Covers[s].Texture != 0 && m.Covers[s].At[i] != m.Covers[t].At[j]) {
			return false
		}
	}
	return true
}

// varied reports whether colours change within triangles, or textures cover them.
func varied(m *mesh.Mesh) bool {
	for _, c := range m.Colours {
		if c[0] != c[1] || c[0] != c[2] {
			return true
		}
	}
	for _, c := range m.Covers {
		if c.Texture != 0 {
			return true
		}
	}
	return false
}
