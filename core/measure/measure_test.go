package measure_test

import (
	"math"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/measure"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/spatial"
)

// block is an axis-parallel box, facing outward, or inward when turned.
func block(m *mesh.Mesh, low, high geom.Vec, turned bool) {
	meshtest.Block(m, low, high)
	for t := len(m.Triangles) - 12; turned && t < len(m.Triangles); t++ {
		m.Turn(int32(t))
	}
}

func TestSamplesAreEven(t *testing.T) {
	m := &mesh.Mesh{}
	block(m, geom.Vec{}, geom.Vec{X: 30, Y: 20, Z: 0.5}, false)
	samples := measure.Samples(m, 5000, nil)
	assert.InDelta(t, 5000, len(samples), 2)
	sum, top := 0.0, 0.0
	var middle geom.Vec
	for _, s := range samples {
		sum += s.AreaMM2
		if s.Normal.Z > 0.5 {
			top += s.AreaMM2
			middle = middle.Add(s.At.Scale(s.AreaMM2))
			assert.Equal(t, 0.5, s.At.Z)
		}
	}
	assert.InDelta(t, 2*(600+15+10), sum, 1)
	assert.InDelta(t, 600, top, 1)
	assert.InDelta(t, 15, middle.X/top, 0.1, "spread over the whole face")
	assert.InDelta(t, 10, middle.Y/top, 0.1)
	assert.Empty(t, measure.Samples(&mesh.Mesh{}, 10, nil))
}

// TestThinWalls measures a plate of half a millimetre beside a thick block: the
// plate is one region, with its thickness and its area, the block is none.
func TestThinWalls(t *testing.T) {
	m := &mesh.Mesh{}
	block(m, geom.Vec{}, geom.Vec{X: 30, Y: 20, Z: 0.5}, false)
	block(m, geom.Vec{X: 50}, geom.Vec{X: 70, Y: 20, Z: 20}, false)
	tree := spatial.New(m, nil)
	thin, err := measure.Thickness(t.Context(), tree, measure.Samples(m, 8000, nil), 0.8, false)
	require.NoError(t, err)
	regions := measure.Regions(thin, 2)
	require.Len(t, regions, 1)
	assert.InDelta(t, 0.5, regions[0].ThinnestMM, 1e-6)
	assert.LessOrEqual(t, regions[0].SphereMM, 0.5+1e-9)
	assert.InDelta(t, 1200, regions[0].AreaMM2, 15, "both faces; not the rim, which is 20 wide")
	none, err := measure.Thickness(t.Context(), tree, measure.Samples(m, 8000, nil), 0.49, false)
	require.NoError(t, err)
	assert.Empty(t, none)

	gaps, err := measure.Thickness(t.Context(), tree, measure.Samples(m, 8000, nil), 21, true)
	require.NoError(t, err)
	for _, g := range measure.Regions(gaps, 3) {
		assert.InDelta(t, 20, g.ThinnestMM, 1e-6, "the gap between the two")
	}
	assert.NotEmpty(t, gaps)

	before := runtime.GOMAXPROCS(1)
	again, err := measure.Thickness(t.Context(), tree, measure.Samples(m, 8000, nil), 0.8, false)
	runtime.GOMAXPROCS(before)
	require.NoError(t, err)
	assert.Equal(t, thin, again, "the same on any number of cores")
}

// TestTapersAreNoWalls takes a wedge, which is thin at its edge and no wall.
func TestTapersAreNoWalls(t *testing.T) {
	m := &mesh.Mesh{Positions: []geom.Vec{{}, {X: 20}, {Y: 10}, {X: 20, Y: 10}, {X: 20, Z: 12}, {X: 20, Y: 10, Z: 12}}}
	m.Triangles = []mesh.Triangle{{0, 2, 3}, {0, 3, 1}, {0, 4, 5}, {0, 5, 2}, {1, 3, 5}, {1, 5, 4}, {0, 1, 4}, {2, 5, 3}}
	thin, err := measure.Thickness(t.Context(), spatial.New(m, nil), measure.Samples(m, 5000, nil), 1, false)
	require.NoError(t, err)
	assert.Empty(t, thin)
}

// TestOverhangs takes a table: the underside of its top needs support down to
// the bed, that of its leg stands on it.
func TestOverhangs(t *testing.T) {
	m := &mesh.Mesh{}
	block(m, geom.Vec{X: 10, Y: 10}, geom.Vec{X: 20, Y: 20, Z: 30}, false)
	block(m, geom.Vec{Z: 30}, geom.Vec{X: 30, Y: 30, Z: 33}, false)
	o, err := measure.Overhangs(t.Context(), spatial.New(m, nil), 45, 0.2, 20_000)
	require.NoError(t, err)
	assert.InDelta(t, 900, o.AreaMM2, 1e-6)
	assert.InDelta(t, 800*30, o.SupportMM3, 300, "but for where the leg is")
	assert.Len(t, o.Triangles, 2)
}

// TestCompare moves one face of a block: that is how far the two are apart, from
// both sides, and a surface is not apart from itself.
func TestCompare(t *testing.T) {
	a, b := &mesh.Mesh{}, &mesh.Mesh{}
	block(a, geom.Vec{}, geom.Vec{X: 10, Y: 10, Z: 10}, false)
	block(b, geom.Vec{}, geom.Vec{X: 10, Y: 10, Z: 10.5}, false)
	d, err := measure.Compare(t.Context(), spatial.New(a, nil), spatial.New(b, nil), 6000, false, false)
	require.NoError(t, err)
	assert.InDelta(t, 0.5, d.Max, 1e-9)
	assert.InDelta(t, 0.5, d.P99, 1e-9)
	assert.InDelta(t, 0.5/6, d.Mean, 0.01, "one face of six")
	d, err = measure.Compare(t.Context(), spatial.New(a, nil), spatial.New(a.Clone(), nil), 6000, true, false)
	require.NoError(t, err)
	assert.Less(t, d.Max, 1e-12)
	spike := a.Clone()
	spike.Positions[7] = geom.Vec{X: 10, Y: 10, Z: 17}
	d, err = measure.Compare(t.Context(), spatial.New(a, nil), spatial.New(spike, nil), 100, true, false)
	require.NoError(t, err)
	assert.Equal(t, 7.0, d.Max, "a corner tells what few samples miss")
	assert.Equal(t, spike.Positions[7], d.At)
}

func TestLayersOfAHollowBlock(t *testing.T) {
	m := &mesh.Mesh{}
	block(m, geom.Vec{}, geom.Vec{X: 10, Y: 10, Z: 10}, false)
	block(m, geom.Vec{X: 2, Y: 2, Z: 2}, geom.Vec{X: 8, Y: 8, Z: 8}, true)
	layers, err := measure.Layers(t.Context(), mesh.NewTopology(m), []float64{-1, 0, 1, 2, 5, 8, 9.5, 10, 11})
	require.NoError(t, err)
	for i, want := range []float64{0, 0, 100, 100, 64, 64, 100, 100, 0} { // a vertex on a plane counts as above it
		assert.InDelta(t, want, layers[i].AreaMM2, 1e-9, "at %g", layers[i].ZMM)
		assert.Zero(t, layers[i].Open())
	}
	assert.Len(t, layers[4].Contours, 2)
	assert.Len(t, layers[4].Contours[0].Points, 8, "four sides of two triangles each")
}

// TestLayersOfASurface sums areas times heights to the volume, for a bumpy
// torus, whose vertices lie on the planes too; with a triangle missing exactly
// the layers through it are open.
func TestLayersOfASurface(t *testing.T) {
	const n = 48
	m := meshtest.Grid(n, n, func(a, b float64) geom.Vec {
		r := 40 + 10*math.Cos(b)
		return geom.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: math.Round(100*math.Sin(b)) / 10}
	})
	topo := mesh.NewTopology(m)
	volume := mesh.NewShells(topo, topo.Count()).List[0].VolumeMM3
	heights := measure.Heights(m.Bounds(), 0.1)
	require.Len(t, heights, 200)
	layers, err := measure.Layers(t.Context(), topo, heights)
	require.NoError(t, err)
	sum := 0.0
	for _, l := range layers {
		sum += l.AreaMM2 * 0.1
		require.Zero(t, l.Open())
		require.Len(t, l.Contours, 2)
	}
	assert.InDelta(t, volume, sum, volume*1e-3)

	gone := m.Triangles[100]
	low, high := math.Inf(1), math.Inf(-1)
	for _, v := range gone {
		low, high = min(low, m.Positions[v].Z), max(high, m.Positions[v].Z)
	}
	m.Triangles = append(m.Triangles[:100:100], m.Triangles[101:]...)
	layers, err = measure.Layers(t.Context(), mesh.NewTopology(m), heights)
	require.NoError(t, err)
	for _, l := range layers {
		want := 0
		if low < l.ZMM && l.ZMM <= high {
			want = 1
		}
		require.Equal(t, want, l.Open(), "at %g, the gap is from %g to %g", l.ZMM, low, high)
	}
}

// TestFitTurned lays long parts across a machine's diagonal.
func TestFitTurned(t *testing.T) {
	m := &mesh.Mesh{}
	block(m, geom.Vec{}, geom.Vec{X: 250, Y: 10, Z: 20}, false)
	axis, degrees, fits := measure.FitTurned(m, [3]float64{200, 200, 100})
	require.True(t, fits)
	assert.Equal(t, "Z", axis)
	sin, cos := math.Sincos(float64(degrees) * math.Pi / 180)
	assert.LessOrEqual(t, 250*cos+10*sin, 200.0)
	assert.LessOrEqual(t, 250*sin+10*cos, 200.0)
	_, _, fits = measure.FitTurned(m, [3]float64{180, 180, 100})
	assert.False(t, fits)
	axis, _, fits = measure.FitTurned(m, [3]float64{200, 200, 15})
	require.True(t, fits)
	assert.Equal(t, "Y", axis, "only on its side is it low enough")
}

// jar is a closed pot with a wall of two mm and a hole of that width in its lid.
func jar(neck float64) *mesh.Mesh {
	const n = 48
	profile := [][2]float64{{0, 0}, {20, 0}, {20, 40}, {neck / 2, 40}, {neck / 2, 38}, {18, 38}, {18, 2}, {0, 2}}
	m := &mesh.Mesh{}
	var rings [][]int32
	for _, p := range profile {
		var ring []int32
		for i := range n {
			if p[0] == 0 && i > 0 {
				ring = append(ring, ring[0])
				continue
			}
			a := 2 * math.Pi * float64(i) / n
			ring = append(ring, int32(len(m.Positions)))
			m.Positions = append(m.Positions, geom.Vec{X: p[0] * math.Cos(a), Y: p[0] * math.Sin(a), Z: p[1]})
		}
		rings = append(rings, ring)
	}
	for k := range len(rings) - 1 {
		for i := range n {
			a, b, c, d := rings[k][i], rings[k][(i+1)%n], rings[k+1][(i+1)%n], rings[k+1][i]
			if a != b {
				m.Triangles = append(m.Triangles, mesh.Triangle{a, b, c})
			}
			if c != d {
				m.Triangles = append(m.Triangles, mesh.Triangle{a, c, d})
			}
		}
	}
	return m
}

// TestPockets wants a jar to empty through a wide neck and not through a narrow
// one, and finds how much stays in.
func TestPockets(t *testing.T) {
	room := math.Pi * 18 * 18 * 36
	for _, c := range []struct {
		neck    float64
		pockets int
	}{{12, 0}, {6, 0}, {3, 1}, {1, 1}} {
		topo := mesh.NewTopology(jar(c.neck))
		require.Positive(t, mesh.NewShells(topo, topo.Count()).List[0].VolumeMM3)
		pockets, told, err := measure.Pockets(t.Context(), topo, 4)
		require.NoError(t, err)
		assert.True(t, told)
		require.Len(t, pockets, c.pockets, "a neck of %g mm", c.neck)
		if c.pockets > 0 {
			assert.InDelta(t, room, pockets[0].VolumeMM3, room*0.06, "all but what sticks in its edges")
		}
	}
	_, told, err := measure.Pockets(t.Context(), mesh.NewTopology(jar(3)), 0.1)
	require.NoError(t, err)
	assert.False(t, told, "too fine to tell")

	sealed := &mesh.Mesh{}
	block(sealed, geom.Vec{}, geom.Vec{X: 30, Y: 30, Z: 30}, false)
	block(sealed, geom.Vec{X: 5, Y: 5, Z: 5}, geom.Vec{X: 25, Y: 25, Z: 25}, true)
	pockets, _, err := measure.Pockets(t.Context(), mesh.NewTopology(sealed), 4)
	require.NoError(t, err)
	assert.Empty(t, pockets, "sealed rooms are told by shells")
}

// tube is a skin of radius r around a closed line.
func tube(n, k int, r float64, line func(a float64) geom.Vec) *mesh.Mesh {
	return meshtest.Grid(n, k, func(a, b float64) geom.Vec {
		along := line(a + 1e-5).Sub(line(a - 1e-5)).Unit()
		out := geom.Vec{Z: 1}.Cross(along).Unit().Scale(-1)
		return line(a).Add(out.Scale(r * math.Cos(b))).Add(out.Cross(along).Scale(r * math.Sin(b)))
	})
}

// TestWallsAndOverhangsOfKnownShapes gives shapes a skin of known thickness:
// thinner than asked it is found all over, thicker nowhere, and so with gaps
// seen from the other side. What hangs over is known from their formulas.
func TestWallsAndOverhangsOfKnownShapes(t *testing.T) {
	ring := func(radius float64) func(a float64) geom.Vec {
		return func(a float64) geom.Vec { return geom.Vec{X: radius * math.Cos(a), Y: radius * math.Sin(a)} }
	}
	ball := func(r float64) *mesh.Mesh { // with its poles cut off, very small
		return meshtest.Grid(96, 64, func(a, b float64) geom.Vec {
			if b > math.Pi { // back along the axis
				return geom.Vec{X: 1e-3 * math.Cos(a), Y: 1e-3 * math.Sin(a), Z: r * math.Cos(b)}
			}
			return geom.Vec{X: r*math.Sin(b)*math.Cos(a) + 1e-3*math.Cos(a), Y: r*math.Sin(b)*math.Sin(a) + 1e-3*math.Sin(a), Z: -r * math.Cos(b)}
		})
	}
	steep := math.Sin(math.Pi / 4)
	shapes := map[string]struct {
		skin     func(less float64) *mesh.Mesh
		hangs    float64 // mm² at 45 degrees; 0 where no formula is known
		blockEnd float64 // length of a block's side
	}{
		"ball":       {func(less float64) *mesh.Mesh { return ball(30 - less) }, 2 * math.Pi * 900 * (1 - steep), 0},
		"small ball": {func(less float64) *mesh.Mesh { return ball(9 - less) }, 2 * math.Pi * 81 * (1 - steep), 0},
		"torus":      {func(less float64) *mesh.Mesh { return tube(128, 64, 10-less, ring(30)) }, math.Pi * math.Pi * 10 * 30, 0},
		"slim torus": {func(less float64) *mesh.Mesh { return tube(160, 40, 4-less, ring(40)) }, math.Pi * math.Pi * 4 * 40, 0},
		"knot": {func(less float64) *mesh.Mesh {
			return tube(300, 32, 5-less, func(a float64) geom.Vec {
				r := 36 + 14*math.Cos(3*a)
				return geom.Vec{X: r * math.Cos(2*a), Y: r * math.Sin(2*a), Z: 16 * math.Sin(3*a)}
			})
		}, 0, 0},
		"block": {func(less float64) *mesh.Mesh {
			m := &mesh.Mesh{}
			block(m, geom.Vec{X: less, Y: less, Z: less}, geom.Vec{X: 30 - less, Y: 30 - less, Z: 30 - less}, false)
			return m
		}, 0, 30},
	}
	const limit = 0.8
	for name, s := range shapes {
		t.Run(name, func(t *testing.T) {
			outer := s.skin(0)
			topo := mesh.NewTopology(outer)
			require.Positive(t, mesh.NewShells(topo, topo.Count()).List[0].VolumeMM3)
			if s.hangs > 0 {
				o, err := measure.Overhangs(t.Context(), spatial.New(outer, nil), 45, 0, 100)
				require.NoError(t, err)
				assert.InDelta(t, s.hangs, o.AreaMM2, 0.04*s.hangs)
			}
			for _, thick := range []float64{0.2, 0.5, 0.75, 0.85, 1.2, 2.5} {
				inner := s.skin(thick)
				m := outer.Clone()
				n := int32(len(m.Positions))
				m.Positions = append(m.Positions, inner.Positions...)
				for _, v := range inner.Triangles {
					m.Triangles = append(m.Triangles, mesh.Triangle{v[0] + n, v[2] + n, v[1] + n})
				}
				tree := spatial.New(m, nil)
				samples := measure.Samples(m, 4000, func(t int32) bool {
					a, b, c := m.Corners(t) // not the axis that joins a ball's poles
					return max(a.X*a.X+a.Y*a.Y, b.X*b.X+b.Y*b.Y, c.X*c.X+c.Y*c.Y) > 2
				})
				thin, err := measure.Thickness(t.Context(), tree, samples, limit, false)
				require.NoError(t, err)
				want := float64(len(samples))
				if s.blockEnd > 0 { // an outer face is thin only where the room is behind it
					in, out := (s.blockEnd-2*thick)*(s.blockEnd-2*thick), s.blockEnd*s.blockEnd
					want *= 2 * in / (in + out)
				}
				if thick > limit {
					want = 0
				}
				assert.InDelta(t, want, len(thin), 0.01*float64(len(samples)), "%g mm", thick)
				walls, err := measure.Walls(t.Context(), tree, samples, 2)
				require.NoError(t, err)
				require.Len(t, walls, len(samples), "a map leaves none out")
				within := 0
				for _, w := range walls {
					require.LessOrEqual(t, w.SphereMM, w.RayMM+1e-9)
					if w.RayMM < limit {
						within++
					}
				}
				assert.Equal(t, len(thin), within, "and shows what is found")
				for _, w := range thin {
					require.InDelta(t, thick, w.RayMM, 0.06)
					require.LessOrEqual(t, w.SphereMM, w.RayMM+1e-9)
				}
				for i := range m.Triangles { // inside out, the wall is a gap
					m.Turn(int32(i))
				}
				gaps, err := measure.Thickness(t.Context(), spatial.New(m, nil), measure.Samples(m, 4000, nil), limit, true)
				require.NoError(t, err)
				assert.InDelta(t, len(thin), len(gaps), 0.03*float64(len(samples)))
			}
		})
	}
}

// TestMisfilledLayers wants the area that two blocks share, a block's that is
// inside out, and of a surface with one triangle turned just the layers that go
// through it.
func TestMisfilledLayers(t *testing.T) {
	m := &mesh.Mesh{}
	block(m, geom.Vec{}, geom.Vec{X: 10, Y: 10, Z: 10}, false)
	block(m, geom.Vec{X: 7, Y: 5, Z: 4}, geom.Vec{X: 17, Y: 15, Z: 14}, false)
	block(m, geom.Vec{X: 40}, geom.Vec{X: 44, Y: 10, Z: 3}, true)
	block(m, geom.Vec{X: 1, Y: 1, Z: 8}, geom.Vec{X: 3, Y: 3, Z: 9}, true) // a room
	layers, err := measure.Layers(t.Context(), mesh.NewTopology(m), []float64{1, 3.5, 5, 8.5, 9.9, 12})
	require.NoError(t, err)
	for i, want := range []float64{40, 0, 15, 15, 15, 0} {
		assert.InDelta(t, want, layers[i].MisfilledMM2, 0.5, "at %g", layers[i].ZMM)
	}

	torus := meshtest.Bumpy(40)
	for turned := range int32(40) {
		turned *= 79
		torus.Turn(turned)
		a, b, c := torus.Corners(turned)
		low, high := min(a.Z, b.Z, c.Z), max(a.Z, b.Z, c.Z)
		layers, err := measure.Layers(t.Context(), mesh.NewTopology(torus), []float64{low - 1e-3, low + 0.3*(high-low), low + 0.7*(high-low), high + 1e-3})
		require.NoError(t, err)
		for i, l := range layers {
			if i == 1 || i == 2 {
				assert.Equal(t, 2, l.Against)
				assert.True(t, l.Wrong())
			} else {
				assert.False(t, l.Wrong())
			}
		}
		torus.Turn(turned)
	}
}
