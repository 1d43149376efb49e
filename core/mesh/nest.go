package mesh

import (
	"math"
	"slices"

	"veneer/core/geom"
)

// nest finds, for every closed shell, the closed shells it lies in.
//
// Idea: from one vertex of each shell a ray runs upward, and the triangles of
// the other closed shells that it crosses are counted: an odd count is inside.
// All rays are parallel, so they are put into a grid over x and y, and one
// pass over the triangles finds the rays each can meet; no tree is needed.
// Whether a ray meets a triangle is decided exactly, the ray's foot being
// shifted by an infinitesimal (ε, ε², ε³) so that it never hits an edge
// (Edelsbrunner & Mücke, "Simulation of Simplicity", 1990). Cost O(t) for
// triangles smaller than a grid cell, and O(t·s) at worst for s shells.
func (s *Shells) nest(m *Mesh) {
	var rays []ray
	box := geom.EmptyBox()
	for i, shell := range s.List {
		if shell.Closed {
			foot := m.Positions[m.Triangles[shell.First][0]]
			rays = append(rays, ray{foot, int32(i)})
			box = box.Extend(foot)
		}
	}
	if len(rays) < 2 {
		return
	}
	grid := newRayGrid(rays, box)
	type crossing struct{ ray, shell int32 }
	var crossings []crossing
	for t := range int32(len(m.Triangles)) {
		shell := s.Of[t]
		if shell < 0 || !s.List[shell].Closed {
			continue
		}
		a, b, c := m.Corners(t)
		grid.each(a, b, c, func(r int32) {
			ray := grid.rays[r]
			if ray.shell != shell && s.List[shell].Box.Contains(s.List[ray.shell].Box) && crossesUpward(ray.foot, a, b, c) {
				crossings = append(crossings, crossing{r, shell})
			}
		})
	}
	slices.SortFunc(crossings, func(x, y crossing) int {
		if x.ray != y.ray {
			return int(x.ray - y.ray)
		}
		return int(x.shell - y.shell)
	})
	for i := 0; i < len(crossings); {
		j := i
		for j < len(crossings) && crossings[j] == crossings[i] {
			j++
		}
		if (j-i)%2 == 1 {
			inner := &s.List[grid.rays[crossings[i].ray].shell]
			outer := crossings[i].shell
			inner.Depth++
			if inner.Inside < 0 || math.Abs(s.List[outer].VolumeMM3) < math.Abs(s.List[inner.Inside].VolumeMM3) {
				inner.Inside = outer
			}
		}
		i = j
	}
}

type ray struct {
	foot  geom.Vec
	shell int32
}

// rayGrid sorts rays into square cells over x and y, about one to a cell.
type rayGrid struct {
	rays   []ray
	start  []int32 // cell k holds rays[start[k]:start[k+1]]
	min    geom.Vec
	dx, dy float64 // cells per unit of length
	nx, ny int
}

func newRayGrid(rays []ray, box geom.Box) *rayGrid {
	n := min(int(math.Sqrt(float64(len(rays))))+1, 1024)
	g := &rayGrid{min: box.Min, nx: n, ny: n}
	if size := box.Size(); size.X > 0 {
		g.dx = float64(n) / size.X
	}
	if size := box.Size(); size.Y > 0 {
		g.dy = float64(n) / size.Y
	}
	cell := func(r ray) int { return g.column(r.foot.Y, g.min.Y, g.dy, n)*n + g.column(r.foot.X, g.min.X, g.dx, n) }
	g.start = make([]int32, n*n+1)
	for _, r := range rays {
		g.start[cell(r)+1]++
	}
	for i := 1; i < len(g.start); i++ {
		g.start[i] += g.start[i-1]
	}
	at := slices.Clone(g.start)
	g.rays = make([]ray, len(rays))
	for _, r := range rays {
		k := cell(r)
		g.rays[at[k]] = r
		at[k]++
	}
	return g
}

func (g *rayGrid) column(x, low, perUnit float64, n int) int {
	return int(min(max((x-low)*perUnit, 0), float64(n-1)))
}

// each calls visit for the rays whose foot lies within the triangle's box in x and y.
func (g *rayGrid) each(a, b, c geom.Vec, visit func(r int32)) {
	xl, xh := min(a.X, b.X, c.X), max(a.X, b.X, c.X)
	yl, yh := min(a.Y, b.Y, c.Y), max(a.Y, b.Y, c.Y)
	x0, x1 := g.column(xl, g.min.X, g.dx, g.nx), g.column(xh, g.min.X, g.dx, g.nx)
	y0, y1 := g.column(yl, g.min.Y, g.dy, g.ny), g.column(yh, g.min.Y, g.dy, g.ny)
	for y := y0; y <= y1; y++ {
		for r := g.start[y*g.nx+x0]; r < g.start[y*g.nx+x1+1]; r++ {
			if p := g.rays[r].foot; xl <= p.X && p.X <= xh && yl <= p.Y && p.Y <= yh {
				visit(r)
			}
		}
	}
}

// crossesUpward reports whether the upward ray from p, shifted by (ε, ε², ε³),
// crosses the triangle. Exact; triangles that stand upright are never crossed.
func crossesUpward(p, a, b, c geom.Vec) bool {
	ab, bc, ca := sideShifted(a, b, p), sideShifted(b, c, p), sideShifted(c, a, p)
	if ab == 0 || ab != bc || bc != ca {
		return false
	}
	// ab tells how the triangle runs seen from above; Orient3D is +1 when p is
	// below a triangle that runs anticlockwise. On the plane, ε and ε² tilt p off it
	// and only when the plane is level does ε³ raise p above.
	if side := geom.Orient3D(a, b, c, p); side != 0 {
		return side == ab
	}
	if side := geom.Orient2D(a.Y, a.Z, b.Y, b.Z, c.Y, c.Z); side != 0 {
		return -side == ab // moving p by +x changes the determinant by -(its x minor)
	}
	if side := geom.Orient2D(a.Z, a.X, b.Z, b.X, c.Z, c.X); side != 0 {
		return -side == ab
	}
	return false // level: p is raised above it
}

// sideShifted is Orient2D of a, b and p shifted by (ε, ε²) in x and y: never 0
// unless a and b coincide seen from above.
func sideShifted(a, b, p geom.Vec) int {
	if side := geom.Orient2D(a.X, a.Y, b.X, b.Y, p.X, p.Y); side != 0 {
		return side
	}
	// d/dx of the determinant is a.Y-b.Y, d/dy is b.X-a.X.
	switch {
	case a.Y > b.Y:
		return 1
	case a.Y < b.Y:
		return -1
	case b.X > a.X:
		return 1
	case b.X < a.X:
		return -1
	}
	return 0
}
