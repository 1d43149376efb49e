package mesh

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
)

// soup is a few random triangles over few vertices: every kind of trouble.
func soup(r *rand.Rand) *Mesh {
	m := &Mesh{}
	for range 4 + r.IntN(5) {
		m.Positions = append(m.Positions, geom.Vec{X: float64(len(m.Positions)), Y: r.Float64(), Z: r.Float64()})
	}
	for range 1 + r.IntN(14) {
		n := int32(len(m.Positions))
		m.Triangles = append(m.Triangles, Triangle{r.Int32N(n), r.Int32N(n), r.Int32N(n)})
	}
	return m
}

// box is a closed box of twelve triangles facing outward.
func box(x0, y0, z0, x1, y1, z1 float64) *Mesh {
	m := &Mesh{}
	for i := range 8 {
		p := geom.Vec{X: x0, Y: y0, Z: z0}
		if i&1 != 0 {
			p.X = x1
		}
		if i&2 != 0 {
			p.Y = y1
		}
		if i&4 != 0 {
			p.Z = z1
		}
		m.Positions = append(m.Positions, p)
	}
	for _, q := range [][4]int32{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
		m.Triangles = append(m.Triangles, Triangle{q[0], q[1], q[2]}, Triangle{q[0], q[2], q[3]})
	}
	return m
}

func join(meshes ...*Mesh) *Mesh {
	all := &Mesh{}
	for _, m := range meshes {
		base := int32(len(all.Positions))
		all.Positions = append(all.Positions, m.Positions...)
		for _, t := range m.Triangles {
			all.Triangles = append(all.Triangles, Triangle{t[0] + base, t[1] + base, t[2] + base})
		}
	}
	return all
}

func invert(m *Mesh) *Mesh {
	for i, t := range m.Triangles {
		m.Triangles[i] = Triangle{t[0], t[2], t[1]}
	}
	return m
}

func shells(m *Mesh) *Shells {
	topo := NewTopology(m)
	return NewShells(topo, topo.Count())
}

type edgeKey [2]int32

// edgesByMap is the oracle: edges in a map, as a textbook has it.
func edgesByMap(m *Mesh) map[edgeKey][]int32 {
	edges := map[edgeKey][]int32{}
	for t, v := range m.Triangles {
		if v[0] == v[1] || v[1] == v[2] || v[2] == v[0] {
			continue
		}
		for c := range 3 {
			a, b := v[c], v[(c+1)%3]
			key := edgeKey{min(a, b), max(a, b)}
			edges[key] = append(edges[key], int32(3*t+c))
		}
	}
	return edges
}

// TestTopologyAgainstMaps compares every count with straightforward code on
// thousands of small soups.
func TestTopologyAgainstMaps(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 5000 {
		m := soup(r)
		topo := NewTopology(m)
		oracle := edgesByMap(m)
		require.Equal(t, len(oracle), topo.Edges())
		want := EdgeCounts{Edges: len(oracle)}
		for key, halves := range oracle {
			require.Equal(t, len(halves), topo.Triangles(key[0], key[1]))
			require.Equal(t, halves, topo.Halves(topo.EdgeOf[halves[0]]))
			switch {
			case len(halves) == 1:
				want.Boundary++
			case len(halves) > 2:
				want.NonManifold++
			case topo.From(halves[0]) == topo.From(halves[1]):
				want.Inconsistent++
			}
			want.Odd += len(halves) % 2
		}
		require.Equal(t, want, topo.Count())
		require.Equal(t, duplicatesByMap(m), topo.Duplicates())
		vertices, fans := topo.NonManifoldVertices()
		wantVertices, wantFans := fansByFlood(m, oracle)
		require.Equal(t, wantVertices, vertices)
		require.Equal(t, wantFans, fans)
		require.Equal(t, shellsByFlood(m, oracle), shells(m).Of)
	}
}

func duplicatesByMap(m *Mesh) (list []int32) {
	seen := map[Triangle]bool{}
	for t, v := range m.Triangles {
		slices.Sort(v[:])
		if v[0] == v[1] || v[1] == v[2] {
			continue
		}
		if seen[v] {
			list = append(list, int32(t))
		}
		seen[v] = true
	}
	return list
}

func fansByFlood(m *Mesh, edges map[edgeKey][]int32) (several []int32, fans int) {
	for v := range int32(len(m.Positions)) {
		left := map[int32]bool{}
		for t, tri := range m.Triangles {
			if slices.Contains(tri[:], v) && !m.RepeatsVertex(int32(t)) {
				left[int32(t)] = true
			}
		}
		n := 0
		for len(left) > 0 {
			n++
			var queue []int32
			for t := range left {
				queue = append(queue, t)
				delete(left, t)
				break
			}
			for len(queue) > 0 {
				for key, halves := range edges {
					if key[0] != v && key[1] != v || !slices.ContainsFunc(halves, func(h int32) bool { return h/3 == queue[0] }) {
						continue
					}
					for _, h := range halves {
						if left[h/3] {
							delete(left, h/3)
							queue = append(queue, h/3)
						}
					}
				}
				queue = queue[1:]
			}
		}
		fans += n
		if n > 1 {
			several = append(several, v)
		}
	}
	return several, fans
}

func shellsByFlood(m *Mesh, edges map[edgeKey][]int32) []int32 {
	of := make([]int32, len(m.Triangles))
	for i := range of {
		of[i] = -1
	}
	next := int32(0)
	for t := range m.Triangles {
		if of[t] >= 0 || m.RepeatsVertex(int32(t)) {
			continue
		}
		of[t] = next
		for changed := true; changed; {
			changed = false
			for _, halves := range edges {
				if !slices.ContainsFunc(halves, func(h int32) bool { return of[h/3] == next }) {
					continue
				}
				for _, h := range halves {
					if of[h/3] != next {
						of[h/3], changed = next, true
					}
				}
			}
		}
		next++
	}
	return of
}

// TestFewestTurns tries all ways to turn the triangles of small soups and
// compares with the fewest that leave no edge of two triangles running the
// same way, in each patch that has such a way.
func TestFewestTurns(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	met := 0
	for range 1500 {
		m := soup(r)
		if len(m.Triangles) > 10 {
			m.Triangles = m.Triangles[:10]
		}
		s := shells(m)
		edges := edgesByMap(m)
		for i, shell := range s.List {
			fewest := -1
			for turn := range 1 << len(m.Triangles) {
				fits, n := true, 0
				for t := range m.Triangles {
					if turn>>t&1 == 1 {
						n++
						fits = fits && s.Of[t] == int32(i)
					}
				}
				if !fits || fewest >= 0 && n >= fewest {
					continue
				}
				for _, h := range edges {
					if len(h) == 2 && s.Of[h[0]/3] == int32(i) {
						same := m.Triangles[h[0]/3][h[0]%3] == m.Triangles[h[1]/3][h[1]%3]
						if same != (turn>>(h[0]/3)&1 != turn>>(h[1]/3)&1) {
							fits = false
							break
						}
					}
				}
				if fits {
					fewest = n
				}
			}
			require.Equal(t, fewest >= 0, shell.Orientable)
			if fewest >= 0 {
				require.Equal(t, fewest, shell.Flipped, "%v", m.Triangles)
				if fewest > 0 {
					met++
				}
			}
		}
	}
	assert.Greater(t, met, 200)
}

func TestNestingAndVolume(t *testing.T) {
	cases := []struct {
		name      string
		mesh      *Mesh
		depths    []int
		insideOut int
		volume    float64 // sum over shells
	}{
		{"a box", box(0, 0, 0, 2, 3, 4), []int{0}, 0, 24},
		{"a box inside out", invert(box(0, 0, 0, 2, 3, 4)), []int{0}, 1, -24},
		{"side by side", join(box(0, 0, 0, 1, 1, 1), box(5, 0, 0, 6, 1, 1)), []int{0, 0}, 0, 2},
		{"a hollow", join(box(0, 0, 0, 9, 9, 9), invert(box(1, 1, 1, 8, 8, 8))), []int{0, 1}, 0, 729 - 343},
		{"a hollow turned outward", join(box(0, 0, 0, 9, 9, 9), box(1, 1, 1, 8, 8, 8)), []int{0, 1}, 1, 729 + 343},
		{"a solid in a hollow", join(box(0, 0, 0, 9, 9, 9), invert(box(1, 1, 1, 8, 8, 8)), box(4, 4, 4, 5, 5, 5)), []int{0, 1, 2}, 0, 729 - 343 + 1},
		{"stacked, same footprint", join(box(0, 0, 0, 4, 4, 1), box(0, 0, 2, 4, 4, 3)), []int{0, 0}, 0, 32},
		{"far from the origin", join(box(1e6, 1e6, 1e6, 1e6+2, 1e6+2, 1e6+2)), []int{0}, 0, 8},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			r := rand.New(rand.NewPCG(11, 12))
			for range 20 { // shuffled triangles: the same answer
				order := r.Perm(len(c.mesh.Triangles))
				m := &Mesh{Positions: c.mesh.Positions}
				for _, i := range order {
					m.Triangles = append(m.Triangles, c.mesh.Triangles[i])
				}
				var depths []int
				wrong, volume := 0, 0.0
				for _, s := range shells(m).List {
					require.True(t, s.Closed)
					depths = append(depths, s.Depth)
					volume += s.VolumeMM3
					if s.InsideOut() {
						wrong++
					}
				}
				slices.Sort(depths)
				require.Equal(t, c.depths, depths)
				require.Equal(t, c.insideOut, wrong)
				require.InDelta(t, c.volume, volume, 1e-9*math.Abs(c.volume))
			}
		})
	}
}

// TestNestingAgainstBoxes nests many random boxes, whose nesting is plain from
// their corners, on a lattice where rays run along faces and edges.
func TestNestingAgainstBoxes(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 14))
	for range 200 {
		type bounds struct{ low, high [3]float64 }
		var boxes []bounds
		var meshes []*Mesh
		for range 60 {
			var b bounds
			for i := range 3 {
				b.low[i] = float64(r.IntN(12))
				b.high[i] = b.low[i] + 1 + float64(r.IntN(12))
			}
			apart := !slices.ContainsFunc(boxes, func(o bounds) bool { // neither apart nor nested
				disjoint, in, out := false, true, true
				for i := range 3 {
					disjoint = disjoint || b.high[i] < o.low[i] || o.high[i] < b.low[i]
					in = in && o.low[i] < b.low[i] && b.high[i] < o.high[i]
					out = out && b.low[i] < o.low[i] && o.high[i] < b.high[i]
				}
				return !disjoint && !in && !out
			})
			if apart {
				boxes = append(boxes, b)
				meshes = append(meshes, box(b.low[0], b.low[1], b.low[2], b.high[0], b.high[1], b.high[2]))
			}
		}
		s := shells(join(meshes...))
		for i, b := range boxes {
			depth := 0
			for _, o := range boxes {
				if o.low[0] < b.low[0] && b.high[0] < o.high[0] && o.low[1] < b.low[1] && b.high[1] < o.high[1] && o.low[2] < b.low[2] && b.high[2] < o.high[2] {
					depth++
				}
			}
			require.Equal(t, depth, s.List[i].Depth, "%v in %v", b, boxes)
		}
	}
}

// band is a strip of n quads whose ends are joined, with a half turn or without.
func band(n int, twisted bool) *Mesh {
	m := &Mesh{}
	for i := range n {
		a := 2 * math.Pi * float64(i) / float64(n)
		for _, side := range []float64{-1, 1} {
			tilt := 0.0
			if twisted {
				tilt = a / 2
			}
			r := 10 + side*math.Cos(tilt)
			m.Positions = append(m.Positions, geom.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: side * math.Sin(tilt)})
		}
	}
	for i := range int32(n) {
		a, b := 2*i, 2*i+1
		c, d := (2*i+2)%int32(2*n), (2*i+3)%int32(2*n)
		if twisted && i == int32(n-1) {
			c, d = d, c
		}
		m.Triangles = append(m.Triangles, Triangle{a, b, c}, Triangle{c, b, d})
	}
	return m
}

func TestLoops(t *testing.T) {
	opened := box(0, 0, 0, 1, 1, 1)
	opened.Triangles = opened.Triangles[2:] // one face off
	bowtie := &Mesh{Positions: make([]geom.Vec, 5), Triangles: []Triangle{{0, 1, 2}, {0, 3, 4}}}
	for i := range bowtie.Positions {
		bowtie.Positions[i] = geom.Vec{X: float64(i), Y: float64(i * i)}
	}
	fin := box(0, 0, 0, 1, 1, 1)
	fin.Positions = append(fin.Positions, geom.Vec{X: 2, Y: 2, Z: 2})
	fin.Triangles = append(fin.Triangles, Triangle{0, 1, 8})
	cases := []struct {
		name   string
		mesh   *Mesh
		edges  []int // of the loops, sorted
		closed bool
		whole  bool // orientable
	}{
		{"closed", box(0, 0, 0, 1, 1, 1), nil, true, true},
		{"a box without a face", opened, []int{4}, true, true},
		{"two triangles that meet in a vertex", bowtie, []int{3, 3}, true, true},
		{"a band", band(12, false), []int{12, 12}, true, true},
		{"a band with a half turn", band(12, true), []int{24}, true, false},
		{"a fin", fin, []int{2}, false, true},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			var edges []int
			for _, l := range NewTopology(c.mesh).Loops() {
				edges = append(edges, len(l.Halves))
				assert.Equal(t, c.closed, l.Closed)
			}
			slices.Sort(edges)
			assert.Equal(t, c.edges, edges)
			assert.Equal(t, c.whole, shells(c.mesh).List[0].Orientable)
		})
	}
}

// TestLoopsUseEveryBoundaryEdgeOnce holds on any soup.
func TestLoopsUseEveryBoundaryEdgeOnce(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 16))
	for range 5000 {
		m := soup(r)
		topo := NewTopology(m)
		var used []int32
		for _, l := range topo.Loops() {
			used = append(used, l.Halves...)
			for i := 1; i < len(l.Halves); i++ { // neighbours share a vertex
				a, b := l.Halves[i-1], l.Halves[i]
				ends := []int32{topo.From(a), topo.To(a)}
				require.True(t, slices.Contains(ends, topo.From(b)) || slices.Contains(ends, topo.To(b)))
			}
		}
		slices.Sort(used)
		require.Equal(t, len(slices.Compact(slices.Clone(used))), len(used))
		require.Equal(t, topo.Count().Boundary, len(used))
	}
}

func TestWeldAgainstMap(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 18))
	values := []float64{0, math.Copysign(0, -1), 1, -1, 0.5, math.SmallestNonzeroFloat64, 1e30}
	for range 300 {
		var points []geom.Vec
		for range 1 + r.IntN(2000) {
			points = append(points, geom.Vec{X: values[r.IntN(len(values))], Y: values[r.IntN(len(values))], Z: float64(r.IntN(8))})
		}
		given := slices.Clone(points)
		got := make([]int32, len(points))
		w := NewWelder(4) // grows many times
		w.Add(points, got)
		numbers := map[geom.Vec]int32{}
		for i, p := range given { // a map takes -0 and 0 for the same
			want, known := numbers[p]
			if !known {
				want = int32(len(numbers))
				numbers[p] = want
			}
			require.Equal(t, want, got[i])
		}
		require.Len(t, w.Positions, len(numbers))
	}
}

func TestSingleWeldAgainstMap(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	values := []uint32{0, 1 << 31, math.Float32bits(1), math.Float32bits(-1), 1, math.Float32bits(3e30)}
	for range 300 {
		var points []SinglePoint
		var hashes []uint32
		for range 1 + r.IntN(2000) {
			p := SinglePointOf(values[r.IntN(len(values))], values[r.IntN(len(values))], math.Float32bits(float32(r.IntN(8))))
			points, hashes = append(points, p), append(hashes, p.Hash())
		}
		got := make([]int32, len(points))
		w := NewSingleWelder(4)
		w.Add(points, hashes, got)
		numbers := map[geom.Vec]int32{}
		for i, p := range points {
			v := p.vec()
			want, known := numbers[v]
			if !known {
				want = int32(len(numbers))
				numbers[v] = want
			}
			require.Equal(t, want, got[i])
		}
		require.Len(t, w.Positions, len(numbers))
	}
}

func TestRoundingWeldsAgain(t *testing.T) {
	m := box(0, 0, 0, 1, 1, 1)
	m.Positions[7] = geom.Vec{X: 1, Y: 1, Z: 1}
	m.Positions = append(m.Positions, geom.Vec{X: 1 + 1e-12, Y: 1, Z: 1}, geom.Vec{X: 9, Y: 9, Z: 9})
	m.Triangles[2][2] = 8 // a crack as thin as float64 can tell
	assert.NotZero(t, NewTopology(m).Count().Boundary)
	m.Round()
	assert.Zero(t, NewTopology(m).Count().Boundary)
	assert.Len(t, m.Positions, 8, "unused positions go")
}

func TestHugeFanIsSortedToo(t *testing.T) {
	m := &Mesh{Positions: []geom.Vec{{}, {X: 1}}}
	r := rand.New(rand.NewPCG(19, 20))
	for i := range int32(500) { // all share one edge, some are twice there
		m.Positions = append(m.Positions, geom.Vec{Y: float64(i), Z: r.Float64()})
		m.Triangles = append(m.Triangles, Triangle{0, 1, 2 + i})
		if i%5 == 0 {
			m.Triangles = append(m.Triangles, Triangle{2 + i, 1, 0})
		}
	}
	topo := NewTopology(m)
	assert.Equal(t, duplicatesByMap(m), topo.Duplicates())
	assert.Equal(t, 600, topo.Triangles(1, 0))
	assert.Equal(t, 0, topo.Triangles(3, 4))
}

// TestPiecesKnowTheirNeighbours cuts a triangle at random and turns edges: every
// piece and its neighbour name each other across the same edge, all the time.
func TestPiecesKnowTheirNeighbours(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	p := Pieces{{V: [3]int32{0, 1, 2}, N: [3]int32{-1, -1, -1}}}
	next := int32(3)
	for range 600 {
		at, k := r.Int32N(int32(len(p))), r.IntN(3)
		switch r.IntN(3) {
		case 0:
			p.Split(at, next)
			next++
		case 1:
			p.SplitEdge(at, k, next)
			next++
		case 2:
			u, l := p.Across(at, k)
			if u < 0 {
				break
			}
			c, e := p[at].V[(k+2)%3], p[u].V[(l+2)%3]
			if !slices.ContainsFunc(p, func(q Piece) bool { return slices.Contains(q.V[:], c) && slices.Contains(q.V[:], e) }) {
				p.Swap(at, k) // no edge is ever there twice
			}
		}
		border := 0
		for i, q := range p {
			for k := range 3 {
				u, l := p.Across(int32(i), k)
				if u < 0 {
					border++
					continue
				}
				require.Equal(t, [2]int32{q.V[(k+1)%3], q.V[k]}, [2]int32{p[u].V[l], p[u].V[(l+1)%3]})
			}
		}
		require.Equal(t, 2*int(next)-2-border, len(p), "triangles of a disc, by its points and border")
	}
}
