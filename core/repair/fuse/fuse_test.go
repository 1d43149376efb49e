package fuse_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strconv"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/repair/fuse"
	"veneer/core/repair/touchup"
	"veneer/core/spatial"
)

// solid fuses a mesh and wants a closed surface that nowhere meets itself; it
// returns its volume.
func solid(t *testing.T, m *mesh.Mesh) (float64, fuse.Change) {
	t.Helper()
	m.Round()
	c, err := fuse.Run(t.Context(), m, touchup.DropFlat, nil)
	require.NoError(t, err)
	topo := mesh.NewTopology(m)
	e := topo.Count()
	require.Zero(t, e.Odd, "closed")
	require.Zero(t, e.Inconsistent)
	meet, err := spatial.New(m, nil).Crossings(t.Context(), 100, nil)
	require.NoError(t, err)
	require.Empty(t, meet.Pairs, "nothing meets")
	volume := 0.0
	for _, s := range mesh.NewShells(topo, e).List {
		volume += s.VolumeMM3
	}
	return volume, c
}

// TestBlocksOfCells fuses blocks on a grid, most of them face to face, edge to
// edge or within one another: the volume is that of the cells they take.
func TestBlocksOfCells(t *testing.T) {
	const n = 5
	var manifold atomic.Int32
	t.Cleanup(func() { assert.Greater(t, manifold.Load(), int32(20)) })
	for seed := range uint64(60) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			r := rand.New(rand.NewPCG(seed, 1))
			m := &mesh.Mesh{}
			var taken [n][n][n]bool
			for range 2 + r.IntN(6) {
				var low, high [3]int
				for k := range 3 {
					low[k] = r.IntN(n)
					high[k] = low[k] + 1 + r.IntN(n-low[k])
				}
				meshtest.Block(m, geom.Vec{X: float64(low[0]), Y: float64(low[1]), Z: float64(low[2])}, geom.Vec{X: float64(high[0]), Y: float64(high[1]), Z: float64(high[2])})
				for x := low[0]; x < high[0]; x++ {
					for y := low[1]; y < high[1]; y++ {
						for z := low[2]; z < high[2]; z++ {
							taken[x][y][z] = true
						}
					}
				}
			}
			want := 0
			for x := range taken {
				for y := range taken[x] {
					for z := range taken[x][y] {
						if taken[x][y][z] {
							want++
						}
					}
				}
			}
			volume, c := solid(t, m)
			assert.InDelta(t, want, volume, 1e-6)
			topo := mesh.NewTopology(m)
			e := topo.Count()
			if pinched, _ := topo.NonManifoldVertices(); c.Rounds == 0 || e.NonManifold > 0 || len(pinched) > 0 {
				return // cells touch along an edge or at a corner only, or nothing met
			}
			in := func(x, y, z int) bool {
				return min(x, y, z) >= 0 && max(x, y, z) < n && taken[x][y][z]
			}
			euler, parts := cells(n, in)
			_, holes := cells(n, func(x, y, z int) bool { return !in(x, y, z) })
			assert.Equal(t, 2*euler, len(m.Positions)-e.Edges+len(m.Triangles), "Euler's number tells the genus")
			assert.Len(t, mesh.NewShells(topo, e).List, parts+holes-1, "a skin around each part, and within each hollow")
			manifold.Add(1)
		})
	}
}

// cells counts the Euler number of closed cells within a grid of n³, and into how
// many parts they, and what surrounds the grid if it is one of them, fall by their sides.
func cells(n int, in func(x, y, z int) bool) (euler, parts int) {
	type place [3]int
	pieces := map[place]bool{} // vertices, edges, sides and cells by twice their middles
	at := map[place]bool{}
	for x := -1; x <= n; x++ {
		for y := -1; y <= n; y++ {
			for z := -1; z <= n; z++ {
				if !in(x, y, z) {
					continue
				}
				at[place{x, y, z}] = true
				for d := range 27 {
					pieces[place{2*x + d%3, 2*y + d/3%3, 2*z + d/9}] = true
				}
			}
		}
	}
	for p := range pieces { // a cell's middle is odd three times
		if (p[0]&1+p[1]&1+p[2]&1)%2 == 0 {
			euler++
		} else {
			euler--
		}
	}
	for len(at) > 0 {
		parts++
		var queue []place
		for p := range at {
			queue = append(queue, p)
			delete(at, p)
			break
		}
		for len(queue) > 0 {
			p := queue[0]
			queue = queue[1:]
			for k := range 3 {
				for _, d := range []int{-1, 1} {
					q := p
					if q[k] += d; at[q] {
						delete(at, q)
						queue = append(queue, q)
					}
				}
			}
		}
	}
	return euler, parts
}

// ball is a round surface, facing outward.
func ball(at geom.Vec, r float64, n int) *mesh.Mesh {
	m := &mesh.Mesh{}
	for j := range n - 1 {
		for i := range 2 * n {
			a, b := math.Pi*float64(i)/float64(n), math.Pi*float64(j+1)/float64(n)
			m.Positions = append(m.Positions, at.Add(geom.Vec{X: r * math.Sin(b) * math.Cos(a), Y: r * math.Sin(b) * math.Sin(a), Z: -r * math.Cos(b)}))
		}
	}
	south, north := int32(len(m.Positions)), int32(len(m.Positions)+1)
	m.Positions = append(m.Positions, at.Sub(geom.Vec{Z: r}), at.Add(geom.Vec{Z: r}))
	k := int32(2 * n)
	for i := range k {
		j := (i + 1) % k
		m.Triangles = append(m.Triangles, mesh.Triangle{south, j, i}, mesh.Triangle{north, int32(n-2)*k + i, int32(n-2)*k + j})
		for row := int32(0); row < int32(n-2); row++ {
			a, b := row*k, (row+1)*k
			m.Triangles = append(m.Triangles, mesh.Triangle{a + i, a + j, b + j}, mesh.Triangle{a + i, b + j, b + i})
		}
	}
	return m
}

func join(m, other *mesh.Mesh) {
	n := int32(len(m.Positions))
	m.Positions = append(m.Positions, other.Positions...)
	for _, v := range other.Triangles {
		m.Triangles = append(m.Triangles, mesh.Triangle{v[0] + n, v[1] + n, v[2] + n})
	}
}

// inside counts how many of the surfaces hold a point, by exact rays through a
// surface of their own each.
func inside(m *mesh.Mesh, p geom.Vec) bool {
	w := 0.0 // solid angle (van Oosterom & Strackee 1983)
	for t := range int32(len(m.Triangles)) {
		a, b, c := m.Corners(t)
		a, b, c = a.Sub(p), b.Sub(p), c.Sub(p)
		x, y, z := a.Length(), b.Length(), c.Length()
		w += 2 * math.Atan2(a.Dot(b.Cross(c)), x*y*z+a.Dot(b)*z+b.Dot(c)*x+c.Dot(a)*y)
	}
	return w > 2*math.Pi
}

// letters to be drawn out.
var letters = [][]string{
	{"####", "#...", "###.", "#...", "####"},
	{"#..#", "#..#", "####", "#..#", "#..#"},
	{"####", "#..#", "#..#", "#..#", "####"},
	{"###", ".#.", ".#.", ".#.", ".#."},
}

// TestRoundAndAngularBodies fuses balls, rings, letters and blocks in any place: the volume is
// what points thrown at random find inside, within three standard errors, and
// triangles that met nothing are still there.
func TestRoundAndAngularBodies(t *testing.T) {
	runs := uint64(40)
	if n, err := strconv.Atoi(os.Getenv("VENEER_UNIONS")); err == nil {
		runs = uint64(n)
	}
	for seed := range runs {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			r := rand.New(rand.NewPCG(seed, 2))
			m := &mesh.Mesh{}
			var bodies []*mesh.Mesh
			many := 2 + r.IntN(6)
			if r.IntN(8) == 0 {
				many = 20 + r.IntN(31)
			}
			grid := 0.0 // half of them lie on a grid, so that faces lie on faces
			if r.IntN(2) == 0 {
				grid = 1
			}
			snap := func(x float64) float64 {
				if grid > 0 {
					return math.Round(x)
				}
				return x
			}
			for range many {
				at := geom.Vec{X: snap(20 * r.Float64()), Y: snap(20 * r.Float64()), Z: snap(20 * r.Float64())}
				body := &mesh.Mesh{}
				switch r.IntN(5) {
				case 0:
					body = ball(at, snap(4+6*r.Float64()), 6+r.IntN(8))
				case 1: // a ring
					big, small := snap(5+4*r.Float64()), snap(1+2*r.Float64())
					body = meshtest.Grid(24, 12, func(a, b float64) geom.Vec {
						q := big + small*math.Cos(b)
						return at.Add(geom.Vec{X: q * math.Cos(a), Y: q * math.Sin(a), Z: small * math.Sin(b)})
					})
				case 2: // a letter, standing out
					letter := letters[r.IntN(len(letters))]
					body = meshtest.Cells(len(letter[0]), len(letter), 1, func(x, y, _ int) bool { return letter[y][x] == '#' })
					for v, p := range body.Positions {
						body.Positions[v] = at.Add(geom.Vec{X: snap(2 * p.X), Y: snap(2 * p.Y), Z: 3 * p.Z})
					}
				default:
					meshtest.Block(body, at, at.Add(geom.Vec{X: snap(2 + 12*r.Float64()), Y: snap(2 + 12*r.Float64()), Z: snap(2 + 12*r.Float64())}))
				}
				body.Round()
				bodies = append(bodies, body)
				join(m, body)
			}
			before := map[[3]geom.Vec]bool{}
			for i := range int32(len(m.Triangles)) {
				a, b, c := m.Corners(i)
				before[[3]geom.Vec{a, b, c}] = true
			}
			volume, c := solid(t, m)
			if c.Rounds == 0 {
				return // nothing meets: bodies within others stay what they are
			}
			box := m.Bounds()
			size := box.Size()
			const side = 16 // one point in each of so many cells a side, which scatters less than points anywhere
			const throws = side * side * side
			hits := 0
			for i := range throws {
				at := func(n int) float64 { return (float64(n%side) + r.Float64()) / side }
				p := box.Min.Add(geom.Vec{X: size.X * at(i), Y: size.Y * at(i/side), Z: size.Z * at(i/side/side)})
				for _, b := range bodies {
					if inside(b, p) {
						hits++
						break
					}
				}
			}
			whole := size.X * size.Y * size.Z
			share := float64(hits) / throws
			assert.InDelta(t, whole*share, volume, 3*whole*math.Sqrt(share*(1-share)/throws))
			kept := 0
			for i := range int32(len(m.Triangles)) {
				a, b, c := m.Corners(i)
				if before[[3]geom.Vec{a, b, c}] {
					kept++
				}
			}
			assert.GreaterOrEqual(t, kept, len(before)-c.Cut-c.Gone)
		})
	}
}

// BenchmarkTwoBodies fuses two bodies of half a million triangles each that
// cross along curves.
func BenchmarkTwoBodies(b *testing.B) {
	one := meshtest.Bumpy(500)
	for b.Loop() {
		m := one.Clone()
		other := one.Clone()
		for i, p := range other.Positions {
			other.Positions[i] = geom.Vec{X: p.X + 10.3, Y: p.Z + 3.1, Z: -p.Y + 1.7}.Single()
		}
		join(m, other)
		c, err := fuse.Run(b.Context(), m, touchup.DropFlat, nil)
		require.NoError(b, err)
		b.ReportMetric(float64(c.Cut), "cut")
		b.ReportMetric(float64(c.Rounds), "rounds")
	}
}

// BenchmarkManyBodies fuses two hundred balls that overlap, of half a million
// triangles together.
func BenchmarkManyBodies(b *testing.B) {
	r := rand.New(rand.NewPCG(9, 9))
	all := &mesh.Mesh{}
	for range 200 {
		join(all, ball(geom.Vec{X: 100 * r.Float64(), Y: 100 * r.Float64(), Z: 100 * r.Float64()}, 9+3*r.Float64(), 25))
	}
	all.Round()
	for b.Loop() {
		m := all.Clone()
		c, err := fuse.Run(b.Context(), m, touchup.DropFlat, nil)
		require.NoError(b, err)
		b.ReportMetric(float64(c.Cut), "cut")
		b.ReportMetric(float64(c.Rounds), "rounds")
	}
}

// TestUnkindBodies ends, one way or the other, within seconds: many boards
// through one point, many that share a plane, needles, and coordinates as large
// and as small as the file can hold.
func TestUnkindBodies(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	board := func(m *mesh.Mesh, turn, thick float64) {
		first := len(m.Positions)
		meshtest.Block(m, geom.Vec{X: -50, Y: -2, Z: -thick}, geom.Vec{X: 50, Y: 2, Z: thick})
		s, c := math.Sincos(turn)
		for i := first; i < len(m.Positions); i++ {
			p := m.Positions[i]
			m.Positions[i] = geom.Vec{X: c*p.X - s*p.Y, Y: s*p.X + c*p.Y, Z: p.Z}.Single()
		}
	}
	for name, make := range map[string]func(m *mesh.Mesh){
		"through one point": func(m *mesh.Mesh) {
			for range 120 {
				board(m, 7*r.Float64(), 1+3*r.Float64())
			}
		},
		"in one plane": func(m *mesh.Mesh) {
			for range 40 {
				board(m, 7*r.Float64(), 2)
			}
		},
		"needles": func(m *mesh.Mesh) {
			for range 12 {
				board(m, 1e-3*r.Float64(), 1e-3*(1+r.Float64()))
			}
		},
		"all alike": func(m *mesh.Mesh) {
			for range 100 {
				board(m, 1, 2)
			}
		},
		"huge": func(m *mesh.Mesh) {
			board(m, 0.3, 2)
			board(m, 1.3, 3)
			m.Scale(1e36)
		},
		"tiny": func(m *mesh.Mesh) {
			board(m, 0.3, 2)
			board(m, 1.3, 3)
			m.Scale(1e-38)
		},
	} {
		t.Run(name, func(t *testing.T) {
			m := &mesh.Mesh{}
			make(m)
			m.Round()
			ctx, cancel := context.WithTimeout(t.Context(), 60*time.Second)
			defer cancel()
			c, err := fuse.Run(ctx, m, touchup.DropFlat, nil)
			require.NotErrorIs(t, err, context.DeadlineExceeded)
			if err != nil {
				t.Log(err)
				return
			}
			topo := mesh.NewTopology(m)
			assert.Zero(t, topo.Count().Odd, "%+v", c)
		})
	}
}
