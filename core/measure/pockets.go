package measure

import (
	"cmp"
	"context"
	"math"
	"slices"

	"veneer/core/geom"
	"veneer/core/mesh"
)

// Pocket is room within a part that is joined to the outside only by passages
// too narrow for a ball of the drain's width.
type Pocket struct {
	At        geom.Vec // a place in it
	Box       geom.Box
	VolumeMM3 float64 // an estimate
}

// mostCells is how many cells of a grid lie along a part's longest side.
const mostCells = 128

// Pockets finds the rooms of a closed part that do not empty through a drain of
// that width in mm; rooms sealed on all sides are left out, for shells tell them
// exactly. It returns false when the drain is too fine for the grid to tell.
//
// Idea: the part is cut into layers, the layers into cells, and the distance of
// each empty cell from the solid is found (Felzenszwalb & Huttenlocher, "Distance
// Transforms of Sampled Functions", 2012). Cells at least half the drain's width
// away are where its middle can be; those that a flood from outside does not
// reach are in a pocket. Cost O(cells), at most about 3 million; volumes are
// right to a cell's width around the edge.
func Pockets(ctx context.Context, topo *mesh.Topology, drain float64) (pockets []Pocket, told bool, err error) {
	box := topo.Mesh.Bounds()
	size := box.Size()
	radius := drain / 2
	cell := max(max(size.X, size.Y, size.Z)/mostCells, radius/4)
	if !(cell > 0) || radius < 2*cell {
		return nil, false, nil
	}
	g := newCells(box, cell, int(math.Ceil(radius/cell))+2)
	if err := g.fill(ctx, topo); err != nil {
		return nil, true, err
	}
	away := g.distance(func(i int) bool { return g.solid[i] })
	clear := func(i int) bool { return float64(away[i])*cell*cell >= radius*radius }
	outside := g.flood(0, clear)                                // where a ball from outside gets
	open := g.flood(0, func(i int) bool { return !g.solid[i] }) // where anything gets
	seen := make([]bool, len(g.solid))
	for i := range g.solid {
		if seen[i] || outside[i] || !open[i] || !clear(i) {
			continue
		}
		middle := g.flood(i, func(j int) bool { return clear(j) && !outside[j] })
		reach := g.distance(func(j int) bool { return middle[j] })
		p := Pocket{At: g.at(i), Box: geom.EmptyBox()}
		for j := range middle {
			if middle[j] {
				seen[j] = true
			}
			if !g.solid[j] && float64(reach[j])*cell*cell <= radius*radius {
				p.VolumeMM3 += cell * cell * cell
				p.Box = p.Box.Extend(g.at(j))
			}
		}
		pockets = append(pockets, p)
		if err := ctx.Err(); err != nil {
			return nil, true, err
		}
	}
	slices.SortStableFunc(pockets, func(a, b Pocket) int { return cmp.Compare(b.VolumeMM3, a.VolumeMM3) })
	return pockets, true, nil
}

// cells are a grid around a part.
type cells struct {
	n     [3]int
	low   geom.Vec // middle of the first cell
	cell  float64
	solid []bool
}

func newCells(box geom.Box, cell float64, margin int) *cells {
	g := &cells{cell: cell}
	for k, s := range box.Size().Array() {
		g.n[k] = int(math.Ceil(s/cell)) + 2*margin + 1
	}
	shift := (float64(margin) - 0.5) * cell
	g.low = box.Min.Sub(geom.Vec{X: shift, Y: shift, Z: shift})
	g.solid = make([]bool, g.n[0]*g.n[1]*g.n[2])
	return g
}

func (g *cells) at(i int) geom.Vec {
	x, y, z := i%g.n[0], i/g.n[0]%g.n[1], i/(g.n[0]*g.n[1])
	return g.low.Add(geom.Vec{X: float64(x), Y: float64(y), Z: float64(z)}.Scale(g.cell))
}

// fill marks the cells whose middles lie in the solid: where the contours of
// their layer wind around them.
func (g *cells) fill(ctx context.Context, topo *mesh.Topology) error {
	heights := make([]float64, g.n[2])
	for z := range heights {
		heights[z] = g.low.Z + float64(z)*g.cell
	}
	layers, err := Layers(ctx, topo, heights)
	if err != nil {
		return err
	}
	type crossing struct {
		x  float64
		up int
	}
	return eachOf(ctx, len(layers), 1, func(z int) {
		rows := make([][]crossing, g.n[1])
		for _, c := range layers[z].Contours {
			for i, p := range c.Points {
				q := c.Points[(i+1)%len(c.Points)]
				up := 1
				if p[1] > q[1] {
					p, q, up = q, p, -1
				}
				first := int(math.Ceil((p[1] - g.low.Y) / g.cell))
				for y := max(first, 0); y < g.n[1]; y++ {
					height := g.low.Y + float64(y)*g.cell
					if height >= q[1] {
						break
					}
					if height >= p[1] {
						rows[y] = append(rows[y], crossing{p[0] + (height-p[1])/(q[1]-p[1])*(q[0]-p[0]), up})
					}
				}
			}
		}
		for y, row := range rows {
			slices.SortFunc(row, func(a, b crossing) int { return cmp.Compare(a.x, b.x) })
			winding, next := 0, 0
			for x := range g.n[0] {
				for at := g.low.X + float64(x)*g.cell; next < len(row) && row[next].x <= at; next++ {
					winding += row[next].up
				}
				g.solid[(z*g.n[1]+y)*g.n[0]+x] = winding != 0
			}
		}
	})
}

// flood marks the cells that hang together with the first through faces, as far
// as they are free; none when the first is not.
func (g *cells) flood(first int, free func(i int) bool) []bool {
	reached := make([]bool, len(g.solid))
	if !free(first) {
		return reached
	}
	reached[first] = true
	step := [3]int{1, g.n[0], g.n[0] * g.n[1]}
	for stack := []int{first}; len(stack) > 0; {
		i := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		at := [3]int{i % g.n[0], i / g.n[0] % g.n[1], i / step[2]}
		for k := range 3 {
			if j := i - step[k]; at[k] > 0 && !reached[j] && free(j) {
				reached[j] = true
				stack = append(stack, j)
			}
			if j := i + step[k]; at[k] < g.n[k]-1 && !reached[j] && free(j) {
				reached[j] = true
				stack = append(stack, j)
			}
		}
	}
	return reached
}

// distance is each cell's squared distance, in cells, from the nearest one of a
// set; very large when the set is empty.
func (g *cells) distance(in func(i int) bool) []float32 {
	const far = 1e12
	d := make([]float32, len(g.solid))
	for i := range d {
		if !in(i) {
			d[i] = far
		}
	}
	step := [3]int{1, g.n[0], g.n[0] * g.n[1]}
	longest := max(g.n[0], g.n[1], g.n[2])
	line, out := make([]float64, longest), make([]float64, longest)
	hull, from := make([]int, longest), make([]float64, longest+1)
	for k := range 3 {
		n := g.n[k]
		for start := range d {
			if start/step[k]%n != 0 {
				continue
			}
			for q := range n {
				line[q] = float64(d[start+q*step[k]])
			}
			lowerEnvelope(line[:n], out, hull, from)
			for q := range n {
				d[start+q*step[k]] = float32(out[q])
			}
		}
	}
	return d
}

// lowerEnvelope is the distance transform along one line: the lower envelope of
// the parabolas that stand on its values.
func lowerEnvelope(line, out []float64, hull []int, from []float64) {
	k := 0
	hull[0], from[0], from[1] = 0, math.Inf(-1), math.Inf(1)
	for q := 1; q < len(line); q++ {
		meets := func(v int) float64 {
			return ((line[q] + float64(q*q)) - (line[v] + float64(v*v))) / float64(2*q-2*v)
		}
		s := meets(hull[k])
		for s <= from[k] {
			k--
			s = meets(hull[k])
		}
		k++
		hull[k], from[k], from[k+1] = q, s, math.Inf(1)
	}
	k = 0
	for q := range line {
		for from[k+1] < float64(q) {
			k++
		}
		v := hull[k]
		out[q] = float64((q-v)*(q-v)) + line[v]
	}
}
