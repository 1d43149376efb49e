package repair_test

import (
	"math"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"veneer/core/check"
	"veneer/core/geom"
	"veneer/core/mesh"
	"veneer/core/mesh/meshtest"
	"veneer/core/pipeline"
	"veneer/core/repair"
)

// clutter makes furniture as it was modelled for pictures: hundreds of shells
// pushed into one another, half of them open, sheets beside solids, faces there
// twice and in both ways.
type clutter struct {
	*mesh.Mesh
	r    *rand.Rand
	room float64 // mm along a side
}

func (c *clutter) place() geom.Vec {
	return geom.Vec{X: c.r.Float64(), Y: c.r.Float64(), Z: c.r.Float64()}.Scale(c.room)
}

// turn is a rotation around the origin, most often by quarters only.
func (c *clutter) turn() func(geom.Vec) geom.Vec {
	a := math.Pi / 2 * float64(c.r.IntN(4))
	if c.r.IntN(3) == 0 {
		a = 7 * c.r.Float64()
	}
	s, k := math.Sincos(a)
	flip := c.r.IntN(2) == 0
	return func(p geom.Vec) geom.Vec {
		p = geom.Vec{X: k*p.X - s*p.Y, Y: s*p.X + k*p.Y, Z: p.Z}
		if flip {
			p = geom.Vec{X: p.Y, Y: p.Z, Z: p.X}
		}
		return p
	}
}

// add puts a body somewhere in the room.
func (c *clutter) add(body *mesh.Mesh) {
	o, turn, n := c.place(), c.turn(), int32(len(c.Positions))
	for _, p := range body.Positions {
		c.Positions = append(c.Positions, o.Add(turn(p)).Single())
	}
	for _, v := range body.Triangles {
		c.Triangles = append(c.Triangles, mesh.Triangle{v[0] + n, v[1] + n, v[2] + n})
	}
}

// panel is a board, in one body of three without one of its sides.
func (c *clutter) panel() {
	b := &mesh.Mesh{}
	meshtest.Block(b, geom.Vec{}, geom.Vec{X: c.room * (0.1 + 0.5*c.r.Float64()), Y: c.room * (0.05 + 0.3*c.r.Float64()), Z: 2 + 2*c.r.Float64()})
	if c.r.IntN(3) == 0 {
		side := 2 * c.r.IntN(6)
		b.Triangles = append(b.Triangles[:side], b.Triangles[side+2:]...)
	}
	c.add(b)
}

// tube is a leg or a rail, most often open at both ends.
func (c *clutter) tube() {
	n, radius, length := int32(8+c.r.IntN(24)), 1.5+2.5*c.r.Float64(), c.room*(0.2+0.6*c.r.Float64())
	b := &mesh.Mesh{}
	for i := range n {
		s, k := math.Sincos(2 * math.Pi * float64(i) / float64(n))
		b.Positions = append(b.Positions, geom.Vec{X: radius * k, Y: radius * s}, geom.Vec{X: radius * k, Y: radius * s, Z: length})
	}
	closed := c.r.IntN(3) == 0
	for i := range n {
		a, d := 2*i, 2*((i+1)%n)
		quad(b, a, d, d+1, a+1)
		if closed && i > 1 {
			b.Triangles = append(b.Triangles, mesh.Triangle{0, 2 * i, 2*i - 2}, mesh.Triangle{1, 2*i - 1, 2*i + 1})
		}
	}
	c.add(b)
}

// cushion is a soft body whose skin passes through itself here and there.
func (c *clutter) cushion() {
	size, deep := c.room*(0.06+0.1*c.r.Float64()), 0.1*c.r.Float64()
	n := 16 + c.r.IntN(40)
	c.add(grid(n, n, true, func(a, b float64) geom.Vec {
		s := math.Sin(b / 2)
		fold := size * deep * math.Sin(7*a) * math.Sin(5*b)
		return geom.Vec{X: (size + 2*fold) * s * math.Cos(a), Y: (size + fold) * s * math.Sin(a), Z: -0.4 * size * math.Cos(b/2) * (1 + 3*deep*math.Sin(6*a))}
	}))
}

// leaf is a bent sheet.
func (c *clutter) leaf() {
	b := &mesh.Mesh{}
	n, long, wide, bend := int32(2+c.r.IntN(4)), c.room*(0.04+0.08*c.r.Float64()), c.room*(0.02+0.02*c.r.Float64()), c.r.Float64()
	for i := range n + 1 {
		x := float64(i) / float64(n)
		w := wide * math.Sin(math.Pi*(0.1+0.8*x))
		b.Positions = append(b.Positions, geom.Vec{X: long * x, Y: -w, Z: bend * long * x * x}, geom.Vec{X: long * x, Z: bend*long*x*x - 0.2*w}, geom.Vec{X: long * x, Y: w, Z: bend * long * x * x})
		if i > 0 {
			quad(b, 3*i-3, 3*i, 3*i+1, 3*i-2)
			quad(b, 3*i-2, 3*i+1, 3*i+2, 3*i-1)
		}
	}
	c.add(b)
}

// spoil damages some of the bodies that were added since a triangle.
func (c *clutter) spoil(first int) {
	last := len(c.Triangles)
	if first == last {
		return
	}
	pick := func() int { return first + c.r.IntN(last-first) }
	switch c.r.IntN(9) {
	case 0: // triangles are missing
		for range 1 + c.r.IntN(3) {
			c.Triangles[pick()] = mesh.Triangle{}
		}
	case 1: // inside out
		for t := first; t < last; t++ {
			c.Turn(int32(t))
		}
	case 2: // some face the other way
		for range 1 + (last-first)/10 {
			c.Turn(int32(pick()))
		}
	case 3: // there twice
		c.Triangles = append(c.Triangles, c.Triangles[first:last]...)
	case 4: // there twice, in both ways
		for t := first; t < last; t++ {
			v := c.Triangles[t]
			c.Triangles = append(c.Triangles, mesh.Triangle{v[0], v[2], v[1]})
		}
	case 5: // in pieces that are not joined
		for t := first; t < last; t += 3 {
			for k, v := range c.Triangles[t] {
				c.Positions = append(c.Positions, c.Positions[v].Add(geom.Vec{X: 1e-4 * float64(k)}).Single())
				c.Triangles[t][k] = int32(len(c.Positions) - 1)
			}
		}
	}
}

func newClutter(seed uint64, bodies int) *mesh.Mesh {
	c := &clutter{&mesh.Mesh{}, rand.New(rand.NewPCG(seed, 11)), 60 + 60*float64(seed%3)}
	kinds := []func(){c.panel, c.tube, c.cushion, c.leaf, c.leaf, c.leaf}
	if seed%4 == 1 {
		kinds = kinds[:3]
	}
	for range bodies {
		first := len(c.Triangles)
		kinds[c.r.IntN(len(kinds))]()
		c.spoil(first)
	}
	c.Keep(func(t int32) bool { return c.Triangles[t] != mesh.Triangle{} })
	c.r.Shuffle(len(c.Triangles), func(i, j int) { c.Triangles[i], c.Triangles[j] = c.Triangles[j], c.Triangles[i] })
	c.Round()
	return c.Mesh
}

// times is how many of a set are made: few by default, more when the variable asks for it.
func times(variable string, few int) int {
	if n, err := strconv.Atoi(os.Getenv(variable)); err == nil {
		return n
	}
	return few
}

// TestClutterEndsAsASolid mends furniture that was never made for printing, with
// the default answers: every part ends as a verified solid.
func TestClutterEndsAsASolid(t *testing.T) {
	n := times("VENEER_CLUTTER", 8)
	methods := map[repair.Method]int{}
	for seed := range uint64(n) {
		bodies := []int{1, 5, 20, 60, 150, 400, 1000, 2000}[seed%8]
		if n < 20 {
			bodies = min(bodies, 150)
		}
		m := newClutter(seed, bodies)
		begun := time.Now()
		set := settings()
		set.TakeDefaults, set.Now = true, time.Now
		before := examined(t, m, set)
		checked := time.Since(begun)
		r, err := pipeline.Mend(t.Context(), &pipeline.Checked{Mesh: m, Report: before}, &memory{}, set)
		require.NoError(t, err)
		methods[r.Method]++
		g := before.Geometry
		pairs := -1
		if g.SelfIntersections != nil {
			pairs = *g.SelfIntersections
		}
		t.Logf("%d: %d bodies, %d triangles, %d shells, %d loops, %d pairs; check %v, mend %v: %s by %s, %d triangles, %d shells, deviation %.3g of %.3g", seed, bodies, g.Triangles, g.Shells, g.BoundaryLoops, pairs,
			checked.Round(time.Millisecond), (time.Since(begun) - checked).Round(time.Millisecond), r.Verdict, r.Method, r.After.Geometry.Triangles, r.After.Geometry.Shells, r.Deviation.P99, r.Deviation.Max)
		if os.Getenv("VENEER_STEPS") != "" {
			for _, s := range r.Steps {
				t.Logf("   %s %.0f ms: [%s] %s %s %s", s.Step, s.MS, s.Why, s.Detail, s.Left, s.Undone)
			}
		}
		if !assert.Equal(t, check.Pass, r.Verdict, "%d: %s %v", seed, findings(r), r.Questions) {
			for _, s := range r.Steps {
				t.Logf("%s: %s %s %s", s.Step, s.Detail, s.Left, s.Undone)
			}
		}
	}
	t.Log(methods)
}
