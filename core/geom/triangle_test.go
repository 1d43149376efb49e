package geom_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/geom"
	"veneer/core/geom/geomtest"
)

// soup is six points from one of several unkind families.
func soup(r *rand.Rand) []geom.Vec {
	p := make([]geom.Vec, 6)
	family := r.IntN(6)
	scale := math.Pow(10, float64(r.IntN(9)-4))
	for i := range p {
		switch family {
		case 0: // a small lattice: touching, coplanar, in line
			p[i] = geom.Vec{X: float64(r.IntN(3)), Y: float64(r.IntN(3)), Z: float64(r.IntN(3))}
		case 1: // one level plane
			p[i] = geom.Vec{X: float64(r.IntN(5)), Y: float64(r.IntN(5)), Z: 1}
		case 2: // one slanting plane, exactly
			x, y := float64(r.IntN(9)), float64(r.IntN(9))
			p[i] = geom.Vec{X: x, Y: y, Z: x/2 - y/4}
		case 3: // one plane up to rounding
			x, y := r.Float64(), r.Float64()
			p[i] = geom.Vec{X: x, Y: y, Z: x/3 + y/7}
		case 4: // single precision, close together
			p[i] = geom.Vec{X: 1000 + r.Float64(), Y: r.Float64(), Z: r.Float64() / 8}.Single()
		default:
			p[i] = geom.Vec{X: r.Float64(), Y: r.Float64(), Z: r.Float64()}.Scale(scale)
		}
	}
	if r.IntN(4) == 0 { // a corner on the other triangle, up to rounding
		s, u := r.Float64(), r.Float64()/2
		p[5] = p[0].Add(p[1].Sub(p[0]).Scale(s)).Add(p[2].Sub(p[0]).Scale(u))
	}
	return p
}

// TestTrianglesAgainstRationals holds every test against the oracle, for
// triangles that share nothing, a corner or an edge, in every order of corners.
func TestTrianglesAgainstRationals(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	var met, apart [3]int
	for range 20_000 {
		p := soup(r)
		shared := r.IntN(3)
		one := [3]int32{0, 1, 2}
		two := [3]int32{3, 4, 5}
		for i := range shared {
			two[i] = int32(i)
		}
		flat := func(v [3]int32) bool { return geom.Collinear(p[v[0]], p[v[1]], p[v[2]]) }
		if flat(one) || flat(two) || shared < 2 && p[4] == p[1] {
			continue
		}
		want := geomtest.Meet(p, one, two)
		var got, turned bool
		switch shared {
		case 0:
			got = geom.Meet(p[0], p[1], p[2], p[3], p[4], p[5])
			turned = geom.Meet(p[5], p[3], p[4], p[0], p[2], p[1])
		case 1:
			got = geom.MeetAtCorner(p[0], p[1], p[2], p[4], p[5])
			turned = geom.MeetAtCorner(p[0], p[5], p[4], p[2], p[1])
		case 2:
			got = geom.FoldAtEdge(p[0], p[1], p[2], p[5])
			turned = geom.FoldAtEdge(p[1], p[0], p[5], p[2])
		}
		require.Equal(t, want, got, "%d shared: %v", shared, p)
		require.Equal(t, want, turned, "%d shared, turned: %v", shared, p)
		if want {
			met[shared]++
		} else {
			apart[shared]++
		}
	}
	for i := range 3 {
		assert.Greater(t, met[i], 300)
		assert.Greater(t, apart[i], 300)
	}
}

func BenchmarkMeetAtCorner(b *testing.B) {
	a, c := geom.Vec{}, geom.Vec{X: 1, Y: 0.2, Z: 0.1}
	d, e, f := geom.Vec{X: 0.3, Y: 1, Z: 0.1}, geom.Vec{X: -1, Y: -0.2, Z: 0.05}, geom.Vec{X: -0.2, Y: -1, Z: 0.1}
	for b.Loop() {
		geom.MeetAtCorner(a, c, d, e, f)
	}
}

func BenchmarkOrient3DExact(b *testing.B) {
	p := [4]geom.Vec{{X: 0.1}, {Y: 0.1}, {X: 0.3, Y: 0.1}, {X: 0.7, Y: 0.7}}
	for b.Loop() {
		geom.Orient3D(p[0], p[1], p[2], p[3])
	}
}
