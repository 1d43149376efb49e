package geom

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// nearly returns a point that is on the line through a and b up to rounding,
// which is where a filter must give up or be right.
func nearly(r *rand.Rand, a, b [2]float64) [2]float64 {
	t := r.Float64()*3 - 1
	p := [2]float64{a[0] + t*(b[0]-a[0]), a[1] + t*(b[1]-a[1])}
	if r.IntN(2) == 0 {
		p[r.IntN(2)] = math.Nextafter(p[0], math.Inf(1))
	}
	return p
}

func TestOrient2DAgainstRationals(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for i := range 50_000 {
		scale := math.Pow(10, float64(r.IntN(60)-30))
		a := [2]float64{scale * (r.Float64() - 0.5), scale * (r.Float64() - 0.5)}
		b := [2]float64{scale * (r.Float64() - 0.5), a[1] + scale*(r.Float64()-0.5)}
		c := nearly(r, a, b)
		if i%3 == 0 { // a small lattice: many exact zeros
			for _, p := range []*[2]float64{&a, &b, &c} {
				p[0], p[1] = float64(r.IntN(4)), float64(r.IntN(4))
			}
		}
		want := orient2DRational(a[0], a[1], b[0], b[1], c[0], c[1])
		require.Equal(t, want, Orient2D(a[0], a[1], b[0], b[1], c[0], c[1]), "%v %v %v", a, b, c)
		require.Equal(t, want, orient2DExact(a[0], a[1], b[0], b[1], c[0], c[1]))
		require.Equal(t, -want, Orient2D(b[0], b[1], a[0], a[1], c[0], c[1]), "swapped")
	}
}

func TestOrient3DAgainstRationals(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	point := func(lattice bool, scale float64) Vec {
		if lattice {
			return Vec{float64(r.IntN(3)), float64(r.IntN(3)), float64(r.IntN(3))}
		}
		return Vec{scale * (r.Float64() - 0.5), scale * (r.Float64() - 0.5), scale * (r.Float64() - 0.5)}
	}
	zeros := 0
	for i := range 50_000 {
		scale := math.Pow(10, float64(r.IntN(40)-20))
		a, b, c := point(i%3 == 0, scale), point(i%3 == 0, scale), point(i%3 == 0, scale)
		d := point(i%3 == 0, scale)
		if i%7 == 2 { // magnitudes far apart: differences that round
			a, d = a.Scale(1e-9), d.Scale(1e7)
		}
		if i%3 == 1 { // on the plane up to rounding
			s, u := r.Float64(), r.Float64()
			d = a.Add(b.Sub(a).Scale(s)).Add(c.Sub(a).Scale(u))
		}
		want := orient3DRational(a, b, c, d)
		if want == 0 {
			zeros++
		}
		require.Equal(t, want, Orient3D(a, b, c, d))
		require.Equal(t, want, orient3DExact(a, b, c, d), "%v %v %v %v", a, b, c, d)
		require.Equal(t, -want, Orient3D(b, a, c, d), "swapped")
	}
	assert.Greater(t, zeros, 1000, "the test must meet degenerate cases")
}

func TestOrientationOfTheAxes(t *testing.T) {
	assert.Equal(t, 1, Orient2D(0, 0, 1, 0, 0, 1))
	assert.Equal(t, 1, Orient3D(Vec{0, 0, 0}, Vec{1, 0, 0}, Vec{0, 1, 0}, Vec{0, 0, -1}), "below an anticlockwise triangle")
}

func TestTinyCoordinatesAreStillExact(t *testing.T) {
	e := math.SmallestNonzeroFloat64
	assert.Equal(t, 1, Orient2D(0, 0, e, 0, 0, e), "products underflow to zero, the answer does not")
	assert.False(t, Collinear(Vec{0, 0, 0}, Vec{e, 0, 0}, Vec{0, 0, e}))
	assert.True(t, Collinear(Vec{0, 0, 0}, Vec{e, e, e}, Vec{2 * e, 2 * e, 2 * e}))
}

func area2(p [][2]float64) (sum float64) {
	for i := range p {
		q := p[(i+1)%len(p)]
		sum += p[i][0]*q[1] - q[0]*p[i][1]
	}
	return sum
}

// TestTriangulateCoversThePolygon cuts random star-shaped polygons, some with
// straight corners: n-2 triangles, none turned, the areas adding up.
func TestTriangulateCoversThePolygon(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 400 {
		n := 3 + r.IntN(60)
		var polygon [][2]float64
		for i := range n {
			s, c := math.Sincos(2 * math.Pi * (float64(i) + 0.9*r.Float64()) / float64(n))
			d := 1 + 9*r.Float64()
			polygon = append(polygon, [2]float64{math.Round(16 * d * c), math.Round(16 * d * s)})
		}
		if n > 5 { // a point in the middle of a side
			a, b := polygon[0], polygon[1]
			if int(a[0]+b[0])%2 == 0 && int(a[1]+b[1])%2 == 0 && a != b {
				polygon = append(polygon[:1], append([][2]float64{{(a[0] + b[0]) / 2, (a[1] + b[1]) / 2}}, polygon[1:]...)...)
			}
		}
		if area2(polygon) <= 0 || !simple(polygon) {
			continue
		}
		cut, ok := Triangulate(polygon, nil)
		require.True(t, ok, "%v", polygon)
		require.Len(t, cut, len(polygon)-2)
		sum := 0.0
		for _, tri := range cut {
			a := area2([][2]float64{polygon[tri[0]], polygon[tri[1]], polygon[tri[2]]})
			require.Positive(t, a)
			sum += a
		}
		require.Equal(t, area2(polygon), sum, "integers: exact")
	}
}

// simple is the brute-force test that no two sides of a polygon meet except neighbours in their corner.
func simple(p [][2]float64) bool {
	n := len(p)
	side := func(a, b, c [2]float64) int { return Orient2D(a[0], a[1], b[0], b[1], c[0], c[1]) }
	for i := range n {
		for j := i + 1; j < n; j++ {
			a, b, c, d := p[i], p[(i+1)%n], p[j], p[(j+1)%n]
			if a == c || (j == i+1 || (i == 0 && j == n-1)) && side(a, b, c) == 0 && side(a, b, d) == 0 {
				return false
			}
			if j == i+1 || (i == 0 && j == n-1) {
				continue
			}
			if side(a, b, c)*side(a, b, d) <= 0 && side(c, d, a)*side(c, d, b) <= 0 {
				return false
			}
		}
	}
	return true
}

func TestTriangulateRefusesWhatItCannotCut(t *testing.T) {
	_, ok := Triangulate([][2]float64{{0, 0}, {2, 2}, {2, 0}, {0, 2}}, nil)
	assert.False(t, ok, "crosses itself")
	_, ok = Triangulate([][2]float64{{0, 0}, {1, 0}, {2, 0}}, nil)
	assert.False(t, ok, "no area")
	square := [][2]float64{{0, 0}, {1, 0}, {1, 1}, {0, 1}}
	cut, ok := Triangulate(square, func(i, j int) bool { return min(i, j) != 0 })
	require.True(t, ok)
	assert.NotContains(t, cut, [3]int32{0, 1, 2}, "the forbidden diagonal is not used")
	_, ok = Triangulate(square, func(i, j int) bool { return false })
	assert.False(t, ok)
}

func TestFlattenKeepsThePolygonAnticlockwise(t *testing.T) {
	for _, turn := range [][3]int{{0, 1, 2}, {1, 2, 0}, {2, 0, 1}, {1, 0, 2}, {0, 2, 1}, {2, 1, 0}} {
		var points []Vec
		for _, p := range [][3]float64{{0, 0, 5}, {4, 0, 5}, {4, 3, 5}, {0, 3, 5}} {
			points = append(points, Vec{p[turn[0]], p[turn[1]], p[turn[2]]})
		}
		assert.Equal(t, 24.0, area2(Flatten(points)), "%v", turn)
	}
}

func TestMatrixComposesInOrder(t *testing.T) {
	move := Matrix{1, 0, 0, 0, 1, 0, 0, 0, 1, 5, 0, 0}
	double := Matrix{2, 0, 0, 0, 2, 0, 0, 0, 2, 0, 0, 0}
	assert.Equal(t, Vec{12, 0, 0}, move.Then(double).Apply(Vec{1, 0, 0}))
	assert.Equal(t, Vec{7, 0, 0}, double.Then(move).Apply(Vec{1, 0, 0}))
	assert.Equal(t, -1.0, Matrix{-1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0}.Determinant())
}
