package mesh

import (
	"veneer/core/geom"
)

// Shell is an edge-connected set of triangles.
type Shell struct {
	First      int32 // its lowest triangle
	Triangles  int
	Box        geom.Box
	Closed     bool // every edge has an even number of triangles
	Orientable bool
	Flipped    int     // triangles of it in Shells.Flip
	AreaMM2    float64 // in square units of the positions, as VolumeMM3 in cubic ones
	VolumeMM3  float64 // signed, with the flips applied; of no meaning unless Closed
	Depth      int     // how many closed shells it lies in; only for closed shells
	Inside     int32   // the innermost of those, or -1
}

// Outward reports whether a closed shell, its flips applied, encloses positive
// volume.
func (s Shell) Outward() bool { return s.VolumeMM3 > 0 }

// InsideOut reports whether a closed shell's orientation contradicts its
// nesting: outer skins (even depth) face outward, skins of hollows inward.
func (s Shell) InsideOut() bool {
	return s.Closed && s.Orientable && s.VolumeMM3 != 0 && s.Outward() == (s.Depth%2 == 1)
}

// Shells are a mesh's shells in the order of their lowest triangles.
type Shells struct {
	List []Shell
	Of   []int32 // each triangle's shell; -1 for triangles that repeat a vertex
	Flip []bool  // the smallest set of triangles to turn; nil when there is none
}

// ShellOf labels each triangle with its shell, in the order of their lowest
// triangles, which it lists; -1 for triangles that repeat a vertex.
func ShellOf(topo *Topology) (of, firsts []int32) {
	of = NewForest(len(topo.Mesh.Triangles)) // becomes the labels: roots come before their members
	joined := Forest(of)
	for e := range int32(topo.Edges()) {
		halves := topo.Halves(e)
		for _, h := range halves[1:] {
			joined.Join(halves[0]/3, h/3)
		}
	}
	for t := range int32(len(of)) {
		switch r := of[t]; {
		case topo.EdgeOf[3*t] < 0:
			of[t] = -1
		case r == t:
			of[t] = int32(len(firsts))
			firsts = append(firsts, t)
		default:
			of[t] = of[r] // r < t is labelled already
		}
	}
	return of, firsts
}

// NewShells finds the shells, orients them with the fewest turns, and nests
// the closed ones.
//
// Idea: triangles that share an edge, whatever the number of triangles there,
// are one shell (union-find over the edges). Orientation passes only through
// edges of exactly two triangles: the patches they join are two-coloured by a
// union-find with parity, and in each patch the smaller colour is turned (on a
// tie the one without the patch's lowest triangle). A shell with a patch that
// cannot be two-coloured cannot be oriented and keeps its triangles as they
// are. Cost O(t α(t)); the parity pass is skipped when no edge of two
// triangles runs the same way twice.
func NewShells(topo *Topology, counts EdgeCounts) *Shells {
	m := topo.Mesh
	of, firsts := ShellOf(topo)
	s := &Shells{Of: of, List: make([]Shell, len(firsts))}
	for i, t := range firsts {
		s.List[i] = Shell{First: t, Box: geom.EmptyBox(), Closed: true, Orientable: true, Inside: -1}
	}
	if counts.Odd > 0 {
		for e := range int32(topo.Edges()) {
			if halves := topo.Halves(e); len(halves)%2 == 1 {
				s.List[s.Of[halves[0]/3]].Closed = false
			}
		}
	}
	if counts.Inconsistent > 0 {
		s.orient(topo)
	}
	s.measure(m)
	s.nest(m)
	return s
}

// orient fills Flip and what the shells say about it.
func (s *Shells) orient(topo *Topology) {
	m := topo.Mesh
	p := newParityForest(len(m.Triangles))
	for e := range int32(topo.Edges()) {
		halves := topo.Halves(e)
		if len(halves) == 2 && !p.join(halves[0]/3, halves[1]/3, topo.SameWay(halves[0], halves[1])) {
			s.List[s.Of[halves[0]/3]].Orientable = false
		}
	}
	odd := make([]int32, len(m.Triangles)) // per root: members of the other colour
	all := make([]int32, len(m.Triangles))
	for t := range int32(len(m.Triangles)) {
		root, parity := p.root(t)
		all[root]++
		if parity {
			odd[root]++
		}
	}
	s.Flip = make([]bool, len(m.Triangles))
	for t := range int32(len(m.Triangles)) {
		if s.Of[t] < 0 || !s.List[s.Of[t]].Orientable {
			continue
		}
		root, parity := p.root(t)
		if parity == (2*odd[root] <= all[root]) && odd[root] > 0 {
			s.Flip[t] = true
			s.List[s.Of[t]].Flipped++
		}
	}
}

// measure sums area and volume shell by shell. Volumes are taken from the middle
// of each shell's box, so that a part far from the origin loses no digits.
func (s *Shells) measure(m *Mesh) {
	for t, v := range m.Triangles {
		if i := s.Of[t]; i >= 0 {
			box := &s.List[i].Box
			*box = box.Extend(m.Positions[v[0]]).Extend(m.Positions[v[1]]).Extend(m.Positions[v[2]])
			s.List[i].Triangles++
		}
	}
	for t := range int32(len(m.Triangles)) {
		i := s.Of[t]
		if i < 0 {
			continue
		}
		shell := &s.List[i]
		a, b, c := m.Corners(t)
		o := shell.Box.Centre()
		n := b.Sub(a).Cross(c.Sub(a))
		shell.AreaMM2 += n.Length() / 2
		volume := a.Sub(o).Dot(n) / 6
		if s.Flip != nil && s.Flip[t] {
			volume = -volume
		}
		shell.VolumeMM3 += volume
	}
}

// parityForest is a union-find that also knows, for two members of a set,
// whether they are of one colour: the low bit of a link is the colour
// difference to the parent.
type parityForest []int32

func newParityForest(n int) parityForest {
	f := make(parityForest, n)
	for i := range f {
		f[i] = int32(i) << 1
	}
	return f
}

func (f parityForest) root(i int32) (root int32, parity bool) {
	odd := int32(0)
	for f[i]>>1 != i {
		parent := f[i] >> 1
		odd ^= f[i] & 1
		f[i] = f[parent]&^1 | (f[i]^f[parent])&1 // halve: link to the grandparent
		i = parent
	}
	return i, odd == 1
}

// join says that i and j differ in colour or not, and reports whether that
// agrees with what was said before.
func (f parityForest) join(i, j int32, differ bool) bool {
	ri, pi := f.root(i)
	rj, pj := f.root(j)
	if ri == rj {
		return (pi != pj) == differ
	}
	var bit int32
	if (pi != pj) != differ {
		bit = 1
	}
	if ri < rj {
		f[rj] = ri<<1 | bit
	} else {
		f[ri] = rj<<1 | bit
	}
	return true
}
